"""The subset: what it means compiled is what it means in plain Python, or it is refused."""

import math
import os
import subprocess
import sys

import pytest
import wasmtime
from hypothesis import given
from hypothesis import strategies as st

from tinrocket.language import cache, machine
from tinrocket.language.check import Checker
from tinrocket.language.intrinsics import exponent, floor, power_of_two, sqrt
from tinrocket.language.records import Cells, Floats, Ints, Record
from tinrocket.language.subset import SubsetError, kernel, parsed
from tinrocket.language.wat import module

from .kernels import compiled


class Peg(Record):
    """A peg on a board, and the one it hangs from."""

    height: float
    hits: int


class Board(Record):
    """Pegs in a row."""

    pegs: Peg
    count: int
    marks: Ints


@kernel
def halves(x: float) -> tuple[float, float]:
    """Return two numbers that come to x."""
    low = floor(0.5 * x)
    return low, x - low


@kernel
def early(x: float, most: float) -> float:
    """Return from several places, out of loops too."""
    if x != x:
        return 0.0
    for n in range(3, 40):
        if n == 5:
            continue
        if float(n) > most:
            break
        x += float(n)
        if x > 100.0:
            return x - 100.0
    return x if x > 0.0 else -x


@kernel
def mixed(a: float, b: float) -> float:
    """Use every operator once."""
    low, high = halves(a)
    whole = int(max(min(a, 90.0), -90.0)) % 7 + (3 if b > 0.0 else 4) * 2
    bits = (whole & 5 | 2) << 2 >> 1
    small = (abs(a) < 1.0 and b != 0.0) or not a <= b < 10.0
    signed = -int(min(abs(a), 9.0)) + abs(whole - 4) - max(whole, bits) + min(bits, 5) - -(b > 0.0)
    whole += abs(signed) + int(a > b) + bool(b)
    total = low - high * 0.5 + float(whole) - float(bits) + float(small)
    total -= sqrt(abs(b)) + floor(b) - power_of_two(exponent(abs(a) + 1.0))
    high, low = low, high
    return total + high / (abs(low) + 1.0) + early(b, abs(a))


MIXED = compiled(mixed)
FLOATS = st.floats(-1e6, 1e6) | st.sampled_from([0.0, -0.0, 0.5, -0.5, 5e-324, 1e300, -1e300])


@given(a=FLOATS, b=FLOATS)
def test_every_operator_gives_the_same_bits(a, b):
    made = MIXED
    assert math.copysign(1.0, made(a, b)) == math.copysign(1.0, mixed(a, b))
    assert made(a, b) == mixed(a, b)


@kernel
def hang(board: Board) -> None:
    """Let every peg hang lower than the one before it, and mark the low ones."""
    for n in range(1, board.count):
        peg, before = board.pegs[n], board.pegs[n - 1]
        peg.height += before.height * 0.5
        peg.hits -= before.hits + n
        marks = board.marks
        marks[n] = -1 if peg.height > 2.0 else peg.hits


def test_records_tables_and_rows_lie_where_both_find_them():
    cells = Cells(bytearray(8 * 64))
    board, pegs, marks = Board(cells, 8), Peg(cells, 16), Ints(cells, 32)
    checker = Checker()
    for source in parsed(
        "def go() -> None:\n    hang(board)\n", {"hang": hang, "board": board}, "t"
    ):
        checker.function(source)
    binary = bytes(wasmtime.wat2wasm(module(checker.functions.values(), ["go"], 1)))
    made = machine.Machine([machine.module_of("board", lambda: binary)], ["go"], 64)
    for n in range(5):
        pegs[n].height, pegs[n].hits = 1.5 * n, 10 - n
    cells.ints[16], cells.ints[18], cells.ints[20] = pegs.address, 5, marks.address
    made.ints[:128] = list(cells.ints[:128])
    hang(board)
    made.call("go")
    assert list(cells.ints[:128]) == made.ints[:128].tolist()
    assert [marks[n] for n in range(5)] == [0, 9 - (10 + 1), -1, -1, -1]
    assert pegs[3].hits == 7 - (8 - (-2 + 2) + 3)


