"""Samples of curves and surfaces from which closest points are sought."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.spatial import cKDTree

from pamble.core.arrays import Array
from pamble.core.remember import Remembered
from pamble.core.spline import basis
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.surface import EDGES, Surface

_SEEDS_A_SPAN = 12

_BESIDE_POLE = np.array([0.03, 0.15, 0.5])
"""Where, between a pole and the samples beside it, more lie from which feet beside it are sought."""


def samples(knots: Array, degree: int, least: int) -> Array:
    """Parameters that part each span evenly, ``least`` in all or more."""
    points = basis.breaks(knots, degree)
    each = max(_SEEDS_A_SPAN, -(-least // (len(points) - 1)))
    inner = points[:-1, None] + np.diff(points)[:, None] * np.arange(each) / each
    return np.append(inner.ravel(), points[-1])


def nearest_samples(surface: Surface, points: Array) -> tuple[Array, Array]:
    """Parameters u and v, (m,) each, of the nearest of samples of a surface, dense in every span, to points (m, 3)."""
    us, vs, tree = _grids.get(surface, None, lambda: _grid(surface))
    nearest = np.asarray(tree.query(points)[1])
    return us[nearest // len(vs)], vs[nearest % len(vs)]


_grids: Remembered[Surface, None, tuple[Array, Array, cKDTree]] = Remembered(1)


def _grid(surface: Surface) -> tuple[Array, Array, cKDTree]:
    us, vs = (samples(k, d, 40) for k, d in ((surface.knots_u, surface.degree_u), (surface.knots_v, surface.degree_v)))
    # All samples of a pole are one place, and none tells on which side of it a point lies: rows close to it do.
    poles = [side in surface.poles for side in EDGES]
    us, vs = _beside_ends(us, poles[:2]), _beside_ends(vs, poles[2:])
    return us, vs, cKDTree(surface_grid(surface, us, vs)[0, 0].reshape(-1, 3))


def _beside_ends(samples: Array, poles: Sequence[bool]) -> Array:
    """Samples without those of the ends that are poles, and more beside them."""
    start = samples[0] + _BESIDE_POLE * (samples[1] - samples[0]) if poles[0] else samples[:1]
    end = samples[-1] - _BESIDE_POLE[::-1] * (samples[-1] - samples[-2]) if poles[1] else samples[-1:]
    return np.concatenate([start, samples[1:-1], end])
