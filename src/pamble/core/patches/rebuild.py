"""A surface rebuilt with other degrees and spans, and how far it moved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.errors import GeometryError
from pamble.core.patches.space import Patch, Space
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import raised_knots, recast_surface
from pamble.core.spline.surface import Surface

_DENSE = 41
_CLOSER, _AROUND = 6, np.linspace(-1.0, 1.0, 7)
_MOST = 24
"""Spans along a direction up to which a search goes."""

Pair = tuple[int | None, int | None]


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
    surface: Surface, degree: Pair = (None, None), spans: Pair = (None, None), tolerance: float = 0.02
) -> Rebuilt:
    """The surface over other spaces, its parameters as they were.

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
    while True:
        made = _fitted(surface, sides)
        deviation, place, apart = _moved(surface, made)
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


def _fitted(surface: Surface, sides: tuple[_Side, _Side]) -> Surface:
    """Least squares at Gauss places of the new spans, the rim first."""
    spaces, scale = [], []
    for side, (low, high) in zip(sides, surface.domain, strict=True):
        spaces.append(Space(side.degree, (side.knots - low) / (high - low)))
        scale.append((low, high - low))
    patch = Patch(*spaces)

    def points(u: Array, v: Array) -> Array:
        (a, da), (b, db) = scale
        return np.asarray(surface_grid(surface, a + da * u, b + db * v)[0, 0])

    net = patch.net(patch.interpolate(points))
    return Surface(sides[0].degree, sides[1].degree, sides[0].knots, sides[1].knots, net)


def _moved(surface: Surface, made: Surface) -> tuple[float, Array, tuple[float, float]]:
    """Largest distance between both, with its place; and how wavy the way between them is along u and along v, mm."""
    u, v = (np.linspace(*d, _DENSE) for d in surface.domain)
    way = surface_grid(made, u, v)[0, 0] - surface_grid(surface, u, v)[0, 0]
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
