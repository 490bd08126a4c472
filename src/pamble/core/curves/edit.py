"""Extend, join: changes of where a curve begins and ends."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import norm
from pamble.core.curves.jets import CurveJets, JointFigures, end_jet, joint_figures
from pamble.core.curves.measure import curve_length
from pamble.core.curves.shapes import ellipse
from pamble.core.errors import GeometryError
from pamble.core.spline import knots
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.kinks import chain


def extend(curve: Curve, end: int, length: float, shape: str = "curvature") -> Curve:
    """Lengthen a curve by ``length`` mm at the start (0) or end (1).

    shape: "curvature" continues the end span as the polynomial it is, a rational curve with the circle of its end's
    curvature (an arc stays the arc it is); "straight" adds a tangent line, G1.
    """
    if length <= 0:
        raise GeometryError(f"An extension is longer than zero, not {length:g} mm.")
    a, b = curve.domain
    if shape == "straight":
        jet = end_jet(curve, end)
        return _added(curve, end, Curve.line(jet.point[0], jet.point[0] + length * jet.tangent[0]))
    if curve.weights is not None:
        return _added(curve, end, _osculating(end_jet(curve, end), length))
    # The end span continues beyond the domain as the polynomial it is: how far, by Newton on the length.
    step = 0.0
    for _ in range(12):
        reach = a - step if end == 0 else b + step
        got = 0.0 if step == 0 else curve_length(curve, min(reach, a), a) if end == 0 else curve_length(curve, b, reach)
        speed = float(norm(curve_derivatives(curve, [reach], 1)[1])[0])
        step += (length - got) / max(speed, 1e-12)
        if abs(got - length) < 1e-10 * max(1.0, length):
            break
    return knots.curve_part(curve, a - step, b) if end == 0 else knots.curve_part(curve, a, b + step)


def _osculating(jet: CurveJets, length: float) -> Curve:
    """Arc of a length that leaves with a jet's tangent and curvature; a line where that is zero."""
    point, tangent, bend = jet.point[0], jet.tangent[0], jet.bend[0]
    k = float(jet.curvature[0])
    if k * length < 1e-9:
        return Curve.line(point, point + length * tangent)
    degrees = float(np.degrees(k * length))
    if degrees > 360:
        raise GeometryError(f"{length:g} mm are more than a whole turn of the end's radius, {1 / k:.2f} mm.")
    centre = point + bend / k**2
    return ellipse(centre, np.cross(tangent, bend), (1 / k, 1 / k), point - centre, degrees)


def _added(curve: Curve, end: int, piece: Curve) -> Curve:
    """A curve with a piece that leaves its end joined to it."""
    return join(curve, piece) if end == 1 else join(knots.reverse_curve(piece), curve)


_BOTH = ((0, 1), (0, 1))


def nearest_ends(a: Curve, b: Curve, free: tuple[tuple[int, ...], tuple[int, ...]] = _BOTH) -> tuple[int, int]:
    """Ends (0 start, 1 end) of two curves that are nearest, of those that are ``free`` on each.

    Of equals the end of the first and the start of the second.
    """
    pa, pb = curve_points(a, a.domain), curve_points(b, b.domain)
    pairs = [(i, j) for i in free[0] for j in free[1]]
    return min(pairs, key=lambda ij: (round(float(norm(pa[[ij[0]]] - pb[[ij[1]]])[0]), 9), ij != (1, 0)))


def join(first: Curve, second: Curve, tolerance: float = 0.01) -> Curve:
    """One curve from two whose ends meet within ``tolerance`` mm, whichever ends those are.

    Degrees are raised to the higher one; the inner knot holds the joint as it is, kinks included.
    """
    i, j = nearest_ends(first, second)
    gap = joint_of(first, i, second, j).gap
    if gap > tolerance:
        raise GeometryError(f"The curves end {gap:.3f} mm apart: they can be joined within {tolerance:g} mm.")
    a = knots.reverse_curve(first) if i == 0 else first
    b = knots.reverse_curve(second) if j == 1 else second
    return run_on(a, b)


def run_on(a: Curve, b: Curve) -> Curve:
    """One curve from two, the second put on at the end of the first; the joint lies halfway between their ends."""
    a, b = (knots.curve_part(c, *c.domain) for c in (a, b))
    length_a, length_b = curve_length(a), curve_length(b)
    return chain([a, b], [0.0, length_a / (length_a + length_b), 1.0])


def joint_of(first: Curve, end_first: int, second: Curve, end_second: int) -> JointFigures:
    """How two chosen ends meet."""
    size = curve_length(first) + curve_length(second)
    return joint_figures(end_jet(first, end_first), end_jet(second, end_second), size)
