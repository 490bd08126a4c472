"""The demo study in a browser: time to the first picture, and a CV drag over the live socket.

Usage: .venv/bin/python -m benchmarks.live (after bin/setup test; starts a Pamble of its own).
"""

from __future__ import annotations

import json
import time
import urllib.request

import numpy as np
from playwright.sync_api import sync_playwright

from tests.browser.conftest import Desk
from tests.conftest import RunningPamble

ARGUMENTS = ["--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader"]

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
        data = b'{"demo": "mirror-cap"}'
        request = urllib.request.Request(f"{pamble.url}/api/studies", data, {"Content-Type": "application/json"})
        address = f"{pamble.url}/study/{json.load(urllib.request.urlopen(request))['id']}"
        with sync_playwright() as play:
            browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            start = time.perf_counter()
            page.goto(address)
            page.locator(".part[data-drawn=true]").wait_for()
            print(f"page load to first picture of the part    {time.perf_counter() - start:8.2f} s")
            desk = Desk(page, address)
            desk.blend()
            page.get_by_role("option", name="Crown", exact=True).click()
            page.keyboard.press("c")
            cv = desk.button("CV 3, 3 of Crown")
            x, y = desk.centre(cv)
            page.mouse.move(x, y)
            page.mouse.down()
            page.mouse.move(x + 4, y + 4)
            trips = np.array(page.evaluate(MOUSE, [x, y, 1e3 * SECONDS]))
            page.mouse.up()
            print(f"kernel updates with seam figures          {len(trips) / SECONDS:8.1f} a second")
            print(f"round trip, median                        {np.median(trips):8.1f} ms")
            print(f"round trip, 95 %                          {np.percentile(trips, 95):8.1f} ms")
            browser.close()
    finally:
        pamble.close()


if __name__ == "__main__":
    main()
