"""Knots of the rows of a blend: even ones, the edges' own, and closer ones where the aims are missed."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import BlendError
from pamble.core.joining.pairing import Side
from pamble.core.joining.spec import SPANS_LIMIT, BlendSpec
from pamble.core.joining.tip import Tip
from pamble.core.spline import basis

_CLOSED_SPANS = 4
"""Fewest spans of a blend between two loops: with fewer, closing smoothly leaves nothing to shape it."""

_APART, _WITHIN = 4e-3, 1e-6
"""Share of the edges within which jumps of their curvature count as one, and from their ends as none: nothing would
shape the rows between places closer together.
"""

_ROOM, _LEAST, _MOST = 1.3, 0.7, 3.0
"""Spans that one becomes at once: over what it needs, at least and at most."""

_NARROW, _ROUNDING = 2e-3, 1e-6
"""Share of the edges below which a span is not parted: there the rows would follow noise. Rounding in counts of spans.
"""


def candidates(sides: tuple[Side, Side | Tip], spec: BlendSpec) -> Iterator[Array]:
    """Knot vectors to try, fewest control points first: even spans, and the edges' own knots with refinements."""
    p = spec.degree
    limit = p + (spec.spans or spec.search_limit)
    least = _CLOSED_SPANS if sides[0].closed else 1
    if spec.spans is not None and spec.spans < least:
        raise BlendError(f"A blend that closes on itself needs at least {least} spans, not {spec.spans}.")
    stops = stops_along(sides)
    least = max(least, len(stops) + 1)
    if spec.spans is not None and spec.spans < least:
        raise BlendError(f"The curvature of the edges jumps {len(stops)} times: {least} spans are the fewest.")
    even = [
        basis.spread_knots(p, n, stops) for n in range(least, (spec.spans or max(spec.search_limit, 2 * least)) + 1)
    ]
    own = _own_knots(sides, p)
    found = even + [k for k in own if len(k) - p - 1 <= limit + 12]
    if spec.spans is not None:
        found = [k for k in found if basis.span_count(k, p) == spec.spans]
    yield from sorted({k.tobytes(): k for k in found}.values(), key=len)


def stops_along(sides: tuple[Side, Side | Tip]) -> list[float]:
    """Where along the edges the curvature of one jumps: there the rows do no more than turn smoothly."""
    return basis.stops_apart([*sides[0].jumps, *sides[1].jumps], _APART, _WITHIN)


def _own_knots(sides: tuple[Side, Side | Tip], degree: int) -> list[Array]:
    """The edges' inner knots with the multiplicity that holds them exactly, and the same with halved spans."""
    need: dict[float, int] = {}
    for side in sides:
        if side.exact is None:
            continue
        d, k = side.exact.degree, side.exact.knots
        values, counts = np.unique(np.round(k[d + 1 : len(k) - d - 1], 12), return_counts=True)
        for value, count in zip(values.tolist(), counts.tolist(), strict=True):
            need[value] = max(need.get(value, 1), degree - d + count if d <= degree else 1)
    if not need or len(need) > SPANS_LIMIT:
        return []
    out = []
    for _ in range(3):
        inner = np.repeat(sorted(need), [need[v] for v in sorted(need)])
        out.append(np.concatenate([np.zeros(degree + 1), inner, np.ones(degree + 1)]))
        points = np.concatenate([[0.0], sorted(need), [1.0]])
        need |= {float(m): 1 for m in 0.5 * (points[1:] + points[:-1])}
    return out


def finer(knots: Array, degree: int, ratios: Array) -> Array:
    """Knots that lie closer where the aims are missed, and wider where there is room: the error falls with the fourth
    power of a span's length. Between the places where rows do no more than turn smoothly, which stay.

    ratios: of every span, the worst figure over its aim, (spans,).
    """
    at = basis.breaks(knots, degree)
    most = np.clip(np.diff(at) / (_NARROW * (at[-1] - at[0])), 1.0, _MOST)
    need = np.append(0.0, np.cumsum(np.clip(_ROOM * ratios**0.25, _LEAST, most)))
    inner, counts = np.unique(knots[degree + 1 : -degree - 1], return_counts=True)
    stops = {float(x): int(n) for x, n in zip(inner, counts, strict=True) if n > 1}
    held = [np.repeat(at[0], degree + 1)]
    for low, high in pairwise([at[0], *sorted(stops), at[-1]]):
        first, last = np.interp([low, high], at, need)
        n = int(np.ceil(last - first - _ROUNDING))
        held.append(np.interp(np.linspace(first, last, n + 1)[1:-1], need, at))
        held.append(np.repeat(high, stops.get(high, degree + 1)))
    return np.concatenate(held)
