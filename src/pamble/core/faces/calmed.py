"""Edges of a file that rounds its coordinates: many CVs, each off by half the last decimal, wave by degrees where the
edge itself is calm. A curve of fewer CVs within that decimal is what was meant.
"""

from __future__ import annotations

from functools import lru_cache
from itertools import product

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.few_cvs import closed_fit, open_fit
from pamble.core.curves.measure import length_parameters
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points

_DECIMALS = tuple(sorted((unit * 10.0**-n for unit, n in product((1.0, 25.4), (2, 3, 4, 5))), reverse=True))
"""Last decimals of millimetres and inches that are looked for, mm; with more the waves are too small to be seen."""

_ON_GRID = 1e-9
_MANY, _FEWER = 9, 0.7
"""CVs from which an edge can be made calmer, and the share of them that it may keep, else it stays as it is."""

_EACH, _LEAST = 3, 240
"""Places that are looked at for each CV, and at least."""


def calmed(curve: Curve) -> tuple[Curve, float] | None:
    """The calm curve of an edge that is stored with few decimals, and the last of them, mm; None where its CVs are not
    rounded or not many, or where it is not calm.
    """
    unit = None if len(curve.control) < _MANY or curve.weights is not None else _last_decimal(curve.control)
    if unit is None:
        return None
    made = _calmed(curve.degree, curve.knots.tobytes(), curve.control.tobytes(), unit)
    return None if made is None else (made, unit)


@lru_cache(maxsize=256)
def _calmed(degree: int, knots: bytes, control: bytes, unit: float) -> Curve | None:
    """Remembered, as both faces beside an edge ask for it."""
    curve = Curve(degree, np.frombuffer(knots), np.frombuffer(control).reshape(-1, 3))
    share = np.linspace(0, 1, max(_LEAST, _EACH * len(curve.control)))
    points = curve_points(curve, length_parameters(curve, share))
    closed = norm((points[-1] - points[0])[None])[0] < unit
    made = (closed_fit if closed else open_fit)(points, share, unit)
    calm = len(made.control) <= _FEWER * len(curve.control)
    return made if calm and to_curve(made, points).distance.max() <= 1.5 * unit else None


def _last_decimal(control: Array) -> float | None:
    for unit in _DECIMALS:
        steps = control / unit
        if np.abs(steps - np.round(steps)).max() < _ON_GRID * max(1.0, np.abs(steps).max()):
            return unit
    return None
