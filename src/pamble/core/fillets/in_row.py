"""Blended fillets in a row as one surface, so that they run on into each other tangentially.

A rolling ball's do by themselves: in the section that two share all normals lie in its plane. A blended fillet has the
second form of the faces along its contacts. Where these meet in a jump of curvature, its tangent planes only run on if
the section leaves there along the line in which the faces meet: the jump of their second forms is nothing along it,
[II](L, .) = 0 (own derivation). Rows that run through all joints, no more than smooth there and free to lean beside
them, find that direction by themselves.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm
from pamble.core.curves.measure import curve_length
from pamble.core.faces.face import side_curve
from pamble.core.fillets.between import Between
from pamble.core.fillets.blended import Blended
from pamble.core.fillets.leans import leans
from pamble.core.fillets.rolled import Rolled
from pamble.core.fillets.row_ends import joints
from pamble.core.fillets.row_of_balls import RowOfBalls
from pamble.core.fillets.shape import Shape
from pamble.core.fillets.surface import ANGLE, by_span
from pamble.core.joining.rows import row_space
from pamble.core.joining.verify import shape_warnings
from pamble.core.spline import basis
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.extremes import largest
from pamble.core.spline.knots import surface_part
from pamble.core.spline.surface import Surface
from pamble.core.ticking import tick
from pamble.core.tolerances import BLEND_ANGLE

_SMOOTH = 1
"""Continuous derivatives of rows in a joint."""

_FREE, _WIDTHS = 400.0, 3.0
"""Times their usual freedom that sections have in a joint, and how far beside it they are freer: widths of a fillet."""

_KNOT, _APART, _SHORE = 0.5, 0.1, 0.45
"""Where beside a joint a knot is added, and how close knots may lie there: widths of a fillet; and the most of its
length."""

_LEAST = 0.1
"""Length of a span below which it is not parted, widths of a fillet."""

_ZONES = 0.05, 0.15
"""Widths of a fillet beside a joint within which its curvature, and the change of it, are not asked: those of the faces
jump there."""

_ROUNDS, _MARGIN, _HELPS = 6, 0.9, 0.8
"""Times that spans are parted, share of the aims to reach, and of what was reached that counts as a help: two times
without one are the last."""

_IN_SPAN, _ACROSS = 7, 17
"""Places looked at in a span, and across a joint."""

_OVER = 0.05
"""Share of its last span by which a fillet is carried on over a joint, so that its contact crosses the border."""


def in_row(rolls: Sequence[Rolled], ends: Sequence[tuple[float, float]], loop: bool, shape: Shape) -> list[Rolled]:
    """Fillets in a row that run on into each other as they should, as they are or made anew together, whichever misses
    less. ends: parameters at which each starts and ends; loop: whether the last runs on in the first.
    """
    count, pairs = len(rolls), joints(rolls, loop)
    bent = max(_bend(rolls[i].made.surface, ends[i][1], rolls[k].made.surface, ends[k][0]) for i, k in pairs)
    if bent < BLEND_ANGLE:
        return list(rolls)
    inner = [(loop or i > 0, loop or i < count - 1) for i in range(count)]
    stops = [(low if a else 0.0, high if b else 1.0) for (low, high), (a, b) in zip(ends, inner, strict=True)]
    lengths = [
        (high - low) * float(np.ptp(r.crease.s)) * curve_length(r.run.first.space)
        for r, (low, high) in zip(rolls, stops, strict=True)
    ]
    balls = [Between(r.crease, r.found, shape.chord) for r in rolls]
    row = RowOfBalls(balls, stops, lengths, loop)
    lean = [leans(balls[i], ends[i][1], balls[k], ends[k][0]) for i, k in pairs]
    ratio, angle, surface, tried = _surface(row, rolls, shape, [*lean[-1:], *lean] if loop else lean)
    worse = shape_warnings(surface, shape.spec) and not any(shape_warnings(r.own, shape.spec) for r in rolls)
    if worse or ratio > max(bent / BLEND_ANGLE, *(r.made.ratio for r in rolls)):
        return list(rolls)
    out = []
    for i, r in enumerate(rolls):
        part = _carried_on(surface_part(surface, (row.starts[i], row.starts[i + 1]), None), inner[i])
        part = replace(part, knots_u=row.own(i, part.knots_u))
        one, two = (side_curve(part, side)[2] for side in ("v0", "v1"))
        made = replace(r.made, surface=part, angle=angle, ratio=ratio, tried=tried)
        out.append(replace(r, made=made, lines=(one, two)))
    return out


def _surface(
    row: RowOfBalls, rolls: Sequence[Rolled], shape: Shape, leaning: Sequence[Array]
) -> tuple[float, float, Surface, tuple[tuple[int, float], ...]]:
    """How far the best surface along a row misses its aims, its angle at the seams, degrees, and the surface; and the
    spans and the first of all that were tried.
    """
    width = max(float(norm(r.found.points[1] - r.found.points[0]).max()) for r in rolls) / row.length
    knots, kind = _knots(row, rolls, width), Blended(row, shape)

    def off(surface: Surface, s: Array) -> Array:
        figures = kind.seams(surface, s, row.contacts(s))
        for k, zone in enumerate(_ZONES[: len(figures) - 2]):
            figures[2 + k, _away(row, s) < zone * width] = 0.0
        return figures

    best: tuple[float, Surface, Array] | None = None
    tried, stalled = list[tuple[int, float]](), 0
    for _ in range(_ROUNDS):
        tick()
        space = row_space(5, knots, row.closed, _SMOOTH)
        beside = np.clip(_away(row, space.s) / (_WIDTHS * width), 0.0, 1.0)
        slack = 1.0 + _FREE * (1.0 - beside**2) ** 2
        surface = kind.rows(space, row.contacts(space.s), slack, _leaning(row, space.s, leaning, width))
        at = basis.breaks(knots, 5)
        s = (at[:-1, None] + np.diff(at)[:, None] * np.linspace(1e-3, 1 - 1e-3, _IN_SPAN)).ravel()
        ratios = off(surface, s) / kind.aims[:, None]
        worst = float(ratios.max())
        tried.append((len(at) - 1, worst))
        stalled = 0 if best is None or worst < _HELPS * best[0] else stalled + 1
        if best is None or worst < best[0]:
            best = worst, surface, s
        if worst < _MARGIN or stalled == 2:
            break
        missed = (by_span(knots, s, ratios.max(axis=0)) > _MARGIN) & (np.diff(at) > _LEAST * width)
        if not missed.any():
            break
        knots = np.sort(np.concatenate([knots, 0.5 * (at[:-1] + at[1:])[missed]]))
    assert best is not None
    _, surface, s = best
    _, most = largest(lambda t: off(surface, t), s, off(surface, s))
    return float((most / kind.aims).max()), float(most[ANGLE]), surface, tuple(tried)


def _knots(row: RowOfBalls, rolls: Sequence[Rolled], width: float) -> Array:
    """The fillets' own knots, with one more beside each joint, and the joints."""
    inner = []
    for i, (r, (a, b)) in enumerate(zip(rolls, pairwise(row.starts.tolist()), strict=True)):
        own, counts = np.unique(row.of(i, r.made.surface.knots_u), return_counts=True)
        many = dict(zip(own.tolist(), counts.tolist(), strict=True))
        step = min(_KNOT * width, _SHORE * (b - a))
        added = [x for x, joint in ((a + step, a), (b - step, b)) if joint in row.joints]
        wanted = np.sort([*own[(own > a) & (own < b)], *added])
        room = min(_APART * width, 0.5 * step)
        kept = [a]
        for x in wanted.tolist():
            if x - kept[-1] > room and b - x > room:
                kept.append(x)
        inner += [y for x in kept[1:] for y in [x] * many.get(x, 1)]
        inner += [b] * (5 - _SMOOTH) if i < len(rolls) - 1 else []
    return np.concatenate([np.zeros(6), inner, np.ones(6)])


