"""A scenario flown by other hands: a recorded tape in the place of its own."""

from pathlib import Path

from tinrocket.scenario.csv_file import read_tape
from tinrocket.scenario.scenario import Scenario


def with_tape(scenario: Scenario, path: Path | str) -> Scenario:
    """Return a scenario that is flown by a tape from a CSV file; see `read_tape`.

    How input is sampled, how keys repeat, and how long taps last stay as the scenario has them.

    Raises
    ------
    FileError
        If the file cannot be read.
    ScenarioError
        With every row that is wrong, or what the scenario cannot do with it.
    """
    own = scenario.tape
    tape = read_tape(path, own.pointers)
    pointers = own.pointers | tape.pointers  # a pointer must be somewhere
    kept = {"sampling": own.sampling, "repeats": own.repeats, "tap_length": own.tap_length}
    changed = scenario.replaced(tape=tape.replaced(pointers=pointers, **kept))
    if scenario.flown_by is not None:
        return changed
    return Scenario.from_data(changed.model_dump())
