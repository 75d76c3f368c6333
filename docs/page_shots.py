"""Pictures of the page: report, replay and play on a desktop, and all three on a phone."""

import sys
from pathlib import Path
from typing import Any

from PIL import Image
from playwright.sync_api import Browser, sync_playwright

import tinrocket as tr
from tinrocket.why.cures import find_cures

OPTIONS = ("--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-sync")
FLOWN = """async () => {
  const { play } = window.tinrocket;
  await play.fly([30, 60, 144]);
  const done = [[0.3, "thrust", 1], [1.3, "left", 1], [1.7, "left", 0], [2.6, "thrust", 0]];
  for (const [t, name, value] of done) { play.flyTo(t); play.press(name, value, t); }
  play.flyTo(3.1);
  play.draw();
}"""
VIEWS = {"report": "", "replay": "window.tinrocket.replay.go(3.95)", "play": f"({FLOWN})()"}


def shot(browser: Browser, address: str, view: str, into: Path, **options: Any) -> Path:
    """Take a picture of one view of a page."""
    context = browser.new_context(**options)
    page = context.new_page()
    page.goto(f"{address}#view={view}")
    page.wait_for_selector("html[data-ready=yes]")
    if VIEWS[view]:
        page.evaluate(VIEWS[view])
    page.wait_for_timeout(500)
    path = into / f"{view}.png"
    page.screenshot(path=str(path))
    context.close()
    return path


def main(work: Path) -> None:
    """Write the pictures into docs/screenshots; `work` is a folder for what lies between."""
    rocket = tr.read_demo("rocket")
    compared = tr.compare(rocket, [30, 60, 144])
    causes = tr.explain(compared)
    sheet = tr.feel(rocket, [30, 60, 144])
    cures = find_cures(causes)
    file = tr.write_report(
        compared,
        work / "rocket.html",
        causes=[causes],
        cures=cures,
        sheet=sheet,
        file="rocket.toml",
    )
    home = Path(__file__).parent / "screenshots"
    with sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path="/usr/bin/chromium", args=list(OPTIONS))
        wide = {"width": 1280, "height": 800}
        for view in VIEWS:
            shot(browser, file.as_uri(), view, home, viewport=wide)
        phone: dict[str, Any] = {"viewport": {"width": 390, "height": 844}, "has_touch": True}
        phone |= {"is_mobile": True, "color_scheme": "dark"}
        small = [Image.open(shot(browser, file.as_uri(), v, work, **phone)) for v in VIEWS]
        browser.close()
    together = Image.new("RGB", (3 * 390 + 40, 844), "white")
    for number, picture in enumerate(small):
        together.paste(picture, (number * 410, 0))
    together.save(home / "phone.png", optimize=True)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
