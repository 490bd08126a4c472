"""A change laid over a surface: movements of its CVs, kept as a spline of their own.

The change does not hang on the surface's make: when the surface below is rebuilt with other degrees or spans, both are
brought into one spline space that holds them, and added. Nothing is lost, and without a change of make no CV is added.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.spline.knots import raised_knots, recast_surface
from pamble.core.spline.surface import Surface


@dataclass(frozen=True, eq=False)
class Overlay:
    """surface: its control points are movements, mm; its domain is that of the surface when the change was made."""

    surface: Surface

    def on(self, surface: Surface) -> Surface:
        """The movements in the spline space of ``surface``, or, where that does not hold them, in the least one that
        holds both. Raises `GeometryError` over a rational surface of another make.
        """
        own = _on_domain(self.surface, surface)
        if _alike(own, surface):
            return own
        if surface.weights is not None:
            raise GeometryError(
                "The face below was rebuilt with other degrees or spans, and is rational: move its CVs there instead."
            )
        return recast_surface(own, *_common(own, surface))

    def applied(self, surface: Surface) -> Surface:
        """The surface with the change on it. Raises `GeometryError`; see `on`."""
        moved = self.on(surface)
        if _alike(moved, surface):
            return surface.with_control(surface.control + moved.control)
        below = recast_surface(surface, (moved.degree_u, moved.degree_v), (moved.knots_u, moved.knots_v))
        return below.with_control(below.control + moved.control)


def overlay_of(surface: Surface, movement: Array) -> Overlay:
    """A change in the spline space of a surface; ``movement`` as its control points, mm."""
    s = surface
    return Overlay(Surface(s.degree_u, s.degree_v, s.knots_u, s.knots_v, movement))


def _on_domain(own: Surface, surface: Surface) -> Surface:
    """The change on the domain of the surface: what was made on a half of it covers the whole."""
    if own.domain == surface.domain:
        return own
    knots = []
    for k, (a, b), (c, d) in zip((own.knots_u, own.knots_v), own.domain, surface.domain, strict=True):
        knots.append(c + (k - a) * ((d - c) / (b - a)))
    return Surface(own.degree_u, own.degree_v, knots[0], knots[1], own.control)


def _alike(a: Surface, b: Surface) -> bool:
    return (
        (a.degree_u, a.degree_v) == (b.degree_u, b.degree_v)
        and len(a.knots_u) == len(b.knots_u)
        and len(a.knots_v) == len(b.knots_v)
        and np.allclose(a.knots_u, b.knots_u, rtol=0, atol=1e-12)
        and np.allclose(a.knots_v, b.knots_v, rtol=0, atol=1e-12)
    )


def _common(a: Surface, b: Surface) -> tuple[tuple[int, int], tuple[Array, Array]]:
    """Degrees and knots of the least spline space that holds both."""
    degrees, knots = [], []
    for p, k, q, l in ((a.degree_u, a.knots_u, b.degree_u, b.knots_u), (a.degree_v, a.knots_v, b.degree_v, b.knots_v)):
        degree = max(p, q)
        both = [raised_knots(x, d, degree - d) for x, d in ((k, p), (l, q))]
        counts: dict[float, int] = {}
        for vector in both:
            values, multiplicity = np.unique(np.round(vector, 12), return_counts=True)
            for value, m in zip(values.tolist(), multiplicity.tolist(), strict=True):
                counts[value] = max(counts.get(value, 0), m)
        degrees.append(degree)
        knots.append(np.repeat(sorted(counts), [counts[v] for v in sorted(counts)]).astype(float))
    return (degrees[0], degrees[1]), (knots[0], knots[1])
