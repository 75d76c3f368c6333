"""Measure the library beside the same arithmetic written plainly, in one process.

Run ``python benchmarks/speed.py`` from the project's folder.  Each ratio is the median of
pairs measured one right after the other, so that a machine that is slow for a while is
slow for both.  Bars are the project's own; nothing fails here.
"""

import ctypes
import math
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path

import numpy as np

import tinrocket as tr
from tinrocket.cli.draw.pool import Studio
from tinrocket.comparison.changes import changes_between
from tinrocket.compile.build import plan_of
from tinrocket.compile.number_cells import cells_of, columns_of
from tinrocket.flight.batch import fly_variants
from tinrocket.flight.frame_schedule import lower_clock
from tinrocket.flight.sampled_tape import sample_tape
from tinrocket.motion.signals import Raw
from tinrocket.show.pictures import pictures_of

sys.path.insert(0, str(Path(__file__).parent))
import plain_loop

FRAMES, VARIANTS = 600, 20_000
os.environ.pop(
    "PYTHONDONTWRITEBYTECODE", None
)  # as who installs it has it, sources are compiled once


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


TWELVE = (  # numbers of the craft of twelve rules, as the loop in C takes them
    *(plain_loop.TURN, plain_loop.RATE, plain_loop.TOP),
    *(140.0, 25.0, 380.0, 520.0, 190.0, 0.35, 300.0, 280.0, 2.0),
)


def twelve_rules() -> tr.Scenario:
    """Return the craft of twelve rules, for ten seconds of which the hands are never still."""
    turn, rate, top, drive, wind, gravity, lift, flap, cooldown, top_x, top_y, still = TWELVE
    one = scenario(FRAMES / 60)
    rules = (
        tr.Turn(rate=float(np.degrees(turn))),
        tr.Thrust(accel=450.0),
        tr.Drive(accel=drive, left="west", right="east", up="north", down="south"),
        tr.Force(x=wind),
        tr.Fall(accel=gravity),
        tr.Lift(accel=lift),
        tr.Flap(speed=flap, cooldown=cooldown),
        tr.Drag(rate=rate),
        tr.Limit(speed=top),
        tr.Limit(x=top_x, y=top_y, name="by axis"),
        tr.StopBelow(below=still),
        tr.Move(),
    )
    held: dict[str, tuple[tuple[float, float], ...]] = {
        "east": ((0.5, 1.5), (6.0, 7.0)),
        "west": ((3.0, 4.5),),
        "north": ((1.0, 2.0), (7.0, 9.0)),
        "south": ((4.0, 4.8),),
        "lift": ((0.2, 1.2), (2.5, 4.5), (6.0, 9.5)),
    }
    taps = {"flap": tuple(np.arange(0.1, 10.0, 0.25).tolist())}
    tape = tr.Tape(holds=dict(one.tape.holds) | held, taps=taps)
    craft = one.craft[0].model_copy(update={"rules": rules})
    return one.model_copy(update={"craft": (craft,), "tape": tape})


def in_c(name: str, arguments: Sequence[np.ndarray | float], folder: Path) -> Callable[[], None]:
    """Return a call of one of the loops in C, compiled anew."""
    compiler = shutil.which("gcc") or shutil.which("cc")
    assert compiler is not None
    source, library = Path(__file__).parent / "plain_loop.c", folder / f"{name}.so"
    call = [compiler, "-O3", "-shared", "-fPIC", str(source), "-o", str(library), "-lm"]
    subprocess.run(call, check=True)
    function = getattr(ctypes.CDLL(str(library)), name)
    converted = [
        argument.ctypes.data_as(ctypes.c_void_p)
        if isinstance(argument, np.ndarray)
        else ctypes.c_long(argument)
        if isinstance(argument, int)
        else ctypes.c_double(argument)
        for argument in arguments
    ]
    return lambda: function(*converted)


def swept(one: tr.Scenario, thrust: np.ndarray, threads: int | None = 1) -> np.ndarray:
    """Return where each variant of a scenario ends, by the call that a user makes."""
    table = tr.sweep(one, {"top.thrust.accel": thrust.tolist()}, threads=threads)
    return table[["x", "y", "vx", "vy"]].to_numpy()


