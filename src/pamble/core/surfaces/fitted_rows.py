"""Rows of control points through places in one direction: by least squares, both ends met, a joint closed smoothly."""

from __future__ import annotations

import numpy as np
from scipy.linalg import null_space

from pamble.core.arrays import Array, dot, norm
from pamble.core.spline import basis
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.surface import Surface

_LOOKED = 17
_SAME = 1e-6
"""Share of its size by which what closes smoothly may differ at both ends."""


def fit_rows(knots: Array, degree: int, t: Array, values: Array, joint: int = 0) -> Array:
    """Control points (n, ...) whose spline comes nearest to values (m, ...) at parameters (m,), the first and last of
    which are the ends and are met exactly.

    joint: up to which derivative the spline is to run on from its end into its start; as far as there are rows for it.

    >>> from pamble.core.spline.basis import uniform_knots
    >>> t = np.linspace(0, 1, 9)
    >>> fit_rows(uniform_knots(3, 1), 3, t, t[:, None] ** 2 + 1.0).ravel().round(9).tolist()
    [1.0, 1.0, 1.333333333, 2.0]
    """
    a = np.asarray(basis.matrix(knots, degree, t)[0])
    out = np.zeros((a.shape[1], *values.shape[1:]))
    out[0], out[-1] = values[0], values[-1]
    flat = values.reshape(len(values), -1)
    ends = flat[[0, -1]]
    rest = flat - a[:, [0, -1]] @ ends
    inner = a[:, 1:-1]
    orders = min(joint, degree - 1, inner.shape[1] - 1)
    if orders < 1:
        made = np.linalg.lstsq(inner, rest, rcond=None)[0]
    else:
        d = basis.matrix(knots, degree, np.array([knots[degree], knots[-degree - 1]]), orders)[1:]
        runs_on = d[:, 0] - d[:, 1]
        runs_on /= np.abs(runs_on).max(axis=1, keepdims=True)
        first = np.linalg.lstsq(runs_on[:, 1:-1], -runs_on[:, [0, -1]] @ ends, rcond=None)[0]
        free = null_space(runs_on[:, 1:-1])
        made = first + free @ np.linalg.lstsq(inner @ free, rest - inner @ first, rcond=None)[0]
    out[1:-1] = made.reshape(-1, *values.shape[1:])
    return out


def smooth_joints(surface: Surface, even: tuple[bool, bool] = (False, False)) -> tuple[int, int]:
    """Up to which derivative, 2 at most, a surface runs on from its end into its start along u, and along v; 0 where it
    does not close. even: along which of them as it would at an even pace, by its tangents and curvatures.
    """
    (u0, u1), (v0, v1) = surface.domain
    across = surface_grid(surface, [u0, u1], np.linspace(v0, v1, _LOOKED), 2)
    along = surface_grid(surface, np.linspace(u0, u1, _LOOKED), [v0, v1], 2)
    u = [np.stack([across[k, 0][i] for k in range(3)]) for i in (0, 1)]
    v = [np.stack([along[0, k][:, i] for k in range(3)]) for i in (0, 1)]
    return smooth_order(u[0], u[1], even[0]), smooth_order(v[0], v[1], even[1])


def smooth_order(one: Array, two: Array, even: bool = False) -> int:
    """Up to which derivative places with their first and second ones, (3, m, 3), are the same at both ends; see
    `smooth_joints`.
    """
    if even:
        one, two = _by_length(one), _by_length(two)
    size = np.maximum(norm(one), norm(two)).max(axis=1)
    same = norm(one - two).max(axis=1) <= _SAME * np.maximum(size, _SAME * size[0])
    return max(int(np.argmin([*same, False])) - 1, 0)


def _by_length(d: Array) -> Array:
    """Derivatives by length, of what is run through at a pace of its own; where it stands still they are none."""
    pace = norm(d[1])[:, None]
    safe = np.where(pace > 0.0, pace, 1.0)
    way = d[1] / safe
    return np.stack([d[0], way, (d[2] - dot(d[2], way)[:, None] * way) / safe**2])