REFUSED = {
    "while x > 0.0:\n        x -= 1.0": "line 2.*'While' is not in the subset; write 'for",
    "x = x ** 2": r"line 2.*'Pow'.*write x \* x",
    "x = x // 2": "'FloorDiv'.*write floor",
    "y = [x]": "'List'.*keep numbers in fields",
    "x = len(x)": "'len' is no kernel; declare it one",
    "x = nowhere": "'nowhere' is not known here",
    "n = 0\n    n = 0.5 * x": "line 3.*'n' is a whole number; write 0.0 at first",
    "x = x or 1.0": "line 2.*'and' and 'or' give one of two numbers here",
    "x = x % 2.0": "'%' is for whole numbers; write x - floor",
    "for n in (1, 2):\n        x += 1.0": "a loop is 'for n in range",
    "a, b = x": "only a kernel with several results",
    "x = board.pegs[0].weight": "a Peg has no 'weight'",
    "x = halves(x, x)": "'halves' takes x",
}


@pytest.mark.parametrize("text", REFUSED)
def test_code_outside_the_subset_is_refused_with_its_line(text):
    board = Board(Cells(bytearray(64)), 1)
    source = f"def wrong(x: float) -> float:\n    {text}\n    return x\n"
    names = {"halves": halves, "board": board, "floor": floor}
    (wrong,) = parsed(source, names, "toys.py")
    with pytest.raises(SubsetError, match=REFUSED[text]):
        Checker().function(wrong)


@kernel
def far_away(n: float) -> float:
    """Reach for what lies a given number of pegs behind the board."""
    return BEYOND[int(n)].height


BEYOND = Peg(Cells(bytearray(8)), 8)


def test_access_beyond_the_memory_is_a_trap():
    reach = compiled(far_away)
    assert reach(1.0) == 0.0
    told = {1e7: "out of bounds", math.nan: "not a number cannot be", math.inf: "beyond 32 bits"}
    for wrong, why in told.items():
        with pytest.raises(machine.TrapError, match=why):
            reach(wrong)


def test_modules_are_kept_whole_or_not_at_all(tmp_path, monkeypatch):
    monkeypatch.setenv("TINROCKET_CACHE", str(tmp_path / "kept"))
    cache.keep("a", b"machine code")
    assert cache.kept("a") == b"machine code"
    file = cache.folder() / "a.module"
    for broken in (file.read_bytes()[:-1], b"", b"x" * 40):
        file.write_bytes(broken)
        assert cache.kept("a") is None
    monkeypatch.setenv("TINROCKET_CACHE", str(file / "no folder"))
    cache.keep("b", b"lost")  # says nothing
    assert cache.kept("b") is None


@pytest.mark.slow
def test_a_cached_module_of_nonsense_is_compiled_again(tmp_path, monkeypatch):
    """Also across processes: what one keeps the next one finds, with the same results."""
    script = (
        "import tinrocket as tr; f = tr.simulate(tr.read_demo('rocket')); print(f.frames.x.sum())"
    )
    said = []
    for _ in range(3):
        done = subprocess.run(
            [sys.executable, "-c", script],
            env={"TINROCKET_CACHE": str(tmp_path), "PATH": "/usr/bin", "HOME": os.environ["HOME"]},
            capture_output=True,
            text=True,
            check=True,
        )
        said.append(done.stdout)
        monkeypatch.setenv("TINROCKET_CACHE", str(tmp_path))
        (kept,) = cache.folder().iterdir()
        kept.unlink() if len(said) == 1 else cache.keep(kept.stem, b"nonsense")
    assert len(set(said)) == 1


def test_memory_is_seen_alike_by_plain_python():
    row = Floats(Cells(bytearray(80)), 2)
    row[3] = 2.5
    assert row[3] == 2.5
    with pytest.raises(IndexError):
        row[8]
