"""Fills the tables of the pages, and the schema, from the data classes: run it by hand."""

import json
import re
from pathlib import Path

import tinrocket as tr
from tinrocket.checks.check import ALL
from tinrocket.feel_metrics.manoeuvres import BUILT_IN
from tinrocket.scenario.key_docs import key_docs, key_table
from tinrocket.scenario.rules import KINDS, MotionRule
from tinrocket.scenario.synonyms import RULES as SYNONYMS

DOCS = Path(__file__).parent
PAGES = ("scenario.md", "feel.md", "checks.md")
SCHEMA = Path(tr.__file__).parent / "scenario" / "schema.json"
TABLE = re.compile(r"(<!-- (keys: \w+|feel|checks|words) -->\n).*?(<!-- end -->)", re.DOTALL)


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
    name = name.removeprefix("keys: ")
    if name == "rules":
        return rule_keys()
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
    """Return the words that readers look for, with the rules that do what they mean."""
    rows = ["| you look for | use |", "|---|---|"]
    rows += [f"| {word.replace('_', ' ')} | {use} |" for word, use in sorted(SYNONYMS.items())]
    return "\n".join(rows)


def rule_keys() -> str:
    """Return the keys of all rules of its kind that are not every rule's."""
    common = set(MotionRule.model_fields)
    rows = ["| rule | key | default | meaning |", "|---|---|---|---|"]
    for kind in sorted(KINDS, key=lambda one: one.model_fields["rule"].default):
        own = tuple(key for key in key_docs(kind) if key not in common)
        changed = tuple(
            key
            for key in ("when",)
            if kind.model_fields[key].default != MotionRule.model_fields[key].default
        )
        table = key_table(kind, (*own, *changed)).splitlines()[2:]
        name = f"`{kind.model_fields['rule'].default}`"
        rows += [f"| {name if n == 0 else ''} {row}" for n, row in enumerate(table)]
        if not table:
            rows.append(f"| {name} | – | – | – |")
    return "\n".join(rows)


def schema_file() -> str:
    """Return the schema that is shipped with the package."""
    return json.dumps(tr.json_schema(), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    SCHEMA.write_text(schema_file(), encoding="utf-8")
    for page in PAGES:
        written = filled((DOCS / page).read_text(encoding="utf-8"))
        (DOCS / page).write_text(written, encoding="utf-8")
