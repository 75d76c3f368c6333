"""Pages in a real browser: the same bits as in Python, the frames that runs had, and no tricks."""

import contextlib
import http.client
import json
import re
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import tinrocket as tr
from tinrocket.compile.build import make_plan
from tinrocket.compile.retuning import retuning_of
from tinrocket.page.document import document
from tinrocket.page.page_data import page_data
from tinrocket.scenario.hands import with_tape

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser")
QUIET = (
    *("--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"),
    *("--disable-background-networking", "--disable-component-update", "--disable-sync"),
)
AXE = Path(__file__).parents[1] / "web/node_modules/axe-core/axe.min.js"
RATES = (30.0, 60.0, 144.0)
pytestmark = pytest.mark.skipif(CHROMIUM is None, reason="no Chromium on this machine")


@pytest.fixture(scope="module")
def browser():
    playwright = pytest.importorskip("playwright.sync_api")
    with playwright.sync_playwright() as driver:
        started = driver.chromium.launch(executable_path=CHROMIUM, args=list(QUIET))
        yield started
        started.close()


@contextlib.contextmanager
def opened(browser, address, **options):
    """Open a page; it may print no error and ask nothing of any network."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, **options)
    page, wrong = context.new_page(), []
    page.on("console", lambda said: wrong.append(said.text) if said.type == "error" else None)
    page.on("pageerror", lambda error: wrong.append(str(error)))
    own = ("file:", "data:", "blob:", address.split("/", 3)[0] + "//" + address.split("/")[2])
    page.on(
        "request",
        lambda request: None if request.url.startswith(own) else wrong.append(request.url),
    )
    page.goto(address)
    page.wait_for_selector("html[data-ready=yes]", timeout=20_000)
    yield page
    assert wrong == []
    context.close()


def report_of(scenario, folder):
    made = tr.write_report(tr.compare(scenario, RATES), folder / "page.html", file="tin.toml")
    return made.as_uri()


def page_of(scenario, folder, compared=None):
    """Write a page without a report, which takes longer to draw than all the rest."""
    flights = [tr.simulate(scenario)]
    data = page_data(scenario, compared, flights, file="tin.toml", timings=False)
    (folder / "page.html").write_text(document(data), encoding="utf-8")
    return (folder / "page.html").as_uri()


def bodies_of(flight):
    plan = flight._deck.plan
    return flight._deck.bodies()[: len(plan.scenario.fleet)].tobytes().hex()


def flown_in_python(scenario, rate, frames):
    clock = scenario.clock.at_rate(rate)
    return tr.Flight(scenario.replaced(clock=clock, duration=frames / rate)).run()


def hands(scenario, seconds, seed):
    """Return presses, tilts and places at random moments, in order: (t, kind, name, values)."""
    random = np.random.default_rng(seed)
    done = []
    analog = {name for stick in scenario.sticks.values() for name in stick.actions}
    for action in scenario.actions:
        for n, t in enumerate(np.sort(random.uniform(0.0, seconds, 14)).tolist()):
            value = round(random.uniform(-1, 1), 3) if action in analog else float(n % 2 == 0)
            done.append((t, "press", action, [value]))
    for pointer, points in scenario.tape.pointers.items():
        for t in np.sort(random.uniform(0.0, seconds, 40)).tolist():
            place = [points[0][1], random.uniform(20, scenario.arena.height - 20)]
            done.append((t, "move", pointer, place))
    return sorted(done)


PLAYED = """async ([rates, done, seconds]) => {
  const { play } = window.tinrocket;
  await play.fly(rates);
  for (const [t, kind, name, values] of done) {
    play.flyTo(t);
    if (kind === "press") play.press(name, values[0], t);
    else play.move(name, ...values);
  }
  play.flyTo(seconds);
  return [play.csv, play.steps, play.states()];
}"""


@pytest.mark.parametrize("name", tr.demo_names())
def test_hands_recorded_in_a_page_fly_the_same_bits_in_python(browser, name, tmp_path):
    game = tr.read_demo(name)
    with opened(browser, page_of(game, tmp_path)) as page:
        played = page.evaluate(PLAYED, [RATES, hands(game, 5.0, 4), 5.0])
        own = page.evaluate(
            "async rates => { const { play } = window.tinrocket; await play.fly(rates, true);"
            " play.flyTo(4); return [play.steps, play.states()]; }",
            RATES,
        )
    csv, frames, states = played
    (tmp_path / "hands.csv").write_text(csv, encoding="utf-8")
    mine = with_tape(game, tmp_path / "hands.csv")
    for rate, count, state in zip(RATES, frames, states, strict=True):
        assert bodies_of(flown_in_python(mine, rate, count)) == state, rate
    for rate, count, state in zip(RATES, *own, strict=True):
        assert bodies_of(flown_in_python(game, rate, count)) == state, rate


PACES = {
    "substeps": {"substep": 0.01},
    "fixed": {"fixed_rate": 50.0, "max_steps_per_frame": 2},
    "fixed, cleared": {"fixed_rate": 90.0, "max_steps_per_frame": 1, "backlog": "cleared"},
    "fixed, frame's dt": {"fixed_rate": 90.0, "step_dt": "frame", "max_dt": 0.02},
    "fixed, backlog": {"fixed_rate": 90.0, "max_steps_per_frame": 1, "backlog": "kept"},
    "sums": {"fixed_rate": 25.0, "input": "sum"},
    "longest frame": {"max_dt": 0.02},
}


@pytest.mark.parametrize("pace", PACES)
@pytest.mark.parametrize("sampling", ["polled", "buffered"])
def test_frames_and_looks_are_those_of_python(browser, pace, sampling, tmp_path):
    game = tr.read_demo("mouse")
    counts_from = ("press", "frame")[list(PACES).index(pace) % 2]
    repeat = tr.Repeat(delay=0.2, rate=9.0, counts_from=counts_from)
    tape = game.tape.replaced(sampling=sampling, repeats={"left": repeat}, taps={}, holds={})
    game = game.replaced(tape=tape, clock=tr.Clock(**PACES[pace]))
    with opened(browser, page_of(game, tmp_path)) as page:
        csv, _steps, states = page.evaluate(PLAYED, [RATES, hands(game, 3.0, 9), 3.0])
    (tmp_path / "hands.csv").write_text(csv, encoding="utf-8")
    mine = with_tape(game, tmp_path / "hands.csv")
    for rate, state in zip(RATES, states, strict=True):
        assert bodies_of(flown_in_python(mine, rate, round(3.0 * rate))) == state, rate


@pytest.mark.parametrize("name", tr.demo_names())
def test_numbers_changed_while_flying_fly_the_same_bits_in_python(browser, name, tmp_path):
    game = tr.read_demo(name)
    random, rate = np.random.default_rng(8), game.tuned_at
    numbers = retuning_of(make_plan(game)).numbers
    changes = [
        (int(step), number.path, random.uniform(number.within.low, number.within.high))
        for number in numbers
        for step in random.integers(5, 110, 2)
        if not number.counts_frames
    ]
    with opened(browser, page_of(game, tmp_path)) as page:
        state = page.evaluate(
            """async ([rate, changes]) => {
              const { play } = window.tinrocket;
              await play.fly([rate]);
              for (let step = 0; step < 120; step++) {
                for (const [at, path, value] of changes) {
                  if (at === step) play.setNumber(path, value);
                }
                play.stepOne();
              }
              return play.states()[0];
            }""",
            [rate, changes],
        )
    flight = tr.Flight(game)
    places = {name: points[0][1:] for name, points in game.tape.pointers.items()}
    for step in range(120):
        for at, path, value in changes:
            if at == step:
                flight.set(path, value)
        flight.step(places)
    assert bodies_of(flight) == state


@pytest.mark.parametrize("name", ["rocket", "sparrow", "ladybird", "wren"])
def test_feel_measured_in_a_page_is_that_of_the_feel_sheet(browser, name, tmp_path):
    game = tr.read_demo(name)
    with opened(browser, page_of(game, tmp_path)) as page:
        shown = page.evaluate(
            "async () => { const { play } = window.tinrocket; await play.fly([48]);"
            " return play.measureNow(); }"
        )
    craft = next(craft.name for craft in game.craft if craft.actions)
    table = tr.feel(game, rates=[48.0], craft=craft).table
    at = table[table["clock"] == "48 fps"].set_index("metric")["value"]
    assert shown
    for metric in shown:
        if metric["value"] is not None:
            assert metric["value"] == pytest.approx(at[metric["name"]], rel=1e-6), metric["name"]
        else:
            assert np.isnan(at[metric["name"]]), metric["name"]


@pytest.mark.parametrize("name", ["rocket", "popgun"])
def test_a_replay_shows_the_frames_that_each_run_had(browser, name, tmp_path):
    game = tr.read_demo(name)
    comparison = tr.compare(game, RATES)
    with opened(browser, page_of(game, tmp_path, comparison)) as page:
        labels = page.evaluate("window.tinrocket.replay.page.runs.map(run => run.label)")
        assert labels == [run.clock for run in comparison.runs]
        for t in (0.0, 0.5, 1.2345, 3.9):
            shown = page.evaluate(
                "t => { const { replay } = window.tinrocket; replay.go(t);"
                " return [0, 1, 2].map(run => replay.shownOf(run, 0)); }",
                t,
            )
            for run, seen in zip(comparison.runs, shown, strict=True):
                track = run.flight.track(run.flight.craft[0])
                row = int(np.floor(t * run.rate + 1e-6))
                assert (seen["t"], seen["x"], seen["y"]) == tuple(
                    track[column][row] for column in ("t", "x", "y")
                )
        page.evaluate("window.tinrocket.replay.go(0)")
        page.get_by_role("tab", name="Replay").click()
        page.keyboard.press("n")
        first = min(run.first_change() for run in comparison.runs if run.first_change())
        assert page.evaluate("window.tinrocket.replay.now") == pytest.approx(first)
        page.keyboard.press("ArrowRight")
        assert 0 < page.evaluate("window.tinrocket.replay.now") - first <= 1 / 144 + 1e-9


PAD = """() => {
  const buttons = Array.from({ length: 8 }, () => ({ pressed: false }));
  const pad = { index: 0, axes: [0, 0], buttons };
  window.pad = pad;
  navigator.getGamepads = () => [pad];
}"""


def test_keys_gamepad_and_sliders_play(browser, tmp_path):
    with opened(browser, page_of(tr.read_demo("rocket"), tmp_path)) as page:
        page.evaluate(PAD)
        page.keyboard.press("p")
        page.keyboard.down("ArrowUp")
        page.wait_for_timeout(300)
        page.keyboard.up("ArrowUp")
        page.evaluate("window.pad.axes[0] = -0.9")
        page.wait_for_timeout(200)
        page.evaluate("window.pad.axes[0] = 0")
        page.wait_for_timeout(100)
        page.keyboard.press("p")
        rows = [row.split(",") for row in page.evaluate("window.tinrocket.play.csv").split()[1:]]
        assert [(row[1], row[2]) for row in rows] == [
            *(("thrust", "1"), ("thrust", "0"), ("left", "1"), ("left", "0")),
        ]
        assert float(rows[1][0]) - float(rows[0][0]) > 0.2
        speed = page.get_by_label("rocket.limit.speed in px/s")
        speed.fill("120")
        speed.press("Enter")
        assert "rocket.limit.speed=120" in page.evaluate("window.tinrocket.play.command")
        assert '"rocket.limit.speed" = 120.0' in page.evaluate("window.tinrocket.play.toml")
        page.locator("input[type=range][aria-label='rocket.limit.speed']").dblclick()
        assert "limit.speed" not in page.evaluate("window.tinrocket.play.command")


TITLES = (
    "</script><script>document.title='gone'</script>",
    "\"'><img src=x onerror=alert(1)>&amp;",
    "\u202eright to left\u202c \u05e9\u05dc\u05d5\u05dd 🚀 <!--",
)


@pytest.mark.parametrize("title", TITLES)
def test_no_text_of_a_scenario_becomes_part_of_the_page(browser, title, tmp_path):
    game = tr.read_demo("rocket").replaced(title=title)
    name = title.replace("/", "")[:40].replace("\u202e", "").replace("\u202c", "")
    craft = game.craft[0].replaced(name=name)
    game = tr.Scenario.from_data(game.replaced(craft=(craft,)).model_dump())
    with opened(browser, report_of(game, tmp_path)) as page:
        assert page.evaluate("window.tinrocket.page.title") == title
        shown = title.encode("unicode_escape").decode() if not title.isprintable() else title
        assert shown[:8] in page.title() or not title.isprintable()
        assert page.locator("main img[src=x]").count() == 0
        assert page.evaluate("document.scripts.length") == 2
        assert page.evaluate("window.tinrocket.play.steps.length") == 1


@pytest.mark.skipif(not AXE.exists(), reason="axe-core is not installed in web/")
@pytest.mark.parametrize("look", ["light", "dark"])
def test_pages_are_accessible(browser, look, tmp_path):
    address = report_of(tr.read_demo("rocket"), tmp_path)
    with opened(browser, address, color_scheme=look, bypass_csp=True) as page:
        page.add_script_tag(path=str(AXE))
        for view in ("Report", "Replay", "Play"):
            page.get_by_role("tab", name=view, exact=True).click()
            found = page.evaluate("axe.run().then(result => result.violations)")
            serious = [
                (finding["id"], [node["html"][:120] for node in finding["nodes"]])
                for finding in found
                if finding["impact"] in ("serious", "critical")
            ]
            assert serious == [], view


@contextlib.contextmanager
def served(folder, command, *options):
    """Start a local server on a copy of a demo; yields its file, port and token."""
    file = folder / "rocket.toml"
    demos = Path(tr.__file__).parent / "demos"
    shutil.copy(demos / "rocket.toml", file)
    started = subprocess.Popen(
        [sys.executable, "-m", "tinrocket", command, str(file), "--no-browser", *options],
        stdout=subprocess.PIPE,
        text=True,
    )
    line = started.stdout.readline()
    port, token = re.search(r"http://127\.0\.0\.1:(\d+)/([\w-]+)/", line).groups()
    try:
        yield file, int(port), token
    finally:
        started.terminate()
        started.communicate(timeout=20)


@pytest.fixture
def server(tmp_path):
    """Start `tinrocket play` on a copy of a demo; yields its file, port and token."""
    with served(tmp_path, "play") as found:
        yield found


def test_pairs_are_flown_blind_and_each_answer_is_written_down(browser, tmp_path):
    free = ("--free", "rocket.thrust.accel=100:1500", "--free", "rocket.drag.keep=0.95:0.999")
    with served(tmp_path, "choose", *free) as (file, port, token):
        answers = file.with_name("rocket.choices.csv")
        trusted = {"x-tinrocket-token": token, "content-type": "application/json"}
        wrong = [{"better": "first", "answered": 3}, {"better": "maybe", "answered": 0}, {}, []]
        for body in wrong:
            assert asked(port, f"/{token}/answer", "POST", json.dumps(body), **trusted)[0] == 400
        assert asked(port, f"/{token}/answer", "POST", json.dumps(wrong[1]))[0] == 403
        assert not answers.exists()
        with opened(browser, f"http://127.0.0.1:{port}/{token}/") as page:
            said = ("First is better", "I feel no difference", "Second is better")
            for pair, answer in enumerate(said, start=1):
                pair_before = page.evaluate("tinrocket.play.numbers.sets")
                page.get_by_role("button", name="Other one").click()
                assert page.evaluate("tinrocket.play.numbers.side") == "B"
                assert page.locator(".numbers").is_hidden()
                page.get_by_role("button", name=answer).click()
                page.get_by_text(f"Pair {pair + 1}:").wait_for()
                assert page.evaluate("tinrocket.play.numbers.sets") != pair_before
            page.get_by_role("button", name="What the answers say").click()
            assert "Preferred after 3 pairs" in page.locator(".blind pre").inner_text()
        table = pd.read_csv(answers)
        assert table["better"].tolist() == ["first", "same", "second"]
        again = tr.choose(tr.read_scenario(file), free[1::2], table)
        assert again.answers == ("first", "same", "second")


def asked(port, path, method="GET", body=None, **headers):
    for _ in range(100):
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
        try:
            connection.request(method, path, body, headers)
            answer = connection.getresponse()
            return answer.status, answer.read().decode()
        except ConnectionRefusedError:
            continue
        finally:
            connection.close()
    raise AssertionError("the server does not answer")


SAID = "document.querySelector('#play .said')"


def test_a_server_saves_reloads_and_refuses(browser, server):
    file, port, token = server
    body = json.dumps({"tape": "t,action,value\n", "numbers": []})
    trusted = {"x-tinrocket-token": token, "content-type": "application/json"}
    refused = [
        asked(port, "/"),
        asked(port, f"/{token[::-1]}/"),
        asked(port, f"/{token[:-1]}/"),
        asked(port, f"/{token}x/"),
        asked(port, f"/{token}/../rocket.toml"),
        asked(port, f"/{token}/%2e%2e/%2e%2e/etc/passwd"),
        asked(port, f"/{token}/", Host="tin.example"),
        asked(port, f"/{token}/", Origin="http://tin.example"),
        asked(port, f"/{token}/save", "POST", body),
        asked(port, f"/{token}/save", "POST", body, **trusted, Origin="http://127.0.0.1:1"),
        asked(port, f"/{token}/save", "POST", "{", **trusted),
        asked(port, f"/{token}/save", "POST", '{"tape": 3}', **trusted),
        asked(port, f"/{token}/save", "GET", **trusted),
    ]
    assert [status for status, _text in refused] == [404] * 6 + [403] * 4 + [400] * 2 + [405]
    assert [path.name for path in file.parent.iterdir()] == ["rocket.toml"]
    with opened(browser, f"http://127.0.0.1:{port}/{token}/") as page:
        page.evaluate(PLAYED, [[60], [[0.1, "press", "thrust", [1]]], 1.0])
        page.evaluate("window.tinrocket.play.setNumber('rocket.thrust.accel', 500)")
        for _ in range(2):
            page.get_by_role("button", name="Save beside the scenario").click()
            page.locator("#play .said", has_text="saved").wait_for()
            page.evaluate("document.querySelector('#play .said').textContent = ''")
        folder = {path.name for path in file.parent.iterdir()} - {"rocket.toml"}
        assert folder == {
            f"rocket.{n}" for n in ("hands.csv", "hands-2.csv", "played.toml", "played-2.toml")
        }
        played = tr.read_scenario(file.with_name("rocket.played.toml"))
        assert played.craft[0].rules[1].accel == 500.0
        assert (file.with_name("rocket.hands.csv")).read_text().splitlines()[1] == "0.1,thrust,1"
        file.write_text(file.read_text().replace("Tin rocket over", "Tin rocket far over"))
        page.get_by_role("heading", name="Tin rocket far over the workbench").wait_for()
