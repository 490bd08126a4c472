"""Where a crease runs on beside one of its faces only, because the other is parted there and goes on in a third."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.checks.figures import seam_figures
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import frames
from pamble.core.fillets.bordered import bordered
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points

_NEAR = 1e-2
"""Distance, mm, within which an edge begins at a place."""

_SHARES = np.array([0.02, 0.05, 0.1, 0.2])
"""Shares of an edge from there at which it is looked whether faces go on in each other."""

_ANGLE, _CURVATURE = 0.01, 1.0
"""Angle in degrees and mismatch of curvature in per cent up to which they do."""


def passed_on(part: Sequence[Face], numbers: tuple[int, int], place: Array, reach: float) -> bool:
    """Whether the first of the faces beside a crease goes on in another, with its curvature, over an edge that begins
    at the crease's end. place: that end, (3,); reach: how far apart, mm, the edges of two faces may be.
    """
    own, diagonal = part[numbers[0]], max(f.surface.diagonal for f in part)
    for edge in own.edges:
        away = norm(curve_points(edge.space, edge.space.domain) - place)
        if away.min() > _NEAR:
            continue
        for other, _ in bordered(part, numbers[0], edge, reach):
            if other not in numbers and _smooth(edge, part[other], int(np.argmin(away)), diagonal):
                return True
    return False


def _smooth(edge: Edge, other: Face, at: int, diagonal: float) -> bool:
    """Whether another face goes on in that of an edge, with its curvature, near the edge's start (0) or end (1)."""
    start, end = edge.domain
    t = start + np.sort(1 - _SHARES if at else _SHARES) * (end - start)
    here = frames(edge, t, remember=False)
    feet = [to_curve(e.space, here.position) for e in other.edges]
    nearest = int(np.argmin([f.distance.max() for f in feet]))
    there = frames(other.edges[nearest], feet[nearest].t, remember=False)
    found = seam_figures(here, there, diagonal)
    return bool(found.angle.max() < _ANGLE and found.curvature.max() < _CURVATURE)
