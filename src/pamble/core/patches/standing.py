"""Where sections stand along a path: where the rail touches them, or passes through a closed one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from scipy.optimize import brentq

from pamble.core.arrays import Array
from pamble.core.curves.measure import LengthMap
from pamble.core.curves.meet import nearest
from pamble.core.curves.offset import curve_plane
from pamble.core.errors import GeometryError
from pamble.core.patches.frames import Path
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points

_MOST_OFF = 1.0
"""How far, mm or a tenth of a per cent of its length, a rail may pass the section by."""

_FLAT = 1e-3
"""Share of its size by which a section that the rail passes through may leave its plane."""

_STATIONS, _ROUND = 401, 181
_APART = 1e-6
"""Share of the way below which two sections stand at one place."""


def standing(sections: Sequence[Curve], path: Path) -> Array:
    """Shares of the way at which sections stand, (k,). Raises `GeometryError` for one that the rail misses, and where
    two stand at one place.
    """
    length = LengthMap(path.rail)
    out = np.array([_stands(c, i, path, length) for i, c in enumerate(sections)])
    rising = np.sort(out)
    if path.closed and len(out) > 1:
        rising = np.append(rising, rising[0] + 1.0)
    if len(out) > 1 and np.diff(rising).min() < _APART:
        raise GeometryError("Two sections stand at one place of the rail: move one along it.")
    return out


def _stands(section: Curve, number: int, path: Path, length: LengthMap) -> float:
    m = nearest(path.rail, section)
    if m.gap <= max(_MOST_OFF, 1e-3 * length.total):
        return float(np.clip(length.fraction(m.t[0]), 0.0, 1.0))
    inside = _through(section, path.rail, length) if len(path.rails) == 1 else None
    if inside is not None:
        return inside
    x, y, z = m.points[1]
    raise GeometryError(
        f"The rail misses section {number + 1} by {m.gap:.2f} mm, near ({x:.2f}, {y:.2f}, {z:.2f}) mm: "
        "move the section onto it, or a closed one round it."
    )


def _through(section: Curve, rail: Curve, length: LengthMap) -> float | None:
    """The share of the way at which a rail passes through a closed flat section; None where it does not."""
    ends = curve_points(section, section.domain)
    size = float(np.ptp(section.control, axis=0).max())
    normal, off = curve_plane(section)
    if np.linalg.norm(ends[1] - ends[0]) > 1e-6 * size or off > _FLAT * size:
        return None
    x = np.linalg.svd(normal[None])[2][1:]
    loop = shapely.Polygon((curve_points(section, np.linspace(*section.domain, _ROUND)) - ends[0]) @ x.T)

    def height(t: float) -> float:
        return float((curve_points(rail, [t])[0] - ends[0]) @ normal)

    t = np.linspace(*rail.domain, _STATIONS)
    high = (curve_points(rail, t) - ends[0]) @ normal
    near = np.abs(high) < _FLAT * size
    crossed = np.flatnonzero(high[1:] * high[:-1] <= 0)
    places = [float(brentq(height, *t[k : k + 2])) for k in crossed if high[k] != high[k + 1]]
    places += [float(t[k]) for k in (0, -1) if near[k]]
    for place in sorted(places):
        if loop.contains(shapely.Point((curve_points(rail, [place])[0] - ends[0]) @ x.T)):
            return float(np.clip(length.fraction(place), 0.0, 1.0))
    return None
