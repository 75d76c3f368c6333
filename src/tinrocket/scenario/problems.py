"""From pydantic's account of what is wrong to one sentence for each problem."""

from typing import Any, get_args

from pydantic import BaseModel, ValidationError
from pydantic_core import ErrorDetails

from tinrocket.errors import Problem, ScenarioError, nearest
from tinrocket.scenario.renamed import renamed

_PLAIN = {
    "missing": "is missing",
    "finite_number": "must be a finite number, not {input}",
    "float_type": "must be a number, not {input}",
    "float_parsing": "must be a number, not {input}",
    "int_type": "must be a whole number, not {input}",
    "string_type": "must be a text, not {input}",
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
    error: ValidationError, model: type[BaseModel], source: str | None = None
) -> ScenarioError:
    """Return the same problems, each with its path and a sentence saying what would be right."""
    problems: list[Problem] = []
    details = error.errors(include_url=False)
    for detail in details:
        inside = (other["loc"] for other in details if other is not detail)
        if detail["type"] == "too_short" and any(
            loc[: len(detail["loc"])] == detail["loc"] for loc in inside
        ):
            continue  # its entries were there, and are reported
        if detail["type"] == "missing" and _misspelled(detail["loc"], details):
            continue  # the key is there under a wrong name, which is reported
        problems.extend(_problems(detail, model))
    return ScenarioError(problems, source)


def _misspelled(missing: tuple[int | str, ...], details: list[ErrorDetails]) -> bool:
    name = str(missing[-1])
    return any(
        other["type"] == "extra_forbidden"
        and other["loc"][:-1] == missing[:-1]
        and "did you mean" in nearest(str(other["loc"][-1]), [name])
        for other in details
    )


def _problems(detail: ErrorDetails, model: type[BaseModel]) -> list[Problem]:
    where, here, holder = _walk(detail["loc"], model)
    kind, context = detail["type"], detail.get("ctx", {})
    if kind == "value_error":  # raised by a validator of ours; one line for each problem
        lines = str(context["error"]).split("\n")
        return [Problem(where, line) for line in lines]
    if kind == "extra_forbidden":
        known = list(holder.model_fields) if holder else []
        key = str(detail["loc"][-1])
        now = renamed(key, known)
        hint = f"; it is called '{now}' now" if now else nearest(key, known)
        return [Problem(where, f"there is no such key{hint}")]
    if kind == "union_tag_not_found":
        kinds = ", ".join(_tag(one) for one in here)
        return [
            Problem(
                where, f"has no key {context['discriminator']} to say what it is; valid: {kinds}"
            )
        ]
    if kind in ("literal_error", "union_tag_invalid"):
        expected = context.get("expected", context.get("expected_tags", ""))
        names = [name.strip(" '") for name in str(expected).replace(" or ", ", ").split(",")]
        given = str(context.get("tag", detail["input"]))
        now = renamed(given, names)
        hint = f"; it is called '{now}' now" if now else _close(given, names)
        return [Problem(where, f"'{given}' is not one of {', '.join(names)}{hint}")]
    if kind in _PLAIN:
        return [Problem(where, _PLAIN[kind].format(input=_shown(detail["input"]), **context))]
    return [Problem(where, detail["msg"])]


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
    loc: tuple[int | str, ...], model: type[BaseModel]
) -> tuple[str, list[type[BaseModel]], type[BaseModel] | None]:
    """Follow a path of pydantic's through the models.

    Returns it as a person would write it, the models that may stand at its end, and the
    model that its last key belongs to.  In a rule's path ('craft', 0, 'rules', 2, 'drag',
    'keep') pydantic puts the kind, which is no key: it is written beside the number.
    """
    path = ""
    here: list[type[BaseModel]] = [model]
    holder: type[BaseModel] | None = model
    for step in loc:
        if isinstance(step, int):
            path += f"#{step + 1}"
            continue
        tagged = [m for m in here if len(here) > 1 and _tag(m) == step]
        if tagged:
            path += f"({step})"
            here = tagged
            holder = tagged[0]
            continue
        path += f".{step}" if path else step
        holder = here[0] if len(here) == 1 else None
        field = holder.model_fields.get(step) if holder else None
        here = _models_in(field.annotation) if field else []
    return path, here, holder


def _tag(model: type[BaseModel]) -> Any:
    field = model.model_fields.get("rule")
    return field.default if field else None


def _models_in(annotation: Any) -> list[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return [annotation]
    return [model for part in get_args(annotation) for model in _models_in(part)]
