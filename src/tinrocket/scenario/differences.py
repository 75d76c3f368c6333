"""Differences of two scenarios, by their paths."""

import hashlib
from collections.abc import Iterator
from typing import Any

from tinrocket.scenario.numbers import Model
from tinrocket.scenario.scenario import Scenario

LONGEST_WHOLE = 100
"""Most characters of a stored value; a digest replaces the rest."""
LONGEST = 40
"""Most characters of a printed value; a longer one is a list or table of its own."""


def numbers_changed(before: Scenario, after: Scenario) -> list[tuple[str, str, str]]:
    """Return path, old and new value of everything that differs; – for a missing value."""
    return list(_differences(before, after, ""))


def _differences(before: Any, after: Any, path: str) -> Iterator[tuple[str, str, str]]:
    if before == after:
        return
    if isinstance(before, Model) and type(before) is type(after):
        for key in type(before).model_fields:
            # paths contain craft and rules by name only
            step = "" if key in ("craft", "rules") else key
            yield from _differences(getattr(before, key), getattr(after, key), _joined(path, step))
    elif _is_list(before) and _is_list(after):
        old, new = _by_name(before), _by_name(after)
        for name in dict.fromkeys((*old, *new)):
            yield from _differences(old.get(name), new.get(name), _joined(path, name))
    else:
        yield path, _shown(before), _shown(after)


def _is_list(value: Any) -> bool:
    """Return whether a value is a list of tables."""
    return isinstance(value, tuple) and all(isinstance(item, Model) for item in value)


def _by_name(models: tuple[Model, ...]) -> dict[str, Model]:
    """Return models by their names, labels or indices."""
    members: dict[str, Model] = {}
    for place, model in enumerate(models, start=1):
        name = getattr(model, "name", None) or getattr(model, "label", None) or str(place)
        twins = sum(known.partition("#")[0] == name for known in members)
        members[f"{name}#{twins + 1}" if twins else str(name)] = model
    return members


def _joined(path: str, step: str) -> str:
    return ".".join(part for part in (path, step) if part)


def _whole(value: Any) -> str:
    """Return a value as text; of a long one its beginning and a digest of the rest."""
    text = f"{value:g}" if isinstance(value, float) else str(value)
    if len(text) <= LONGEST_WHOLE:
        return text
    rest = hashlib.sha256(text.encode()).hexdigest()[:8]
    return f"{text[: LONGEST_WHOLE - 1]}… {rest}"


def _shown(value: Any) -> str:
    if value is None:
        return "–"
    if isinstance(value, Model):
        return "there"
    text = f"{value:g}" if isinstance(value, float) else str(value)
    return text if len(text) <= LONGEST else f"{text[: LONGEST - 1]}…"


def values_of(scenario: Scenario) -> dict[str, str]:
    """Return, by path, every value of a scenario that differs from its default."""
    return dict(sorted(_values(scenario, "")))


def _values(value: Any, path: str) -> Iterator[tuple[str, str]]:
    if isinstance(value, Model):
        for key, field in type(value).model_fields.items():
            member = getattr(value, key)
            if member != field.get_default(call_default_factory=True):
                step = "" if key in ("craft", "rules") else key
                yield from _values(member, _joined(path, step))
    elif _is_list(value) and value:
        for name, member in _by_name(value).items():
            yield from _values(member, _joined(path, name))
    elif isinstance(value, dict):
        for name, member in value.items():
            yield from _values(member, _joined(path, str(name)))
    else:
        yield path, _whole(value)
