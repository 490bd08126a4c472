"""Studies in a browser: time to the picture, and CV drags over the live socket.

Usage: .venv/bin/python -m benchmarks.live (after bin/setup test; starts a Pamble of its own).
"""

from __future__ import annotations

import time

import numpy as np
from playwright.sync_api import Page, sync_playwright

from benchmarks.trims import history
from pamble.study.handing_over import study_file
from pamble.study.kernel import Kernel
from tests.browser.conftest import Desk
from tests.browser.launch import ARGUMENTS, BROWSER
from tests.conftest import RunningPamble
from tests.study.slabs import TRIM, slabs

SECONDS = 6

MOUSE = """([x, y, ms]) => new Promise((done) => {
  pambleRoundTrips.length = 0;
  const start = performance.now();
  const timer = setInterval(() => {
    const t = performance.now() - start;
    if (t > ms) { clearInterval(timer); done([...pambleRoundTrips]); return; }
    const at = { clientX: x + 20 * Math.sin(t / 300), clientY: y + 16 * Math.cos(t / 240), pointerId: 1 };
    window.dispatchEvent(new PointerEvent('pointerrawupdate', at));
  }, 8);
})"""
"""A mouse that reports 125 times a second. The driver's own pointer waits for every frame, and frames are drawn in
software here: it would time the drawing, not the kernel."""


def main() -> None:
    """Print the figures."""
    pamble = RunningPamble(durable=True)
    pamble.start()
    time.sleep(4)  # the first kernel warms up in the background
    try:
        with sync_playwright() as play:
            browser = play.chromium.launch(executable_path=BROWSER, args=ARGUMENTS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            print("demo, a blend between two primaries")
            desk = opened(page, pamble, posted(page, pamble, {"demo": "mirror-cap"}))
            desk.blend()
            drag(desk, "Crown", "3, 3")
            print("two slabs, each trimmed by the other")
            drag(opened(page, pamble, imported(page, pamble, slabs(TRIM))), "Deck", "4, 2")
            print("25 steps: curves, faces, six trims, four blends")
            kept = imported(page, pamble, history())
            opened(page, pamble, kept)
            page.goto(pamble.url)
            time.sleep(1)
            opened(page, pamble, kept)
            browser.close()
    finally:
        pamble.close()


def posted(page: Page, pamble: RunningPamble, wanted: dict[str, str]) -> str:
    """Id of a new study."""
    return str(page.request.post(f"{pamble.url}/api/studies", data=wanted).json()["id"])


def imported(page: Page, pamble: RunningPamble, kernel: Kernel) -> str:
    """Id of a study taken from a file."""
    file = {"name": "study.json", "mimeType": "application/json", "buffer": study_file(kernel.study, {})}
    return str(page.request.post(f"{pamble.url}/api/studies/import", multipart={"file": file}).json()["id"])


def opened(page: Page, pamble: RunningPamble, study: str) -> Desk:
    """Open a study, and tell how long it takes."""
    address = f"{pamble.url}/study/{study}"
    start = time.perf_counter()
    page.goto(address)
    page.locator(".part[data-drawn=true]").wait_for()
    rest = time.perf_counter() - start
    drawn = page.evaluate("performance.getEntriesByName('pamble drawn')[0].startTime") / 1e3
    print(f"  page load until the part is drawn       {drawn:8.2f} s, until the page is at rest {rest:.2f} s")
    return Desk(page, address)


def drag(desk: Desk, face: str, cv: str) -> None:
    """Drag a CV for a while, and tell how the part follows."""
    page = desk.page
    page.get_by_role("option", name=face, exact=True).click()
    page.keyboard.press("c")
    x, y = desk.centre(desk.button(f"CV {cv} of {face}"))
    page.keyboard.down("Alt")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 4, y + 4)
    trips = np.array(page.evaluate(MOUSE, [x, y, 1e3 * SECONDS]))
    page.mouse.up()
    page.keyboard.up("Alt")
    print(f"  kernel updates with seam figures        {len(trips) / SECONDS:8.1f} a second")
    print(f"  round trip, median and 95 %             {np.median(trips):8.1f} ms {np.percentile(trips, 95):8.1f} ms")


if __name__ == "__main__":
    main()
