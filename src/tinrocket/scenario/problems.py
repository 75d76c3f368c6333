"""Turn pydantic's errors into one sentence for each problem."""

import re
from dataclasses import replace
from typing import Any, get_args, get_origin

from pydantic import BaseModel, ValidationError
from pydantic_core import ErrorDetails

from tinrocket.errors import Problem, ScenarioError, nearest
from tinrocket.scenario.old_names import renamed
from tinrocket.scenario.synonyms import rules_for
from tinrocket.scenario.toml_lines import TomlLines

_PLAIN = {
    "missing": "is missing",
    "finite_number": "must be a finite number, not {input}",
    "float_type": "must be a number, not {input}",
    "float_parsing": "must be a number, not {input}",
    "int_type": "must be a whole number, not {input}",
    "int_from_float": "must be a whole number, not {input}",
    "int_parsing": "must be a whole number, not {input}",
    "bool_type": "must be true or false, not {input}",
    "bool_parsing": "must be true or false, not {input}",
    "list_type": "must be a list, not {input}",
    "string_type": "must be a text, not {input}",
    "string_unicode": "must be a text of whole characters, not {input}",
    "string_too_short": "must not be empty",
    "string_too_long": "must be at most {max_length} characters long",
    "greater_than": "must be greater than {gt:g}, not {input}",
    "greater_than_equal": "must be at least {ge:g}, not {input}",
    "less_than": "must be less than {lt:g}, not {input}",
    "less_than_equal": "must be at most {le:g}, not {input}",
    "tuple_type": "must be a list, not {input}",
    "dict_type": "must be a table, not {input}",
    "model_type": "must be a table, not {input}",
    "model_attributes_type": "must be a table, not {input}",
    "too_short": "must have at least {min_length} entry, and has {actual_length}",
    "too_long": "must have {max_length} entries, and has {actual_length}",
}


def as_scenario_error(
    error: ValidationError,
    model: type[BaseModel],
    source: str | None = None,
    data: object = None,
    text: str | None = None,
) -> ScenarioError:
    """Return the problems of a validation, each with its path and a sentence.

    `data` is the validated data, for the names in paths, and `text` the file it was read from,
    for line numbers.
    """
    problems: list[Problem] = []
    details = error.errors(include_url=False)
    for detail in details:
        inside = (other["loc"] for other in details if other is not detail)
        if detail["type"] == "too_short" and any(
            loc[: len(detail["loc"])] == detail["loc"] for loc in inside
        ):
            continue  # its entries exist, and are reported
        if detail["type"] == "missing" and _misspelled(detail["loc"], details):
            continue  # the key exists under a wrong name, which is reported
        problems.extend(_problems(detail, model, data))
    problems = _once(problems)
    if text is not None:
        file = TomlLines(text, data)
        lines = [file.line_of(problem.where or problem.what) for problem in problems]
        problems = [
            replace(problem, line=line) for problem, line in zip(problems, lines, strict=True)
        ]
    return ScenarioError(problems, source)


def _once(problems: list[Problem]) -> list[Problem]:
    """Join the distinct errors of several alternatives for one value."""
    by_place: dict[str, list[str]] = {}
    for problem in problems:
        by_place.setdefault(problem.where, []).append(problem.what)
    distinct = []
    for where, said in by_place.items():
        sentences = list(dict.fromkeys(said))
        if (
            where
            and len(sentences) > 1
            and all(what.startswith(("must be", "'")) for what in sentences)
        ):
            either = [re.sub(r"^'.*' is not (?=one of )", "", what) for what in sentences]
            distinct.append(Problem(where, ", or ".join(either)))
        else:
            distinct += [Problem(where, what) for what in sentences]
    return distinct


def _misspelled(missing: tuple[int | str, ...], details: list[ErrorDetails]) -> bool:
    name = str(missing[-1])
    return any(
        other["type"] == "extra_forbidden"
        and other["loc"][:-1] == missing[:-1]
        and "did you mean" in nearest(str(other["loc"][-1]), [name])
        for other in details
    )


