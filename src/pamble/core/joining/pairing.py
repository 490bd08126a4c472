"""Which point of one edge belongs to which point of the other.

Both edges are described by one parameter s on [0, 1]. An edge that the blend can hold exactly keeps its own
parameter; the other follows at equal fractions of length where its own would skew the sections.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from scipy.interpolate import make_interp_spline

from pamble.core.arrays import Array, norm
from pamble.core.curves.likeness import likeness
from pamble.core.curves.measure import LengthMap
from pamble.core.errors import BlendError
from pamble.core.faces.face import Edge
from pamble.core.faces.frames import positions
from pamble.core.joining.measured import Measured, measured
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.tolerances import COINCIDENT

_SKEW = 0.25
"""Skew, as a fraction of the width of the blend, up to which both edges keep their own parameters, and which is left
when one edge follows the other by a simpler law than equal fractions: calmer laws need fewer spans."""

_TABLE = np.linspace(0.0, 1.0, 161)
_ROUND = 256
"""Places round a loop at which its likeness with another is looked at."""

_FINE = 513


@dataclass(frozen=True)
class Borders:
    """How the borders of a face run on beyond both ends of an edge: unit directions (2, 3) that leave the face, and
    geodesic curvatures (2,), 1/mm, positive when they turn toward normal x direction.
    """

    ways: Array
    bends: Array


@dataclass(frozen=True)
class Side:
    """One edge seen through the common parameter. exact: the edge as a curve in s, if it is a polynomial one.

    closed: whether the edge is a loop that is run through whole. borders: of the face beyond its ends, where known.
    jumps: where along s the curvature of the edge jumps.
    """

    edge: Edge
    to_edge: Callable[[Array], Array]
    exact: Curve | None
    reversed: bool
    closed: bool = False
    borders: Borders | None = None
    jumps: tuple[float, ...] = ()

    @property
    def natural(self) -> str | None:
        """The side of its surface that the edge is, if it is one."""
        return self.edge.side

    def parameters(self, s: Array) -> Array:
        """Parameters of the edge at the common parameter."""
        return self.to_edge(s)

    def within(self, t: Array) -> Array:
        """Parameters that ran over an end of the edge, back on it: round a loop, else at the end."""
        low, high = self.edge.domain
        return low + np.mod(t - low, high - low) if self.closed else np.clip(t, low, high)


Begins = tuple[float | None, float | None]
"""Where two loops begin, as shares of their lengths; None where that is found."""


def pair_edges(a: Edge, b: Edge, flip: bool, begins: Begins = (None, None)) -> tuple[Side, Side]:
    """Pair two edges so that the blend does not twist; ``flip`` pairs them the other way.

    Raises `BlendError` for an edge without length or a kink inside it.
    """
    first, second = measured(a), measured(b)
    if first.traits.closed != second.traits.closed:
        raise BlendError(
            "One edge comes round to its start and the other does not: pick all edges in which the other runs on."
        )
    if first.traits.closed and second.traits.closed:
        one, two = _pair_closed(first, second, flip, begins)
    else:
        one, two = _pair_open(first, second, flip)
    return replace(one, jumps=_along(one, first)), replace(two, jumps=_along(two, second))


def lone_side(a: Edge, begin: float | None = None) -> Side:
    """An edge that is paired with a single point. begin: where a loop begins, as a share of its length."""
    m = measured(a)
    if not m.traits.closed:
        own = m.exact(False) is not None
        side = Side(a, _own_parameter(m, False) if own else _by_length(m, False), m.exact(False), False)
    else:
        by = m.traits.plain if m.traits.jumps else m.traits.affine
        start = _calm_start(m, m) if m.traits.jumps and begin is None else _share(m, by, begin or 0.0)
        side = Side(a, _round(by, start, 1.0), None, False, True)
    return replace(side, jumps=_along(side, m))


def _along(side: Side, m: Measured) -> tuple[float, ...]:
    """Where the jumps of an edge lie along s."""
    if not m.traits.jumps:
        return ()
    (start, end), s = m.edge.domain, np.linspace(0, 1, _FINE)
    t = side.to_edge(s)
    leap = np.abs(np.diff(t)) > 0.5 * abs(end - start)
    out = []
    for jump in m.traits.jumps:
        if side.closed and jump == start:
            # Where a loop comes round its own start the parameter leaps.
            out += [_halved(side, s[i : i + 2], 0.5 * (start + end)) for i in np.flatnonzero(leap).tolist()]
        else:
            crossed = np.flatnonzero(((t[1:] - jump) * (t[:-1] - jump) <= 0) & ~leap)
            out += [_halved(side, s[i : i + 2], jump) for i in crossed[:1].tolist()]
    return tuple(sorted(out))


def _halved(side: Side, bracket: Array, value: float) -> float:
    """The place in a bracket at which the edge's parameter passes a value, by halving."""
    low, high = float(bracket[0]), float(bracket[1])
    above = bool(side.to_edge(np.array([low]))[0] > value)
    for _ in range(48):
        middle = 0.5 * (low + high)
        if bool(side.to_edge(np.array([middle]))[0] > value) == above:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


