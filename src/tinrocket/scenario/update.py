"""Statements by which a game's own update function expresses a rule."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Update:
    """A statement of a game's update, with the rule's numbers by their keys.

    In the text ``{accel}`` is a number that counts per unit of time, times the step;
    ``{angle:each}`` is one that counts per tuned frame; ``{speed:plain}`` is a number that does
    not depend on the step; ``{kept}`` and ``{share}`` are the share kept or lost in a step
    of a quantity that decays; ``{step}`` is the factor from a velocity to a change of position;
    ``{duration:exact}`` is a number of the rule in exact timing.

    Attributes
    ----------
    statement
        The statement, with v (velocity), p (place), h (heading) and spin (rate of turn).
    where
        Meaning of its names, or when it runs.
    instead
        Another statement with the same effect at every frame rate; the same one if empty.
    also
        Keys of further numbers that the statement does not show, each with its effect.
    runs
        Whether it is a statement that can be run, or a sentence.
    """

    statement: str
    where: str = ""
    instead: str = ""
    also: tuple[tuple[str, str], ...] = ()
    runs: bool = True


@dataclass(frozen=True, slots=True)
class Line:
    """A statement of an update, and the one to write instead.

    Attributes
    ----------
    before, after
        Statements; or sentences, if more than one statement is needed.
    where
        Meaning of their names, or when they run.
    runs
        Whether both are statements that can be run, with v (velocity), p (place), h (heading),
        dt, and what `where` names.
    """

    before: str
    after: str
    where: str = ""
    runs: bool = True
