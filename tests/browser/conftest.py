"""Debian's Chromium, drawing without a graphics card, and a fresh demo study for every test."""

from __future__ import annotations

import json
import re
import urllib.request
from collections.abc import Iterator
from dataclasses import dataclass

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.launch import ARGUMENTS, BROWSER
from tests.browser.steps import line_of

# A shared machine stalls for seconds at times: what is awaited is the same, only with more patience.
expect.set_options(timeout=20_000)


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict:
    return {
        "executable_path": BROWSER,
        "args": [
            *ARGUMENTS,
            # Drawn by the processor, smoothed edges cost half of every frame.
            "--webgl-antialiasing-mode=none",
            "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync",
        ],
    }  # fmt: skip


@pytest.fixture(scope="session")
def browser_context_args() -> dict:
    return {"viewport": {"width": 1280, "height": 800}, "device_scale_factor": 1, "accept_downloads": True}


@dataclass
class Desk:
    """A user at an open study."""

    page: Page
    url: str

    def button(self, name: str, exact: bool = True) -> Locator:
        return self.page.get_by_role("button", name=name, exact=exact)

    def more(self, tool: str) -> None:
        """Take a tool from the menu behind the row."""
        self.button("More…").click()
        self.page.get_by_role("menuitem", name=tool, exact=True).click()

    def stored(self, step: int) -> None:
        """Wait until the study is stored at a step."""
        expect(self.page.get_by_text(f"step {step} · stored")).to_be_visible()

    def features(self, kind: str = "") -> list[dict]:
        """The study's steps as its file has them: all, or those of a kind."""
        at = self.url.replace("/study/", "/api/studies/") + "/export.json"
        return [f for f in json.load(urllib.request.urlopen(at))["features"] if kind in ("", f["kind"])]

    def at_rest(self) -> None:
        """Wait until the picture of the part stands still."""
        before = b""
        for _ in range(30):
            now = self.page.locator(".part").screenshot()
            if now == before:
                return
            before = now
            self.page.wait_for_timeout(250)
        raise AssertionError("The part keeps moving")

    def let_go(self) -> None:
        """Esc, as often as there is a card to let go of."""
        card = self.page.get_by_label(re.compile("^Card of "))
        for _ in range(4):
            self.page.keyboard.press("Escape")
            self.page.wait_for_timeout(150)
            if not card.count():
                return
        raise AssertionError(f"{card.first.get_attribute('aria-label')} stays open")

    def row(self, name: str) -> Locator:
        return self.page.get_by_role("row", name=f"Seam {name}", exact=True)

    def figures(self, name: str) -> dict[str, float | str]:
        """The ledger's line of a seam."""
        cells = self.row(name).get_by_role("cell").all_inner_texts()
        number = [float(re.sub(r"\s", "", c)) for c in cells[2:7]]
        keys = ("gap", "angle", "curvature", "absolute", "length")
        return {**dict(zip(keys, number, strict=True)), "target": cells[1], "state": cells[7].split()[-1]}

    def blend(self, first: str = "Crown, v end", second: str = "Flank, v start") -> None:
        """Make and keep the blend between two edges, picked by name."""
        self.page.keyboard.press("b")
        self.button(first).click()
        self.button(second).click()
        expect(self.row("Blend · Crown")).to_be_visible()
        self.button("Keep").click()
        expect(line_of(self.page, "Blend")).to_be_visible()

    def centre(self, target: Locator) -> tuple[float, float]:
        # While a new frame is drawn a handle may be gone for a moment.
        for _ in range(30):
            box = target.bounding_box()
            if box is not None:
                return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
            self.page.wait_for_timeout(100)
        raise AssertionError(f"{target} is not drawn")

    def drag(self, start: tuple[float, float], by: tuple[float, float], release: bool = True, steps: int = 8) -> None:
        self.page.mouse.move(*start)
        self.page.mouse.down()
        self.page.mouse.move(start[0] + by[0], start[1] + by[1], steps=steps)
        if release:
            self.page.mouse.up()


def opened(page: Page, pamble, wanted: dict) -> Iterator[Desk]:
    """A new study in the browser; afterwards no error may have been thrown in the page."""
    request = urllib.request.Request(
        f"{pamble.url}/api/studies", json.dumps(wanted).encode(), {"Content-Type": "application/json"}
    )
    yield from at_desk(page, pamble, json.load(urllib.request.urlopen(request))["id"])


def imported(page: Page, pamble, study: dict) -> Iterator[Desk]:
    """A study taken from its file, in the browser."""
    file = {"name": "study.json", "mimeType": "application/json", "buffer": json.dumps(study).encode()}
    answer = page.request.post(f"{pamble.url}/api/studies/import", multipart={"file": file})
    for desk in at_desk(page, pamble, answer.json()["id"]):
        page.locator(".part[data-drawn=true]").wait_for(timeout=40_000)
        page.wait_for_timeout(400)
        yield desk


def at_desk(page: Page, pamble, study: str) -> Iterator[Desk]:
    """A user at a study that is stored; afterwards no error may have been thrown in the page."""
    faults: list[str] = []
    page.on("pageerror", lambda e: faults.append(str(e)))
    page.set_default_timeout(15_000)
    page.goto(f"{pamble.url}/study/{study}")
    # A demo that is opened for the first time is worked out first.
    expect(page.get_by_text("step 0 · stored")).to_be_visible(timeout=60_000)
    # Keys start tools once these are known.
    expect(page.get_by_role("toolbar", name="Tools").get_by_role("button").first).to_be_visible()
    yield Desk(page, f"{pamble.url}/study/{study}")
    assert faults == []


@pytest.fixture
def desk(page: Page, pamble) -> Iterator[Desk]:
    """The demo study, open, its part drawn."""
    for desk in opened(page, pamble, {"demo": "mirror-cap"}):
        page.locator(".part[data-drawn=true]").wait_for()
        page.wait_for_timeout(400)
        yield desk