def _pair_open(first: Measured, second: Measured, flip: bool) -> tuple[Side, Side]:
    a, b = first.edge, second.edge
    turned = _runs_against(first, second) != flip
    own = [_own_parameter(first, False), _own_parameter(second, turned)]
    exact = [first.exact(False), second.exact(turned)]
    if exact[0] is not None and exact[1] is not None and _skew(first, second, turned) < _SKEW:
        return Side(a, own[0], exact[0], False), Side(b, own[1], exact[1], turned)
    by_length = [_by_length(first, False), _by_length(second, turned)]
    if exact[0] is None and exact[1] is None:
        return Side(a, by_length[0], None, False), Side(b, by_length[1], None, turned)
    fractions = [_fractions(first, own[0], False), _fractions(second, own[1], turned)]
    uneven = [np.inf if e is None else float(np.abs(f - _TABLE).max()) for e, f in zip(exact, fractions, strict=True)]
    lead = int(np.argmin(uneven))
    own[1 - lead] = _follow((first, second)[1 - lead], by_length[1 - lead], fractions[lead], (first, second))
    exact[1 - lead] = None
    return Side(a, own[0], exact[0], False), Side(b, own[1], exact[1], turned)


def loop_start(side: Side) -> float:
    """Where a loop is begun, as a share of its length."""
    return measured(side.edge).traits.plain.fraction(float(side.to_edge(np.zeros(1))[0]))


def _pair_closed(a: Measured, b: Measured, flip: bool, begins: Begins) -> tuple[Side, Side]:
    """Pair two loops: the second runs the same way round and begins where the two twist least.

    Both run by affine length: where they bend they get more of the parameter, and an ellipse meets a circle untwisted.
    Where the curvature of one jumps both run by plain length, and begin as far from the jumps as can be.
    """
    smooth = not (a.traits.jumps or b.traits.jumps)
    first, second = (m.traits.affine if smooth else m.traits.plain for m in (a, b))
    begin = (0.0 if smooth else _calm_start(a, b)) if begins[0] is None else _share(a, first, begins[0])
    lead = _round(first, begin, 1.0) if begin else first.parameters
    s = np.arange(_ROUND) / _ROUND
    places = positions(a.edge, lead(s)), positions(b.edge, second.parameters(s))
    (ahead, along), (back, against) = (_least_twist(likeness(*places, sense)) for sense in (1, -1))
    turned = (against > along) != flip
    offset = (back if turned else ahead) if begins[1] is None else _share(b, second, begins[1])
    follow = _round(second, offset, -1.0 if turned else 1.0)
    return Side(a.edge, lead, None, False, True), Side(b.edge, follow, None, turned, True)


def _least_twist(alike: Array) -> tuple[float, float]:
    """The share at which a second loop begins for the largest `likeness`, and that: the top of a parabola through the
    best place and those beside it, so that it goes steadily with the loops.
    """
    best = int(np.argmax(alike))
    low, most, high = alike[best - 1], alike[best], alike[(best + 1) % len(alike)]
    bend = low - 2 * most + high
    shift = 0.5 * (low - high) / bend if bend < 0 else 0.0
    return (best + shift) / len(alike) % 1.0, float(most)


