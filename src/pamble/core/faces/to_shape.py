"""Faces to OpenCASCADE's boundary model: shared vertices, and one edge where a closed surface meets itself."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepLib import BRepLib
from OCP.gp import gp_Pnt
from OCP.ShapeFix import ShapeFix_Face
from OCP.TopAbs import TopAbs_Orientation
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Vertex, TopoDS_Wire

from pamble.core.arrays import Array, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.kernel import curve_to_kernel, surface_to_kernel
from pamble.core.faces.on_sides import side_of
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.tolerances import COINCIDENT

_JOINED = 0.01
"""Distance in mm up to which ends of edges that follow each other in a loop are one vertex."""


_PCURVE = 1e-5


def face_to_shape(face: Face) -> Any:
    """TopoDS_Face of a face. Raises `GeometryError` if its loops do not close."""
    surface = surface_to_kernel(face.surface)
    if face.natural:
        return BRepBuilderAPI_MakeFace(surface, COINCIDENT).Face()
    builder, made = BRep_Builder(), TopoDS_Face()
    builder.MakeFace(made, surface, COINCIDENT)
    for loop in face.loops:
        builder.Add(made, _wire(builder, loop, surface))
    fix = ShapeFix_Face(made)
    fix.Perform()
    fix.FixOrientation()
    return fix.Face()


def _wire(builder: BRep_Builder, loop: Sequence[Edge], surface: Any) -> TopoDS_Wire:
    wire = TopoDS_Wire()
    builder.MakeWire(wire)
    vertices = _vertices(builder, loop)
    twins = _twins(loop)
    made: dict[int, Any] = {}
    for k, edge in enumerate(loop):
        begin, end = vertices[k], vertices[(k + 1) % len(loop)]
        if k in twins and twins[k] in made:
            builder.Add(wire, TopoDS.Edge(made[twins[k]].Reversed()))
            continue
        first, last = (begin, end) if edge.inward > 0 else (end, begin)
        twin = loop[twins[k]] if k in twins else None
        shape = _edge(builder, edge, twin, surface, first, last)
        made[k] = shape if edge.inward > 0 else TopoDS.Edge(shape.Reversed())
        builder.Add(wire, made[k])
    wire.Closed(True)
    return wire


def _vertices(builder: BRep_Builder, loop: Sequence[Edge]) -> list[Any]:
    """The vertex before each edge of a loop; where a loop comes twice to one place, the same vertex."""
    ends = [curve_points(e.space, e.domain)[:: int(e.inward)] for e in loop]
    places: list[tuple[Array, float]] = []
    for before, own in zip([*ends[-1:], *ends[:-1]], ends, strict=True):
        gap = float(norm((before[1] - own[0])[None])[0])
        if gap > _JOINED:
            raise GeometryError(f"The trim loop of a face is not closed: {gap:.3g} mm are missing.")
        places.append((0.5 * (before[1] + own[0]), 0.5 * gap + COINCIDENT))
    out: list[Any] = []
    for i, (place, tolerance) in enumerate(places):
        same = next((j for j in range(i) if norm((places[j][0] - place)[None])[0] < 10 * COINCIDENT), None)
        if same is not None:
            out.append(out[same])
            continue
        vertex = TopoDS_Vertex()
        builder.MakeVertex(vertex, gp_Pnt(*place.tolist()), tolerance)
        out.append(vertex)
    return out


def _twins(loop: Sequence[Edge]) -> dict[int, int]:
    """Edges of a loop on both sides of the joint of a closed surface, over the same range: each to the other."""
    out: dict[int, int] = {}
    sides = [side_of(e) for e in loop]
    for i, (a, one) in enumerate(zip(loop, sides, strict=True)):
        for j, (b, other) in enumerate(zip(loop[:i], sides[:i], strict=True)):
            if one is None or other is None or one == other or one[0] != other[0]:
                continue
            along = 0 if one[0] == "u" else 1
            same = np.allclose(a.domain, b.domain, rtol=0, atol=1e-9 * (a.domain[1] - a.domain[0]))
            if a.surface.closed[along] and same and _apart(a, b) < _JOINED:
                out[i], out[j] = j, i
    return out


def _apart(a: Edge, b: Edge) -> float:
    """Largest distance of places of two edges over the same parameters, mm."""
    share = np.linspace(0, 1, 5)
    one, two = (curve_points(e.space, e.domain[0] + share * (e.domain[1] - e.domain[0])) for e in (a, b))
    return float(norm(one - two).max())


def _edge(builder: BRep_Builder, edge: Edge, twin: Edge | None, surface: Any, first: Any, last: Any) -> TopoDS_Edge:
    shape = TopoDS_Edge()
    off = _off(edge)
    builder.MakeEdge(shape, curve_to_kernel(edge.space), max(COINCIDENT, off))
    own = curve_to_kernel(edge.pcurve)
    if twin is None:
        builder.UpdateEdge(shape, own, surface, TopLoc_Location(), max(_PCURVE, off))
    else:
        # The first curve counts where the edge runs forward, the second where it runs back.
        other = curve_to_kernel(twin.pcurve)
        pair = (own, other) if edge.inward > 0 else (other, own)
        builder.UpdateEdge(shape, *pair, surface, TopLoc_Location(), max(_PCURVE, off))
    builder.Range(shape, *edge.domain)
    builder.Add(shape, first.Oriented(TopAbs_Orientation.TopAbs_FORWARD))
    builder.Add(shape, last.Oriented(TopAbs_Orientation.TopAbs_REVERSED))
    BRepLib.SameParameter_s(shape, 1e-6)
    return shape


def _off(edge: Edge) -> float:
    """Distance of an edge's curve from the surface under its parameter curve, mm."""
    t = np.linspace(*edge.domain, 33)
    uv = curve_points(edge.pcurve, t)
    place = surface_points(edge.surface, uv[:, 0], uv[:, 1])
    return float(norm(place - curve_points(edge.space, t)).max())
