"""Where the corner at the end of a crease juts into a face beside it: the face that stands across has to grow there,
and the contact ends on what it grows by.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import brentq

from pamble.core.arrays import Array, BoolArray, cross, dot, norm, unit
from pamble.core.faces.cut_back import Cut
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.faces.trim import fresh_meet
from pamble.core.fillets.ends import REACH, onto_borders
from pamble.core.fillets.feet import derivatives
from pamble.core.fillets.recut import PAST, roomy
from pamble.core.fillets.strip import Strip
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve, to_surface, within
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import Surface

_ACROSS = 0.03
"""Part of a face's normal along the crease from which the face stands across it."""

_FIT = 1e-6
_ROOM = 3.0
"""Times the distance of the contacts from the corner by which a face across is carried on."""

_SAMPLES = 65
_SQUARE = 0.1
"""Cosine of the angle between the way to a foot and the surface up to which the foot is not at its border."""


@dataclass(frozen=True)
class Over:
    """A contact that runs past the corner. number: of the face on which it lies; t: its parameter where it ends;
    line: from the corner to there, on that face and on the one that stands across.
    """

    side: int
    number: int
    t: float
    line: Curve


def standing_across(strip: Strip, part: Sequence[Face], ends: Sequence[int]) -> dict[int, int]:
    """Numbers of the faces that stand across ends of a crease, 0 or -1, by end."""
    out = {}
    for end in ends:
        space = strip.rolls[end].run.first.space
        p, d = curve_derivatives(space, [space.domain[end]], 1)[:, 0]
        way = d / max(float(np.linalg.norm(d)), 1e-300)
        most = _ACROSS
        for i, face in enumerate(part):
            if i in strip.faces or not any(within(e.space, p[None], REACH) for e in face.edges):
                continue
            foot = to_surface(face.surface, p[None])
            k = derivatives(face.surface, foot.u, foot.v, 1)
            normal = unit(np.cross(k[1, 0], k[0, 1]))[0]
            if foot.distance[0] < REACH and abs(float(normal @ way)) > most:
                out[end], most = i, abs(float(normal @ way))
    return out


def room(strip: Strip, end: int) -> float:
    """By how much a face across an end of a strip, 0 or -1, is carried on at most, mm."""
    corner, _ = strip.end(end)
    return _ROOM * max(float(to_curve(line, corner[None]).distance[0]) for line in _contacts(strip, end))


def overs(strip: Strip, part: Sequence[Face], across: Mapping[int, int]) -> dict[int, tuple[Over, ...]]:
    """The contacts that run past the corner at ends of a strip, 0 or -1. across: number of the face that stands there,
    by end.
    """
    out = {}
    for end, number in across.items():
        corner, beside = strip.end(end)
        surface = roomy(part[number].surface, room(strip, end))
        found = [
            over
            for side, (n, line) in enumerate(zip(beside, _contacts(strip, end), strict=True))
            if (over := _over(part[n], n, side, line, surface, corner, end)) is not None
        ]
        if found:
            out[end] = tuple(found)
    return out


def shortened(strip: Strip, over: Mapping[int, Sequence[Over]]) -> Strip:
    """The strip with contacts that end where they run past the corner."""
    rolls, lines = list(strip.rolls), list(strip.lines)
    for end, own in over.items():
        for o in own:
            if o.side == 0:
                number, line = lines[end]
                lines[end] = number, _up_to(line, o.t, end)
            else:
                roll = rolls[end]
                rolls[end] = replace(roll, lines=(roll.lines[0], _up_to(roll.lines[1], o.t, end)))
    return replace(strip, rolls=tuple(rolls), lines=tuple(lines))


def cuts_past(over: Mapping[int, Sequence[Over]], part: Sequence[Face]) -> list[tuple[int, Cut]]:
    """What is taken from the faces beside the crease, besides the strip itself: by their number."""
    return [(o.number, Cut(PAST, (), (onto_borders(o.line, part[o.number]),))) for own in over.values() for o in own]


def _contacts(strip: Strip, end: int) -> tuple[Curve, Curve]:
    """The contacts at an end with the first and the second face, (0) or (-1)."""
    return strip.lines[end][1], strip.rolls[end].lines[1]


def _over(face: Face, number: int, side: int, line: Curve, across: Surface, corner: Array, end: int) -> Over | None:
    """A contact that meets the face across inside its own face, where there is one. across: carried on."""
    t = _meets(line, across, end)
    if t is None:
        return None
    place = curve_points(line, [t])
    foot = to_surface(face.surface, place)
    if any(within(e.space, place, REACH) for e in face.edges):
        return None
    if foot.distance[0] > REACH or not inside(face, foot.u, foot.v)[0]:
        return None
    ends = np.vstack([corner[None], place])
    for fit, _ in fresh_meet(_FIT)(face.surface, across):
        feet = to_curve(fit.space, ends)
        if feet.distance.max() < REACH and feet.t[0] != feet.t[1]:
            past = curve_part(fit.space, *sorted(feet.t.tolist()))
            past = _between(past, *(ends if feet.t[0] < feet.t[1] else ends[::-1]))
            if _is_in(face, past):
                return Over(side, number, t, past)
    return None


def _between(line: Curve, start: Array, end: Array) -> Curve:
    """The line moved by the little that makes it begin and end at two places (3,): a contact is off its face by less
    than is aimed at, and what meets in a point must end in that point.
    """
    control, share = line.control, basis.greville(line.knots, line.degree)[:, None]
    share = (share - share[0]) / (share[-1] - share[0])
    moved = control + (1 - share) * (start - control[0]) + share * (end - control[-1])
    return replace(line, control=moved)


def _meets(line: Curve, surface: Surface, end: int) -> float | None:
    """Parameter at which a contact meets a surface, the one nearest to its start (0) or end (-1)."""
    low, high = line.domain
    far = line.domain[end]
    t = np.linspace(0.5 * (low + high), far, _SAMPLES)
    height, there = _heights(surface, curve_points(line, t))
    turns = np.flatnonzero((height[1:] * height[:-1] <= 0) & there[1:] & there[:-1])
    if not len(turns):
        return None

    def above(x: float) -> float:
        return float(_heights(surface, curve_points(line, [x]))[0][0])

    a, b = t[turns[-1] : turns[-1] + 2].tolist()
    return float(brentq(above, a, b, xtol=1e-12))


def _heights(surface: Surface, points: Array) -> tuple[Array, BoolArray]:
    """Signed distances of points (m, 3) over a surface, mm, and whether they stand over its inside."""
    foot = to_surface(surface, points)
    d = surface_derivatives(surface, foot.u, foot.v, 1)
    normal, way = unit(cross(d[1, 0], d[0, 1])), points - d[0, 0]
    height = dot(normal, way)
    return height, norm(way - height[:, None] * normal) <= _SQUARE * np.abs(height) + REACH


def _is_in(face: Face, line: Curve) -> bool:
    points = curve_points(line, np.linspace(*line.domain, 9)[1:-1])
    foot = to_surface(face.surface, points)
    return bool(inside(face, foot.u, foot.v).all())


def _up_to(line: Curve, t: float, end: int) -> Curve:
    low, high = line.domain
    return curve_part(line, t, high) if end == 0 else curve_part(line, low, t)
