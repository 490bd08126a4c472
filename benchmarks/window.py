"""The window's own work in a browser: pointing at a part, taking frames in, memory over many previews.

Usage: .venv/bin/python -m benchmarks.window (after bin/setup test; starts a Pamble of its own).
"""

from __future__ import annotations

import json
import time
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from playwright.sync_api import Page, sync_playwright

from benchmarks.live import imported, opened
from pamble.study.kernel import Kernel
from tests.browser.launch import ARGUMENTS, BROWSER
from tests.conftest import RunningPamble
from tests.shapes import panel
from tests.study.slabs import face

ROWS, COLUMNS = 10, 6
MEASURES = "(name) => performance.getEntriesByName(name).map((m) => m.duration)"
HOVERS = 60
PREVIEWS = 2000


def part() -> Kernel:
    """Sixty faces side by side."""
    faces = []
    for i in range(ROWS):
        for j in range(COLUMNS):
            made = panel(lambda x, y, i=i, j=j: (x / 4 + 80 * i, y / 2 + 60 * j, 8 * np.sin(x / 60 + i)), (6, 5))
            faces.append(face(f"f{i}{j}", f"Face {i} {j}", made))
    return Kernel({"name": "Sixty faces", "features": faces})


def main() -> None:
    """Print the figures."""
    pamble = RunningPamble(durable=True)
    pamble.start()
    time.sleep(4)
    try:
        with sync_playwright() as play:
            browser = play.chromium.launch(
                executable_path=BROWSER,
                args=[*ARGUMENTS, "--enable-precise-memory-info", "--js-flags=--expose-gc"],
            )
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            study = imported(page, pamble, part())
            scan(page, pamble, study)
            opened(page, pamble, study)
            page.wait_for_timeout(2500)
            hover(page)
            frames(page)
            browser.close()
    finally:
        pamble.close()
    size = sum(f.stat().st_size for f in Path("web/dist/assets").glob("*.js"))
    print(f"bundle, scripts before compression: {size / 1e6:.2f} MB")


def scan(page: Page, pamble: Any, study: str) -> None:
    """A mesh of half a million triangles under the faces."""
    grid = trimesh.creation.icosphere(subdivisions=7, radius=200.0).subdivide()
    grid = trimesh.Trimesh(grid.vertices + np.array([400, 200, -230]), grid.faces[:500_000], process=False)
    file = {"name": "scan.stl", "mimeType": "model/stl", "buffer": grid.export(file_type="stl")}
    taken = page.request.post(
        f"{pamble.url}/api/studies/{study}/mesh", multipart={"file": file}, timeout=120_000
    ).json()
    page.goto(f"{pamble.url}/study/{study}")
    page.wait_for_timeout(2000)
    page.evaluate("(op) => pambleCommit(op)", taken["op"])
    page.wait_for_timeout(6000)


def hover(page: Page) -> None:
    """The pointer wanders over the part; the first time over each thing builds its tree."""
    for _ in range(2):
        page.evaluate("performance.clearMeasures()")
        for k in range(HOVERS):
            page.mouse.move(420 + 7 * k, 260 + 90 * np.sin(k / 4))
            page.wait_for_timeout(30)
    told("60 hovers over 60 faces and a mesh of 500 000 triangles", page.evaluate(MEASURES, "pamble hover"))


def frames(page: Page) -> None:
    """Previews of one moved CV: time to take a frame in, and memory that is left behind."""
    page.evaluate("performance.clearMeasures()")
    before = heap(page)
    op = {"op": "move_cvs", "id": "f00", "cvs": [{"i": 2, "j": 2, "to": [20, 30, 9]}]}
    page.evaluate(
        """async ([op, count]) => { for (let i = 0; i < count; i++) {
          op.cvs[0].to[2] = 9 + 4 * Math.sin(i / 9); pamblePreview(JSON.parse(JSON.stringify(op)));
          await new Promise((r) => setTimeout(r, 8)); } }""",
        [op, PREVIEWS],
    )
    page.wait_for_timeout(1500)
    told("a preview's frame taken in", page.evaluate(MEASURES, "pamble frame"))
    print(f"heap over {PREVIEWS} previews: {before:.1f} to {heap(page):.1f} MB")


def heap(page: Page) -> float:
    """Megabytes in use after a collection."""
    session = page.context.new_cdp_session(page)
    session.send("HeapProfiler.collectGarbage")
    return float(page.evaluate("performance.memory.usedJSHeapSize")) / 1e6


def told(what: str, durations: list[float]) -> None:
    d = np.array(durations)
    print(f"{what}: median {np.median(d):.2f} ms, nine of ten under {np.quantile(d, 0.9):.2f} ms, {len(d)} times")


if __name__ == "__main__":
    print(json.dumps({"hovers": HOVERS, "previews": PREVIEWS}))
    main()
