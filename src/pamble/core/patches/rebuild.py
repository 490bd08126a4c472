"""A surface rebuilt with other degrees and spans, and how far it moved."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np
from scipy.interpolate import make_interp_spline

from pamble.core.arrays import TINY, Array, norm
from pamble.core.errors import GeometryError
from pamble.core.patches.space import Space
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import raised_knots, recast_surface
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.fitted_rows import fit_rows, smooth_joints

_DENSE = 41
_CLOSER, _AROUND = 6, np.linspace(-1.0, 1.0, 7)
_MOST = 24
"""Spans along a direction up to which a search goes."""

_PACES, _ROWS = 641, 9
_BETTER = 0.5
"""Share of how far the surface moves at one pace up to which another one is taken instead."""

_HOLDS = 0.05
"""Share of the tolerance within which no other pace is tried."""

Pair = tuple[int | None, int | None]


@dataclass(frozen=True)
class Pace:
    """at: from new parameters to a surface's own. even: whether that makes it run at an even pace."""

    at: Callable[[Array], Array]
    even: bool = False


_OWN = Pace(lambda t: t)

Paces = tuple[Pace, Pace]


@dataclass(frozen=True)
class Rebuilt:
    """deviation: largest distance between both surfaces, mm, at ``place`` (3,) on the old one. exact: whether the new
    space holds the old surface, so that nothing moved.
    """

    surface: Surface
    deviation: float
    place: Array
    exact: bool


def rebuild_surface(
    surface: Surface,
    degree: Pair = (None, None),
    spans: Pair = (None, None),
    tolerance: float = 0.02,
    *,
    kept_pace: bool = True,
) -> Rebuilt:
    """The surface over other spaces.

    kept_pace: whether its parameters stay as they were, as trims ask for; else it may be run through at an even pace,
    where that is much nearer: a circle of rational pieces is not smooth at its own. What closes smoothly stays so.

    degree: along u and v, as it is when None. spans: even ones along u and v; where None, as they are if the degree
    does not fall, else the fewest with which it moves by no more than ``tolerance``, mm. A degree that rises moves
    nothing. Raises `GeometryError` where many spans do not reach the tolerance.
    """
    sides = (
        _Side(surface.knots_u, surface.degree_u, degree[0], spans[0]),
        _Side(surface.knots_v, surface.degree_v, degree[1], spans[1]),
    )
    if all(s.holds for s in sides):
        knots = sides[0].knots, sides[1].knots
        made = recast_surface(surface, (sides[0].degree, sides[1].degree), knots)
        return Rebuilt(made, 0.0, surface_grid(surface, *_corner(surface))[0, 0, 0, 0], True)
    along_u, along_v = ([_OWN] if kept_pace else [_OWN, _even(surface, axis)] for axis in (0, 1))
    paces = list(product(along_u, along_v))
    while True:
        made, (deviation, place, apart) = _nearest(surface, sides, paces, tolerance)
        if deviation <= tolerance or not any(s.open for s in sides):
            return Rebuilt(made, deviation, place, False)
        # Where both may grow, the one along which it moves more.
        grows = max((s for s in sides if s.open), key=lambda s: apart[sides.index(s)])
        if grows.count >= _MOST:
            raise GeometryError(
                f"With {_MOST} spans it still moves by {deviation:.3f} mm: allow more, or raise the degree."
            )
        grows.count += 1


class _Side:
    """One direction: what it was, and what it is to be. holds: whether the new space holds the old one. open: whether
    the number of spans is looked for.
    """

    def __init__(self, knots: Array, old: int, degree: int | None, spans: int | None) -> None:
        self.degree = old if degree is None else degree
        self.holds = spans is None and self.degree >= old
        self.open = spans is None and not self.holds
        self.count = spans or 1
        self._old = raised_knots(knots, old, self.degree - old) if self.holds else knots
        self._ends = float(knots[old]), float(knots[-old - 1])

    @property
    def knots(self) -> Array:
        return self._old if self.holds else basis.uniform_knots(self.degree, self.count, *self._ends)


