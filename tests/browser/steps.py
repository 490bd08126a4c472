"""Steps in the list of the build."""

from playwright.sync_api import Locator, Page


def line_of(scope: Page | Locator, name: str) -> Locator:
    """The line of a step: what is clicked to pick it."""
    return scope.locator(f'.line:has(.name[title="{name}"]) .pick')
