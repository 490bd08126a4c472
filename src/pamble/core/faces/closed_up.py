"""Loops of a file made to close: ends that follow each other meet, and edges along a side of their surface lie on it.

A file that rounds its coordinates leaves both up to some micrometres apart.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.faces.face import Edge
from pamble.core.faces.regions.sources import plane_scale
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.surface import Surface

ON_SIDE = 0.002
"""How near in mm to a side of its surface a trim curve runs that is taken to lie on it."""

_EXACT, _APART = 1e-7, 0.05
"""Ends that are less apart meet as they are; those more than the second are not meant to; in millimetres of the plane
drawn to scale, which are those of the surface on the average.
"""


def closed_up(surface: Surface, loop: Sequence[Edge]) -> list[Edge]:
    """The edges of a loop in their order, with trim curves that close it."""
    scale = plane_scale(surface)
    edges = [_laid_on_side(edge, surface, scale) for edge in loop]
    # Start and end of every edge as the loop is walked, (n, 2, 2).
    ends = np.array([curve_points(e.pcurve, e.domain)[:: 1 if e.inward > 0 else -1] for e in edges])
    flat = np.array([np.ptp(e.pcurve.control, axis=0) == 0 for e in edges])
    after, held = np.roll(ends[:, 0], -1, axis=0), np.roll(flat, -1, axis=0)
    meet = np.where(flat, ends[:, 1], np.where(held, after, 0.5 * (ends[:, 1] + after)))
    gap = norm((after - ends[:, 1]) * scale)
    meet = np.where(((gap > _EXACT) & (gap < _APART))[:, None], meet, np.nan)
    moves = np.stack([np.roll(meet, 1, axis=0), meet], axis=1) - ends
    return [_moved(e, way[:: 1 if e.inward > 0 else -1]) for e, way in zip(edges, np.nan_to_num(moves), strict=True)]


def _laid_on_side(edge: Edge, surface: Surface, scale: Array) -> Edge:
    control = edge.pcurve.control
    for axis, bounds in enumerate(surface.domain):
        for bound in bounds:
            off = float(np.abs(control[:, axis] - bound).max())
            if 0 < off * scale[axis] < ON_SIDE:
                control = control.copy()
                control[:, axis] = bound
    return edge if control is edge.pcurve.control else replace(edge, pcurve=replace(edge.pcurve, control=control))


def _moved(edge: Edge, ends: Array) -> Edge:
    """An edge whose trim curve's start and end are moved by ``ends``, (2, 2), and the rest in proportion."""
    if not ends.any():
        return edge
    curve = edge.pcurve
    at = basis.greville(curve.knots, curve.degree)
    share = ((at - at[0]) / (at[-1] - at[0]))[:, None]
    control = curve.control + (1 - share) * ends[0] + share * ends[1]
    return replace(edge, pcurve=Curve(curve.degree, curve.knots, control, curve.weights))