def _problems(detail: ErrorDetails, model: type[BaseModel], data: object) -> list[Problem]:
    where, here, holder = _walk(detail["loc"], model, data)
    kind, context = detail["type"], detail.get("ctx", {})
    if kind == "value_error":  # raised by our own validator; one line for each problem
        lines = str(context["error"]).split("\n")
        return [Problem(where, line) for line in lines]
    if kind == "extra_forbidden":
        known = list(holder.model_fields) if holder else []
        key = str(detail["loc"][-1])
        now = renamed(key, known)
        deeper = _keys_below(holder, key) if holder else []
        hint = f"; renamed to '{now}'" if now else nearest(key, known)
        if deeper and "did you mean" not in hint:
            hint = f"; did you mean {' or '.join(deeper)}?"
        return [Problem(where, f"there is no such key{hint}")]
    if kind == "union_tag_not_found":
        key = str(context["discriminator"]).strip("'")
        kinds = [_tag(model, key) for model in here if key in model.model_fields]
        keys = {name for model in here for name in model.model_fields}
        meant = _tag_under_another_key(detail["input"], kinds, keys)
        if meant:
            other, kind = meant
            return [Problem(where, f'write {key} = "{kind}", not {other} = "{kind}"')]
        return [Problem(where, f"needs the key '{key}'; valid: {', '.join(kinds)}")]
    if kind in ("literal_error", "union_tag_invalid"):
        expected = context.get("expected", context.get("expected_tags", ""))
        names = [name.strip(" '") for name in str(expected).replace(" or ", ", ").split(",")]
        written = str(context.get("tag", detail["input"]))
        now = renamed(written, names)
        hint = f"; renamed to '{now}'" if now else _close(written, names)
        wanted = rules_for(written) if kind == "union_tag_invalid" and not hint else None
        hint = f"; for '{written}' use {wanted}" if wanted else hint
        return [Problem(where, f"'{written}' is not one of {', '.join(names)}{hint}")]
    if kind == "tuple_type" and isinstance(detail["input"], dict) and where in LISTS:
        return [Problem(where, f"is a list of tables: write [[{where}]], not [{where}]")]
    if kind in _PLAIN:
        return [Problem(where, _PLAIN[kind].format(input=_shown(detail["input"]), **context))]
    return [Problem(where, detail["msg"])]


LISTS = ("craft", "obstacle", "contact", "condition", "spawner", "march")
"""Tables of a scenario that may be repeated."""


def _close(given: str, names: list[str]) -> str:
    hint = nearest(given, names)
    return hint if "did you mean" in hint else ""


def _shown(value: Any) -> str:
    if isinstance(value, dict):
        return "a table"
    if isinstance(value, list | tuple):
        return "a list"
    text = repr(value)
    return text if len(text) <= 60 else f"{text[:57]}..."


def _walk(
    loc: tuple[int | str, ...], model: type[BaseModel], data: object
) -> tuple[str, list[type[BaseModel]], type[BaseModel] | None]:
    """Follow a path of pydantic's through the models.

    Returns it as a person would write it, the models possible at its end, and the
    model that its last key belongs to.  In a rule's path ('craft', 0, 'rules', 2, 'drag',
    'keep') pydantic puts the kind, which is no key.  Named tables appear by name, and a rule that
    is the only one of its kind by the kind.
    """
    path, keyed = "", False
    here: list[type[BaseModel]] = [model]
    holder: type[BaseModel] | None = model
    for step in loc:
        if isinstance(step, int):
            path = _with_member(path, data, step)
            data = data[step] if isinstance(data, list) and step < len(data) else None
            continue
        tagged = [m for m in here if len(here) > 1 and step in _tags(m)]
        if tagged:
            path += f"({step})" if path.endswith(tuple("0123456789")) and "#" in path else ""
            here = tagged
            holder = tagged[0]
            continue
        if "[" in step or step in READINGS:  # an alternative of a union
            continue
        data = data.get(step) if isinstance(data, dict) else None
        path += f".{step}" if path else step
        if keyed:  # a key of a mapping
            keyed = False
            continue
        holder = here[0] if len(here) == 1 else None
        field = holder.model_fields.get(step) if holder else None
        here = _models_in(field.annotation) if field else []
        keyed = field is not None and get_origin(field.annotation) is dict
    return path, here, holder


def _keys_below(model: type[BaseModel], key: str) -> list[str]:
    """Return the dotted names of a key in the tables directly below a model."""
    return [
        f"'{name}.{key}'"
        for name, field in model.model_fields.items()
        if any(key in below.model_fields for below in _models_in(field.annotation))
        and get_origin(field.annotation) not in (dict, list, tuple)
    ]


def _tag_under_another_key(table: Any, kinds: list[str], known: set[str]) -> tuple[str, str] | None:
    """Return the first unknown key of a table whose value is a kind, and that kind, or None."""
    if not isinstance(table, dict):
        return None
    return next(
        (
            (str(key), value)
            for key, value in table.items()
            if key not in known and isinstance(value, str) and value in kinds
        ),
        None,
    )


READINGS = ("bool", "float", "int", "str", "list", "tuple", "dict", "Edge")
"""Names by which pydantic denotes alternatives of a union."""


def _with_member(path: str, data: object, place: int) -> str:
    """Return a path extended by a member of a list: by name, kind or index."""
    member = data[place] if isinstance(data, list) and place < len(data) else None
    if isinstance(member, dict) and isinstance(data, list):
        for key in ("name", "rule"):
            name = member.get(key)
            same = [other for other in data if isinstance(other, dict) and other.get(key) == name]
            if isinstance(name, str) and name and len(same) == 1:
                return f"{path.removesuffix('.rules')}.{name}"
    return f"{path}#{place + 1}"


def _tags(model: type[BaseModel]) -> list[str]:
    """Return the words that may distinguish a model from others."""
    return [_tag(model, key) for key in ("rule", "kind") if key in model.model_fields]


def _tag(model: type[BaseModel], key: str) -> str:
    """Return the word that distinguishes a model from others of a union."""
    return str(model.model_fields[key].default)


def _models_in(annotation: Any) -> list[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return [annotation]
    return [model for part in get_args(annotation) for model in _models_in(part)]
