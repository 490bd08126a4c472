"""Face and edge: a surface bounded by its own four sides, or by trim loops."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property, lru_cache

from pamble.core.arrays import floats
from pamble.core.errors import ReferenceLost
from pamble.core.spline.curve import Curve
from pamble.core.spline.knots import curve_part, edge_curve
from pamble.core.spline.surface import EDGES, Surface

_NUMBERED = re.compile(r"(\.\d+of\d+)+$")


def base_name(edge: str) -> str:
    """Name of an edge without the numbers that tell stretches of one source apart: "u0" of "u0.1of2"."""
    return _NUMBERED.sub("", edge)


_SIDES = {"u0": "u start", "u1": "u end", "v0": "v start", "v1": "v end"}


MOVED = "~"
"""Behind the name of an edge that was a side of its surface, until that was carried on beyond it."""


def edge_words(edge: str) -> str:
    """The name of an edge as it is said: a side of a surface by its end."""
    return _SIDES.get(edge.removesuffix(MOVED), edge)


@dataclass(frozen=True, eq=False)
class Part:
    """An edge as a part of a longer one, between two of its parameters. reversed: whether it is run the other way;
    turned: whether its surface shows its other side, so that normals agree along the whole.
    """

    edge: Edge
    start: float
    end: float
    reversed: bool
    turned: bool


@dataclass(frozen=True, eq=False)
class Edge:
    """One edge of a face.

    pcurve: the edge in the parameter plane of ``surface``. inward: +1 if the face lies on the left of ``pcurve``,
    else -1. curve: its twin in space over the same range of parameters; None on a natural edge, which is exact.
    at: the side of the surface that it lies on, whole or in part, ``u0 u1 v0 v1``; told by the name when None.
    whole: a curve of which the twin is a stretch; it is cut out only when it is asked for. parts: the edges that it
    consists of, of several faces; then ``pcurve`` tells no more than its range.
    """

    surface: Surface
    name: str
    pcurve: Curve
    inward: float
    curve: Curve | None = None
    at: str | None = None
    whole: Curve | None = None
    parts: tuple[Part, ...] = ()

    @property
    def natural(self) -> bool:
        """Whether the edge is a whole side of its surface, exact by itself."""
        return self.curve is None and self.whole is None

    @property
    def twin(self) -> Curve:
        """A curve in space that runs along the edge over its domain, and perhaps beyond."""
        return self.whole if self.whole is not None else self.space

    @property
    def side(self) -> str | None:
        """The side of the surface that the edge lies on, whole or in part; None for one that was cut."""
        if self.at is not None:
            return self.at
        base = base_name(self.name)
        return base if base in EDGES else None

    @property
    def domain(self) -> tuple[float, float]:
        return self.pcurve.domain

    @cached_property
    def space(self) -> Curve:
        """The edge as a curve in space."""
        if self.whole is not None:
            return self.whole if self.whole.domain == self.domain else curve_part(self.whole, *self.domain)
        return self.curve if self.curve is not None else edge_curve(self.surface, self.side or self.name)


@dataclass(frozen=True, eq=False)
class Face:
    """A surface and its trim loops, outer loop first; no loops means the natural four-sided face.

    names: lasting names of the four sides at u0, u1, v0, v1 of a natural face; others than these where the surface was
    split or turned since.
    """

    surface: Surface
    loops: tuple[tuple[Edge, ...], ...] = ()
    names: tuple[str, str, str, str] = EDGES

    @property
    def natural(self) -> bool:
        return not self.loops

    @cached_property
    def edges(self) -> tuple[Edge, ...]:
        """All edges, in the order of the loops; for a natural face those at u0, u1, v0, v1."""
        if self.natural:
            return tuple(natural_edge(self.surface, side, name) for side, name in zip(EDGES, self.names, strict=True))
        return tuple(edge for loop in self.loops for edge in loop)

    def edge(self, name: str) -> Edge:
        """The edge of that name. Raises `ReferenceLost` if the face has none."""
        for edge in self.edges:
            if edge.name == name:
                return edge
        have = ", ".join(edge.name for edge in self.edges)
        raise ReferenceLost(f"The edge {name} is no longer there; the face has {have}.")


def natural_edge(surface: Surface, side: str, name: str | None = None) -> Edge:
    """One of the four sides of a surface, run along the rising parameter. Raises `ReferenceLost` for another word."""
    pcurve, inward = _side(surface.domain, side)
    return Edge(surface, name or side, pcurve, inward, None, side)


def side_curve(surface: Surface, side: str) -> tuple[Curve, float, Curve]:
    """A side in the parameter plane, +1 if the surface lies on its left, and its exact twin in space."""
    return *_side(surface.domain, side), edge_curve(surface, side)


@lru_cache(maxsize=512)
def _side(box: tuple[tuple[float, float], tuple[float, float]], side: str) -> tuple[Curve, float]:
    (u0, u1), (v0, v1) = box
    corners = {
        "u0": ((u0, v0), (u0, v1), -1.0),
        "u1": ((u1, v0), (u1, v1), 1.0),
        "v0": ((u0, v0), (u1, v0), 1.0),
        "v1": ((u0, v1), (u1, v1), -1.0),
    }
    if side not in corners:
        raise ReferenceLost(f"A four-sided face has the edges {', '.join(EDGES)}, not {side}.")
    start, end, inward = corners[side]
    domain = (v0, v1) if side[0] == "u" else (u0, u1)
    return Curve.line(floats(start), floats(end), domain), inward
