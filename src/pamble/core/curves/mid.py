"""Mid curve: between two curves at a ratio, paired so that the connecting lines lie evenly to both."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.curves.fit import fit_points
from pamble.core.curves.jets import curve_jets
from pamble.core.curves.least_squares import Fit
from pamble.core.curves.measure import LengthMap, length_parameters
from pamble.core.errors import GeometryError
from pamble.core.spline import knots
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points

_PAIRS = 161


def mid_curve(
    a: Curve,
    b: Curve,
    ratio: float = 0.5,
    degree: int = 5,
    tolerance: float = 0.005,
    spans: int | Array | None = None,
    hurry: bool = False,
) -> Fit:
    """Curve at ``ratio`` from ``a`` (0) to ``b`` (1).

    Two curves of one make (same degree and knots) that run evenly are mixed CV by CV, which is exact. Else ends are
    paired with ends, and inner points so that the line between them leans equally to both curves:
    (B - A).(Ta + Tb) = 0, where that pairing rises; equal fractions of length where it does not.
    """
    if not 0 <= ratio <= 1:
        raise GeometryError(f"The ratio lies between 0 and 1, not at {ratio:g}.")
    ends_a, ends_b = curve_points(a, a.domain), curve_points(b, b.domain)
    if norm(ends_a - ends_b[::-1]).sum() < norm(ends_a - ends_b).sum():
        b = knots.reverse_curve(b)
    if (
        a.degree == b.degree
        and a.weights is None
        and b.weights is None
        and len(a.knots) == len(b.knots)
        and np.allclose(a.knots, b.knots)
    ):
        mixed = Curve(a.degree, a.knots, (1 - ratio) * a.control + ratio * b.control)
        return Fit(mixed, 0.0, mixed.control[0], True)
    s = np.linspace(0.0, 1.0, _PAIRS // 4 if hurry else _PAIRS)
    on_b = LengthMap(b)
    ta, sb = length_parameters(a, s, hurry), s.copy()
    ja = curve_jets(a, ta)
    for _ in range(4 if hurry else 12):
        jb = curve_jets(b, on_b.parameters(sb, quick=True))
        lean = dot(jb.point - ja.point, ja.tangent + jb.tangent)
        length = float(norm(np.diff(jb.point, axis=0)).sum())
        step = -0.5 * lean / max(length, 1e-9)
        step[[0, -1]] = 0.0
        sb = np.clip(sb + step * np.minimum(1.0, 8 * np.minimum(s, 1 - s)), 0.0, 1.0)
        if np.abs(step).max() < 1e-9:
            break
    if np.diff(sb).min() <= 0:
        sb = s
    pb = curve_points(b, on_b.parameters(sb, hurry))
    return fit_points((1 - ratio) * ja.point + ratio * pb, degree, tolerance, spans, s, hurry)
