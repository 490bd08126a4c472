"""Where faces meet planes and each other, as rows of points that lie on both within rounding."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.curves.measure import length_and_turn
from pamble.core.errors import GeometryError, NotMeeting
from pamble.core.faces.crossing.fit import FittedBranch
from pamble.core.faces.face import Face
from pamble.core.faces.inside import held
from pamble.core.faces.trim import Meet, fresh_meet, plane_patch
from pamble.core.planes import Plane
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import COINCIDENT

_FINE = 241
"""Points of a run."""

_NEAR = 1e-4
"""Tolerance in mm of the curves from which the points are taken before they are made exact."""

_LIES = 10 * COINCIDENT
"""Distance in mm up to which an edge lies in a plane: files bring that much."""

_STEPS = 12
_EXACT = 1e-10
"""Last step in mm with which a point counts as lying on both."""


def plane_section(face: Face, plane: Plane, meet: Meet | None = None) -> list[Array]:
    """Branches of a face's section with a plane, each a run of points (m, 3), a closed one back at its start.

    meet: where intersections of surfaces come from; found anew by default. Raises `NotMeeting` if the plane misses the
    face, `GeometryError` where it only touches it.
    """
    border = [e.space for e in face.edges if _in_plane(e.space, plane)]
    if len(border) > 2 and len(border) == len(face.edges) and _flat(face, plane):
        raise GeometryError("The face lies in the plane: there is no line in which they meet.")
    crossing = _runs(face, Face(plane_patch(plane, face.surface)), meet)
    # What runs along an edge that lies in the plane is found by luck: the edge itself is the section there.
    runs = [r for r in crossing if not any(_along(r, c) for c in border)]
    runs += [curve_points(c, _even(c, [c.domain])) for c in border]
    if not runs:
        raise NotMeeting("The plane misses the face: move it, or turn it.")
    return runs


def face_intersection(a: Face, b: Face, meet: Meet | None = None) -> list[Array]:
    """Branches of the intersection of two faces, as of `plane_section`. Raises `NotMeeting` if they do not meet."""
    runs = _runs(a, b, meet)
    if not runs:
        raise NotMeeting("The two faces do not meet: extend one, or move it.")
    return runs


def _runs(a: Face, b: Face, meet: Meet | None) -> list[Array]:
    out = []
    for fit, swapped in (meet or fresh_meet(_NEAR))(a.surface, b.surface):
        on_a, on_b = (fit.on_b, fit.on_a) if swapped else (fit.on_a, fit.on_b)
        for stretch in _on_both(a, on_a, b, on_b, fit):
            t = _even(fit.space, stretch)
            out.append(_onto_both(a.surface, b.surface, curve_points(on_a, t), curve_points(on_b, t)))
    return out


def _on_both(a: Face, on_a: Curve, b: Face, on_b: Curve, fit: FittedBranch) -> list[list[tuple[float, float]]]:
    """Stretches of a branch that both faces have; one that runs over the start of a closed branch in two pieces."""
    found = []
    for s, e in held(a, on_a):
        found += [(max(s, p), min(e, q)) for p, q in held(b, on_b) if min(e, q) > max(s, p)]
    start, end = fit.space.domain
    ends = curve_points(fit.space, [start, end])
    closed = float(norm(ends[1:] - ends[:1])[0]) < 10 * _NEAR
    if closed and len(found) > 1 and found[0][0] == start and found[-1][1] == end:
        return [[found[-1], found[0]], *([f] for f in found[1:-1])]
    return [[f] for f in found]


def _in_plane(curve: Curve, plane: Plane) -> bool:
    return float(np.abs(plane.height(curve.control)).max()) < _LIES


def _flat(face: Face, plane: Plane) -> bool:
    return float(np.abs(plane.height(face.surface.control.reshape(-1, 3))).max()) < _LIES


def _along(run: Array, curve: Curve) -> bool:
    return float(to_curve(curve, run[1:-1:8]).distance.max()) < 10 * _NEAR


def _even(curve: Curve, stretch: list[tuple[float, float]]) -> Array:
    """Parameters (m,) at even steps of length and turning along a stretch."""
    t = np.concatenate([np.linspace(s, e, 4 * _FINE) for s, e in stretch])
    number = np.arange(len(t))
    x = number.astype(float)
    for _ in range(3):
        along = length_and_turn(curve_points(curve, np.interp(x, number, t)))
        x = np.interp(np.linspace(0, along[-1], _FINE), along, x)
    return np.asarray(np.interp(x, number, t))


def _onto_both(a: Surface, b: Surface, uv_a: Array, uv_b: Array) -> Array:
    """Points moved to the line where the tangent planes at their feet on both surfaces meet, until they lie on both.

    Raises `GeometryError` where they do not come to rest: there the surfaces hardly cross.
    """
    points = 0.5 * (surface_derivatives(a, *uv_a.T)[0, 0] + surface_derivatives(b, *uv_b.T)[0, 0])
    for _ in range(_STEPS):
        fa, fb = to_surface(a, points, (uv_a[:, 0], uv_a[:, 1])), to_surface(b, points, (uv_b[:, 0], uv_b[:, 1]))
        uv_a, uv_b = np.column_stack([fa.u, fa.v]), np.column_stack([fb.u, fb.v])
        da, db = surface_derivatives(a, fa.u, fa.v, 1), surface_derivatives(b, fb.u, fb.v, 1)
        na, nb = unit(np.cross(da[1, 0], da[0, 1])), unit(np.cross(db[1, 0], db[0, 1]))
        ra, rb = dot(na, fa.point - points), dot(nb, fb.point - points)
        c = dot(na, nb)
        det = np.maximum(1 - c * c, 1e-9)
        step = ((ra - c * rb) / det)[:, None] * na + ((rb - c * ra) / det)[:, None] * nb
        points = points + step
        if norm(step).max() < _EXACT:
            return np.asarray(points)
    x, y, z = points[int(np.argmax(norm(step)))]
    raise GeometryError(f"The two hardly cross near ({x:.2f}, {y:.2f}, {z:.2f}) mm: turn or move one of them.")
