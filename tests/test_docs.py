"""The documentation shows real output from real runs, and names everything there is."""

import doctest
import importlib.util
import inspect
import io
import json
import re
import shlex
import shutil
import subprocess
import sys
import tomllib
from pathlib import Path
from typing import get_args

import jsonschema
import pytest

import tinrocket as tr
from tinrocket.demos import demo_names, demo_text
from tinrocket.scenario.key_docs import key_docs
from tinrocket.scenario.rules import Rule
from tinrocket.scenario.schema import schema_text
from tinrocket.scenario.toml_file import parse_scenario

PROJECT = Path(__file__).parent.parent
README = (PROJECT / "README.md").read_text(encoding="utf-8")
REFERENCE = (PROJECT / "docs" / "scenario.md").read_text(encoding="utf-8")


def lines(text):
    return [line.rstrip() for line in text.strip().splitlines()]


EXAMPLE = re.compile(r"```python\n((?:(?!```).)*)```\n\n```\n(.*?)```", re.DOTALL)
PAGES = {
    path.name: path.read_text(encoding="utf-8")
    for path in (PROJECT / "README.md", *sorted((PROJECT / "docs").glob("*.md")))
}
EXAMPLES = [found for page in PAGES.values() for found in EXAMPLE.findall(page)]
COMMAND = re.compile(r"```\n\$ tinrocket ((?!demo)[^\n]*)\n(.*?)```", re.DOTALL)


@pytest.mark.slow
@pytest.mark.parametrize("example", range(len(EXAMPLES)))
def test_python_examples(example, tmp_path):
    """Each is a program of its own, in a file, as a reader would run it."""
    code, output = EXAMPLES[example]
    unrun = ("design.md", "mechanisms.md")  # which have no outputs
    written = [page for name, page in PAGES.items() if name not in unrun]
    listings = sum(len(re.findall(r"<!-- file: \S+\.py", page)) for page in written)
    blocks = sum(page.count("```python") for page in written)
    assert len(EXAMPLES) == blocks - listings  # which have no output
    (tmp_path / "example.py").write_text(code, encoding="utf-8")
    done = subprocess.run(
        [sys.executable, "example.py"], cwd=tmp_path, capture_output=True, text=True, check=True
    )
    assert lines(done.stdout) == lines(output)


@pytest.mark.slow
@pytest.mark.parametrize("page", [name for name, text in PAGES.items() if COMMAND.search(text)])
def test_commands_of_the_pages(page, cli, tmp_path):
    """One after the other, as a reader would, beside the files of the examples."""
    shutil.copytree(PROJECT / "examples", tmp_path, dirs_exist_ok=True)
    for command, output in COMMAND.findall(PAGES[page]):
        done = cli(*shlex.split(command), ok=False)
        assert done.returncode < 2, done.stderr
        assert lines(done.stdout) == lines(output), command


@pytest.mark.parametrize("page", PAGES)
def test_links_of_the_pages_exist(page):
    home = PROJECT if page == "README.md" else PROJECT / "docs"
    for target in re.findall(r"\]\((?!https?:|#)([^)#]+)", PAGES[page]):
        assert (home / target).exists(), target


def test_listings_are_the_files_of_the_examples():
    for page in PAGES.values():
        for name, text in re.findall(r"<!-- file: (\S+) -->\n```\w+\n(.*?)```", page, re.DOTALL):
            assert (PROJECT / "examples" / name).read_text(encoding="utf-8") == text


