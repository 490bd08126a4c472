"""Conversion of curves and surfaces to and from OpenCASCADE."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BRepGProp import BRepGProp
from OCP.Geom import Geom_BSplineCurve, Geom_BSplineSurface
from OCP.Geom2d import Geom2d_BSplineCurve
from OCP.gp import gp_Pnt, gp_Pnt2d
from OCP.GProp import GProp_GProps
from OCP.OCP.collections import (
    Array1_double,
    Array1_gp_Pnt,
    Array1_gp_Pnt2d,
    Array1_int,
    Array2_double,
    Array2_gp_Pnt,
)

from pamble.core.arrays import Array, floats
from pamble.core.spline import knots
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface

_AREA = 1e-6
"""Share of itself within which an area is measured."""


def _knot_arrays(vector: Array) -> tuple[Any, Any]:
    values, counts = np.unique(vector, return_counts=True)
    k, m = Array1_double(1, len(values)), Array1_int(1, len(values))
    for i, (value, count) in enumerate(zip(values.tolist(), counts.tolist(), strict=True), start=1):
        k.SetValue(i, value)
        m.SetValue(i, count)
    return k, m


def _clamped_curve(curve: Curve) -> Curve:
    p, k = curve.degree, curve.knots
    if k[0] == k[p] and k[-1] == k[-p - 1]:
        return curve
    return knots.curve_part(curve, *curve.domain)


def surface_to_kernel(surface: Surface) -> Any:
    """Geom_BSplineSurface with the same control points, knots and weights."""
    p, q = surface.degree_u, surface.degree_v
    ku, kv = surface.knots_u, surface.knots_v
    if ku[0] != ku[p] or ku[-1] != ku[-p - 1] or kv[0] != kv[q] or kv[-1] != kv[-q - 1]:
        surface = knots.surface_part(surface)
    n, m, _ = surface.control.shape
    poles = Array2_gp_Pnt(1, n, 1, m)
    for i, row in enumerate(surface.control.tolist(), start=1):
        for j, point in enumerate(row, start=1):
            poles.SetValue(i, j, gp_Pnt(*point))
    (u, mu), (v, mv) = _knot_arrays(surface.knots_u), _knot_arrays(surface.knots_v)
    if surface.weights is None:
        return Geom_BSplineSurface(poles, u, v, mu, mv, p, q)
    weights = Array2_double(1, n, 1, m)
    for i, row in enumerate(surface.weights.tolist(), start=1):
        for j, weight in enumerate(row, start=1):
            weights.SetValue(i, j, weight)
    return Geom_BSplineSurface(poles, weights, u, v, mu, mv, p, q)


def curve_to_kernel(curve: Curve) -> Any:
    """Geom_BSplineCurve or Geom2d_BSplineCurve."""
    curve = _clamped_curve(curve)
    n, dim = curve.control.shape
    poles = Array1_gp_Pnt(1, n) if dim == 3 else Array1_gp_Pnt2d(1, n)
    for i, point in enumerate(curve.control.tolist(), start=1):
        poles.SetValue(i, gp_Pnt(*point) if dim == 3 else gp_Pnt2d(*point))
    k, m = _knot_arrays(curve.knots)
    make = Geom_BSplineCurve if dim == 3 else Geom2d_BSplineCurve
    if curve.weights is None:
        return make(poles, k, m, curve.degree)
    weights = Array1_double(1, n)
    for i, weight in enumerate(curve.weights.tolist(), start=1):
        weights.SetValue(i, weight)
    return make(poles, weights, k, m, curve.degree)


def _vector(knot: Any, multiplicity: Any, count: int) -> Array:
    return np.repeat([knot(i) for i in range(1, count + 1)], [multiplicity(i) for i in range(1, count + 1)]).astype(
        float
    )


def surface_from_kernel(geom: Any) -> Surface:
    """Surface from a Geom_BSplineSurface; periodic ones are opened."""
    geom = geom.Copy()
    if geom.IsUPeriodic():
        geom.SetUNotPeriodic()
    if geom.IsVPeriodic():
        geom.SetVNotPeriodic()
    n, m = geom.NbUPoles(), geom.NbVPoles()
    control, weights = np.empty((n, m, 3)), np.ones((n, m))
    rational = geom.IsURational() or geom.IsVRational()
    for i in range(n):
        for j in range(m):
            p = geom.Pole(i + 1, j + 1)
            control[i, j] = p.X(), p.Y(), p.Z()
            if rational:
                weights[i, j] = geom.Weight(i + 1, j + 1)
    ku = _vector(geom.UKnot, geom.UMultiplicity, geom.NbUKnots())
    kv = _vector(geom.VKnot, geom.VMultiplicity, geom.NbVKnots())
    return Surface(geom.UDegree(), geom.VDegree(), ku, kv, control, weights if rational else None)


def curve_from_kernel(geom: Any) -> Curve:
    """Curve from a Geom_BSplineCurve or Geom2d_BSplineCurve; periodic ones are opened."""
    geom = geom.Copy()
    if geom.IsPeriodic():
        geom.SetNotPeriodic()
    points = [geom.Pole(i) for i in range(1, geom.NbPoles() + 1)]
    flat = isinstance(geom, Geom2d_BSplineCurve)
    control = floats([(p.X(), p.Y()) if flat else (p.X(), p.Y(), p.Z()) for p in points])
    weights = floats([geom.Weight(i) for i in range(1, len(points) + 1)]) if geom.IsRational() else None
    return Curve(geom.Degree(), _vector(geom.Knot, geom.Multiplicity, geom.NbKnots()), control, weights)


def shape_area(shape: Any) -> float:
    """Area of a shape of the boundary model, mm²."""
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, found, _AREA)
    return float(found.Mass())
