"""Two-view curve: two planar curves in crossing views make one space curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm, unit
from pamble.core.curves.fit import fit_points
from pamble.core.curves.least_squares import Fit
from pamble.core.curves.measure import samples
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points


@dataclass(frozen=True)
class TwoView:
    """The space curve as fitted; how much of each curve, in mm along the common axis, the other does not reach."""

    fit: Fit
    unused: tuple[float, float]


def two_view(
    a: Curve,
    view_a: Array,
    b: Curve,
    view_b: Array,
    degree: int = 5,
    tolerance: float = 0.005,
    spans: int | Array | None = None,
    hurry: bool = False,
) -> TwoView:
    """The curve that looks like ``a`` along ``view_a`` and like ``b`` along ``view_b`` (directions, (3,)).

    It lies where the two curves, extruded along their views, meet. With the common axis c = view_a x view_b, points
    are paired at equal c, and X = A + l view_a = B + m view_b. Raises `GeometryError` if the views are parallel, a
    curve turns back along the common axis, or the two do not overlap.
    """
    va, vb = unit(np.asarray(view_a, dtype=float)[None])[0], unit(np.asarray(view_b, dtype=float)[None])[0]
    axis = np.cross(va, vb)
    if np.linalg.norm(axis) < 0.02:
        raise GeometryError("The two views are the same: a two-view curve needs views that cross.")
    axis = axis / np.linalg.norm(axis)
    ranges = [_range(curve, axis, name) for curve, name in ((a, "first"), (b, "second"))]
    low, high = max(r[0] for r in ranges), min(r[1] for r in ranges)
    if high - low < 1e-6 * max(r[1] - r[0] for r in ranges):
        (p, q), (r, s) = ranges
        raise GeometryError(
            f"The two curves do not overlap along the common axis: the first runs from {p:.2f} to {q:.2f} mm, the "
            f"second from {r:.2f} to {s:.2f} mm. Lengthen or move one."
        )
    t = samples(a, max(24, -(-200 // a.spans)))
    c = curve_points(a, t) @ axis
    inside = t[(c > low) & (c < high)]
    ends = _at(a, axis, np.array([low, high]))
    ta = np.sort(np.concatenate([ends, inside]))
    pa = curve_points(a, ta)
    pb = curve_points(b, _at(b, axis, np.clip(pa @ axis, low, high)))
    # A + l va = B + m vb, solved in the plane of the two views.
    system = np.column_stack([va, -vb])
    along = np.linalg.lstsq(system, (pb - pa).T, rcond=None)[0]
    points = pa + along[0][:, None] * va
    u = (ta - ta[0]) / (ta[-1] - ta[0])
    fit = fit_points(points, degree, tolerance, spans, u, hurry)
    unused = [float(r[1] - r[0] - (high - low)) for r in ranges]
    return TwoView(fit, (unused[0], unused[1]))


def _range(curve: Curve, axis: Array, name: str) -> tuple[float, float]:
    d = curve_derivatives(curve, samples(curve), 1)
    pace = d[1] @ axis
    if pace.max() > 1e-9 * norm(d[1]).max() and pace.min() < -1e-9 * norm(d[1]).max():
        x, y, z = d[0][int(np.argmin(np.abs(pace)))]
        raise GeometryError(
            f"The {name} curve turns back along the common axis near ({x:.2f}, {y:.2f}, {z:.2f}) mm: split it there, "
            "or choose another pair of views."
        )
    if np.abs(pace).max() < 1e-9:
        raise GeometryError(f"The {name} curve runs along its own view and shows as a point.")
    ends = curve_points(curve, curve.domain) @ axis
    return float(ends.min()), float(ends.max())


def _at(curve: Curve, axis: Array, value: Array) -> Array:
    """Parameters where the curve has the given coordinates along the axis: Newton from a table."""
    t = samples(curve, 64)
    c = curve_points(curve, t) @ axis
    if c[0] > c[-1]:
        t, c = t[::-1], c[::-1]
    x = np.interp(value, c, t)
    for _ in range(8):
        d = curve_derivatives(curve, x, 1)
        pace = d[1] @ axis
        x = np.clip(x - (d[0] @ axis - value) / np.where(np.abs(pace) > 1e-12, pace, np.inf), *curve.domain)
    return np.asarray(x)
