"""Offset of a surface along its normal, fitted on the surface's own knots, refined where the tolerance asks for it."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.differential import curvatures
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import raised_knots
from pamble.core.spline.surface import Surface

_EACH = 8
_ROUNDS = 7
_MOST = 60
"""Spans in one direction up to which knots are put in."""


def offset_surface(surface: Surface, distance: float, tolerance: float = 0.001) -> tuple[Surface, float]:
    """The surface moved by a distance (mm) along its normal, and how far it is from the true offset, mm.

    Raises `GeometryError` where the distance is beyond the least radius on that side, with the radius and the place.
    """
    degrees = (max(3, surface.degree_u), max(3, surface.degree_v))
    knots = [
        raised_knots(k, d, w - d) if w > d else k
        for k, d, w in zip(
            (surface.knots_u, surface.knots_v), (surface.degree_u, surface.degree_v), degrees, strict=True
        )
    ]
    for _ in range(_ROUNDS):
        u, v = (_places(k, d) for k, d in zip(knots, degrees, strict=True))
        wanted, normal = _true(surface, distance, u, v)
        a, b = (basis.matrix(k, d, t)[0] for k, d, t in zip(knots, degrees, (u, v), strict=True))
        control = np.swapaxes(_solve(b, np.swapaxes(_solve(a, wanted), 0, 1)), 0, 1)
        miss = np.einsum("in,nmc,jm->ijc", a, control, b, optimize=True) - wanted
        # What slides within the surface lies on it still, and what slides along a rim on that.
        off = np.abs(dot(miss, normal))
        for rim, along in ((np.s_[[0, -1]], 1), (np.s_[:, [0, -1]], 0)):
            way = unit(np.gradient(wanted, axis=along))[rim]
            off[rim] = norm(miss[rim] - dot(miss[rim], way)[..., None] * way)
        made = Surface(*degrees, knots[0], knots[1], control), float(off.max())
        if made[1] <= tolerance:
            break
        worst = (off.max(axis=1), off.max(axis=0))
        knots = [_finer(k, d, t, w, tolerance) for k, d, t, w in zip(knots, degrees, (u, v), worst, strict=True)]
        if max(basis.span_count(k, d) for k, d in zip(knots, degrees, strict=True)) > _MOST:
            break
    return made


def _places(knots: Array, degree: int) -> Array:
    breaks = basis.breaks(knots, degree)
    inner = breaks[:-1, None] + np.diff(breaks)[:, None] * np.arange(_EACH) / _EACH
    return np.append(inner.ravel(), breaks[-1])


def _true(surface: Surface, distance: float, u: Array, v: Array) -> tuple[Array, Array]:
    """Points of the true offset on a grid, and the unit normals there, (m, n, 3) each."""
    d = surface_grid(surface, u, v, 2)
    n, k = curvatures(d)
    tightest = 1.0 - distance * np.stack([k.largest, k.smallest])
    if tightest.min() <= 1e-6:
        which = np.unravel_index(int(np.argmin(tightest)), tightest.shape)
        x, y, z = d[0, 0][which[1:]]
        radius = abs(distance / (1.0 - float(tightest[which])))
        raise GeometryError(
            f"An offset by {distance:g} mm folds: the least radius on that side is {radius:.2f} mm, near "
            f"({x:.2f}, {y:.2f}, {z:.2f}) mm."
        )
    return np.asarray(d[0, 0] + distance * n), n


def _solve(a: Array, values: Array) -> Array:
    """Least squares along the first axis, both ends met exactly."""
    out = np.zeros((a.shape[1], *values.shape[1:]))
    out[0], out[-1] = values[0], values[-1]
    rest = values - np.tensordot(a[:, [0, -1]], out[[0, -1]], 1)
    inner = np.linalg.lstsq(a[:, 1:-1], rest.reshape(len(rest), -1), rcond=None)[0]
    out[1:-1] = inner.reshape(-1, *values.shape[1:])
    return out


def _finer(knots: Array, degree: int, t: Array, off: Array, tolerance: float) -> Array:
    """Knots put in the middle of the spans at fault."""
    breaks = basis.breaks(knots, degree)
    span = np.clip(np.searchsorted(breaks, t, side="right") - 1, 0, len(breaks) - 2)
    worst = np.zeros(len(breaks) - 1)
    np.maximum.at(worst, span, off)
    new = (0.5 * (breaks[1:] + breaks[:-1]))[worst > tolerance]
    return np.sort(np.concatenate([knots, new]))