def _call(function: Callable[[], None]) -> None:
    function()


def hands_of(one: tr.Scenario, actions: list[str]) -> np.ndarray:
    """Return what the game sees of some actions, a row for each frame."""
    seen = sample_tape(one, lower_clock(one.clock, 60.0, one.duration)).steps
    return np.ascontiguousarray(np.stack([seen[Raw(action)] for action in actions], axis=1))


def sweeps() -> None:
    """Compare `sweep`, on one thread, with the loops in C and Python."""
    thrust = np.linspace(300.0, 600.0, VARIANTS)
    five, twelve = scenario(FRAMES / 60), twelve_rules()
    plain = hands_of(five, ["left", "right", "thrust"])
    size = [plain_loop.WIDTH, plain_loop.HEIGHT, plain_loop.DT]
    if shutil.which("gcc") or shutil.which("cc"):
        with tempfile.TemporaryDirectory() as folder:
            out = np.empty((VARIANTS, 7))
            numbers = [plain_loop.TURN, plain_loop.RATE, plain_loop.TOP]
            arguments: list[np.ndarray | float] = [VARIANTS, FRAMES, thrust, plain, *numbers]
            in_five = in_c("fly", [*arguments, *size, out], Path(folder))
            compare_with_c("sweep of five rules / C loop, gcc -O3", five, in_five, out, 0.9)
            halves = [
                in_c(
                    "fly", [VARIANTS // 2, *arguments[1:], *size, np.empty_like(out)], Path(folder)
                )
                for _ in range(2)
            ]
            with ThreadPoolExecutor(2) as pool:
                both = ratio(in_five, lambda: list(pool.map(_call, halves)), 9)
            report("what two threads give the C loop here", f"{both:.2f}", "")
            names = ["left", "right", "thrust", "east", "west", "south", "north", "lift", "flap"]
            held = hands_of(twelve, names)
            x, y = held[:, 3] - held[:, 4], held[:, 5] - held[:, 6]
            shorter = 1.0 / np.maximum(np.sqrt(x * x + y * y), 1.0)
            pressed = np.where(np.append(0.0, held[:-1, 8]) == 0.0, held[:, 8], 0.0)
            columns = [*held[:, :3].T, x * shorter, y * shorter, held[:, 7], pressed]
            seen = np.ascontiguousarray(np.stack(columns, axis=1))
            arguments = [VARIANTS, FRAMES, thrust, seen, np.array(TWELVE), *size, out]
            in_twelve = in_c("fly_twelve", arguments, Path(folder))
            compare_with_c("the same for a craft of twelve rules", twelve, in_twelve, out, 1.0)
    else:
        report("sweep / C loop", "no gcc", "at most 0.9 and 1.0")
    rows, few = plain.tolist(), thrust[:1000]
    last = plain_loop.fly(float(thrust[0]), rows)[-1][:4]
    np.testing.assert_allclose(swept(five, thrust[:1])[0], last, rtol=1e-9, atol=1e-9)
    python = ratio(
        lambda: swept(five, few), lambda: [plain_loop.fly(float(t), rows) for t in few], 3
    )
    report("plain Python loop / sweep of 1,000", f"{1 / python:.1f}", "at least 15")
    plan, pacing = plan_of(five, records=False), lower_clock(five.clock, 60.0, five.duration)
    inputs = sample_tape(five, pacing).columns(plan.raw)
    cells = cells_of(plan, columns_of({"top.thrust.accel": thrust.tolist()}))
    steps = ratio(
        lambda: swept(five, thrust),
        lambda: fly_variants(plan, cells, VARIANTS, pacing, inputs, 1),
        9,
    )
    report(f"sweep of {VARIANTS:,} / its time in the step itself", f"{steps:.2f}", "at most 1.3")
    two = ratio(lambda: swept(five, thrust), lambda: swept(five, thrust, threads=2), 9)
    report("sweep on one thread / on two", f"{two:.2f}", "at least 1.7")


def compare_with_c(
    what: str, one: tr.Scenario, plain: Callable[[], None], out: np.ndarray, bar: float
) -> None:
    """Check that both fly the same, and report the ratio of their times."""
    thrust = np.linspace(300.0, 600.0, VARIANTS)
    plain()
    np.testing.assert_allclose(swept(one, thrust), out[:, :4], rtol=1e-9, atol=1e-8)
    report(what, f"{ratio(lambda: swept(one, thrust), plain, 15):.2f}", f"at most {bar}")


def public_call() -> None:
    """Compare one warm `simulate` of 10,000 frames, its table included, with the Python loop.

    Ten calls in a row, each result let go before the next: kept ones need new memory each
    time, which costs a third more.
    """
    one = scenario(10_000 / 60)
    rows_in = hands_of(one, ["left", "right", "thrust"]).tolist()

    def ours() -> None:
        for _ in range(10):
            tr.simulate(one).frames.shape  # noqa: B018  # asks for the table

    def plainly() -> None:
        for _ in range(10):
            plain_loop.fly(450.0, rows_in)

    share = ratio(ours, plainly, pairs=9)
    report("plain Python loop / simulate, 10,000 frames", f"{1 / share:.1f}", "at least 6")


def shots_and_tins() -> None:
    """Time a frame in which 500 shots may each hit one of 200 tins, swept, on one thread."""
    random = np.random.default_rng(1)
    shots = tuple(
        tr.Craft(
            name=f"shot {number}",
            start=tr.Start(
                x=float(random.uniform(0.0, 800.0)),
                y=float(random.uniform(300.0, 600.0)),
                vx=float(random.uniform(-50.0, 50.0)),
                vy=-200.0,
            ),
            shape=tr.Circle(radius=3.0),
            groups=("shots",),
            rules=(tr.Move(),),
        )
        for number in range(500)
    )
    box, step = tr.Box(width=30.0, height=12.0), (39.0, 20.0)
    tins = tr.Obstacle(name="tins", at=(20.0, 20.0), shape=box, columns=20, rows=10, step=step)
    one = tr.Scenario(
        duration=1.0,
        arena=tr.Arena(width=800.0, height=600.0, edges=tr.Edges.from_data("open")),
        craft=shots,
        obstacle=(tins,),
        contact=(tr.Contact(between=("shots", "tins"), response="remove", removes="both"),),
    )
    flown = tr.simulate(one)
    best = min(timed(lambda: tr.simulate(one)) for _ in range(5)) / 60
    report(
        f"500 shots x 200 tins, {len(flown.events)} hits: one frame",
        f"{best * 1000:.1f} ms",
        "at most 2 ms",
    )


def coins(count: int) -> tr.Scenario:
    """Return coins that all may meet each other and are well apart, slow and without a push."""
    random, side = np.random.default_rng(1), math.ceil(math.sqrt(count))
    craft = tuple(
        tr.Craft(
            name=f"coin {number}",
            start=tr.Start(
                x=20.0 + 24.0 * (number % side),
                y=20.0 + 24.0 * (number // side),
                vx=float(random.uniform(-40.0, 40.0)),
                vy=float(random.uniform(-40.0, 40.0)),
            ),
            shape=tr.Circle(radius=5.0),
            groups=("coins",),
            rules=(tr.Move(),),
        )
        for number in range(count)
    )
    size = 40.0 + 24.0 * side
    return tr.Scenario(
        duration=1.0,
        arena=tr.Arena(width=size, height=size, edges=tr.Edges.from_data("bounce")),
        craft=craft,
        contact=(tr.Contact(between=("coins", "coins")),),
    )


def many() -> None:
    """Time 10,000 coins that all may meet: what it takes to begin, and each frame."""
    one = coins(10_000)
    began = time.perf_counter()
    tr.simulate(one.model_copy(update={"duration": 1 / 60}))
    report("10,000 coins: the first frame", f"{time.perf_counter() - began:.1f} s", "")
    fly_on = partial(tr.simulate, one)
    fly_on()
    best = min(timed(fly_on) for _ in range(3)) / 60
    report("10,000 coins that may all meet: one frame", f"{best * 1000:.1f} ms", "at most 20 ms")


def pegs() -> None:
    """Time a ball among 90,000 pegs, and how long craft side by side take to be compared."""
    shape, step = tr.Circle(radius=3.0), (20.0, 20.0)
    many_pegs = tr.Obstacle(name="pegs", at=step, shape=shape, columns=300, rows=300, step=step)
    ball = tr.Craft(
        name="ball",
        start=tr.Start(x=30.0, y=30.0, vx=300.0, vy=170.0),
        shape=tr.Circle(radius=2.0),
        rules=(tr.Move(),),
    )
    one = tr.Scenario(
        duration=10.0,
        arena=tr.Arena(width=6040.0, height=6040.0, edges=tr.Edges.from_data("bounce")),
        craft=(ball,),
        obstacle=(many_pegs,),
        contact=(tr.Contact(between=("ball", "pegs")),),
    )
    spent = []
    for duration in (10.0, 110.0):
        flown = partial(tr.simulate, one.model_copy(update={"duration": duration}))
        flown()
        spent.append(min(timed(flown) for _ in range(5)))
    each = (spent[1] - spent[0]) / 6000
    report("a ball among 90,000 pegs: one frame", f"{each * 1e6:.1f} us", "")
    grid = tr.Grid(columns=300, rows=300, step=step)
    tins = ball.model_copy(update={"name": "tin", "grid": grid})
    still = {"craft": (tins,), "obstacle": (), "contact": (), "duration": 0.05}
    compared = timed(lambda: tr.compare(one.model_copy(update=still), [30.0, 60.0]))
    report("90,000 craft side by side compared at two rates", f"{compared:.1f} s", "")


def heap(radius: float | None) -> tr.Scenario:
    """Return 50 crates, or marbles of a radius, dropped into a tray 200 px wide."""
    random = np.random.default_rng(3)
    shape = tr.Box(width=16.0, height=16.0) if radius is None else tr.Circle(radius=radius)
    bodies = tuple(
        tr.Craft(
            name=f"body {number}",
            start=tr.Start(
                x=60.0 + 20.0 * (number % 8) + float(random.uniform(-1.0, 1.0)),
                y=60.0 + 18.0 * (number // 8),
            ),
            shape=shape,
            groups=("bodies",),
            rules=(tr.Fall(accel=900.0), tr.Move()),
        )
        for number in range(50)
    )
    slabs = ((150.0, 20.0, 600.0, 40.0), (20.0, 300.0, 40.0, 800.0), (260.0, 300.0, 40.0, 800.0))
    tray = tuple(
        tr.Obstacle(
            name=f"slab {x:g}", at=(x, y), shape=tr.Box(width=w, height=h), groups=("tray",)
        )
        for x, y, w, h in slabs
    )
    edges = tr.Edges.from_data("open")
    return tr.Scenario(
        duration=20.0,
        arena=tr.Arena(width=300.0, height=400.0, y_axis="up", edges=edges),
        craft=bodies,
        obstacle=tray,
        contact=tuple(
            tr.Contact(between=("bodies", other), restitution=0.3) for other in ("bodies", "tray")
        ),
    )


def fly(flight: tr.Flight, steps: int) -> None:
    """Fly some steps with no hand on anything."""
    for _ in range(steps):
        flight.step({})


def heaps() -> None:
    """Time a frame of 50 bodies that have lain in a tray for ten seconds."""
    for what, radius in (("crates", None), ("marbles", 8.0)):
        flight = tr.Flight(heap(radius))
        fly(flight, 600)
        best = min(timed(partial(fly, flight, 60)) for _ in range(3)) / 60
        report(f"a heap of 50 {what}: one frame", f"{best * 1000:.2f} ms", "at most 1 ms")


RALLY = {"width": 640.0, "height": 360.0, "radius": 7.0, "half_x": 5.0, "half_y": 42.0}
RALLY |= {"chase": 700.0, "speed_factor": 1.02, "top": 900.0}


def rally() -> tr.Scenario:
    """Return a ball between two bats that follow it, and two rims: a minute at 120 fps."""
    width, height = RALLY["width"], RALLY["height"]
    bat = tr.Box(width=2 * RALLY["half_x"], height=2 * RALLY["half_y"])
    rim = tr.Box(width=2 * width, height=40.0)
    follow = tr.Follow(target="ball", axis="y", speed=RALLY["chase"])
    bats = tuple(
        tr.Craft(
            name=f"bat {x:g}",
            start=tr.Start(x=x, y=height / 2),
            shape=bat,
            groups=("bats",),
            rules=(follow,),
        )
        for x in (30.0, width - 30.0)
    )
    ball = tr.Craft(
        name="ball",
        start=tr.Start(x=width / 2, y=height / 2),
        shape=tr.Circle(radius=RALLY["radius"]),
        rules=(tr.Move(),),
    )
    rims = tuple(
        tr.Obstacle(name=f"rim {y:g}", at=(width / 2, y), shape=rim, groups=("rims",))
        for y in (-20.0, height + 20.0)
    )
    quick = tr.Contact(
        between=("ball", "bats"), speed_factor=RALLY["speed_factor"], max_speed=RALLY["top"]
    )
    return tr.Scenario(
        duration=60.0,
        timing="exact",
        arena=tr.Arena(width=width, height=height, edges=tr.Edges.from_data("open")),
        craft=(ball, *bats),
        obstacle=rims,
        contact=(
            quick,
            quick.model_copy(update={"between": ("ball", "rims")}),
        ),
    )


def rallies() -> None:
    """Compare 1,000 swept rallies of a minute at 120 fps with the same written in C."""
    count, one = 1000, rally()
    speeds = np.linspace(200.0, 420.0, count)
    plan = plan_of(one, records=False)
    pacing = lower_clock(one.clock.at_rate(120.0), 60.0, one.duration)
    inputs = sample_tape(one, pacing).columns(plan.raw)
    # the speeds go together in pairs, which a sweep over two paths would combine
    cells = cells_of(plan, {"ball.start.vx": speeds, "ball.start.vy": 0.37 * speeds})

    def ours(threads: int | None = 1) -> np.ndarray:
        return fly_variants(plan, cells, count, pacing, inputs, threads)[0]

    if not (shutil.which("gcc") or shutil.which("cc")):
        report("1,000 rallies / C loop", "no gcc", "at most 2.0")
        return
    with tempfile.TemporaryDirectory() as folder:
        out = np.empty((count, 5))
        arguments: list[np.ndarray | float] = [count, pacing.steps.size, speeds]
        arguments += [*RALLY.values(), 1.0 / 120.0, out]
        plain = in_c("fly_rally", arguments, Path(folder))
        plain()
        np.testing.assert_allclose(ours()[:, 0, :4], out[:, :4], rtol=1e-7, atol=1e-6)
        hits = out[:, 4].sum() / count
        name = f"1,000 swept rallies of {hits:.0f} hits / C loop, one thread"
        report(name, f"{ratio(ours, plain, 7):.2f}", "at most 2.0")


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


def blink() -> None:
    """Compare whole commands with the bare imports of what they need, in pairs."""
    with tempfile.TemporaryDirectory() as folder:
        call = [sys.executable, "-m", "tinrocket"]
        quiet = partial(subprocess.run, cwd=folder, check=True, stdout=subprocess.DEVNULL)
        quiet([*call, "new", "one", "--from", "rocket"])
        flies = "import numpy, typer, rich.table, tinrocket.trajectory.simulate"
        draws = "import pandas, matplotlib.figure, matplotlib.backends.backend_agg"
        for arguments, imports, bar in (
            (["run", "one.toml"], "import numpy, tinrocket", "at most 1.3"),
            (["run", "one.toml"], flies, "the same beside all it imports"),
            (["compare", "one.toml", "--out", "out"], draws, "at most 1.5"),
        ):
            command = partial(quiet, [*call, *arguments])
            bare = partial(quiet, [sys.executable, "-c", imports])
            command()
            what = f"tinrocket {arguments[0]} / {imports[7:]}"
            report(what, f"{ratio(command, bare, 7):.2f}", bar)


def watching() -> None:
    """Time what happens after a save of the rocket: the text, and the pictures."""
    one = tr.read_demo("rocket")
    before = tr.compare(one)
    text, drawn = [], []
    with tempfile.TemporaryDirectory() as folder, Studio() as studio:
        for _ in range(7):
            began = time.perf_counter()
            after = tr.compare(one)
            changes_between(before, after)
            text.append(time.perf_counter() - began)
            studio.draw(after, pictures_of(after), Path(folder))
            studio.finish()
            drawn.append(time.perf_counter() - began)
    report("watch, from save to text", f"{statistics.median(text):.2f} s", "at most 0.15 s")
    report("watch, from save to pictures", f"{statistics.median(drawn):.2f} s", "at most 0.6 s")


def judging() -> None:
    """Time feel and causes, warm, beside a comparison of the same demo at the same rates."""
    rates = [30.0, 60.0, 144.0]
    slowest = {}
    for name in tr.demo_names():
        one = tr.read_demo(name)
        measured = partial(tr.feel, one, rates)
        measured()
        slowest[name] = statistics.median(timed(measured) for _ in range(5))
    worst = max(slowest, key=lambda name: slowest[name])
    report(f"feel of a demo at three rates; {worst}", f"{slowest[worst]:.2f} s", "within 0.5 s")
    rocket = tr.read_demo("rocket")
    compared = partial(tr.compare, rocket, rates)
    beside = ratio(partial(tr.feel, rocket, rates), compared, 5)
    report("feel of the rocket / comparing it", f"{beside:.1f}", "23 numbers at three rates")

    def cured() -> None:
        tr.find_cures(tr.explain(rocket, rates))

    cured()
    spent = statistics.median(timed(cured) for _ in range(5))
    report("causes and cures of the rocket at three rates", f"{spent:.2f} s", "within 1.5 s")


def memory() -> None:
    """Measure the peak memory of 20,000 variants of 600 frames, in a process of their own."""
    script = (
        "import sys; sys.path.insert(0, sys.argv[1]); import numpy, speed\n"
        "speed.swept(speed.scenario(10.0), numpy.linspace(300.0, 600.0, 20_000), None)\n"
        "status = dict(line.split(':', 1) for line in open('/proc/self/status'))\n"
        "print(int(status['VmHWM'].split()[0]) / 1024)\n"  # maxrss would count the parent's too
    )
    call = [sys.executable, "-c", script, str(Path(__file__).parent)]
    peak = float(subprocess.run(call, check=True, capture_output=True, text=True).stdout)
    report("peak memory, 20,000 variants x 600 frames", f"{peak:.0f} MB", "within 300 MB")


def cold_start() -> None:
    """Compare commands without any cache with the same when modules are kept."""
    fly = "import tinrocket as tr; tr.simulate(tr.read_demo('rocket'))"
    with tempfile.TemporaryDirectory() as folder:

        def run(arguments: Sequence[str], *, cold: bool) -> float:
            """Return how long a process takes [s]."""
            if cold:
                shutil.rmtree(Path(folder) / "kept", ignore_errors=True)
            environment = os.environ | {"TINROCKET_CACHE": str(Path(folder) / "kept")}
            call = partial(
                subprocess.run,
                [sys.executable, *arguments],
                cwd=folder,
                check=True,
                stdout=subprocess.DEVNULL,
                env=environment,
            )
            return timed(call)

        slower = {}
        for name in tr.demo_names():
            command = ["-m", "tinrocket", "demo", name]
            run(command, cold=True)
            pairs = [(run(command, cold=True), run(command, cold=False)) for _ in range(4)]
            slower[name] = min(one[0] for one in pairs) - min(one[1] for one in pairs)
        worst = max(slower, key=lambda name: slower[name])
        what = f"tinrocket demo, cold less warm; the most is {worst}"
        report(what, f"{slower[worst]:.2f} s", "at most 0.5 s")
        imports = ["-c", "import numpy, pandas"]
        run(imports, cold=False)
        pairs = [(run(["-c", fly], cold=True), run(imports, cold=False)) for _ in range(7)]
        share = statistics.median(cold / bare for cold, bare in pairs)
        report("first flight, cold / importing NumPy and pandas", f"{share:.2f}", "at most 1.5")


if __name__ == "__main__":
    sweeps()
    cold_start()
    public_call()
    shots_and_tins()
    many()
    pegs()
    heaps()
    rallies()
    command_line()
    blink()
    watching()
    judging()
    memory()
