"""Edges of a part that go on from one that was named: as far as the next side of a patch, or as another runs along
them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.measure import curve_length
from pamble.core.faces.edge_chain import edge_chain, followed
from pamble.core.faces.face import Edge, Face
from pamble.core.patches.loop import Asked, chain
from pamble.core.patches.side import Side
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points

_PLACES, _RUNS_ALONG = 257, 2
"""Places of an edge, and how many of them lie beside another along which it runs."""

_MEETS = 0.05
"""Distance, mm, within which an edge begins where another ends."""

Member = tuple[int, Edge]
"""An edge of a part, with the number of its face."""


def led_on(faces: Sequence[Face], named: Sequence[Member]) -> list[list[Member]]:
    """Of each side named by one edge: that edge, and those that go on from it without a corner as far as the next side
    where the edge alone does not reach it. Three sides need to meet at two of their ends, two at none. What meets
    nothing is left as it is.
    """
    c = chain([Asked(edge) for _, edge in named])
    out = [[m] for m in named]
    if sum(c.joined) >= {2: 0, 3: 2}.get(len(named), len(named)):
        return out
    for i, joined in enumerate(c.joined):
        if joined:
            continue
        one, other = c.sides[i], c.sides[(i + 1) % len(c.sides)]
        a, b = c.order[i], c.order[(i + 1) % len(c.order)]
        ways = [_ahead(faces, named, n, end) for n, end in ((a, one.side.ends[1]), (b, other.side.ends[0]))]
        meets = [
            (k + l, k, l)
            for k, (_, end) in enumerate(ways[0])
            for l, (_, start) in enumerate(ways[1])
            if float(np.linalg.norm(end - start)) <= c.most
        ]
        if meets:
            _, k, l = min(meets)
            out[a] += [m for m, _ in ways[0][1 : k + 1] if m is not None]
            out[b] += [m for m, _ in ways[1][1 : l + 1] if m is not None]
    return out


def _ahead(
    faces: Sequence[Face], named: Sequence[Member], number: int, end: Array
) -> list[tuple[Member | None, Array]]:
    """What goes on from an edge at one of its ends (3,) until another one that is named, one after the other, each with
    the place where it ends; the edge itself, as None, comes first.
    """
    row = followed(faces, *named[number])
    own = next(i for i, (_, e) in enumerate(row) if e is named[number][1])
    out: list[tuple[Member | None, Array]] = [(None, end)]
    ways = row[own + 1 :], row[:own][::-1]
    nearest = [float(norm(Side(w[0][1]).ends - end).min()) if w else np.inf for w in ways]
    for member in ways[int(np.argmin(nearest))] if min(nearest) < _MEETS else []:
        if any(member[1] is e for _, e in named):
            break
        ends = Side(member[1]).ends
        far = ends[int(np.argmax(norm(ends - out[-1][1])))]
        out.append((member, far))
    return out


def beside(faces: Sequence[Face], named: Member, own: Edge) -> list[Member]:
    """An edge that another is to meet, and those that go on from it without a corner as far as that one runs along
    them. faces: without its own.
    """
    row = followed(faces, *named)
    whole, places = edge_chain([e for _, e in row]), np.linspace(*own.space.domain, _PLACES)
    if not whole.parts:
        return row
    at = to_curve(whole.space, curve_points(own.space, places)).t
    hit = [int(np.count_nonzero((at >= p.start) & (at <= p.end))) >= _RUNS_ALONG for p in whole.parts]
    first = last = next(i for i, (_, e) in enumerate(row) if e is named[1])
    while first > 0 and hit[first - 1]:
        first -= 1
    while last + 1 < len(row) and hit[last + 1]:
        last += 1
    return row[first : last + 1]


def overhang(own: Edge, to: Edge) -> float:
    """How long, mm, the stretches of an edge are that reach beyond the ends of another that it is to meet."""
    at = to_curve(to.space, curve_points(own.space, np.linspace(*own.space.domain, _PLACES))).t
    low, high = to.space.domain
    beyond = (at <= low) | (at >= high)
    beyond[1:-1] &= beyond[:-2] | beyond[2:]
    return curve_length(own.space) * max(0, int(np.count_nonzero(beyond)) - 2) / (_PLACES - 1)
