"""A plan as one module, in a browser, and as several here: the same memory, byte for byte."""

import base64
import hashlib
import re
import shutil
import subprocess

import pytest

import tinrocket as tr
from tinrocket.compile.build import make_plan
from tinrocket.compile.retuning import portable
from tinrocket.flight.frame_schedule import lower_clock
from tinrocket.flight.memory import Capacity, FlightMemory
from tinrocket.flight.sampled_tape import sample_tape
from tinrocket.language.machine import PAGE

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser")
QUIET = (
    *("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"),
    *("--disable-background-networking", "--disable-component-update", "--disable-sync"),
)
PAGE_TEXT = """<!doctype html><title>flight</title><body>flying<script>
const bytes = text => Uint8Array.from(atob(text), one => one.charCodeAt(0));
const memory = new WebAssembly.Memory({{initial: {pages}}});
new Uint8Array(memory.buffer).set(bytes("{memory}"));
WebAssembly.instantiate(bytes("{module}"), {{flight: {{memory}}}}).then(made => {{
  made.instance.exports.fly();
  const state = new Uint8Array(memory.buffer, {begin}, {length});
  let text = "";
  for (const one of state) text += one.toString(16).padStart(2, "0");
  document.body.textContent = "state:" + text + ".";
}}).catch(error => {{ document.body.textContent = "failed: " + error; }});
</script>"""


@pytest.mark.skipif(CHROMIUM is None, reason="no Chromium on this machine")
@pytest.mark.parametrize("name", ["rocket", "popgun"])
def test_a_browser_flies_a_demo_with_the_same_bits(name, tmp_path):
    game = tr.read_demo(name)
    plan, pacing = make_plan(game), lower_clock(tr.Clock(rate=60), 60.0, game.duration)
    count = pacing.steps.size
    deck = FlightMemory(plan, Capacity(steps=count, columns=0))
    deck.write_inputs(
        pacing.moments(plan.unit), sample_tape(game, pacing).columns(plan.raw), 0, count
    )
    deck.write_whole(plan.world, "steps", count)
    memory = deck.machine.floats.tobytes()
    assert deck.fly(count) == count
    page = PAGE_TEXT.format(
        pages=len(memory) // PAGE,
        memory=base64.b64encode(memory).decode(),
        module=base64.b64encode(portable(plan)[0]).decode(),
        begin=8 * plan.state.start,
        length=8 * (plan.state.stop - plan.state.start),
    )
    (tmp_path / "flight.html").write_text(page, encoding="utf-8")
    where = (f"--user-data-dir={tmp_path / 'profile'}", (tmp_path / "flight.html").as_uri())
    shown = subprocess.run(
        [str(CHROMIUM), *QUIET, "--virtual-time-budget=20000", "--dump-dom", *where],
        capture_output=True,
        text=True,
        check=True,
        timeout=120,
    ).stdout
    found = re.search(r"state:([0-9a-f]+)\.", shown)
    assert found is not None, shown[-500:]
    here, there = deck.snapshot().tobytes(), bytes.fromhex(found[1])
    assert hashlib.sha256(there).hexdigest() == hashlib.sha256(here).hexdigest()
