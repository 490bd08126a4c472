"""Faces of the boundary model on closed surfaces: the turn of their surface over which they lie, and their trim curves
brought onto that.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve2d
from OCP.BRepTools import BRepTools
from OCP.Geom2d import Geom2d_TrimmedCurve
from OCP.Geom2dConvert import Geom2dConvert
from OCP.GeomAPI import GeomAPI_ProjectPointOnSurf
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.kernel import curve_from_kernel
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import begun_at
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import COINCIDENT

_WHOLE = 1e-5
"""Share of a turn by which a face that goes all the way round may seem to lack something."""

_BEYOND = 0.02
"""Share of a face's range by which its surface is taken beyond places on its trim curves."""

_OUT = 1e-2
"""Share of its domain by which a trim curve may leave a surface."""


def flat_curve(edge: Any, face: Any) -> Curve:
    """The trim curve of an edge in the parameters of a face."""
    adaptor = BRepAdaptor_Curve2d(edge, face)
    start, end = adaptor.FirstParameter(), adaptor.LastParameter()
    return curve_from_kernel(Geom2dConvert.CurveToBSplineCurve_s(Geom2d_TrimmedCurve(adaptor.Curve(), start, end)))


def bounds_of(face: Any) -> tuple[float, ...]:
    """Bounds of u and v of a face; those that miss the joint of its closed surface by a hair are at it."""
    geom, bounds = BRep_Tool.Surface_s(face), list(map(float, BRepTools.UVBounds_s(face)))
    limits = geom.Bounds()
    for k, turn in enumerate(full_turns(geom)):
        for end in (2 * k, 2 * k + 1) if turn < np.inf else ():
            if abs(bounds[end] - limits[end]) < _WHOLE * turn:
                bounds[end] = limits[end]
    return tuple(bounds)


def misses_joint(face: Any) -> bool:
    """Whether a face misses the joint of its closed surface by a hair."""
    apart = np.abs(np.array(bounds_of(face)) - np.array(BRepTools.UVBounds_s(face), dtype=float))
    return bool(apart.max() > COINCIDENT)


def on_wrong_turns(face: Any) -> bool:
    """Whether trim curves of a face run over more than a turn of its closed surface: some were put on a wrong one."""
    low, high = np.reshape(bounds_of(face), (2, 2)).T
    turns = np.array(full_turns(BRep_Tool.Surface_s(face)))
    if not (high - low > turns * (1 + _WHOLE)).any():
        return False
    # Bounds come from the poles of trim curves, which may lie farther out than these.
    return bool((np.ptp(_places(face), axis=0) > turns * (1 + _WHOLE)).any())


def over_joint(face: Any, before: Any) -> tuple[float, ...] | None:
    """Bounds of u and v, at most a turn, of a face that runs over the joint of its closed surface, outside the range of
    its knots; None of any other. The bounds that the boundary model tells come from the poles of trim curves, which may
    lie farther out than these.

    before: the face in parameters that differ by little from those of the spline, and whose trim curves can be trusted.
    """
    geom, bounds = BRep_Tool.Surface_s(face), bounds_of(face)
    limits, turns = geom.Bounds(), full_turns(geom)
    both = [(bounds[2 * k], bounds[2 * k + 1], limits[2 * k], limits[2 * k + 1]) for k in (0, 1)]
    if not any(
        turn < np.inf and (low < start - COINCIDENT or high > end + COINCIDENT)
        for (low, high, start, end), turn in zip(both, turns, strict=True)
    ):
        return None
    if all(high - low <= turn for (low, high, _, _), turn in zip(both, turns, strict=True)):
        return bounds
    own, out = _places(before), list[float]()
    for k, ((low, high, start, _), turn) in enumerate(zip(both, turns, strict=True)):
        first, last = float(own[:, k].min()), float(own[:, k].max())
        room = _BEYOND * (last - first)
        near = max(low, first - room), min(high, last + room)
        if near[1] - near[0] > turn:
            begin = first if last - first < turn * (1 - _WHOLE) else start
            near = begin, begin + turn
        out += near
    return tuple(out)


def begun_at_seam(surface: Surface, geom: Any, before: Any) -> Surface:
    """The spline that was made of a closed surface over a whole turn, begun where the face's seam lies. That is told in
    angles, of which the spline's parameter differs, and the spline was cut as if it did not.

    geom: the spline in the boundary model; before: see `over_joint`.
    """
    own, there = _places(before), BRep_Tool.Surface_s(before)
    for k, (start, end) in enumerate(surface.domain):
        turn, at = end - start, own.mean(axis=0)
        at[k] = own[:, k].min()
        whole = abs(np.ptp(own[:, k]) - turn) < _WHOLE * turn and abs(at[k] - start) < _WHOLE * turn
        if not (surface.closed[k] and whole):
            continue
        foot = GeomAPI_ProjectPointOnSurf(there.Value(*at.tolist()), geom)
        seam = float(foot.LowerDistanceParameters()[k]) if foot.NbPoints() else start
        seam -= turn * np.floor((seam - start) / turn)
        if _WHOLE * turn < seam - start < (1 - _WHOLE) * turn:
            surface = begun_at(surface, k, seam)
    return surface


def shift_onto(face: Any, before: Any, surface: Surface) -> Array:
    """By how much, (2,), the trim curves of a face lie whole turns off the surface that was made of its own. before:
    see `over_joint`.
    """
    own, turns = _places(before), np.array(full_turns(BRep_Tool.Surface_s(face)))
    middle = np.mean(surface.domain, axis=1) - 0.5 * (own.min(axis=0) + own.max(axis=0))
    return np.asarray(np.where(turns < np.inf, np.round(middle / turns) * np.where(turns < np.inf, turns, 0.0), 0.0))


def check_on_surface(face: Face) -> None:
    """Raises `GeometryError` for a face whose border leaves its surface: it runs over a joint, and back elsewhere."""
    flat = np.vstack([curve_points(e.pcurve, np.linspace(*e.pcurve.domain, 33)) for e in face.edges])
    low, high = np.array(face.surface.domain).T
    if max((low - flat).max(axis=0) / (high - low)) > _OUT or max((flat - high).max(axis=0) / (high - low)) > _OUT:
        raise GeometryError("its border runs over the joint of its closed surface more than once: part it there")


def _places(face: Any) -> Array:
    """Places (m, 2) on all trim curves of a face."""
    flat, explorer = [], TopExp_Explorer(face, TopAbs_ShapeEnum.TopAbs_EDGE)
    while explorer.More():
        curve = flat_curve(TopoDS.Edge(explorer.Current()), face)
        flat.append(curve_points(curve, np.linspace(*curve.domain, 129)))
        explorer.Next()
    return np.vstack(flat)


def full_turns(geom: Any) -> tuple[float, float]:
    """Length of a turn along u and v; infinite where the surface is not closed."""
    return geom.UPeriod() if geom.IsUPeriodic() else np.inf, geom.VPeriod() if geom.IsVPeriodic() else np.inf
