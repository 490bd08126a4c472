"""Rows of a surface along the way of a moved section: the fewest that keep to it."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.piecewise import DEGREE
from pamble.core.patches.space import Space

MOST_SPANS = 40

Rows = tuple[Space, Array, float]
"""A space, rows of control points on it (count, n, 3), and how far they are off, mm."""


def fewest_rows(moved: Array, s: Array, tolerance: float, shape: Array | None = None, most: int = MOST_SPANS) -> Rows:
    """The fewest rows along the way that keep the moved section (m, n, 3) at shares ``s`` within the tolerance; (rows,
    n, 3). shape: what the section's control points weigh in its places (k, n), at which it is judged; else they are
    judged themselves. most: spans from which on no more are tried.
    """
    m = len(s)
    weight = np.ones(m)
    weight[[0, -1]] = 100.0

    def fitted(breaks: Array) -> tuple[Space, Array, Array]:
        space = Space.over(DEGREE, breaks)
        b = space.matrix(s)[0]
        lines, flat = b * weight[:, None], moved.reshape(m, -1) * weight[:, None]
        rows = np.linalg.lstsq(lines, flat, rcond=None)[0]
        miss = (b @ rows).reshape(moved.shape) - moved
        off = norm(miss if shape is None else shape @ miss).max(axis=1)
        return space, rows.reshape(space.count, *moved.shape[1:]), off

    for spans in range(1, 5):
        space, rows, off = fitted(np.linspace(0, 1, spans + 1))
        if off.max() <= tolerance:
            return space, rows, float(off.max())
    breaks = space.breaks
    while off.max() > tolerance and len(breaks) <= most:
        span = np.clip(np.searchsorted(breaks, s, side="right") - 1, 0, len(breaks) - 2)
        worst = np.zeros(len(breaks) - 1)
        np.maximum.at(worst, span, off)
        middle = 0.5 * (breaks[1:] + breaks[:-1])
        breaks = np.sort(np.concatenate([breaks, middle[worst > max(tolerance, 0.1 * worst.max())]]))
        space, rows, off = fitted(breaks)
    for needless in breaks[1:-1].tolist():
        fewer = fitted(breaks[breaks != needless])
        if fewer[2].max() <= tolerance:
            breaks = breaks[breaks != needless]
            space, rows, off = fewer
    return space, rows, float(off.max())