@pytest.fixture(scope="module")
def tables():
    """Return the tool that fills the tables of the pages."""
    spec = importlib.util.spec_from_file_location("tables", PROJECT / "docs" / "tables.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


@pytest.mark.parametrize("name", [name for name in dir(tr) if name != "__version__"])
def test_public_names_are_documented(name):
    """Every parameter of a public function has its place in the docstring or needs none."""
    thing = getattr(tr, name)
    assert inspect.getdoc(thing)
    if inspect.isfunction(thing) and "Parameters\n" in (thing.__doc__ or ""):
        described = thing.__doc__.split("Parameters\n")[1]
        for parameter in inspect.signature(thing).parameters:
            assert re.search(rf"^\s*(\w+, )*{parameter}(, \w+)*$", described, re.MULTILINE), (
                f"{name}({parameter})"
            )


DOCTESTED = [
    name
    for name in dir(tr)
    if inspect.isfunction(getattr(tr, name)) and ">>> " in (getattr(tr, name).__doc__ or "")
]


@pytest.mark.filterwarnings("ignore::UserWarning")
@pytest.mark.parametrize("name", DOCTESTED)
def test_examples_of_the_reference_print_what_they_say(name, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    runner = doctest.DocTestRunner(optionflags=doctest.NORMALIZE_WHITESPACE)
    known = {"tr": tr}
    example = doctest.DocTestParser().get_doctest(
        inspect.getdoc(getattr(tr, name)), known, name, None, None
    )
    output = io.StringIO()
    assert runner.run(example, out=output.write).failed == 0, output.getvalue()


def test_the_reference_lists_each_public_name_once():
    pages = (PROJECT / "docs" / "api").glob("*.rst")
    listed = re.findall(r"\.\. auto\w+:: (\w+)", "".join(page.read_text() for page in pages))
    assert sorted(listed) == sorted(name for name in tr.__all__ if name != "__version__")


def test_the_example_of_each_rule_is_read_and_flies(tables):
    examples = tables.examples(PAGES["rules.md"])
    kinds = {rule.model_fields["rule"].default for rule in get_args(get_args(Rule)[0])}
    assert {rule.rule for rule in examples.craft[2].rules} == kinds
    assert len(tr.simulate(examples).of("one")) == 61


def test_tables_and_schema_match_the_data_classes(tables):
    """A key without a meaning, or one that has changed since, is found here: run docs/tables.py."""
    for page in tables.PAGES:
        assert tables.filled(PAGES[page]) == PAGES[page], page
    assert tables.schema_file() == schema_text()
    models = [tr.Scenario, *(rule for rule in get_args(get_args(Rule)[0]))]
    named = set(re.findall(r"<!-- keys: ([A-Z]\w+) -->", REFERENCE)) - {"MotionRule"}
    models += [getattr(tr, name) for name in named]
    for model in models:
        empty = [key for key, text in key_docs(model).items() if not text]
        assert empty == [], model.__name__
    sections = dict(re.findall(r"^### (\w+)\n(.*?)(?=^##)", PAGES["rules.md"], re.M | re.S))
    kinds = [rule.model_fields["rule"].default for rule in get_args(get_args(Rule)[0])]
    assert sorted(sections) == sorted(kinds)
    for name, section in sections.items():
        assert f"<!-- rule: {name} -->" in section
        assert "- **Per step**: " in section


def test_the_schema_accepts_valid_and_rejects_invalid_files(tables):
    check = jsonschema.Draft202012Validator(json.loads(schema_text()))
    plain = tables.BENCH + 'rules = [{ rule = "move" }]'
    for text in (
        *(demo_text(name) for name in demo_names()),
        plain,
    ):
        assert list(check.iter_errors(tomllib.loads(text))) == []
    for old, new in (("width", "widht"), ('"move"', '"mvoe"'), ("= 640", '= "wide"')):
        wrong = tomllib.loads(plain.replace(old, new))
        assert list(check.iter_errors(wrong))


def test_the_spawner_of_the_reference_sends_gates(tables):
    snippet = re.search(r"```toml\n(\[\[spawner\]\].*?)```", REFERENCE, re.DOTALL)
    move = 'rules = [{ rule = "move" }]\n'
    planks = "".join(
        f'[[craft]]\nname = "{name} plank"\npool = 3\nedges = "open"\n{move}'
        for name in ("upper", "lower")
    )
    mouse = '[[craft]]\nname = "mouse"\nstart = { x = 9, y = 9 }\n' + move
    text = tables.BENCH.replace("ion = 1", "ion = 4") + move + planks + mouse + snippet[1]
    gates = tr.simulate(parse_scenario(text))
    met = gates.events
    assert met["kind"].tolist() == ["enter"] * 6
    first = met["t"].tolist()[::2]
    ramp = [0.5, 0.5 + 1.6 - 0.7 * 0.5 / 60]
    assert first[:2] == pytest.approx(ramp, abs=1 / 60)
    gaps = met["y"].to_numpy()[1::2] - met["y"].to_numpy()[::2]
    assert gaps == pytest.approx([380] * 3)
    middles = met["y"].to_numpy()[::2] + 190
    assert len(set(middles)) == 3
    assert ((middles >= 120) & (middles <= 280)).all()


def test_pictures_are_there():
    for page in [PROJECT / "README.md", *(PROJECT / "docs").glob("*.md")]:
        for link in re.findall(r"\]\((?!http)([^)#]+)\)", page.read_text(encoding="utf-8")):
            assert (page.parent / link).exists(), f"{page.name}: {link}"
