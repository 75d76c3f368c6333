"""Fills the tables of the pages, and the schema, from the data classes: run it by hand."""

import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import tinrocket as tr
from tinrocket.checks.check import ALL
from tinrocket.feel_metrics.manoeuvres import BUILT_IN
from tinrocket.scenario.key_docs import key_docs, key_table
from tinrocket.scenario.rules import KINDS, MotionRule
from tinrocket.scenario.synonyms import NEEDS
from tinrocket.scenario.synonyms import RULES as SYNONYMS
from tinrocket.scenario.toml_file import parse_scenario
from tinrocket.why.update_lines import rule_line

DOCS = Path(__file__).parent
PAGES = ("scenario.md", "rules.md", "feel.md", "checks.md")
SCHEMA = Path(tr.__file__).parent / "scenario" / "schema.json"
TABLE = re.compile(
    r"(<!-- ((?:keys|rule): \w+|feel|checks|words) -->\n).*?(<!-- end -->)", re.DOTALL
)


EXAMPLE = re.compile(r"^### (\w+)\n\n```\n(.*?)```", re.MULTILINE | re.DOTALL)
BENCH = """
duration = 1
timing = "frame"
arena = { width = 640, height = 400 }
sticks.thumb = { x = "sx", y = "sy" }
tape.pointers.hand = [[0, 1, 1]]
[[craft]]
name = "other"
start = { x = 9, y = 9 }
rules = [{ rule = "move" }]
[[craft]]
name = "corks"
pool = 3
rules = [{ rule = "move" }]
[[craft]]
name = "one"
start = { x = 5, y = 5 }
resources = [{ name = "fuel" }]
"""
"""The scenario in which the examples of rules fly."""


def filled(text: str) -> str:
    """Return a page with its tables as the data classes say now."""
    return TABLE.sub(lambda found: f"{found[1]}{_table(found[2])}\n{found[3]}", text)


def _table(name: str) -> str:
    if name == "feel":
        return metrics()
    if name == "checks":
        return checks()
    if name == "words":
        return words()
    if name.startswith("rule: "):
        return rule(name.removeprefix("rule: "))
    name = name.removeprefix("keys: ")
    return key_table(MotionRule if name == "MotionRule" else getattr(tr, name))


def metrics() -> str:
    """Return every feel metric with its definition and source."""
    rows = ["| manoeuvre | metric | unit | definition |", "|---|---|---|---|"]
    for manoeuvre in BUILT_IN:
        for n, one in enumerate(manoeuvre.metrics):
            source = f" ({one.source})" if one.source else ""
            name = manoeuvre.name if n == 0 else ""
            rows.append(f"| {name} | {one.name} | {one.unit} | {one.definition}{source} |")
    return "\n".join(rows)


def checks() -> str:
    """Return every check with what it looks for and what to write instead."""
    rows = ["| check | what is wrong | instead |", "|---|---|---|"]
    rows += [f"| `{one.name}` | {one.why} | {one.instead} |" for one in ALL.values()]
    return "\n".join(rows)


def words() -> str:
    """Return the words that readers look for, with links to the rules that do what they mean."""
    rows = ["| I want … | rule |", "|---|---|"]
    known = {kind.model_fields["rule"].default for kind in KINDS}
    for word, use in sorted((NEEDS | SYNONYMS).items()):
        linked = re.sub(r"\w+", lambda m: _linked(m[0]) if m[0] in known else m[0], _plain(use))
        rows.append(f"| {word.replace('_', ' ')} | {linked} |")
    return "\n".join(rows)


def _plain(use: str) -> str:
    return re.sub(r"'(\w+)'", r"`\1`", use.replace("none: give", "no rule: give"))


def _linked(name: str) -> str:
    return f"[{name}](#{name})"


def rule(name: str) -> str:
    """Return the words for a rule, the line that `why` prints for its example, and its keys."""
    kind = next(one for one in KINDS if one.model_fields["rule"].default == name)
    also = [
        word.replace("_", " ") for word, use in SYNONYMS.items() if re.search(rf"\b{name}\b", use)
    ]
    parts = [f"Readers also look for: {', '.join(also)}.\n"] if also else []
    parts += [f"`why` prints:\n\n```\n{text}\n```\n" for text in _printed(name)]
    common = set(MotionRule.model_fields)
    changed = {"when"} if kind.model_fields["when"].default != _common_default("when") else set()
    own = [key for key in key_docs(kind) if key not in common or key in changed]
    parts.append(key_table(kind, tuple(own)) if own else "It has no keys of its own.")
    return "\n".join(parts)


def _common_default(key: str) -> object:
    return MotionRule.model_fields[key].default


def _printed(name: str) -> Iterator[str]:
    """Yield the line to write instead for the first example of a rule that has one."""
    scenario = examples((DOCS / "rules.md").read_text(encoding="utf-8"))
    lines = []
    for one in scenario.craft[2].rules:
        line = rule_line(scenario, scenario.craft[2], one) if one.rule == name else None
        if line is not None and line.before != line.after:
            lines.append(f"{line.before}\n-> {line.after}")
    yield from lines[:1]


def examples(page: str) -> tr.Scenario:
    """Return a scenario with the examples of all rules on a page, in its third craft."""

    @tr.motion_rule
    def draught(craft: Any, dt: float, fan: float, strength: float = 240.0) -> None:
        craft.vx += fan * strength * dt

    found = "".join(example for _name, example in EXAMPLE.findall(page)).replace("}\n", "},\n")
    return parse_scenario(f"{BENCH}rules = [\n{found}]\n")


def schema_file() -> str:
    """Return the schema that is shipped with the package."""
    return json.dumps(tr.json_schema(), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    SCHEMA.write_text(schema_file(), encoding="utf-8")
    for page in PAGES:
        written = filled((DOCS / page).read_text(encoding="utf-8"))
        (DOCS / page).write_text(written, encoding="utf-8")
