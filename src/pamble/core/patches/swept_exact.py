"""Sweeps that are exact: a section that keeps its direction, or that turns with a path of lines and arcs. The rows are
those of the rail, rational where it is.
"""

from __future__ import annotations

import numpy as np

from pamble.core.arcs import EXACT, ways
from pamble.core.arrays import Array
from pamble.core.curves.measure import LengthMap
from pamble.core.patches.frames import Path
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.surface import Surface, from_homogeneous

_CLOSED = 1e-7
"""Distance, mm, within which a section comes back to its start on a closed path."""


def exactly_swept(section: Curve, path: Path, place: float) -> Surface | None:
    """The exact sweep of one section that stands at a share of the way; None where there is none.

    Rational where the section or the rail is; u runs along the section, v along the rail with its own knots.
    """
    rail = path.rail
    t = float(LengthMap(rail).parameters(np.array([place]))[0])
    if path.way == "fixed":
        net = section.control[:, None] + rail.control - curve_points(rail, [t])[0]
        return _surface(section, rail, net)
    if path.way not in ("turning", "held"):
        return None
    if path.way == "held" and not _in_plane(rail, path.up):
        return None
    net = ways(section.control, rail, t)
    if net is None:
        return None
    if path.closed:
        if np.abs(net[:, -1] - net[:, 0]).max() > _CLOSED:
            return None
        net[:, -1] = net[:, 0]
    return _surface(section, rail, net)


def _in_plane(rail: Curve, up: Array) -> bool:
    """Whether a rail lies in a plane square to a direction."""
    high = (rail.control - rail.control[0]) @ up
    return bool(np.ptp(high) <= EXACT * np.linalg.norm(up) * np.ptp(rail.control, axis=0).max())


def _surface(section: Curve, rail: Curve, net: Array) -> Surface:
    one, two = (np.ones(len(c.control)) if c.weights is None else c.weights for c in (section, rail))
    weights = np.outer(one, two)[..., None]
    rational = section.weights is not None or rail.weights is not None
    points = np.concatenate([net * weights, weights], axis=2)
    return from_homogeneous((section.degree, rail.degree), (section.knots, rail.knots), points, rational)
