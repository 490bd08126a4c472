"""Where faces meet planes and each other: OpenCASCADE finds the branches, Newton makes them exact."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Section
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.curves.measure import length_and_turn
from pamble.core.errors import GeometryError, NotMeeting
from pamble.core.faces.face import Face
from pamble.core.faces.to_shape import face_to_shape
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import Surface

_FINE = 241


def plane_section(face: Face, point: Array, normal: Array) -> list[Array]:
    """Branches of a face's section with a plane, each a run of points (m, 3) that lie on both within rounding.

    Raises `GeometryError` if the plane misses the face.
    """
    n = unit(np.asarray(normal, dtype=float)[None])[0]
    if not np.any(n):
        raise GeometryError("A section plane needs a normal that is not zero.")
    p = np.asarray(point, dtype=float)
    plane = gp_Pln(gp_Pnt(*p.tolist()), gp_Dir(*n.tolist()))
    runs = _branches(BRepAlgoAPI_Section(face_to_shape(face), plane, False))
    if not runs:
        raise NotMeeting("The plane misses the face: move it, or turn it.")
    return [_onto_plane(face.surface, run, p, n) for run in runs]


def face_intersection(a: Face, b: Face) -> list[Array]:
    """Branches of the intersection of two faces, each a run of points (m, 3).

    Raises `GeometryError` if they do not meet.
    """
    runs = _branches(BRepAlgoAPI_Section(face_to_shape(a), face_to_shape(b), False))
    if not runs:
        raise NotMeeting("The two faces do not meet: extend one, or move it.")
    return [_onto_both(a.surface, b.surface, run) for run in runs]


def _branches(section: Any) -> list[Array]:
    section.ComputePCurveOn1(True)
    section.Approximation(True)
    section.Build()
    pieces = []
    walk = TopExp_Explorer(section.Shape(), TopAbs_ShapeEnum.TopAbs_EDGE)
    while walk.More():
        curve = BRepAdaptor_Curve(TopoDS.Edge(walk.Current()))
        pieces.append(_even_points(curve))
        walk.Next()
    return _chained([p for p in pieces if float(norm(np.diff(p, axis=0)).sum()) > 1e-6])


def _even_points(curve: Any) -> Array:
    """Points at even steps along a curve of the boundary model, whose own pace may vary a hundredfold, and closer where
    it turns.
    """
    t = np.linspace(curve.FirstParameter(), curve.LastParameter(), 4 * _FINE)
    for _ in range(3):
        points = np.array([(p.X(), p.Y(), p.Z()) for p in map(curve.Value, t.tolist())])
        along = length_and_turn(points)
        t = np.interp(np.linspace(0, along[-1], _FINE), along, t)
    return np.array([(p.X(), p.Y(), p.Z()) for p in map(curve.Value, t.tolist())])


def _chained(pieces: list[Array]) -> list[Array]:
    """Pieces that run on into each other smoothly made one."""
    left = list(pieces)
    out = []
    while left:
        run = left.pop(0)
        grown = True
        while grown:
            grown = False
            for i, piece in enumerate(left):
                for candidate in (piece, piece[::-1]):
                    if norm(candidate[:1] - run[-1:])[0] < 1e-5 and _smooth(run[-2:], candidate[:2]):
                        run, grown = np.vstack([run, candidate[1:]]), True
                    elif norm(candidate[-1:] - run[:1])[0] < 1e-5 and _smooth(candidate[-2:], run[:2]):
                        run, grown = np.vstack([candidate[:-1], run]), True
                    if grown:
                        break
                if grown:
                    left.pop(i)
                    break
        out.append(run)
    return out


def _smooth(before: Array, after: Array) -> bool:
    a, b = unit(np.diff(before, axis=0)), unit(np.diff(after, axis=0))
    return float(dot(a, b)[0]) > 0.98


def _onto_plane(surface: Surface, run: Array, point: Array, normal: Array) -> Array:
    """Newton on n.(S - p) = 0 along the surface, square to the section."""
    feet = to_surface(surface, run)
    u, v = feet.u, feet.v
    for _ in range(6):
        d = surface_derivatives(surface, u, v, 1)
        off = (d[0, 0] - point) @ normal
        a, b = d[1, 0] @ normal, d[0, 1] @ normal
        square = np.maximum(a * a + b * b, 1e-30)
        u, v = u - off * a / square, v - off * b / square
        if np.abs(off).max() < 1e-12:
            break
    return np.asarray(surface_derivatives(surface, u, v, 0)[0, 0])


def _onto_both(a: Surface, b: Surface, run: Array) -> Array:
    """Points moved to the line where the tangent planes at their feet on both surfaces meet, until they lie on both."""
    points = run
    for _ in range(8):
        fa, fb = to_surface(a, points), to_surface(b, points)
        da, db = surface_derivatives(a, fa.u, fa.v, 1), surface_derivatives(b, fb.u, fb.v, 1)
        na, nb = unit(np.cross(da[1, 0], da[0, 1])), unit(np.cross(db[1, 0], db[0, 1]))
        ra, rb = dot(na, fa.point - points), dot(nb, fb.point - points)
        c = dot(na, nb)
        det = np.maximum(1 - c * c, 1e-9)
        step = ((ra - c * rb) / det)[:, None] * na + ((rb - c * ra) / det)[:, None] * nb
        points = points + step
        if norm(step).max() < 1e-11:
            break
    return points
