"""The sides of a patch in order round it: which follows which, how their ends meet, and what disagrees at the
corners."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import TINY, Array, norm, unit
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge
from pamble.core.patches.side import Neighbour, Side
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives
from pamble.core.tolerances import COINCIDENT

_MOST_GAP = (0.1, 2e-3)
"""Gap at a corner, in mm and as a share of the shortest side, up to which sides follow each other."""

CONTRADICTS = 2.0
"""Mismatch of curvatures at a corner, %, from which no patch heals it."""

_AIM = 0.3
"""Mismatch, %, that a patch is held to along a side."""

MOST_INFLUENCE = 5.0
"""Longest arm across a side, over the way to the other side."""

_EASED = 0.15
"""Share of a side over which a contradiction at its end is eased."""


@dataclass(frozen=True)
class Asked:
    """What is asked along a side: an edge of a neighbour to be met with G0 to G2, or a curve to be contained, square to
    a plane with the normal ``square`` (3,) where that is given. influence: see `Meets`.
    """

    source: Edge | Curve
    order: int = 2
    influence: float | None = None
    square: Array | None = None

    @property
    def label(self) -> str:
        return "curve" if isinstance(self.source, Curve) else self.source.name


Ease = Callable[[Array], Array]
"""Gives factors (m,), 1 or more, on the aim of the curvature at shares (m,) of a side."""


@dataclass(frozen=True)
class Placed:
    """A side in its place: what is asked, and how it is run through. ease: see `eased`."""

    asked: Asked
    side: Side
    ease: Ease | None = None

    def reversed(self) -> Placed:
        ease = self.ease
        return replace(self, side=self.side.reversed(), ease=None if ease is None else lambda s: ease(1.0 - s))


@dataclass(frozen=True)
class Corner:
    """Where two sides follow each other. sides: their numbers. gap: of their ends, mm. angle: between the neighbours'
    normals, degrees. bends, twist: largest mismatch of the neighbours' curvatures along both sides, and of their twist,
    % of the larger. line: number of the side that is only contained where the other is met with tangents: then angle
    and bends, where curvature is asked for, are those of its line with the other's neighbour, and there is no twist.
    None where there is nothing to compare.
    """

    point: Array
    sides: tuple[int, int]
    gap: float
    angle: float | None = None
    bends: float | None = None
    twist: float | None = None
    line: int | None = None


@dataclass(frozen=True)
class Chain:
    """Sides head to tail. order: their numbers as they were given. gaps: at each joint; the last one closes the
    chain."""

    sides: tuple[Placed, ...]
    order: tuple[int, ...]
    gaps: Array
    most: float

    @property
    def joined(self) -> tuple[bool, ...]:
        """Whether each side's end meets the start of the next, round to the first."""
        return tuple(bool(g <= self.most) for g in self.gaps)

    @property
    def eased(self) -> bool:
        """Whether some of what is asked cannot be had, see `eased`."""
        return any(p.ease is not None for p in self.sides)


def chain(asked: Sequence[Asked]) -> Chain:
    """Sides put head to tail by their nearest ends; the first runs as it is where either way does."""
    first = [Placed(a, Side(a.source)) for a in asked]
    lengths = [curve_length(p.side.curve) for p in first]
    most = max(_MOST_GAP[0], _MOST_GAP[1] * min(lengths))
    best: Chain | None = None
    for turned in (False, True):
        sides, order = [first[0].reversed() if turned else first[0]], [0]
        while len(sides) < len(first):
            end = sides[-1].side.ends[1]
            ways = [
                (float(np.linalg.norm(p.side.ends[0] - end)), i, p)
                for i, q in enumerate(first)
                if i not in order
                for p in (q, q.reversed())
            ]
            _, i, p = min(ways, key=lambda w: w[0])
            sides.append(p)
            order.append(i)
        ends = [p.side.ends for p in sides]
        gaps = np.array([np.linalg.norm(e[1] - f[0]) for e, f in zip(ends, [*ends[1:], ends[0]], strict=True)])
        made = Chain(tuple(sides), tuple(order), gaps, most)
        if best is None or _total(made) < _total(best) - COINCIDENT:
            best = made
    assert best is not None
    return best


def _total(c: Chain) -> float:
    return float(np.minimum(c.gaps, 1e3 * c.most).sum())


def refuse_gap(c: Chain, where: int) -> None:
    """Raise `GeometryError` with how far the ends of two sides are apart."""
    x, y, z = c.sides[where].side.ends[1]
    if len(c.sides) == 1:
        raise GeometryError(
            f"This side does not come round: its ends are {c.gaps[where]:.3f} mm apart, near ({x:.2f}, {y:.2f}, "
            f"{z:.2f}) mm. Pick those between them too."
        )
    a, b = c.order[where] + 1, c.order[(where + 1) % len(c.order)] + 1
    raise GeometryError(
        f"Sides {a} and {b} do not meet: their ends are {c.gaps[where]:.3f} mm apart, "
        f"near ({x:.2f}, {y:.2f}, {z:.2f}) mm. Trim or extend them until they do, or "
        "pick the edges between them, too."
    )


