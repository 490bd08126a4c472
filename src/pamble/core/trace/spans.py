"""How many spans a signal along a seam needs: the measure by which causes are told apart."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.spline import basis

SAMPLES = np.linspace(0.0, 1.0, 241)
"""Shares of the common parameter at which a seam is looked at."""

MOST = 40
"""Spans at which counting ends; what needs more reads one more."""

_DEGREE = 5
_ENDS = 30.0
"""Weight of the end samples: rows of a blend hold their ends."""


@lru_cache(maxsize=MOST)
def _fit(spans: int) -> tuple[Array, Array]:
    """What turns samples into control points, and control points back into samples."""
    values = basis.matrix(basis.uniform_knots(_DEGREE, spans), _DEGREE, SAMPLES)[0]
    weight = np.ones(len(SAMPLES))
    weight[[0, -1]] = _ENDS
    return np.linalg.pinv(values * weight[:, None]) * weight, values


def fitted(spans: int, rows: Array) -> Array:
    """The least-squares spline of degree 5 with even spans through rows at `SAMPLES`, at the samples again."""
    down, up = _fit(spans)
    return np.asarray(up @ (down @ rows))


def left(spans: int, rows: Array, along: Array | None = None) -> Array:
    """What a fit with so many spans leaves, by length, (m,).

    rows: (m,) or (m, d). along: (m, 3), unit: a direction in which points may slide, so that it does not count.
    """
    rows = rows if rows.ndim == 2 else rows[:, None]
    rest = rows - fitted(spans, rows)
    return norm(rest if along is None else rest - dot(rest, along)[:, None] * along)


def peak(values: Array) -> tuple[float, int]:
    """The largest value of a smooth row and the sample nearest to it: between samples it is a parabola's through
    three."""
    i = int(np.argmax(values))
    top = float(values[i])
    if 0 < i < len(values) - 1:
        before, after = float(values[i - 1]), float(values[i + 1])
        bend = before - 2.0 * top + after
        if bend < 0.0:
            top -= (after - before) ** 2 / (8.0 * bend)
    return top, i


def needed(rows: Array, tolerance: Array | float, along: Array | None = None) -> int:
    """Fewest even spans of degree 5 that hold the rows within the tolerance."""
    return fewest(lambda n: bool((left(n, rows, along) <= tolerance).all()))


def fewest(holds: Callable[[int], bool]) -> int:
    """The least number of spans from 1 to `MOST` that holds, else one more."""
    return next((n for n in range(1, MOST + 1) if holds(n)), MOST + 1)
