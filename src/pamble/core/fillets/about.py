"""The faces that a fillet may have to cut: those along its crease, and those about its ends."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array
from pamble.core.faces.face import Edge, Face
from pamble.core.fillets.chain import follow
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.tolerances import SEAM_SEARCH

_PLACES = 65
"""Places along a crease from which borders are looked for."""


def about(part: Sequence[Face], number: int, edge: Edge, within: float) -> list[int]:
    """Numbers of the faces along the crease through an edge of one face of a part, that one first, and of those whose
    borders come within so many mm of its ends, or half as many of the crease itself, the nearest first. Raises
    `GeometryError` where no other face lies along the edge.
    """
    found = follow(part, number, edge, SEAM_SEARCH)
    along = found.numbers
    inner = np.concatenate([_places(r.first.space)[1:-1] for r in found.runs])
    ends = np.array([found.runs[0].first.ends[0], found.runs[-1].first.ends[1]])
    if found.loop or found.runs[0].first.closed:
        inner, ends = np.vstack([inner, ends]), np.zeros((0, 3))
    away = {
        n: min(_distance(face, ends, within), 2.0 * _distance(face, inner, 0.5 * within))
        for n, face in enumerate(part)
        if n not in along
    }
    return along + sorted((n for n, d in away.items() if d <= within), key=lambda n: away[n])


def _places(line: Curve) -> Array:
    return curve_points(line, np.linspace(*line.domain, _PLACES))


def _distance(face: Face, places: Array, within: float) -> float:
    """The least distance of a face's border from places (m, 3), mm; infinite where its box lies farther off."""
    best = np.inf
    for e in face.edges:
        low, high = e.space.control.min(axis=0) - within, e.space.control.max(axis=0) + within
        near = places[((places >= low) & (places <= high)).all(axis=1)]
        if len(near):
            best = min(best, float(to_curve(e.space, near).distance.min()))
    return float(best)
