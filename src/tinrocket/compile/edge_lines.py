"""Composed lines that test whether a craft is within its edges and away from other bodies."""

from collections.abc import Sequence

from tinrocket.compile.bound_craft import Entry
from tinrocket.compile.inline import RESIDENT
from tinrocket.compile.naming import Scope
from tinrocket.compile.rule_lines import indented
from tinrocket.motion.edges import settle
from tinrocket.motion.tracing import EDGES, record_state

BEND = [  # linear between its two ends, with the offset `bend_of` beyond them
    f"bend_{axis} = 0.125 * abs(push_{axis}) * paced + abs({axis} - body.before_{axis})"
    for axis in "xy"
]
STIRRED = "left_room = True"


class SideLines:
    """Writer of the lines by which edges act on craft, before contacts or after them."""

    def __init__(self, scope: Scope) -> None:
        self.scope = scope

    def first(self, entry: Entry) -> list[str]:
        """Return lines by which edges act on a craft before contacts, and the test if it is free.

        A free craft is within its bounds, unless these move.
        """
        of, bounded = self.scope.of, list[str]()
        may_meet = of.meets and entry.meets
        if not entry.sides_last:
            bounded = self.bounded(entry, after=[STIRRED] if may_meet and of.carries else [])
        if may_meet:
            stirs = [f"if not ({within('body.room', bends=entry.bends)}):", *indented([STIRRED])]
            bounded = [*bounded, *stirs] if of.carries else [*stirs, *indented(bounded)]
        bends = BEND if entry.bends else []
        return [*bends, *bounded, *([] if entry.sides_last else self.told())]

    def last(self) -> list[str]:
        """Return the lines by which edges act on craft after all contacts."""
        lines = []
        for entry in self.scope.of.entries:
            if entry.sides_last:
                loaded = ["x = body.x", "y = body.y"]
                if entry.bends:
                    loaded += [f"push_{axis} = body.push_{axis}" for axis in "xy"] + BEND
                bounded = [*loaded, *self.bounded(entry), *self.told()]
                bounded = ["if body.alive > 0.0:", *indented(bounded)]
                lines += [f"for k in range({entry.count}):"]
                lines += indented([f"body = bodies[{entry.first} + k]", *bounded])
        return lines

    def alone(self, entry: Entry, before: Sequence[str], after: Sequence[str]) -> list[str]:
        """Return the lines by which edges act on a craft in local variables, and that store it."""
        bends = [line.replace("body.", "") for line in BEND] if entry.bends else []
        began = ["body.before_x = before_x", "body.before_y = before_y"]
        return [*bends, *self.bounded(entry, before=[*began, *before], after=after)]

    def bounded(
        self, entry: Entry, *, before: Sequence[str] = (), after: Sequence[str] = ()
    ) -> list[str]:
        """Return the lines for a craft that left its bounds, or has numbers that blew up."""
        settled = [
            f"if not {self.scope.call(settle)}(world, body):",
            "    world.failed = body.index",
            "    return",
        ]
        inside = within("body", bends=entry.bends)
        return [f"if not ({inside}):", *indented([*before, *settled, *after])]

    def told(self) -> list[str]:
        """Return the line that records the current craft's state, if required."""
        shown = ", ".join(f"body.{name}" for name in RESIDENT)
        line = f"{self.scope.call(record_state)}(world, body.index, {EDGES}, {shown})"
        return [line] if self.scope.of.traces else []


def within(box: str, *, bends: bool) -> str:
    """Return the test whether the path of the step, which may be curved, stays within a box.

    NaN is never inside; open edges lie at infinity.
    """
    dot = "." if box == "body" else "_"
    tests = []
    for axis in "xy":
        low, high = (f"{axis} - bend_{axis}", f"{axis} + bend_{axis}") if bends else (axis, axis)
        tests += [f"{box}{dot}low_{axis} <= {low}", f"{high} < {box}{dot}high_{axis}"]
    return " and ".join(tests)
