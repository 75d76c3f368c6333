"""Measure the library beside the same arithmetic written plainly, in one process.

Run ``python benchmarks/speed.py`` from the project's folder.  Each ratio is the median of
pairs measured one right after the other, so that a machine that is slow for a while is
slow for both.  Bars are the project's own; nothing fails here.
"""

import ctypes
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np

import tinrocket as tr
from tinrocket.core.batch import fly_variants
from tinrocket.core.lower import lower, lower_clock, lower_tape

sys.path.insert(0, str(Path(__file__).parent))
import plain_loop

FRAMES = 600


def scenario(duration: float) -> tr.Scenario:
    """Return the arithmetic of the plain loops as a scenario."""
    seconds = np.arange(0.0, duration, 10.0)
    held = [(t, t + 10.0) for t in seconds]
    return tr.Scenario(
        duration=duration,
        arena=tr.Arena(width=plain_loop.WIDTH, height=plain_loop.HEIGHT),
        craft=(
            tr.Craft(
                name="top",
                start=tr.Start(x=plain_loop.WIDTH / 2, y=plain_loop.HEIGHT / 2),
                timing="exact",
                rules=(
                    tr.Turn(rate=float(np.degrees(plain_loop.TURN))),
                    tr.Thrust(accel=450.0),
                    tr.Drag(rate=plain_loop.RATE),
                    tr.Limit(speed=plain_loop.TOP),
                    tr.Move(),
                ),
            ),
        ),
        tape=tr.Tape(
            holds={
                "left": tuple((t + 5, t + 6.0) for t in seconds),
                "right": tuple((t + 2, t + 3.5) for t in seconds),
                "thrust": tuple(held),
            }
        ),
    )


def timed(action: Callable[[], object]) -> float:
    """Return how long one call takes [s]."""
    began = time.perf_counter()
    action()
    return time.perf_counter() - began


def ratio(ours: Callable[[], object], other: Callable[[], object], pairs: int) -> float:
    """Return our time over the other's: the median of pairs measured side by side."""
    ours()
    other()
    return statistics.median(timed(ours) / timed(other) for _ in range(pairs))


def report(what: str, value: str, bar: str) -> None:
    """Print one line of results."""
    print(f"{what:<58} {value:>10}   {bar}")


def batch() -> None:
    """Compare the batch loop, on one thread, with the loops in C and Python."""
    one = scenario(FRAMES / 60)
    program, frames = lower(one), lower_clock(one.clock, 60.0, FRAMES / 60)
    inputs, _lost = lower_tape(one, frames.times[:-1])
    count = 2000
    thrust = np.linspace(300.0, 600.0, count)
    rows = np.repeat(program.rows[None], count, axis=0)
    rows[:, 1, 0] = thrust
    starts = np.repeat(program.start[None], count, axis=0)
    plain = np.ascontiguousarray(inputs[:, 1:4])

    def ours(variants: int = count) -> np.ndarray:
        few = slice(variants)
        return fly_variants(program, rows[few], starts[few], frames.steps, inputs, threads=1)[0]

    rows_in = plain.tolist()
    last = plain_loop.fly(float(thrust[0]), rows_in)[-1]
    np.testing.assert_allclose(ours(1)[0, 0, :5], last, rtol=1e-9, atol=1e-9)
    compiler = shutil.which("gcc") or shutil.which("cc")
    if compiler is None:
        report("batch loop / C loop", "no gcc", "at most 1.3")
    else:
        with tempfile.TemporaryDirectory() as folder:
            library = Path(folder) / "plain_loop.so"
            source = Path(__file__).parent / "plain_loop.c"
            subprocess.run(
                [compiler, "-O3", "-shared", "-fPIC", str(source), "-o", str(library), "-lm"],
                check=True,
            )
            c_fly = ctypes.CDLL(str(library)).fly
        out = np.empty((count, 7))
        pointers = [a.ctypes.data_as(ctypes.c_void_p) for a in (thrust, plain, out)]
        numbers = (plain_loop.TURN, plain_loop.RATE, plain_loop.TOP)
        size = (plain_loop.WIDTH, plain_loop.HEIGHT, plain_loop.DT)

        def in_c() -> None:
            doubles = [ctypes.c_double(value) for value in (*numbers, *size)]
            sizes = ctypes.c_long(count), ctypes.c_long(FRAMES)
            c_fly(*sizes, pointers[0], pointers[1], *doubles, pointers[2])

        in_c()
        np.testing.assert_allclose(ours()[:, 0, :7], out, rtol=1e-9, atol=1e-9)
        report("batch loop / C loop, gcc -O3", f"{ratio(ours, in_c, 25):.2f}", "at most 1.3")
    few = 200
    python = ratio(
        lambda: ours(few), lambda: [plain_loop.fly(float(t), rows_in) for t in thrust[:few]], 7
    )
    report("plain Python loop / batch loop", f"{1 / python:.1f}", "at least 15")


def public_call() -> None:
    """Compare one warm `simulate` of 10,000 frames, its table included, with the Python loop.

    Ten calls in a row, each result let go before the next: kept ones need new memory each
    time, which costs a third more.
    """
    one = scenario(10_000 / 60)
    frames = lower_clock(one.clock, 60.0, one.duration)
    rows_in = lower_tape(one, frames.times[:-1])[0][:, 1:4].tolist()

    def ours() -> None:
        for _ in range(10):
            tr.simulate(one).frames.shape  # noqa: B018  # asks for the table

    def plainly() -> None:
        for _ in range(10):
            plain_loop.fly(450.0, rows_in)

    share = ratio(ours, plainly, pairs=9)
    report("plain Python loop / simulate, 10,000 frames", f"{1 / share:.1f}", "at least 5")


def command_line() -> None:
    """Time whole commands, warm; the best of several."""
    call, out = [sys.executable, "-m", "tinrocket"], subprocess.DEVNULL
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run(
            [*call, "new", "one", "--from", "rocket"], cwd=folder, check=True, stdout=out
        )
        for arguments, bar in (
            (["--help"], "under 0.3 s"),
            (["compare", "one.toml", "--out", "out"], "under 3 s"),
        ):
            run = partial(subprocess.run, [*call, *arguments], cwd=folder, check=True, stdout=out)
            best = min(timed(run) for _ in range(5))
            report(f"tinrocket {arguments[0]}", f"{best:.2f} s", bar)


def memory() -> None:
    """Measure the peak memory of 20,000 variants of 600 frames, in a process of their own."""
    script = (
        "import resource, sys, numpy as np; sys.path.insert(0, sys.argv[1]); import speed\n"
        "from tinrocket.core.batch import fly_variants\n"
        "from tinrocket.core.lower import lower, lower_clock, lower_tape\n"
        "one = speed.scenario(10.0); program = lower(one)\n"
        "frames = lower_clock(one.clock, 60.0, 10.0)\n"
        "inputs, _lost = lower_tape(one, frames.times[:-1])\n"
        "rows = np.repeat(program.rows[None], 20_000, axis=0)\n"
        "rows[:, 1, 0] = np.linspace(300.0, 600.0, 20_000)\n"
        "starts = np.repeat(program.start[None], 20_000, axis=0)\n"
        "fly_variants(program, rows, starts, frames.steps, inputs)\n"
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)\n"
    )
    call = [sys.executable, "-c", script, str(Path(__file__).parent)]
    peak = float(subprocess.run(call, check=True, capture_output=True, text=True).stdout)
    report("peak memory, 20,000 variants x 600 frames", f"{peak:.0f} MB", "within 300 MB")


if __name__ == "__main__":
    batch()
    public_call()
    command_line()
    memory()
