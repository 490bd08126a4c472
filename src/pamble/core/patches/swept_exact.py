"""Sweeps that are exact: a section that keeps its direction, or that turns with a path of lines and arcs. The rows are
those of the rail, rational where it is.

Where a section turns with an arc, every point of it turns about the arc's axis: its way is an affine image of the
rail's own, and so the same holds for control points. Along a line it is moved. (Own derivation.)
"""

from __future__ import annotations

import numpy as np

from pamble.core.arcs import EXACT, Arc, arc_of, is_straight
from pamble.core.arrays import Array
from pamble.core.curves.measure import LengthMap
from pamble.core.patches.frames import Path
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.kinks import smooth_parts
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
    breaks = basis.breaks(rail.knots, rail.degree)
    firm = [k for k in breaks[1:-1] if np.sum(rail.knots == k) >= rail.degree]
    pieces = smooth_parts(rail, firm)
    arcs = [None if is_straight(p) else arc_of(p) for p in pieces]
    if any(a is None and not is_straight(p) for a, p in zip(arcs, pieces, strict=True)):
        return None
    if path.way == "held" and not _in_plane(rail, path.up):
        return None
    stands = int(np.clip(np.searchsorted([p.domain[0] for p in pieces], t, side="right") - 1, 0, len(pieces) - 1))
    net = np.zeros((len(section.control), len(rail.control), 3))
    rows = np.cumsum([0, *(len(p.control) - 1 for p in pieces)])
    starts = {stands: _start_of(section.control, pieces[stands], arcs[stands], t)}
    for k in range(stands, len(pieces)):
        own = _way(starts[k], pieces[k], arcs[k])
        net[:, rows[k] : rows[k + 1] + 1] = own
        starts[k + 1] = own[:, -1]
    for k in range(stands - 1, -1, -1):
        net[:, rows[k] : rows[k + 1] + 1] = _way(
            _start_of(starts[k + 1], pieces[k], arcs[k], pieces[k].domain[1]), pieces[k], arcs[k]
        )
        starts[k] = net[:, rows[k]]
    if path.closed:
        if np.abs(net[:, -1] - net[:, 0]).max() > _CLOSED:
            return None
        net[:, -1] = net[:, 0]
    return _surface(section, rail, net)


def _in_plane(rail: Curve, up: Array) -> bool:
    """Whether a rail lies in a plane square to a direction."""
    high = (rail.control - rail.control[0]) @ up
    return bool(np.ptp(high) <= EXACT * np.linalg.norm(up) * np.ptp(rail.control, axis=0).max())


def _turn(points: Array, arc: Arc, spoke: Array) -> Array:
    """Points (n, 3) turned about an arc's axis as its start is to other ways from the centre (m, 3), which may be
    longer: (n, m, 3).
    """
    rel = points - arc.centre
    high = np.outer(rel @ arc.axis, arc.axis)
    x = rel - high
    y = np.cross(arc.axis, x)
    cos = spoke @ arc.spoke / arc.radius**2
    sin = spoke @ np.cross(arc.axis, arc.spoke) / arc.radius**2
    return np.asarray(arc.centre + high[:, None] + cos[:, None] * x[:, None] + sin[:, None] * y[:, None])


def _start_of(points: Array, piece: Curve, arc: Arc | None, t: float) -> Array:
    """Points that stand at a parameter of a piece, as they stand at its start."""
    here, start = curve_points(piece, [t, piece.domain[0]])
    if arc is None:
        return np.asarray(points - here + start)
    spoke = here - arc.centre
    back = 2 * (spoke @ arc.spoke / arc.radius**2) * arc.spoke - spoke
    return np.asarray(_turn(points, arc, back[None])[:, 0])


def _way(points: Array, piece: Curve, arc: Arc | None) -> Array:
    """Control points of the ways of points (n, 3) that stand at the start of a piece, (n, m, 3)."""
    if arc is None:
        return np.asarray(points[:, None] + piece.control - piece.control[0])
    return _turn(points, arc, piece.control - arc.centre)


def _surface(section: Curve, rail: Curve, net: Array) -> Surface:
    one, two = (np.ones(len(c.control)) if c.weights is None else c.weights for c in (section, rail))
    weights = np.outer(one, two)[..., None]
    rational = section.weights is not None or rail.weights is not None
    points = np.concatenate([net * weights, weights], axis=2)
    return from_homogeneous((section.degree, rail.degree), (section.knots, rail.knots), points, rational)
