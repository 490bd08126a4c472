"""Faces of balls with a pole at their edges: the same faces with poles elsewhere, for a ball has none of its own."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product
from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy, BRepBuilderAPI_MakeFace
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepLib import BRepLib
from OCP.collections import HSequence_TopoDS_Shape
from OCP.Geom import Geom_SphericalSurface
from OCP.GeomAbs import GeomAbs_CurveType, GeomAbs_SurfaceType
from OCP.gp import gp_Ax3, gp_Dir
from OCP.ShapeAnalysis import ShapeAnalysis_FreeBounds
from OCP.ShapeFix import ShapeFix_Face
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Face

from pamble.core.arrays import Array, cross, norm, unit
from pamble.core.faces.kernel import shape_area
from pamble.core.faces.loose import curve_from_shape
from pamble.core.spline.evaluate import curve_points

_NEAR = np.radians(12.0)
"""How near to a pole, seen from the middle, an edge may come."""

_MERIDIAN = 1e-6
"""How far, as a share of the radius, an edge may lie off a plane through the poles to run straight to them."""

_ROUND = 2.0
"""Times the clearance that the axis of a circle among the edges has over any other."""

_GAP = 4 * np.pi / 64
"""How far apart, seen along the axis, samples of edges lie at least where these do not go round."""

_SAMPLES, _DIRECTIONS = 65, 600
_SAME, _SAME_AREA = 1e-6, 0.01
"""Distance, mm, of trim curves from their edges that are made; and the share of its area by which the face may differ,
which is measured badly beside a pole.
"""


def clear_of_poles(shape: Any) -> Any:
    """The face; of one on a ball with edges close to a pole that do not run straight into it, the same face with its
    poles as far from all edges as can be. Beside a pole no trim curve is calm.
    """
    surface = BRepAdaptor_Surface(shape)
    if surface.GetType() != GeomAbs_SurfaceType.GeomAbs_Sphere:
        return shape
    ball = surface.Sphere()
    axis, middle, radius = _xyz(ball.Position().Direction()), _xyz(ball.Location()), ball.Radius()
    edges = _own_edges(shape)
    rows = [(_places(e) - middle) / radius for e in edges]
    if not any(_angles(row, axis[None]).min() < _NEAR and not _straight(row, axis) for row in rows):
        return shape
    axes = np.vstack([_directions(_DIRECTIONS), *_axes(edges)])
    clear = _angles(np.vstack(rows), axes).min(axis=0)
    # Round an axis of its own a circle is an iso-line.
    clear[_DIRECTIONS:] *= _ROUND
    best = axes[clear.argmax()]
    if clear.max() < _NEAR:
        return shape
    frame = gp_Ax3(ball.Location(), gp_Dir(*best), gp_Dir(*_start(np.vstack(rows), best)))
    if not ball.Position().Direct():
        frame.YReverse()
    area = shape_area(shape)
    for whole, back in product((False, True), (False, True)):
        try:
            made = _over(shape, edges, Geom_SphericalSurface(frame, radius), whole, back)
        except Exception:  # of many kinds; the face stays as it is
            return shape
        if BRepCheck_Analyzer(made).IsValid() and abs(shape_area(made) - area) < _SAME_AREA * area:
            return made
    return shape


def _over(shape: Any, edges: Sequence[Any], surface: Any, whole: bool, back: bool) -> Any:
    """The face between edges on another surface. whole: they are holes in all of it; back: run the other way."""
    row = HSequence_TopoDS_Shape()
    for edge in edges:
        row.Append(BRepBuilderAPI_Copy(edge).Shape())
    wires = ShapeAnalysis_FreeBounds.ConnectEdgesToWires_s(row, 1e-4, False)
    builder, face = BRep_Builder(), TopoDS_Face()
    if whole:
        face = BRepBuilderAPI_MakeFace(surface, BRep_Tool.Tolerance_s(shape)).Face()
    else:
        builder.MakeFace(face, surface, BRep_Tool.Tolerance_s(shape))
    for k in range(1, wires.Length() + 1):
        builder.Add(face, wires.Value(k).Reversed() if back else wires.Value(k))
    fix = ShapeFix_Face(face)
    fix.Perform()
    made = TopoDS.Face(fix.Face())
    BRepLib.SameParameter_s(made, _SAME, True)
    return TopoDS.Face(made.Oriented(shape.Orientation()))


def _own_edges(shape: Any) -> list[Any]:
    """The edges of a face without its joint and its poles."""
    forward = shape.Oriented(TopAbs_Orientation.TopAbs_FORWARD)
    found, explorer = [], TopExp_Explorer(forward, TopAbs_ShapeEnum.TopAbs_EDGE)
    while explorer.More():
        edge = TopoDS.Edge(explorer.Current())
        if not BRep_Tool.Degenerated_s(edge) and not BRep_Tool.IsClosed_s(edge, shape):
            found.append(edge)
        explorer.Next()
    return found


def _places(edge: Any) -> Array:
    return curve_points(curve_from_shape(edge), np.linspace(0, 1, _SAMPLES))


def _axes(edges: Sequence[Any]) -> list[Array]:
    """Axes (3,) of those edges that are circles."""
    curves = [BRepAdaptor_Curve(edge) for edge in edges]
    round_ = [c.Circle() for c in curves if c.GetType() == GeomAbs_CurveType.GeomAbs_Circle]
    return [_xyz(circle.Axis().Direction()) for circle in round_]


def _xyz(v: Any) -> Array:
    return np.array([v.X(), v.Y(), v.Z()])


def _angles(row: Array, axes: Array) -> Array:
    """Angles of directions (m, 3) to axes (k, 3), whichever end is nearer, (m, k)."""
    return np.asarray(np.arccos(np.clip(np.abs(row @ axes.T), 0.0, 1.0)))


def _straight(row: Array, axis: Array) -> bool:
    """Whether a row of directions lies in a plane through the axis, as a meridian does."""
    out = cross(np.broadcast_to(axis, row.shape), row)
    return bool(np.linalg.matrix_rank(out[norm(out) > _MERIDIAN], tol=_MERIDIAN * len(row)) < 2)


def _directions(count: int) -> Array:
    """Directions spread evenly over a half of the sphere."""
    k = np.arange(count) + 0.5
    height, turn = 1.0 - k / count, np.pi * (1.0 + np.sqrt(5.0)) * k
    round_ = np.sqrt(1.0 - height**2)
    return np.column_stack([round_ * np.cos(turn), round_ * np.sin(turn), height])


def _start(row: Array, axis: Array) -> Array:
    """The direction, square to an axis, in which the joint lies farthest from a row of directions (m, 3); through the
    first of them where they go round.
    """
    x = unit(np.eye(3)[np.argmin(np.abs(axis))] - axis[np.argmin(np.abs(axis))] * axis)
    turn = np.arctan2(row @ np.cross(axis, x), row @ x)
    first, turn = turn[0], np.sort(turn)
    gaps = np.diff(np.append(turn, turn[0] + 2 * np.pi))
    at = turn[gaps.argmax()] + 0.5 * gaps.max() if gaps.max() > _GAP else first
    return np.asarray(np.cos(at) * x + np.sin(at) * np.cross(axis, x))
