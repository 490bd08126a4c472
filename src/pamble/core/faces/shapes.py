"""Faces to and from OpenCASCADE's boundary model, with their trim loops."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_NurbsConvert,
)
from OCP.BRepLib import BRepLib
from OCP.BRepTools import BRepTools, BRepTools_WireExplorer
from OCP.Geom import Geom_BSplineSurface, Geom_RectangularTrimmedSurface, Geom_TrimmedCurve
from OCP.GeomConvert import GeomConvert
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from pamble.core.arrays import Array, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.calmed import calmed
from pamble.core.faces.closed_up import ON_SIDE, closed_up
from pamble.core.faces.converted import calm_on_spline, on_spline
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.kernel import curve_from_kernel, surface_from_kernel
from pamble.core.faces.on_sides import on_sides
from pamble.core.faces.turned_balls import clear_of_poles
from pamble.core.faces.turns import (
    begun_at_seam,
    bounds_of,
    check_on_surface,
    flat_curve,
    full_turns,
    misses_joint,
    on_wrong_turns,
    over_joint,
    shift_onto,
)
from pamble.core.faces.twins import turn_over
from pamble.core.spline import knots
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.surface import Surface

_ON_SIDE = 1e-7
"""How near to an iso-line, as a fraction of the domain, a trim curve must run to count as lying on it."""

_KINDS = {
    "GeomAbs_Plane": "plane",
    "GeomAbs_Cylinder": "cylinder",
    "GeomAbs_Cone": "cone",
    "GeomAbs_Sphere": "sphere",
    "GeomAbs_Torus": "torus",
    "GeomAbs_BezierSurface": "B-spline",
    "GeomAbs_BSplineSurface": "B-spline",
    "GeomAbs_SurfaceOfRevolution": "revolution",
    "GeomAbs_SurfaceOfExtrusion": "extrusion",
    "GeomAbs_OffsetSurface": "offset",
}


@dataclass(frozen=True)
class _Trim:
    edge: Edge
    point: bool


def shape_kind(shape: Any) -> str:
    """The word for the surface under a face of the boundary model: plane, cylinder, B-spline and so on."""
    return _KINDS.get(BRepAdaptor_Surface(shape).GetType().name, "other")


def shape_faces(shape: Any) -> list[Any]:
    """All faces of a shape, in its own order."""
    return [TopoDS.Face(part) for part in _parts(shape, TopAbs_ShapeEnum.TopAbs_FACE)]


def shape_edges(shape: Any) -> list[Any]:
    """All edges of a shape, in its own order; one beside two faces comes twice."""
    return [TopoDS.Edge(part) for part in _parts(shape, TopAbs_ShapeEnum.TopAbs_EDGE)]


def _parts(shape: Any, kind: Any) -> list[Any]:
    found, explorer = [], TopExp_Explorer(shape, kind)
    while explorer.More():
        found.append(explorer.Current())
        explorer.Next()
    return found


def face_from_shape(shape: Any) -> Face:
    """Face from a TopoDS_Face: its surface as an exact B-spline (rational for conics), its loops as trim curves.

    A face whose loop is four iso-lines becomes a natural four-sided one; a face that the file turns over has its
    surface turned, so that the surface normal is the face's. Raises `GeometryError` with the reason.
    """
    shape = clear_of_poles(shape)
    whole, own_edge = _converted(shape)
    try:
        return _face(shape, whole, own_edge)
    except Exception as error:  # of many kinds: a joint in pieces, for one, is converted with trims of other pieces
        if whole.IsSame(shape):
            raise
        try:
            return _face(shape, TopoDS.Face(shape), TopoDS.Edge)
        except Exception:
            raise error from None


def _face(shape: Any, whole: Any, own_edge: Callable[[Any], Any]) -> Face:
    """The same, of the face as it is on a B-spline. own_edge: what became of its edges there."""
    turned = whole.Orientation() == TopAbs_Orientation.TopAbs_REVERSED
    forward = TopoDS.Face(whole.Oriented(TopAbs_Orientation.TopAbs_FORWARD))
    before = TopoDS.Face(shape.Oriented(TopAbs_Orientation.TopAbs_FORWARD))
    geom = BRep_Tool.Surface_s(forward)
    if not isinstance(geom, Geom_BSplineSurface):
        geom = _spline(geom, bounds_of(forward))
    elif (turn := over_joint(forward, before)) is not None:
        geom = geom.Copy()
        geom.CheckAndSegment(*turn)
    surface = begun_at_seam(surface_from_kernel(geom), geom, before)
    loops = _loops(before, forward, surface, own_edge)
    natural = _as_natural(surface, loops)
    face = Face(natural) if natural is not None else Face(surface, _named(loops))
    if face.loops and shape_kind(shape) == "B-spline":
        face = Face(surface, on_sides(surface, face.loops))
    if not face.edges:
        raise GeometryError("it has no usable boundary")
    check_on_surface(face)
    return turn_over(face) if turned else face


def _converted(shape: Any) -> tuple[Any, Callable[[Any], Any]]:
    """The face on a B-spline, and what becomes of its edges. The face as it is where the boundary model cannot write it
    as one, which takes long too, or would shift its joint, since its trim curves run over more than a whole turn of its
    surface.
    """
    if misses_joint(shape) or on_wrong_turns(shape):
        return TopoDS.Face(shape), TopoDS.Edge
    try:
        convert = BRepBuilderAPI_NurbsConvert(shape, True)
        return TopoDS.Face(convert.Shape()), lambda edge: TopoDS.Edge(convert.ModifiedShape(edge))
    except Exception:
        return TopoDS.Face(shape), TopoDS.Edge


def _spline(geom: Any, bounds: tuple[float, ...]) -> Any:
    """A surface as a B-spline between bounds of u and v, at most one turn of it. Raises `GeometryError`."""
    try:
        u, v = (high - low < turn for low, high, turn in zip(bounds[::2], bounds[1::2], full_turns(geom), strict=True))
        if u and v:
            geom = Geom_RectangularTrimmedSurface(geom, *bounds)
        elif u or v:
            geom = Geom_RectangularTrimmedSurface(geom, *(bounds[:2] if u else bounds[2:]), u)
        return GeomConvert.SurfaceToBSplineSurface_s(geom)
    except Exception as error:
        raise GeometryError(f"its surface cannot be written as a B-spline ({error})") from error


def _loops(before: Any, face: Any, surface: Surface, converted: Callable[[Any], Any]) -> list[list[_Trim]]:
    """Trims, loop by loop, in the order in which they follow each other on the face as it was ``before``."""
    outer = BRepTools.OuterWire_s(before)
    wires = [TopoDS.Wire(part) for part in _parts(before, TopAbs_ShapeEnum.TopAbs_WIRE)]
    wires.sort(key=lambda wire: not wire.IsSame(outer))
    loops, shift = [], shift_onto(face, before, surface)
    for wire in wires:
        trims, walk = [], BRepTools_WireExplorer(wire, before)
        while walk.More():
            edge = walk.Current()
            trims.append(_trim(edge, before, converted(edge).Oriented(edge.Orientation()), face, surface, shift))
            walk.Next()
        if len(trims) < len(shape_edges(wire)):
            raise GeometryError("the edges of a loop do not follow each other")
        if trims:
            edges = closed_up(surface, [trim.edge for trim in trims])
            loops.append([_Trim(edge, trim.point) for edge, trim in zip(edges, trims, strict=True)])
    return loops


def _trim(old: Any, before: Any, shape: Any, face: Any, surface: Surface, shift: Array) -> _Trim:
    """A trim from an edge of a face, and from the same edge of the face ``before`` its surface became a B-spline.
    shift: see `shift_onto`.
    """
    shape = TopoDS.Edge(shape)
    pcurve = _moved(flat_curve(shape, face), shift)
    inward = -1.0 if shape.Orientation() == TopAbs_Orientation.TopAbs_REVERSED else 1.0
    if BRep_Tool.Degenerated_s(shape):
        return _Trim(Edge(surface, "", pcurve, inward), True)
    space = BRep_Tool.Curve_s(shape, 0.0, 0.0)
    if space is None:
        BRepLib.BuildCurve3d_s(shape)
        space = BRep_Tool.Curve_s(shape, 0.0, 0.0)
    if space is None:
        raise GeometryError("an edge has no curve in space")
    first, last = BRep_Tool.Range_s(shape)
    curve = curve_from_kernel(GeomConvert.CurveToBSplineCurve_s(Geom_TrimmedCurve(space, first, last)))
    old_flat = _moved(flat_curve(TopoDS.Edge(old), before), shift)
    if (found := calmed(curve)) is not None:
        calm, unit = found
        if (flat := calm_on_spline(surface, calm, curve, old_flat, unit)) is not None:
            return _Trim(Edge(surface, "", flat, inward, calm), False)
    (a, b), (c, d) = curve.domain, pcurve.domain
    curve = Curve(curve.degree, c + (curve.knots - a) * (d - c) / (b - a), curve.control, curve.weights)
    pcurve = on_spline(surface, pcurve, curve, old_flat)
    return _Trim(Edge(surface, "", pcurve, inward, curve), False)


def _moved(curve: Curve, shift: Array) -> Curve:
    return replace(curve, control=curve.control + shift) if shift.any() else curve


def _named(loops: list[list[_Trim]]) -> tuple[tuple[Edge, ...], ...]:
    out, number = [], 0
    for loop in loops:
        edges = []
        for trim in loop:
            if not trim.point:
                e = trim.edge
                edges.append(Edge(e.surface, f"e{number}", e.pcurve, e.inward, e.curve))
                number += 1
        out.append(tuple(edges))
    return tuple(out)


def _as_natural(surface: Surface, loops: list[list[_Trim]]) -> Surface | None:
    """The four-sided surface when the only loop is four iso-lines, cut to them if they lie inside; else None."""
    if len(loops) != 1 or len(loops[0]) != 4:
        return None
    (u0, u1), (v0, v1) = surface.domain
    size = np.array([u1 - u0, v1 - v0])
    held: tuple[list[float], list[float]] = ([], [])
    for trim in loops[0]:
        p = trim.edge.pcurve.control
        flat = np.ptp(p, axis=0) <= _ON_SIDE * size
        if flat[0] == flat[1]:
            return None
        axis = 0 if flat[0] else 1
        held[axis].append(float(p[:, axis].mean()))
    if len(held[0]) != 2 or len(held[1]) != 2:
        return None
    u, v = (min(held[0]), max(held[0])), (min(held[1]), max(held[1]))
    if u[1] - u[0] < _ON_SIDE * size[0] or v[1] - v[0] < _ON_SIDE * size[1] or not _true_to_file(surface, loops[0]):
        return None
    whole = np.abs(np.array([u[0] - u0, u[1] - u1, v[0] - v0, v[1] - v1])) / size[[0, 0, 1, 1]]
    clamped = all(
        k[0] == k[p] and k[-1] == k[-p - 1]
        for k, p in ((surface.knots_u, surface.degree_u), (surface.knots_v, surface.degree_v))
    )
    return surface if clamped and whole.max() < _ON_SIDE else knots.surface_part(surface, u, v)


def _true_to_file(surface: Surface, loop: list[_Trim]) -> bool:
    """Whether the file's edge curves lie on the iso-lines, end to end."""
    for trim in loop:
        if trim.point or trim.edge.curve is None:
            continue
        t = np.linspace(*trim.edge.domain, 33)
        uv = curve_points(trim.edge.pcurve, t)
        side = surface_points(surface, uv[:, 0], uv[:, 1])
        own = curve_points(trim.edge.curve, t)
        if _apart(side, own) > ON_SIDE:
            return False
    return True


def _apart(a: Array, b: Array) -> float:
    """Largest distance of points ``b`` from the chain of points ``a``: parametrisations may differ."""
    start, leg = a[:-1], np.diff(a, axis=0)
    rel = b[:, None] - start[None]
    w = np.clip(np.einsum("mki,ki->mk", rel, leg) / np.maximum(np.einsum("ki,ki->k", leg, leg), 1e-30), 0, 1)
    sag = float(norm(np.diff(a, 2, axis=0)).max()) if len(a) > 2 else 0.0
    return float(norm(rel - w[..., None] * leg[None]).min(axis=1).max()) - 0.25 * sag
