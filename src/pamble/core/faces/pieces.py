"""Faces that were cut in several pieces: one face while they are worked on together, one for each piece at the end."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from pamble.core.arrays import Array
from pamble.core.faces.face import Edge, Face
from pamble.core.spline.evaluate import curve_points

_PLACES = 33


def pieces_of(face: Face) -> list[Face]:
    """The pieces of a face, those with the greatest area in its parameters first: each an outer loop with the holes in
    it. A face of one piece is itself.
    """
    rings = [_ring(loop) for loop in face.loops]
    outer = [k for k, ring in enumerate(rings) if _area(ring) > 0]
    if len(outer) < 2:
        return [face]
    whole = {k: shapely.Polygon(rings[k]) for k in outer}
    loops = {k: [face.loops[k]] for k in outer}
    for k in (k for k in range(len(rings)) if k not in whole):
        round_it = [i for i in outer if whole[i].contains(shapely.Point(rings[k][0]))]
        loops[min(round_it or outer, key=lambda i: float(whole[i].area))].append(face.loops[k])
    outer.sort(key=lambda k: -float(whole[k].area))
    return [Face(face.surface, tuple(loops[k])) for k in outer]


def outer_first(loops: Sequence[Sequence[Edge]]) -> tuple[tuple[Edge, ...], ...]:
    """Loops in order: those that bound from outside come before holes, and large ones before small ones."""
    return tuple(tuple(loop) for loop in sorted(loops, key=lambda loop: -_area(_ring(loop))))


def _ring(loop: Sequence[Edge]) -> Array:
    """Places (m, 2) along a loop, the face on its left."""
    places = [np.linspace(*e.domain, _PLACES)[:: 1 if e.inward > 0 else -1] for e in loop]
    return np.concatenate([curve_points(e.pcurve, t)[:-1] for e, t in zip(loop, places, strict=True)])


def _area(ring: Array) -> float:
    x, y = ring.T
    return 0.5 * float(x @ np.roll(y, -1) - y @ np.roll(x, -1))
