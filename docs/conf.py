"""The documentation site: `sphinx-build -W docs build/site`; the pages, searched, dark or light."""

import re
from typing import Any

from pydantic import BaseModel

import tinrocket

project = "Tin Rocket"
author = "the authors of Tin Rocket"
version = release = tinrocket.__version__
copyright = "the authors of Tin Rocket"  # noqa: A001  # the name that the generator reads

extensions = ["myst_parser", "sphinx.ext.autodoc", "sphinx.ext.napoleon"]
exclude_patterns = ["build"]
html_theme = "furo"
html_title = "Tin Rocket"
html_static_path = ["static"]
html_css_files = ["site.css"]
html_copy_source = False
pygments_style = "friendly"
pygments_dark_style = "github-dark"

myst_heading_anchors = 4
autodoc_typehints = "signature"
autodoc_member_order = "bysource"
autodoc_default_options = {"members": True}
suppress_warnings = ["ref.python"]  # two classes with an attribute of one name
napoleon_google_docstring = False
napoleon_use_rtype = False
napoleon_use_ivar = True
napoleon_attr_annotations = False
python_maximum_signature_line_length = 80


def _skip(_: Any, what: str, name: str, obj: Any, skip: bool, __: Any) -> bool | None:
    """Leave out members of the validation library, and what a rule declares for the program."""
    function = getattr(obj, "fget", None) or getattr(obj, "func", None) or obj
    module = getattr(function, "__module__", "") or ""
    inherited = module.startswith("pydantic") or name.startswith("model_")
    return True if skip or inherited or module.startswith("tinrocket.scenario.rules") else None


def _no_signature(_: Any, __: str, ___: str, obj: Any, *____: Any) -> tuple[str, None] | None:
    """Hide the signature of models, whose keys are listed one by one."""
    return ("", None) if isinstance(obj, type) and issubclass(obj, BaseModel) else None


def _plain_code(_: Any, __: str, ___: str, ____: Any, _____: Any, lines: list[str]) -> None:
    """Turn single backquotes, which mean code in the docstrings, into the generator's code."""
    for number, line in enumerate(lines):
        lines[number] = re.sub(r"(?<![`:\w])`([^`<>]+)`(?!`|_)", r"``\1``", line)


def setup(app: Any) -> None:
    """Connect the steps above."""
    app.connect("autodoc-skip-member", _skip)
    app.connect("autodoc-process-signature", _no_signature)
    app.connect("autodoc-process-docstring", _plain_code)
