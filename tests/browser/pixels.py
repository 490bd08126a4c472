"""Looking at the screen: a screenshot as an array."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image
from playwright.sync_api import Page

FREE = (slice(130, 540), slice(250, 1010))
"""The part of the screen at 1280x800 that panels never cover."""


class Picture:
    """A screenshot of the page."""

    def __init__(self, page: Page) -> None:
        self.pixels = np.asarray(Image.open(io.BytesIO(page.screenshot())).convert("RGB"), dtype=float)

    def differs(self, other: Picture) -> bool:
        """Whether more than one in a hundred pixels of the free region changed visibly."""
        change = np.abs(self.pixels[FREE] - other.pixels[FREE]).max(axis=2)
        return bool((change > 24).mean() > 0.01)

    def part_area(self) -> float:
        """Share of the free region that is not ground."""
        ground = self.pixels[300, 1010]
        return float((np.abs(self.pixels[FREE] - ground).max(axis=2) > 12).mean())

    def disagreement(self, line: list[tuple[float, float]], off: int) -> float:
        """Share of points along a line where the brightness on its two sides, ``off`` pixels away, differs."""
        points = np.array(line)
        length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
        at = np.arange(off, length[-1] - off, 1.0)
        x, y = np.interp(at, length, points[:, 0]), np.interp(at, length, points[:, 1])
        direction = np.stack([np.gradient(x), np.gradient(y)], axis=1)
        direction /= np.linalg.norm(direction, axis=1)[:, None]
        side = off * np.stack([-direction[:, 1], direction[:, 0]], axis=1)
        grey = self.pixels.mean(axis=2)

        def sample(px: np.ndarray, py: np.ndarray) -> np.ndarray:
            return grey[np.round(py).astype(int), np.round(px).astype(int)]

        a, b = sample(x + side[:, 0], y + side[:, 1]), sample(x - side[:, 0], y - side[:, 1])
        return float((np.abs(a - b) > 90).mean())