def _share(m: Measured, by: LengthMap, begin: float) -> float:
    """A share of a loop's length by another measure."""
    return by.fraction(float(m.traits.plain.parameters(np.array([begin % 1.0]))[0]))


def _calm_start(a: Measured, b: Measured) -> float:
    """The share of the first loop's length at which it is best begun: there, and beside it on the other, no curvature
    jumps near.
    """
    share = np.linspace(0, 1, 65)[:-1]
    points = positions(a.edge, a.traits.plain.parameters(share))
    beside = np.array([b.traits.plain.fraction(float(t)) for t in to_curve(b.edge.space, points).t])
    room = np.full(len(share), np.inf)
    for m, at in ((a, share), (b, beside)):
        for jump in m.traits.jumps:
            away = np.abs(at - m.traits.plain.fraction(jump))
            room = np.minimum(room, np.minimum(away, 1 - away))
    return float(share[int(np.argmax(room))])


def _round(m: LengthMap, offset: float, sense: float) -> Callable[[Array], Array]:
    return lambda s: m.parameters(np.mod(offset + sense * np.asarray(s), 1.0))


def _skew(a: Measured, b: Measured, turned: bool) -> float:
    """Largest distance along the edges between own pairing and equal fractions of length, over the mean width."""
    theirs = b.traits.fractions
    width = norm(a.traits.points - b.points(turned))
    difference = np.abs(a.traits.fractions - (1.0 - theirs[::-1] if turned else theirs)).max()
    return float(difference * max(a.length.total, b.length.total) / max(float(width.mean()), COINCIDENT))


def _runs_against(a: Measured, b: Measured) -> bool:
    """Whether pairing end with far end gives the shorter, straighter sections."""
    mine = a.traits.points
    return bool(norm(mine - b.points(True)).sum() < norm(mine - b.points(False)).sum())


def _own_parameter(m: Measured, turned: bool) -> Callable[[Array], Array]:
    start, end = m.edge.domain
    return lambda s: end + s * (start - end) if turned else start + s * (end - start)


def _by_length(m: Measured, turned: bool) -> Callable[[Array], Array]:
    return lambda s: m.parameter(1.0 - s if turned else np.asarray(s))


def _fractions(m: Measured, to_edge: Callable[[Array], Array], turned: bool) -> Array:
    f = m.fraction(to_edge(_TABLE))
    return 1.0 - f if turned else f


def _follow(
    m: Measured, by_length: Callable[[Array], Array], fractions: Array, pair: tuple[Measured, Measured]
) -> Callable[[Array], Array]:
    """Law for an edge that follows the other at equal fractions of length.

    The lowest polynomial that stays within the allowed skew, since every wave of the law costs spans; if none of
    degree 1 to 5 does, the exact law.
    """
    target = by_length(np.clip(fractions, 0.0, 1.0))
    length = max(pair[0].length.total, pair[1].length.total)
    s = np.linspace(0.0, 1.0, 9)
    width = norm(positions(pair[0].edge, pair[0].parameter(s)) - positions(pair[1].edge, pair[1].parameter(s)))
    allowed = _SKEW * min(float(width.mean()), 0.2 * length) / length
    start, end = target[0], target[-1]
    straight = start + _TABLE * (end - start)
    for degree in range(1, 6):
        shapes = (1 - _TABLE[:, None]) * _TABLE[:, None] ** np.arange(1, degree)
        weights = np.linalg.lstsq(shapes, target - straight, rcond=None)[0] if degree > 1 else np.zeros(0)
        law = straight + shapes @ weights
        rises = np.diff(law) * np.sign(end - start)
        if rises.min() > 0.1 * rises.mean() and np.abs(m.fraction(law) - m.fraction(target)).max() < allowed:
            return _polynomial(start, end, weights)
    exact = make_interp_spline(_TABLE, target, k=5)
    low, high = m.edge.domain
    return lambda s: np.clip(exact(s), low, high)


def _polynomial(start: float, end: float, weights: Array) -> Callable[[Array], Array]:
    def law(s: Array) -> Array:
        s = np.asarray(s)
        bend = sum((w * s ** (k + 1) for k, w in enumerate(weights)), start=np.zeros_like(s))
        return np.asarray(start + s * (end - start) + bend * (1 - s))

    return law