def corners(c: Chain, diagonal: float) -> list[Corner]:
    """What disagrees at the joints of sides. ``diagonal`` of the part, mm, bounds the curvature reference from
    below."""
    out = []
    for i, (joined, one) in enumerate(zip(c.joined, c.sides, strict=True)):
        j = (i + 1) % len(c.sides)
        if not joined or i == j:
            continue
        other = c.sides[j]
        pair = (c.order[i], c.order[j])
        point = 0.5 * (one.side.ends[1] + other.side.ends[0])
        ends = ((one, np.array([1.0])), (other, np.array([0.0])))
        bound = [not isinstance(p.asked.source, Curve) and p.asked.order > 0 for p, _ in ends]
        if not any(bound):
            out.append(Corner(point, pair, float(c.gaps[i])))
        elif all(bound):
            a, b = (p.side.at(s) for p, s in ends)
            t, u = (p.side.tangents(s)[0] for p, s in ends)
            out.append(Corner(point, pair, float(c.gaps[i]), *_mismatch(a, b, t, u, diagonal)))
        else:
            (line, s), (met, u) = ends if bound[1] else ends[::-1]
            angle, bent = _leaves(line.side, s, met.side.at(u), diagonal)
            bends = bent if met.asked.order > 1 else None
            out.append(Corner(point, pair, float(c.gaps[i]), angle, bends, line=pair[0] if bound[1] else pair[1]))
    return out


def eased(c: Chain, found: Sequence[Corner]) -> Chain:
    """The chain with sides that ask for less curvature toward corners at which the neighbours' curvatures contradict
    each other: no patch has both, and one that tries loses the tangents, too.
    """
    worst = {k.sides: max(k.bends or 0.0, k.twist or 0.0) for k in found}

    def amount(i: int) -> float:
        """By how much the corner behind the side at a place in the chain misses the aim."""
        much = worst.get((c.order[i], c.order[(i + 1) % len(c.order)]), 0.0)
        return much / _AIM if much > CONTRADICTS else 0.0

    def placed(i: int, p: Placed) -> Placed:
        before, behind = amount(i - 1), amount(i)
        if not before and not behind:
            return p
        return replace(
            p, ease=lambda s: 1.0 + before * np.exp(-((s / _EASED) ** 2)) + behind * np.exp(-(((1 - s) / _EASED) ** 2))
        )

    return replace(c, sides=tuple(placed(i, p) for i, p in enumerate(c.sides)))


def _mismatch(a: Neighbour, b: Neighbour, t: Array, s: Array, diagonal: float) -> tuple[float, float, float]:
    sign = 1.0 if float(a.normal[0] @ b.normal[0]) >= 0 else -1.0
    angle = float(np.degrees(np.arccos(np.clip(sign * float(a.normal[0] @ b.normal[0]), -1, 1))))
    least = max(float(np.abs(x.bend).max()) for x in (a, b))
    reference = max(least, 1.0 / max(diagonal, 1e-9))

    def off(p: Array, q: Array) -> float:
        return 100 * abs(float(p @ a.bend[0] @ q) - sign * float(p @ b.bend[0] @ q)) / reference

    return angle, max(off(t, t), off(s, s)), off(t, s)


def _leaves(line: Side, s: Array, met: Neighbour, diagonal: float) -> tuple[float, float]:
    """The angle at which a line leaves a surface at a share (1,) of it, degrees, and the mismatch of its curvature out
    of the surface with the surface's own, % of the larger.
    """
    _, first, second = curve_derivatives(line.curve, line.parameters(s), 2)[:, 0]
    speed, n = max(float(norm(first)), TINY), met.normal[0]
    way = first / speed
    curvature = (second - (second @ way) * way) / speed**2
    reference = max(float(np.abs(met.bend).max()), float(norm(curvature)), 1.0 / max(diagonal, 1e-9))
    angle = float(np.degrees(np.arcsin(np.clip(abs(way @ n), 0.0, 1.0))))
    return angle, 100 * abs(float(curvature @ n - way @ met.bend[0] @ way)) / reference


def free_side(start: Array, end: Array, leaving: Array, arriving: Array, s: Array) -> Array:
    """Points (m, 3) of a calm line between two corners for a side of which nothing is asked: a cubic (Hermite).

    leaving, arriving: unit directions at both ends along the rising share.
    """
    length = float(norm(end - start))
    d0, d1 = unit(leaving[None])[0] * length, unit(arriving[None])[0] * length
    h = s[:, None]
    return np.asarray(
        (1 - 3 * h**2 + 2 * h**3) * start
        + (3 * h**2 - 2 * h**3) * end
        + (h - 2 * h**2 + h**3) * d0
        + (h**3 - h**2) * d1
    )
