"""The format as a JSON Schema, by which editors complete and check scenario files."""

from importlib.resources import files
from typing import Any, get_args

from pydantic import BaseModel

from tinrocket.scenario.arena import EdgeKind
from tinrocket.scenario.key_docs import key_docs, summary
from tinrocket.scenario.scenario import Scenario

FILE = {"type": "string", "description": "A file beside the scenario, in the place of the rest."}


def json_schema() -> dict[str, Any]:
    """Return the schema of a scenario file, each key with its description.

    Examples
    --------
    >>> tr.json_schema()["type"]
    'object'
    """
    schema = Scenario.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    tables = schema["$defs"] | {"Scenario": schema}
    for model in _models(Scenario, set()):
        table = tables.get(model.__name__)
        if table is None:
            continue
        table["description"] = summary(model)
        for key, text in key_docs(model).items():
            if text:
                table["properties"][key]["description"] = text
    _as_files_say_it(tables)
    return schema


def schema_text() -> str:
    """Return the schema as it is shipped with the package."""
    return (files("tinrocket.scenario") / "schema.json").read_text(encoding="utf-8")


def _models(model: type[BaseModel], seen: set[type[BaseModel]]) -> set[type[BaseModel]]:
    """Return a model and all that its keys hold, all the way down."""
    if model in seen:
        return seen
    seen.add(model)
    for field in model.model_fields.values():
        for inner in _models_in(field.annotation):
            _models(inner, seen)
    return seen


def _models_in(annotation: Any) -> list[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return [annotation]
    return [model for part in get_args(annotation) for model in _models_in(part)]


def _as_files_say_it(tables: dict[str, Any]) -> None:
    """Add the short forms: names of edges, and files beside the scenario."""
    name = {"enum": list(get_args(EdgeKind))}
    edge = {"anyOf": [name, {"$ref": "#/$defs/Edge"}]}
    sides = tables["Edges"]
    for side in sides["properties"]:
        sides["properties"][side] = edge
    whole = dict(sides)
    sides.clear()
    sides |= {"anyOf": [name, {"$ref": "#/$defs/Edge"}, whole]}
    tables["Tape"]["properties"]["file"] = FILE
    tables["Clock"]["properties"]["frame_times_file"] = FILE
    mask = tables["Mask"]
    mask["properties"]["file"] = FILE
    mask["required"] = [key for key in mask.get("required", []) if key != "rows"]
