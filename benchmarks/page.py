"""What a page costs: its size, how soon it opens, and a minute of play at three rates.

    python benchmarks/page.py [SECONDS]

The processor's time is that of all of the browser's processes, as a share of one core, beside that
of an empty page with a canvas that is cleared at the same pace.
"""

import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from playwright.sync_api import CDPSession, Page, sync_playwright

import tinrocket as tr
from tinrocket.why.cures import find_cures

OPTIONS = ("--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-sync")
EMPTY = """<!doctype html><canvas width="700" height="440"></canvas><script>
const context = document.querySelector("canvas").getContext("2d");
const draw = () => { context.fillRect(0, 0, 700, 440); requestAnimationFrame(draw); };
draw();
</script>"""


def processor_time() -> float:
    """Return the processor's time of all processes of the browser so far [s]."""
    total = 0
    for stat in Path("/proc").glob("[0-9]*/stat"):
        try:
            text = stat.read_text()
        except OSError:  # it has just ended
            continue
        if "(chrom" in text:
            fields = text.rpartition(")")[2].split()
            total += int(fields[11]) + int(fields[12])
    return total / 100.0


def heap(session: CDPSession) -> float:
    """Return the script's memory after a collection [MB]."""
    session.send("HeapProfiler.collectGarbage")
    found: dict[str, Any] = session.send("Performance.getMetrics")
    used = {one["name"]: float(one["value"]) for one in found["metrics"]}
    return used["JSHeapUsedSize"] / 1e6


def share(page: Page, seconds: float) -> float:
    """Return which share of a core a page takes while it is left running."""
    began, before = time.monotonic(), processor_time()
    page.wait_for_timeout(1000.0 * seconds)
    return (processor_time() - before) / (time.monotonic() - began)


def main(seconds: float) -> None:
    """Print all of it."""
    rocket = tr.read_demo("rocket")
    compared = tr.compare(rocket, [30, 60, 144])
    causes = tr.explain(compared)
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as driver:
        file = tr.write_report(
            compared,
            Path(folder) / "rocket.html",
            causes=[causes],
            cures=find_cures(causes),
            sheet=tr.feel(rocket, [30, 60, 144]),
        )
        print(f"report of the rocket: {file.stat().st_size / 1e6:.2f} MB")
        browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=list(OPTIONS))
        for _ in range(4):
            page = browser.new_page()
            page.goto(file.as_uri(), wait_until="commit")
            page.wait_for_timeout(2500)
            opened = page.evaluate("performance.getEntriesByName('ready')[0].startTime")
            print(f"opened, ready to play: {opened / 1000:.2f} s")
            page.close()
        page = browser.new_page()
        page.set_content(EMPTY)
        empty = share(page, min(seconds, 10.0))
        page.close()
        page = browser.new_page()
        page.goto(f"{file.as_uri()}#view=play")
        page.wait_for_selector("html[data-ready=yes]")
        session = page.context.new_cdp_session(page)
        session.send("Performance.enable")
        page.evaluate("window.tinrocket.play.fly([30, 60, 144])")
        page.keyboard.press("p")
        page.keyboard.down("ArrowUp")
        page.keyboard.down("ArrowLeft")
        page.wait_for_timeout(5000)
        first = heap(session)
        busy = share(page, seconds)
        print(f"play at 30, 60 and 144 fps for {seconds:.0f} s: {busy:.2f} of a core")
        print(f"an empty canvas at the same pace: {empty:.2f} of a core")
        print(f"memory of the script: {first:.1f} MB after 5 s, {heap(session):.1f} MB at the end")
        browser.close()


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 60.0)
