"""A change laid over a curve: movements of its CVs, kept as a spline of their own; see `surfaces.overlay`."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.knots import insert_knots, raise_degree

_SAME = 1e-12


def laid_over(curve: Curve, change: Curve) -> Curve:
    """A curve and a change of it, added: in the least spline space that holds both.

    change: its control points are movements, mm; its domain is stretched over that of the curve. Where it has the
    curve's degree and knots no CV is added. Raises `GeometryError` over a rational curve of another make.
    """
    (a, b), (c, d) = curve.domain, change.domain
    own = Curve(change.degree, a + (change.knots - c) * ((b - a) / (d - c)), change.control)
    if own.degree == curve.degree and len(own.knots) == len(curve.knots) and np.allclose(own.knots, curve.knots):
        return Curve(curve.degree, curve.knots, curve.control + own.control, curve.weights)
    if curve.weights is not None:
        raise GeometryError("The curve below has another make now, and is rational: move its CVs there instead.")
    degree = max(curve.degree, own.degree)
    one, two = (raise_degree(x, degree - x.degree) if x.degree < degree else x for x in (curve, own))
    one, two = insert_knots(one, _missing(one, two)), insert_knots(two, _missing(two, one))
    return Curve(degree, one.knots, one.control + two.control)


def _missing(curve: Curve, other: Curve) -> Array:
    """Inner knots, with their multiplicity, that another curve of the degree has and this one lacks."""
    inner = other.knots[other.degree + 1 : -other.degree - 1]
    values, counts = np.unique(inner, return_counts=True)
    have = np.sum(np.abs(curve.knots[:, None] - values) < _SAME, axis=0)
    return np.repeat(values, np.maximum(counts - have, 0))
