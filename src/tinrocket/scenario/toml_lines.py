"""Find the line of a scenario's path in its TOML file."""

import bisect
import re
import tomllib
from collections.abc import Iterator
from contextlib import suppress
from functools import cached_property
from typing import Any

Step = str | int
Path = tuple[Step, ...]
"""A path: keys and indices in lists, from the top of the file."""

SPACE = re.compile(r"(?:[ \t\r\n]+|#[^\n]*)*")
"""Blanks, line ends and comments."""
BARE = re.compile(r"[A-Za-z0-9_-]+")
TEXTS = (
    re.compile(r'"""(?:[^"\\]|\\.|"(?!""))*"""+', re.DOTALL),
    re.compile(r"'''(?:[^']|'(?!''))*'''+", re.DOTALL),
    re.compile(r'"(?:[^"\\\n]|\\.)*"'),
    re.compile(r"'[^'\n]*'"),
)
LONGEST = 300
"""Most letters of a name in a path."""
PLAIN = re.compile(r"[^,\]}\n#]*")
"""A number, a date, true or false."""


class TomlLines:
    """Finder of lines of a file, which is scanned once.

    Parameters
    ----------
    text
        A valid TOML file.
    data
        Its data, in which names of a path are looked up.
    """

    def __init__(self, text: str, data: Any) -> None:
        self.text, self.data = text, data
        self._named: dict[int, dict[str, int]] = {}

    def line_of(self, where: str) -> int | None:
        """Return the line of a path, from 1, or of the nearest table around it."""
        steps = self.steps_of(where)
        for count in range(len(steps), 0, -1):
            at = self._offsets.get(tuple(steps[:count]))
            if at is not None:
                return bisect.bisect_left(self._ends, at) + 1
        return None

    @cached_property
    def _ends(self) -> list[int]:
        """End of each line."""
        return [newline.start() for newline in re.finditer("\n", self.text)]

    @cached_property
    def _offsets(self) -> dict[Path, int]:
        return dict(reversed(list(_Scanner(self.text).entries())))

    def steps_of(self, where: str) -> list[Step]:
        """Return a path such as ``craft.rocket.drag.keep`` as keys and indices."""
        steps: list[Step] = []
        data, rest = self.data, where
        while rest:
            rest = rest.removeprefix(".")
            if isinstance(data, list):
                member = self._member(data, rest)
                if member is None:
                    break
                place, length = member
                steps.append(place)
                data, rest = data[place], rest[length:]
                continue
            if not isinstance(data, dict):
                break
            key = _longest_start(rest, data)
            if key is not None:
                steps.append(key)
                data, rest = data[key], rest[len(key) :]
            elif "rules" in data:  # a rule of a craft directly follows its name
                steps.append("rules")
                data = data["rules"]
            else:
                break
        return steps

    def _member(self, data: list[Any], rest: str) -> tuple[int, int] | None:
        """Return the member of a list that a path continues with, and the length of its name."""
        counted = re.match(r"#(\d{1,9})(\([^)]*\))?", rest)
        if counted and 0 < int(counted[1]) <= len(data):
            return int(counted[1]) - 1, counted.end()
        if id(data) not in self._named:
            self._named[id(data)] = dict(reversed(list(_names_in(data))))
        named = self._named[id(data)]
        name = _longest_start(rest, named)
        return None if name is None else (named[name], len(name))


def _names_in(data: list[Any]) -> Iterator[tuple[str, int]]:
    """Yield the names of a list's members, then their kinds, with their indices."""
    for key in ("name", "rule"):
        for place, entry in enumerate(data):
            if isinstance(entry, dict) and entry.get(key):
                yield str(entry[key]), place


def _longest_start(text: str, names: dict[str, Any]) -> str | None:
    """Return the longest of some names that a text begins with, as whole words."""
    for length in range(min(len(text), LONGEST), 0, -1):
        ends_word = length == len(text) or not (text[length].isalnum() or text[length] == "_")
        if ends_word and text[:length] in names:
            return text[:length]
    return None


class _Scanner:
    """Scanner of a file that yields the line of each value."""

    def __init__(self, text: str) -> None:
        self.text, self.at = text, 0
        self.counts: dict[Path, int] = {}
        self.found: list[tuple[Path, int]] = []

    def entries(self) -> Iterator[tuple[Path, int]]:
        """Yield paths with their places, up to the first syntax error."""
        with suppress(IndexError, ValueError, RecursionError):
            self.file()
        return iter(self.found)

    def skip(self) -> None:
        """Skip blanks and comments."""
        space = SPACE.match(self.text, self.at)
        self.at = space.end() if space else self.at

    def file(self) -> None:
        """Read tables and keys to the end."""
        table: Path = ()
        self.skip()
        while self.at < len(self.text):
            if self.text[self.at] == "[":
                table = self.header()
            else:
                self.pair(table)
            self.skip()

    def header(self) -> Path:
        """Read ``[a.b]`` or ``[[a.b]]``, and return the path of the table that begins."""
        begin = self.at
        many = self.text.startswith("[[", begin)
        self.at += 2 if many else 1
        keys, path = self.keys(), Path()
        for number, key in enumerate(keys):
            path = (*path, key)
            last = number == len(keys) - 1
            if last and many:
                self.counts[path] = self.counts.get(path, -1) + 1
            self.found.append((path, begin))
            if path in self.counts:
                path = (*path, self.counts[path])
                self.found.append((path, begin))
        self.at += 2 if many else 1
        return path

    def keys(self) -> list[str]:
        """Read keys with points between them."""
        keys = [self.key()]
        self.skip()
        while self.text[self.at] == ".":
            self.at += 1
            self.skip()
            keys.append(self.key())
            self.skip()
        return keys

    def key(self) -> str:
        """Read one key, in quotes or not."""
        self.skip()
        match_found = BARE.match(self.text, self.at)
        if match_found:
            self.at = match_found.end()
            return match_found[0]
        quoted = self.quoted()
        return str(next(iter(tomllib.loads(f"{quoted} = 0"))))

    def quoted(self) -> str:
        """Read a text in quotes."""
        for form in TEXTS:
            literal = form.match(self.text, self.at)
            if literal:
                self.at = literal.end()
                return literal[0]
        raise ValueError

    def pair(self, table: Path) -> None:
        """Read ``key = value``."""
        begin, path = self.at, table
        for key in self.keys():
            path = (*path, key)
            self.found.append((path, begin))
        if self.text[self.at] != "=":
            raise ValueError
        self.at += 1
        self.value(path)

    def value(self, path: Path) -> None:
        """Read a value, and all that is in it."""
        self.skip()
        opened = self.text[self.at]
        if opened == "[":
            self.members(path)
        elif opened == "{":
            self.inline_table(path)
        elif opened in "\"'":
            self.quoted()
        else:
            plain = PLAIN.match(self.text, self.at)
            self.at = plain.end() if plain else len(self.text)

    def members(self, path: Path) -> None:
        """Read a list."""
        self.at += 1
        self.skip()
        place = 0
        while self.text[self.at] != "]":
            self.found.append(((*path, place), self.at))
            self.value((*path, place))
            self.separator()
            place += 1
        self.at += 1

    def inline_table(self, path: Path) -> None:
        """Read a table in braces."""
        self.at += 1
        self.skip()
        while self.text[self.at] != "}":
            self.pair(path)
            self.separator()
        self.at += 1

    def separator(self) -> None:
        """Read a comma, if there is one."""
        self.skip()
        if self.text[self.at] == ",":
            self.at += 1
            self.skip()
