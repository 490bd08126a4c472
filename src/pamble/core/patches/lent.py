"""Knots that a patch takes from the edges round it: with them it can hold these exactly, where even spans cannot."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array
from pamble.core.patches.side import Side, turn_share
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.fitted_rows import smooth_order

SAME_KNOT = 1e-3
"""Share of a side within which two knots are one."""


def lent(sides: Sequence[Side], degree: int) -> Array:
    """Knots of a degree over [0, 1] with those of all edges that run there at their own pace, each as loose as it is
    on the edge. An edge that is rational, or not a whole side of its face, lends none.
    """
    found: list[tuple[float, int]] = []
    for side in sides:
        for at, count in inner_knots(side, degree):
            near = next((i for i, (known, _) in enumerate(found) if abs(known - at) < SAME_KNOT), None)
            if near is None:
                found.append((at, count))
            else:
                found[near] = (found[near][0], max(found[near][1], count))
    inner = [np.full(count, at) for at, count in sorted(found)]
    return np.concatenate([np.zeros(degree + 1), *inner, np.ones(degree + 1)])


def inner_knots(side: Side, degree: int) -> list[tuple[float, int]]:
    """Inner knots of an edge as shares of a side, with the multiplicities that leave them as loose at a degree; none of
    an edge that is rational, of a higher degree, or not a whole side of its face.
    """
    source, curve = side.source, side.curve
    cut = not isinstance(source, Curve) and (source.side is None or source.surface.weights is not None)
    if cut or curve.weights is not None or curve.degree > degree:
        return []
    start, end = curve.domain
    values, counts = np.unique(curve.knots[curve.degree + 1 : -curve.degree - 1], return_counts=True)
    shares = (values - start) / (end - start)
    if side.over is not None:
        # The start of a loop is a place like others, and as loose as its ends meet there.
        ends = curve_derivatives(curve, curve.domain, 2)
        loose = curve.degree - smooth_order(ends[:, :1], ends[:, 1:])
        shares, counts = np.append(shares, 0.0), np.append(counts, loose)
        first = (side.over[0] - start) / (end - start)
        shares = np.mod(shares - first, 1.0) / turn_share(*side.over, end - start)
    shares = 1.0 - shares if side.turned else shares
    more = degree - curve.degree
    return [(s, min(c + more, degree - 1)) for s, c in zip(shares.tolist(), counts.tolist(), strict=True) if 0 < s < 1]


def uneven(surface: Surface) -> bool:
    """Whether the knots of a surface are not even ones: it was built on those that its neighbours lent it."""
    return any(
        not np.allclose(basis.uniform_knots(p, n, k[0], k[-1]), k)
        for p, n, k in zip(
            (surface.degree_u, surface.degree_v), surface.spans, (surface.knots_u, surface.knots_v), strict=True
        )
    )
