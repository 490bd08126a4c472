"""A flat face inside closed curves that lie in one plane, holes left out."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.surface import Surface

_FLAT = 1e-3
"""Distance, mm, that a curve may lie off the plane."""

_MEET = 1e-2
"""Distance, mm, within which the ends of curves meet."""

_ROOM = 0.1
"""Share of their size by which the plane reaches beyond the curves."""

_SAMPLES = 65

_Ring = list[tuple[int, bool]]
"""Numbers of curves in a row, and whether each is run through backward."""


def cap(curves: Sequence[Curve], names: Sequence[str]) -> Face:
    """The flat face that closed curves, or chains of curves, bound; those inside others are holes.

    names: of the edges that each curve makes; an edge is its curve exactly, brought to the plane. Raises
    `GeometryError` for curves that lie in no plane, by how much, a chain that does not close, where, and curves that
    bound more than one face.
    """
    rows = [curve_points(c, np.linspace(*c.domain, _SAMPLES)) for c in curves]
    points = np.concatenate(rows)
    middle = points.mean(axis=0)
    frame = np.linalg.svd(points - middle, full_matrices=False)[2]
    off = float(np.abs((points - middle) @ frame[2]).max())
    if off > _FLAT:
        raise GeometryError(
            f"The curves lie in no plane: they leave the nearest one by {off:.3f} mm. Fill the hole instead."
        )
    surface = _plane(middle, frame, (points - middle) @ frame[:2].T)
    flat = [(r - middle) @ frame[:2].T for r in rows]
    rings = _rings(rows)
    # Each curve ends where the next begins, but for rounding.
    areas = [
        shapely.Polygon(np.concatenate([(flat[k][::-1] if back else flat[k])[:-1] for k, back in r])) for r in rings
    ]
    outer = int(np.argmax([a.area for a in areas]))
    for i, a in enumerate(areas):
        if not a.is_valid:
            raise GeometryError(f"Curve {rings[i][0][0] + 1} and those that go on from it cross themselves.")
        if i != outer and not areas[outer].contains(a):
            raise GeometryError("The curves bound more than one face: cap them one by one.")
    loops = []
    for i, (ring, area) in enumerate(zip(rings, areas, strict=True)):
        # The face lies on the left of a border: its own runs against the clock, holes with it.
        turned = area.exterior.is_ccw != (i == outer)
        row = [(k, back != turned) for k, back in (ring[::-1] if turned else ring)]
        loops.append(tuple(_edge(surface, names[k], curves[k], middle, frame, back) for k, back in row))
    return Face(surface, (loops[outer], *(loop for i, loop in enumerate(loops) if i != outer)))


def _plane(middle: Array, frame: Array, flat: Array) -> Surface:
    """A piece of the plane whose parameters are distances in it, mm, with room round points (m, 2)."""
    room = _ROOM * float(np.ptp(flat, axis=0).max())
    (u0, v0), (u1, v1) = flat.min(axis=0) - room, flat.max(axis=0) + room
    net = [[middle + u * frame[0] + v * frame[1] for v in (v0, v1)] for u in (u0, u1)]
    return Surface(1, 1, basis.uniform_knots(1, 1, u0, u1), basis.uniform_knots(1, 1, v0, v1), np.array(net))


def _edge(surface: Surface, name: str, curve: Curve, middle: Array, frame: Array, back: bool) -> Edge:
    flat = Curve(curve.degree, curve.knots, (curve.control - middle) @ frame[:2].T, curve.weights)
    return Edge(surface, name, flat, -1.0 if back else 1.0, curve)


def _rings(rows: Sequence[Array]) -> list[_Ring]:
    """Closed chains of curves by their points."""
    left, out = list(range(len(rows))), list[_Ring]()
    while left:
        first = left.pop(0)
        ring: _Ring = [(first, False)]
        start, end = rows[first][0], rows[first][-1]
        while np.linalg.norm(end - start) > _MEET:
            near = [
                (float(np.linalg.norm(rows[k][-1 if back else 0] - end)), k, back)
                for k in left
                for back in (False, True)
            ]
            away, k, back = min(near, default=(np.inf, -1, False))
            if away > _MEET:
                x, y, z = end
                gap = min(away, float(np.linalg.norm(end - start)))
                raise GeometryError(
                    f"The curves do not close at ({x:.2f}, {y:.2f}, {z:.2f}) mm: {gap:.3f} mm are left open there."
                )
            left.remove(k)
            ring.append((k, back))
            end = rows[k][0 if back else -1]
        out.append(ring)
    return out
