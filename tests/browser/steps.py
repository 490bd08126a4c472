"""Steps in the list of the build, and figures on their cards."""

import re

from playwright.sync_api import Locator, Page, expect

_AREA = re.compile(r"Area([\d\s.,]+) ?mm²")


def line_of(scope: Page | Locator, name: str) -> Locator:
    """The line of a step: what is clicked to pick it."""
    return scope.locator(f'.line:has(.name[title="{name}"]) .pick')


def area(card: Locator) -> float:
    """The area that a card tells, mm², once it tells one."""
    expect(card).to_contain_text(_AREA)
    found = _AREA.search(card.inner_text().replace("\n", ""))
    assert found is not None
    return float(re.sub(r"\s", "", found[1]).replace(",", ""))
