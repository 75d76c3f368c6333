"""Descriptions of a scenario's keys, from the docstrings in the data classes."""

import ast
import inspect
import textwrap
from collections.abc import Iterator
from functools import cache
from types import UnionType
from typing import Annotated, Literal, Union, get_args, get_origin

from pydantic import BaseModel
from pydantic_core import PydanticUndefined

from tinrocket.scenario.numbers import Model


@cache
def key_docs(model: type[BaseModel]) -> dict[str, str]:
    """Return the docstring of each key of a model, from its class or a base class."""
    texts: dict[str, str] = {}
    for kind in reversed(model.__mro__):
        if issubclass(kind, Model) and kind is not Model:
            texts |= dict(_docs_in(kind))
    return {key: texts.get(key, "") for key in model.model_fields}


def _docs_in(kind: type[BaseModel]) -> Iterator[tuple[str, str]]:
    tree = ast.parse(textwrap.dedent(inspect.getsource(kind))).body[0]
    assert isinstance(tree, ast.ClassDef)
    key = ""
    for node in tree.body:
        if isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name):
            key = node.target.id
        elif key and isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            yield key, " ".join(str(node.value.value).split())
            key = ""
        else:
            key = ""


def summary(model: type[BaseModel]) -> str:
    """Return the first paragraph of a model's docstring."""
    return " ".join((inspect.getdoc(model) or "").split("\n\n")[0].split())


def key_table(model: type[BaseModel], keys: tuple[str, ...] | None = None) -> str:
    """Return the keys of a model as a table of Markdown, required ones first."""
    rows = ["| key | default | meaning |", "|---|---|---|"]
    docs = key_docs(model)
    fields = sorted(model.model_fields.items(), key=lambda item: not item[1].is_required())
    for key, field in fields:
        if keys is not None and key not in keys:
            continue
        default = "required" if field.is_required() else _shown(field.get_default())
        others = [
            f'`"{choice}"`' for choice in _choices(field.annotation) if choice != field.default
        ]
        default = ", ".join((default, *others))
        meaning = docs[key].replace("|", "\\|").replace("``", "`")
        rows.append(f"| `{key}` | {default} | {meaning} |")
    return "\n".join(rows)


def _choices(annotation: object) -> list[str]:
    """Return the words between which a key chooses."""
    if get_origin(annotation) is Literal:
        return [part for part in get_args(annotation) if isinstance(part, str)]
    inner = get_args(annotation)[:1] if get_origin(annotation) is Annotated else ()
    either = get_args(annotation) if get_origin(annotation) in (Union, UnionType) else inner
    return [choice for part in either for choice in _choices(part)]


def _shown(value: object) -> str:
    if value is None or value is PydanticUndefined or value in ((), {}, ""):
        return "none"
    if isinstance(value, bool):
        return f"`{str(value).lower()}`"
    if isinstance(value, str):
        return f'`"{value}"`'
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, tuple):
        return f"`[{', '.join(f'{element:g}' for element in value)}]`"
    return f"{value}" if isinstance(value, int) else "see below"
