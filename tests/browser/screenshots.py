"""Takes the pictures of the main views from the demo study, in a browser of its own."""

from __future__ import annotations

import json
import urllib.request
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import sync_playwright

from tests.browser.conftest import Desk
from tests.browser.launch import ARGUMENTS, BROWSER
from tests.browser.steps import line_of
from tests.conftest import ROOT, RunningPamble

FOLDER = ROOT / "docs" / "screenshots"


def blend_in_clay(desk: Desk) -> None:
    # Keys start tools once these are known.
    desk.page.get_by_role("toolbar", name="Tools").get_by_role("button").first.wait_for()
    desk.page.wait_for_timeout(1500)
    desk.blend()
    card = desk.page.get_by_label("Card of Blend")
    card.get_by_role("radiogroup", name="Continuity, Crown side").get_by_text("G3").click()


def zebra(desk: Desk) -> None:
    desk.page.keyboard.press("2")


def light_lines(desk: Desk) -> None:
    desk.page.keyboard.press("4")
    desk.page.wait_for_timeout(900)
    desk.button("Settings of the light").click()
    desk.page.get_by_role("radiogroup", name="Lights stand in").get_by_text("view").click()
    desk.page.keyboard.press("Escape")


def curvature_at_the_pointer(desk: Desk) -> None:
    desk.page.keyboard.press("3")
    desk.page.wait_for_timeout(300)
    desk.page.mouse.move(640, 300)
    desk.page.mouse.move(642, 302)


def cvs_and_comb(desk: Desk) -> None:
    desk.page.keyboard.press("1")
    desk.page.keyboard.press("m")
    desk.button("Crown, v start").click()
    desk.button("Flank, v end").click()
    desk.page.keyboard.press("Escape")
    line_of(desk.page, "Crown").click()
    desk.page.keyboard.press("c")
    desk.button("CV 3, 4 of Crown").click()


def seam_over_its_limit_dark(desk: Desk) -> None:
    page = desk.page
    page.keyboard.press("m")
    desk.button("Crown, v start").click()
    desk.button("Flank, v end").click()
    page.keyboard.press("Escape")
    page.keyboard.press("c")
    line_of(page, "Blend").click()
    card = page.get_by_label("Card of Blend")
    card.get_by_role("radiogroup", name="Continuity, Flank side").get_by_text("G1").click()
    page.wait_for_timeout(600)
    desk.button("Target of Blend · Flank", exact=False).click()
    page.get_by_role("menuitem", name="G2").click()
    page.wait_for_timeout(600)
    desk.row("Blend · Flank").click()
    desk.button("Dark theme").click()


def opened_example(desk: Desk, name: str) -> None:
    """Take an example study in from its file."""
    desk.page.get_by_role("link", name="Pamble, all studies").click()
    desk.page.locator("input[aria-label='Study file']").set_input_files(ROOT / "docs" / "examples" / name)
    desk.page.locator(".part[data-drawn=true]").wait_for()
    desk.page.wait_for_timeout(1000)


def curves(desk: Desk) -> None:
    """The example study of curves, taken in from its file."""
    page = desk.page
    desk.button("Light theme").click()
    opened_example(desk, "kettle-lid.json")
    page.get_by_role("button", name="Curves", exact=True).click()
    page.keyboard.press("m")
    for name in ("Outline", "Lead into the spout"):
        desk.button(name).click()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Curves", exact=True).click()
    line_of(page, "Outline").click()
    page.keyboard.press("f")


def trim(desk: Desk) -> None:
    """Two slabs cut by each other, the regions of the cut open to choice."""
    page = desk.page
    opened_example(desk, "toaster-corner.json")
    page.get_by_role("button", name="Primaries", exact=True).click()
    line_of(page, "Corner").click()
    page.keyboard.press("f")


def history(desk: Desk) -> None:
    """The same with a step switched off: what hangs on it keeps its last good shape, and says so."""
    page = desk.page
    page.keyboard.press("Escape")
    desk.button("More for Finger line").click()
    page.get_by_role("menuitem", name="Switch off").click()
    page.wait_for_timeout(700)
    line_of(page, "Finger recess").click()


def patch(desk: Desk) -> None:
    """A window between four slabs, filled with curvature."""
    opened_example(desk, "lid-window.json")
    desk.page.keyboard.press("2")
    desk.page.keyboard.press("Shift+T")
    line_of(desk.page, "Window").click()
    desk.page.keyboard.press("f")


def fillet(desk: Desk) -> None:
    """A rim with a law of radii over three walls."""
    opened_example(desk, "tray-rim.json")
    desk.page.keyboard.press("f")
    line_of(desk.page, "Rim").click()


