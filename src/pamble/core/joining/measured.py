"""What pairing asks of an edge by itself."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from pamble.core.arrays import Array, floats
from pamble.core.curves.measure import AffineMap, LengthMap, curvature_jumps
from pamble.core.errors import BlendError, GeometryError
from pamble.core.faces.face import Edge
from pamble.core.faces.frames import ArcLength, arc_length, positions
from pamble.core.remember import Remembered
from pamble.core.spline import knots
from pamble.core.spline.curve import Curve
from pamble.core.spline.kinks import refuse_kinks
from pamble.core.tolerances import COINCIDENT

COARSE = np.linspace(0.0, 1.0, 17)
"""Even shares of an edge's parameters at which it is looked at."""


@dataclass(frozen=True, eq=False)
class Traits:
    """What pairing asks of an edge by itself; remembered with it, as most edges stand still in live work.

    points: (17, 3) at even parameters. own: the edge as a curve in s, if it is a polynomial one.
    """

    space: Curve
    domain: tuple[float, float]
    length: ArcLength
    points: Array
    own: Curve | None

    @cached_property
    def closed(self) -> bool:
        """Whether the edge ends where it begins."""
        return float(np.linalg.norm(self.points[-1] - self.points[0])) < COINCIDENT * max(1.0, self.length.total)

    @cached_property
    def affine(self) -> LengthMap:
        """Its affine length."""
        return AffineMap(self.space)

    @cached_property
    def plain(self) -> LengthMap:
        """Its length."""
        return LengthMap(self.space)

    @cached_property
    def jumps(self) -> list[float]:
        """Parameters at which its curvature jumps."""
        return curvature_jumps(self.space, round=self.closed)

    @cached_property
    def fractions(self) -> Array:
        """Fractions of its length at even parameters, (17,)."""
        start, end = self.domain
        even = start + COARSE * (end - start)
        return np.interp(even, self.length.nodes, self.length.lengths) / self.length.total

    @cached_property
    def turned(self) -> Curve | None:
        """The edge as a curve in s, run the other way."""
        return None if self.own is None else knots.reverse_curve(self.own)


_TRAITS: Remembered[Edge, None, Traits] = Remembered(1)


@dataclass(frozen=True)
class Measured:
    """An edge with its traits."""

    edge: Edge
    traits: Traits

    @property
    def length(self) -> ArcLength:
        """Its arc length."""
        return self.traits.length

    def exact(self, turned: bool) -> Curve | None:
        """The edge as a curve in s, if it is a polynomial one."""
        return self.traits.turned if turned else self.traits.own

    def points(self, turned: bool) -> Array:
        """Places at even parameters, (17, 3)."""
        return self.traits.points[::-1] if turned else self.traits.points

    def parameter(self, fraction: Array) -> Array:
        """Parameters at fractions of its length."""
        start, end = self.edge.domain
        return np.clip(self.length.to_parameter(fraction * self.length.total), start, end)

    def fraction(self, t: Array) -> Array:
        """Fractions of its length at parameters."""
        return np.asarray(self.length.of_parameter(t)) / self.length.total


def measured(edge: Edge) -> Measured:
    """An edge as pairing sees it. Raises `BlendError` for one without length or with a kink inside."""
    return Measured(edge, _TRAITS.get(edge, None, lambda: _traits(edge)))


def _traits(edge: Edge) -> Traits:
    length, (start, end) = arc_length(edge.space), edge.domain
    if length.total < 1e-4:
        raise BlendError("An edge that was picked has no length: it is a point (a pole). Pick another edge.")
    _refuse_kinks(edge)
    own = None
    if edge.side is not None and edge.surface.weights is None:
        curve, (low, high) = edge.space, edge.space.domain
        own = Curve(curve.degree, floats((curve.knots - low) / (high - low)), curve.control)
    return Traits(edge.space, (start, end), length, positions(edge, start + COARSE * (end - start)), own)


def _refuse_kinks(edge: Edge) -> None:
    try:
        refuse_kinks(edge.space, "The edge", "split it there and blend the pieces one by one")
    except GeometryError as error:
        raise BlendError(str(error)) from error
