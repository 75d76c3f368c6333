"""A scenario with a recorded tape instead of its own."""

from pathlib import Path

from tinrocket.scenario.csv_file import read_tape
from tinrocket.scenario.scenario import Scenario


def with_tape(scenario: Scenario, path: Path | str) -> Scenario:
    """Return a scenario with a tape from a CSV file; see `read_tape`.

    Sampling, key repeats and length of taps remain those of the scenario.


    Raises
    ------
    FileError
        If the file cannot be read.
    ScenarioError
        With all problems of its rows, or of the tape in the scenario.

    Examples
    --------
    >>> tr.write_tape(tr.Tape(holds={"thrust": [(0.5, 2.0)]}), "tape.csv")
    >>> tr.with_tape(tr.read_demo("rocket"), "tape.csv").tape.holds
    {'thrust': ((0.5, 2.0),)}
    """
    own = scenario.tape
    tape = read_tape(path, own.pointers)
    pointers = own.pointers | tape.pointers  # a pointer needs a place
    settings = {"sampling": own.sampling, "repeats": own.repeats, "tap_length": own.tap_length}
    changed = scenario.replaced(tape=tape.replaced(pointers=pointers, **settings))
    if scenario.flown_by is not None:
        return changed
    return Scenario.from_data(changed.model_dump())
