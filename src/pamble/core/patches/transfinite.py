"""Transfinite interpolation of a net of curves (Gordon, Spline-blended surface interpolation through curve networks,
Journal of Mathematics and Mechanics 18, 1969)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np
from scipy.interpolate import CubicSpline, PchipInterpolator, make_interp_spline

from pamble.core.arrays import Array, dot, norm
from pamble.core.patches.crossed import Net
from pamble.core.tolerances import COINCIDENT

_BETWEEN = 41
"""Places from a curve to the next at which it is looked how the way leads."""

Run = tuple[Array, Array, Array]
"""Points (m, 3) of a curve at even shares of its length, their common parameters (m,), and unit tangents (m, 3)."""


def transfinite(net: Net, runs: Sequence[Run], over: Sequence[Run]) -> Callable[[Array, Array], Array]:
    """Points on a grid of parameters: both families blended, less the crossings that both have.

    Of three ways to weigh curves that stand unevenly the first that leads on from each to the next everywhere: a cubic
    swings beyond them where a wide way follows narrow ones.
    """
    along, across = ([CubicSpline(t, p) for p, t, _ in own] for own in (runs, over))

    def weighed(way: Callable[[Array], Callable[[Array], Array]]) -> Callable[[Array, Array], Array]:
        weigh_u, weigh_v = way(net.u), way(net.v)

        def points(u: Array, v: Array) -> Array:
            wu, wv = np.asarray(weigh_u(u)), np.asarray(weigh_v(v))
            a = np.einsum("vi,iuc->uvc", wv, np.array([f(u) for f in along]))
            b = np.einsum("uj,jvc->uvc", wu, np.array([f(v) for f in across]))
            return np.asarray(a + b - np.einsum("vi,uj,ijc->uvc", wv, wu, net.points))

        return points

    ways = [weighed(way) for way in (_cubic, _natural, _monotone)]
    return next((points for points in ways if _leads_on(net, points)), ways[0])


def _cubic(marks: Array) -> Callable[[Array], Array]:
    return make_interp_spline(marks, np.eye(len(marks)), k=min(3, len(marks) - 1))


def _natural(marks: Array) -> Callable[[Array], Array]:
    return CubicSpline(marks, np.eye(len(marks)), bc_type="natural")


def _monotone(marks: Array) -> Callable[[Array], Array]:
    return PchipInterpolator(marks, np.eye(len(marks)))


def _leads_on(net: Net, points: Callable[[Array, Array], Array]) -> bool:
    """Whether lines between two curves of a family never run back, against their chord."""
    grids = [
        np.concatenate([*(np.linspace(a, b, _BETWEEN)[:-1] for a, b in pairwise(m)), [1.0]]) for m in (net.u, net.v)
    ]
    p = points(*grids)
    for rows in (p, p.swapaxes(0, 1)):
        chord = np.repeat(np.diff(rows[:: _BETWEEN - 1], axis=0), _BETWEEN - 1, axis=0)
        if (dot(np.diff(rows, axis=0), chord) < -COINCIDENT * norm(chord)).any():
            return False
    return True
