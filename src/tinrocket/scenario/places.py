"""Where in a TOML file a path of a scenario stands, as good as it can be told."""

import re
from collections.abc import Iterator
from typing import Any

Step = str | int


def line_of(text: str, data: Any, where: str) -> int | None:
    """Return the line, from 1, at which what a path names stands; the nearest above if not."""
    steps = steps_of(data, where)
    if not steps:
        return None
    at, end = _headed(text, steps)
    if at is None:
        return None
    for step in steps[end:]:
        inner = _item(text, at, step) if isinstance(step, int) else _key(text, at, str(step))
        if inner is None:
            break
        at = inner
    return text.count("\n", 0, at) + 1


def steps_of(data: Any, where: str) -> list[Step]:
    """Return a path such as ``craft.rocket.drag.keep`` as keys and places in lists."""
    steps: list[Step] = []
    rest = where
    while rest:
        rest = rest.removeprefix(".")
        if isinstance(data, list):
            found = _member(data, rest)
            if found is None:
                break
            place, length = found
            steps.append(place)
            data, rest = data[place], rest[length:]
            continue
        if not isinstance(data, dict):
            break
        keys = [key for key in data if re.match(rf"{re.escape(str(key))}(?![\w])", rest)]
        if keys:
            key = max(keys, key=len)
            steps.append(key)
            data, rest = data[key], rest[len(key) :]
        elif "rules" in data:  # a rule of a craft stands right behind its name
            steps.append("rules")
            data = data["rules"]
        else:
            break
    return steps


def _member(data: list[Any], rest: str) -> tuple[int, int] | None:
    """Return which member of a list a path goes on with, and how much of the path that is."""
    counted = re.match(r"#(\d+)(\([^)]*\))?", rest)
    if counted and int(counted[1]) <= len(data):
        return int(counted[1]) - 1, counted.end()
    for name in ("name", "rule"):
        for place, one in enumerate(data):
            called = str(one.get(name, "")) if isinstance(one, dict) else ""
            if called and re.match(rf"{re.escape(called)}(?![\w])", rest):
                return place, len(called)
    return None


def _headed(text: str, steps: list[Step]) -> tuple[int | None, int]:
    """Return where the innermost header of a path stands, and how many steps it covers."""
    found: tuple[int | None, int] = (None, 0)
    counts: dict[str, int] = {}
    wanted: dict[str, int] = {}
    dotted = ""
    for step in steps:
        if isinstance(step, int):
            wanted[dotted] = step
        else:
            dotted = f"{dotted}.{step}" if dotted else step
    for match in re.finditer(r"^[ \t]*(\[\[?)\s*([^\]\n]+?)\s*\]\]?", text, re.MULTILINE):
        name = re.sub(r"[\"'\s]", "", match[2])
        if match[1] == "[[":
            counts[name] = counts.get(name, -1) + 1
            for deeper in [one for one in counts if one.startswith(f"{name}.")]:
                del counts[deeper]
        parts = _covered(name, steps)
        own = all(
            counts.get(prefix, wanted[prefix]) == wanted[prefix]
            for prefix in wanted
            if name == prefix or name.startswith(f"{prefix}.")
        )
        if parts and own and parts >= found[1]:
            found = match.start(), parts
    if found[0] is None and steps:
        first = re.search(rf"^[ \t]*{re.escape(str(steps[0]))}\s*[.=]", text, re.MULTILINE)
        found = (first.start(), 1) if first else (None, 0)
    return found


def _covered(name: str, steps: list[Step]) -> int:
    """Return how many steps of a path a header's name covers, with the places behind its keys."""
    count = 0
    for part in name.split("."):
        while count < len(steps) and isinstance(steps[count], int):
            count += 1
        if count >= len(steps) or steps[count] != part:
            return 0
        count += 1
    while count < len(steps) and isinstance(steps[count], int):
        count += 1
    return count


def _key(text: str, at: int, key: str) -> int | None:
    """Return where a key stands behind a place: before the next header."""
    stop = re.compile(r"^[ \t]*\[\[?[^\]\n=]+\]\]?[ \t]*(#.*)?$", re.MULTILINE).search(
        text, text.find("\n", at) + 1 or len(text)
    )
    until = stop.start() if stop else len(text)
    found = re.compile(rf"(?<![\w.\"']){re.escape(key)}\s*[.=]").search(text, at, until)
    return found.start() if found else None


def _item(text: str, at: int, place: int) -> int | None:
    """Return where a member of the first list behind a place begins."""
    opened = text.find("[", at)
    if opened < 0:
        return None
    starts = list(_items(text, opened))
    return starts[place] if place < len(starts) else None


def _items(text: str, opened: int) -> Iterator[int]:
    """Yield where each member of a list begins; `opened` is where its bracket stands."""
    depth, fresh, at = 0, True, opened
    while at < len(text):
        char = text[at]
        if char == "#":
            at = text.find("\n", at)
            if at < 0:
                return
        elif char in "\"'":
            if depth == 1 and fresh:
                yield at
                fresh = False
            at = text.find(char, at + 1)
            if at < 0:
                return
        elif char in "[{":
            if depth == 1 and fresh:
                yield at
                fresh = False
            depth += 1
        elif char in "]}":
            depth -= 1
            if depth == 0:
                return
        elif char == "," and depth == 1:
            fresh = True
        elif depth == 1 and fresh and not char.isspace():
            yield at
            fresh = False
        at += 1