def _leaning(row: RowOfBalls, s: Array, leaning: Sequence[Array], width: float) -> Array:
    """How far sections lean at shares (m,), at either contact, (2, m): as they do in the joints, dying out beside."""
    room = np.diff(row.starts)
    out = np.zeros((2, len(s)))
    for joint, lean in zip(row.joints, leaning, strict=True):
        k = int(np.searchsorted(row.starts, joint))
        for own, which in ((s < joint, k - 1), (s >= joint, k)):
            if 0 <= which < len(room):
                x = np.minimum(np.abs(s - joint) / min(_WIDTHS * width, _SHORE * room[which]), 1.0)
                out += np.multiply.outer(lean, np.where(own, (1.0 - x * x) ** 3, 0.0))
    return out


def _away(row: RowOfBalls, s: Array) -> Array:
    """How far shares (m,) of a row lie from the nearest joint."""
    return np.asarray(np.abs(s[:, None] - row.joints).min(axis=1))


def _carried_on(surface: Surface, ends: tuple[bool, bool]) -> Surface:
    """The surface a little over those of its ends that are joints."""
    at = np.unique(surface.knots_u)
    low, high = at[0] - _OVER * (at[1] - at[0]) * ends[0], at[-1] + _OVER * (at[-1] - at[-2]) * ends[1]
    return surface_part(surface, (float(low), float(high)), None)


def _bend(one: Surface, u: float, two: Surface, w: float) -> float:
    """The largest angle, degrees, in which two fillets meet in the section that they share."""
    v = np.linspace(0, 1, _ACROSS)
    n1, n2 = (
        cross(d[1, 0], d[0, 1])
        for d in (surface_derivatives(s, np.full(_ACROSS, t), v, 1) for s, t in ((one, u), (two, w)))
    )
    return float(np.degrees(np.arctan2(norm(cross(n1, n2)), dot(n1, n2))).max())