def corner(desk: Desk) -> None:
    """A hole laid out in patches round a hub, and the strip of a seam."""
    opened_example(desk, "fan-cover.json")
    desk.page.keyboard.press("Shift+T")
    desk.page.wait_for_timeout(900)
    desk.page.keyboard.press("2")
    line_of(desk.page, "Badge seat").click()
    desk.page.keyboard.press("f")
    desk.page.wait_for_timeout(900)
    desk.page.get_by_role("row", name="Badge seat").first.click()
    desk.page.wait_for_timeout(900)
    desk.page.keyboard.press("f")


def _slabs(desk: Desk) -> None:
    """The cap's two slabs, fresh."""
    body = json.dumps({"demo": "mirror-cap"}).encode()
    request = urllib.request.Request(f"{desk.url}/api/studies", body, {"Content-Type": "application/json"})
    desk.page.goto(f"{desk.url}/study/{json.load(urllib.request.urlopen(request))['id']}")
    desk.page.wait_for_timeout(1500)


def plan(desk: Desk) -> None:
    """A fresh demo: a plane through three corners, a distance and a width."""
    page = desk.page
    _slabs(desk)
    desk.button("Check").click()
    desk.button("Distance").click()
    page.mouse.click(783, 390)
    page.mouse.click(770, 436)
    page.keyboard.press("Enter")
    page.wait_for_timeout(500)
    desk.button("Width").click()
    page.mouse.click(620, 317)
    page.keyboard.press("Enter")
    page.wait_for_timeout(500)
    desk.button("Plan").click()
    desk.button("Plane by three points").click()
    for x, y in ((347, 299), (770, 436), (758, 650)):
        page.mouse.click(x, y)
    page.keyboard.press("Enter")
    page.wait_for_timeout(500)
    page.keyboard.press("f")


def demo(desk: Desk) -> None:
    """The steam iron as it opens."""
    _begun(desk, "Steam iron body")


def van_cap(desk: Desk) -> None:
    """The mirror cap, its corner picked."""
    _begun(desk, "Parcel-van mirror cap")
    line_of(desk.page, "Y corner").click()


def sections(desk: Desk) -> None:
    """A block cut into sections that are moved, turned and sized, and the skin through them."""
    opened_example(desk, "dryer-idea.json")
    desk.page.keyboard.press("f")
    line_of(desk.page, "Body sections").click()


def _begun(desk: Desk, title: str) -> None:
    page = desk.page
    page.goto(desk.url)
    desk.button("Demo").click()
    page.get_by_role("menuitem", name=title, exact=True).click()
    page.locator(".part[data-drawn=true]").wait_for(timeout=60_000)
    page.wait_for_timeout(3000)


def compare(desk: Desk) -> None:
    """The cap beside its primaries before they were cut, under one light."""
    _begun(desk, "Parcel-van mirror cap with its front")
    page = desk.page
    desk.button("Compare with another state").click()
    page.get_by_role("menuitem", name="after Front slab").click()
    page.get_by_role("radiogroup", name="How states are compared").get_by_text("side by side").click()
    page.keyboard.press("Escape")
    page.keyboard.press("2")


VIEWS: dict[str, Callable[[Desk], None]] = {
    "blend": blend_in_clay,
    "zebra": zebra,
    "light-lines": light_lines,
    "curvature": curvature_at_the_pointer,
    "cvs-and-comb": cvs_and_comb,
    "dark-seam-over": seam_over_its_limit_dark,
    "curves": curves,
    "trim": trim,
    "history": history,
    "patch": patch,
    "fillet": fillet,
    "corner": corner,
    "plan": plan,
    "sections": sections,
    "demo": demo,
    "van-cap": van_cap,
    "compare": compare,
}


def main(folder: Path = FOLDER) -> None:
    """Take all pictures."""
    folder.mkdir(parents=True, exist_ok=True)
    pamble = RunningPamble()
    pamble.start()
    try:
        with sync_playwright() as play:
            browser = play.chromium.launch(executable_path=BROWSER, args=ARGUMENTS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            desk = Desk(page, pamble.url)
            _slabs(desk)
            for name, prepare in VIEWS.items():
                prepare(desk)
                page.wait_for_timeout(900)
                page.screenshot(path=folder / f"{name}.png")
            page.goto(pamble.url)
            page.wait_for_timeout(800)
            page.screenshot(path=folder / "studies.png")
            browser.close()
    finally:
        pamble.close()


if __name__ == "__main__":
    main()
