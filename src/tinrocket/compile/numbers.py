"""Memory of the numbers of rules: a record for each craft, a field for each number."""

import ast
from dataclasses import dataclass

from tinrocket.compile.bound_craft import Entry
from tinrocket.compile.inline import Names
from tinrocket.compile.memory import Layout, Place
from tinrocket.language.records import Record
from tinrocket.motion.binding import Number
from tinrocket.motion.scaling import PLAIN


@dataclass(slots=True, eq=False)
class NumberPlace:
    """Memory location of a number of a rule.

    Attributes
    ----------
    craft, rule, step, name
        Its craft in the file, the index of its rule, the step of the rule, and the parameter.
    place, index, field
        The record that it is read from.
    scaled
        Its row in the table of numbers that depend on the length of the step, or -1.
    """

    craft: str
    rule: int
    step: int
    name: str
    place: Place
    index: int
    field: str
    number: Number
    scaled: int = -1


class EntryNumbers:
    """The numbers of one entry's rules, in a record of their own."""

    def __init__(self, entry: Entry, names: Names) -> None:
        self.entry, self.variable = entry, names.new("numbers")
        self.fields: dict[str, type] = {}
        self.found: list[tuple[int, int, str, str]] = []
        self.places: list[NumberPlace] = []
        self._known: dict[tuple[int, int], str] = {}

    def field(self, rule: int, step: int, name: str, number: Number) -> ast.expr:
        """Return a number as a field of the record."""
        key = (rule, id(number))
        if key not in self._known:
            wanted = f"{self.entry.rules[rule].rule.label}_{name}"
            unique = Names(self.fields).new(wanted)
            self.fields[unique] = float
            self._known[key] = unique
            self.found.append((rule, step, name, unique))
        return ast.Attribute(ast.Name(self.variable), self._known[key])

    def reserve(self, layout: Layout) -> Place:
        """Return where the records lie, now that their fields are known: one for each craft."""
        entry = self.entry
        kind = _number_record(self.fields)
        place = layout.reserve(kind, len(entry.alike), lasting=True)
        for index, (craft, rules) in enumerate(zip(entry.names, entry.alike, strict=True)):
            for rule, step, name, unique in self.found:
                number = rules[rule].bound.step(step).arguments[name]
                assert isinstance(number, Number)
                number_place = NumberPlace(craft, rule, step, name, place, index, unique, number)
                self.places.append(number_place)
                if number.scaling == PLAIN:
                    place.write(index, **{unique: float(number.value)})
        return place


def _number_record(fields: dict[str, type]) -> type[Record]:
    return type("Numbers", (Record,), {"__annotations__": dict(fields), "__slots__": ()})
