"""Curves that stand alone, without a face, to and from OpenCASCADE's boundary model."""

from __future__ import annotations

from typing import Any

from OCP.BRep import BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
from OCP.Geom import Geom_TrimmedCurve
from OCP.GeomConvert import GeomConvert
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from pamble.core.errors import GeometryError
from pamble.core.faces.kernel import curve_from_kernel, curve_to_kernel
from pamble.core.spline.curve import Curve
from pamble.core.spline.knots import curve_part, reverse_curve


def loose_edges(shape: Any) -> list[Any]:
    """All edges of a shape that bound no face, in its own order."""
    found, explorer = [], TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_EDGE, TopAbs_ShapeEnum.TopAbs_FACE)
    while explorer.More():
        edge = TopoDS.Edge(explorer.Current())
        if not BRep_Tool.Degenerated_s(edge):
            found.append(edge)
        explorer.Next()
    return found


def curve_from_shape(shape: Any) -> Curve:
    """Exact B-spline of a TopoDS_Edge, rational for conics, clamped, on [0, 1]. Raises `GeometryError`."""
    space = BRep_Tool.Curve_s(shape, 0.0, 0.0)
    if space is None:
        raise GeometryError("it has no curve in space")
    start, end = BRep_Tool.Range_s(shape)
    if not -1e100 < start < end < 1e100:
        raise GeometryError("it has no ends")
    curve = curve_from_kernel(GeomConvert.CurveToBSplineCurve_s(Geom_TrimmedCurve(space, start, end)))
    curve = curve_part(curve, *curve.domain)
    a, b = curve.domain
    curve = Curve(curve.degree, (curve.knots - a) / (b - a), curve.control, curve.weights)
    return reverse_curve(curve) if shape.Orientation() == TopAbs_Orientation.TopAbs_REVERSED else curve


def curve_to_shape(curve: Curve) -> Any:
    """TopoDS_Edge of a curve that stands alone."""
    return BRepBuilderAPI_MakeEdge(curve_to_kernel(curve)).Edge()