def _corner(surface: Surface) -> tuple[Array, Array]:
    return np.array([surface.domain[0][0]]), np.array([surface.domain[1][0]])


def _even(surface: Surface, axis: int) -> Pace:
    """From parameters that run at an even pace along u (0) or v (1), at the mean, to the surface's own."""
    low, high = surface.domain[axis]
    t = np.linspace(low, high, _PACES)
    across = np.linspace(*surface.domain[1 - axis], _ROWS)
    points = surface_grid(surface, *((t, across) if axis == 0 else (across, t)))[0, 0]
    steps = norm(np.diff(points, axis=axis)).mean(axis=1 - axis)
    run = np.append(0.0, np.cumsum(np.maximum(steps, TINY)))
    law = make_interp_spline(low + (high - low) * run / run[-1], t, k=3)
    return Pace(lambda s: np.clip(law(s), low, high), even=True)


def _nearest(
    surface: Surface, sides: tuple[_Side, _Side], paces: Sequence[Paces], tolerance: float
) -> tuple[Surface, tuple[float, Array, tuple[float, float]]]:
    """The nearest surface at one of the paces, and how it moved; at the first where the others are hardly nearer."""
    best = None
    for pace in paces:
        made = _fitted(surface, sides, pace)
        moved = _moved(surface, made, pace)
        if best is None or moved[0] < _BETTER * best[1][0]:
            best = made, moved
        if moved[0] <= _HOLDS * tolerance:
            break
    assert best is not None
    return best


def _fitted(surface: Surface, sides: tuple[_Side, _Side], paces: Paces) -> Surface:
    """Least squares at Gauss places of the new spans, the corners met; what closes smoothly stays so."""
    u, v = sides
    s, t = (_places(side, domain) for side, domain in zip(sides, surface.domain, strict=True))
    joints = smooth_joints(surface, (paces[0].even, paces[1].even))
    rows = fit_rows(u.knots, u.degree, s, surface_grid(surface, paces[0].at(s), paces[1].at(t))[0, 0], joints[0])
    net = np.swapaxes(fit_rows(v.knots, v.degree, t, np.swapaxes(rows, 0, 1), joints[1]), 0, 1)
    return Surface(u.degree, v.degree, u.knots, v.knots, net)


def _places(side: _Side, domain: tuple[float, float]) -> Array:
    low, high = domain
    return np.asarray(low + (high - low) * Space(side.degree, (side.knots - low) / (high - low)).places)


def _moved(surface: Surface, made: Surface, paces: Paces) -> tuple[float, Array, tuple[float, float]]:
    """Largest distance between both, with its place; and how wavy the way between them is along u and along v, mm."""
    u, v = (np.linspace(*d, _DENSE) for d in surface.domain)
    way = surface_grid(made, u, v)[0, 0] - surface_grid(surface, paces[0].at(u), paces[1].at(v))[0, 0]
    waves = tuple(float(norm(np.diff(way, axis=k)).max()) for k in (0, 1))
    return *farthest(surface, made, alike=True), (waves[0], waves[1])


def farthest(surface: Surface, other: Surface, alike: bool = False) -> tuple[float, Array]:
    """Largest distance of a surface from another, mm, and its place (3,), closed in on between the samples.

    alike: whether both lie near each other at the same parameters.
    """
    near = [np.linspace(*d, _DENSE) for d in surface.domain]
    reach = np.array([np.ptp(d) for d in surface.domain]) / (_DENSE - 1)
    best, place, at = -1.0, np.zeros(3), np.zeros(2)
    for _ in range(_CLOSER + 1):
        points = surface_grid(surface, near[0], near[1])[0, 0].reshape(-1, 3)
        u, v = (g.ravel() for g in np.meshgrid(*near, indexing="ij"))
        away = to_surface(other, points, (u, v) if alike else None).distance
        i = int(np.argmax(away))
        if away[i] > best:
            best, place, at = float(away[i]), points[i], np.array([u[i], v[i]])
        # The next round looks round the largest so far.
        near = [np.clip(at[k] + reach[k] * _AROUND, *surface.domain[k]) for k in (0, 1)]
        reach = reach * 0.3
    return best, place
