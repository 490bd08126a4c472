"""The end of a fillet above a hollow: where its crease kinks inward, two faces that stand across grow beneath it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.meet import approaches
from pamble.core.errors import GeometryError
from pamble.core.faces.cut_ends import CutCurve
from pamble.core.faces.face import Face
from pamble.core.faces.trim import fresh_meet
from pamble.core.fillets.ends import REACH, End, end_lines, tipped
from pamble.core.fillets.grown import room
from pamble.core.fillets.recut import roomy, with_corner
from pamble.core.fillets.rows_over import MEETS, Stretch, close_to, joined, whole_cuts
from pamble.core.fillets.strip import Strip
from pamble.core.spline.closest import to_curve, within
from pamble.core.spline.curve import Curve
from pamble.core.spline.ends import with_end
from pamble.core.spline.evaluate import curve_derivatives
from pamble.core.spline.knots import curve_part, reverse_curve

_CUT = 1e-6

_FARTHER = 1.0, 4.0, 16.0
"""Times the usual by which faces grow: where a crease hardly kinks they meet far beyond its end."""

_NONE = GeometryError("The faces at the end do not grow to meet beneath the fillet.")


@dataclass(frozen=True)
class _Met:
    """Where two lines of a fillet's end meet: how far apart, mm, the lines up to there, and the place (3,)."""

    gap: float
    row: tuple[Stretch, Stretch]
    place: Array


def over_hollow(
    face: Face, strip: Strip, end: int, vertices: Array, part: Sequence[Face], now: Mapping[int, Face]
) -> tuple[End, dict[int, Face]]:
    """How a fillet ends at its start (0) or end (-1) on two faces that are carried on until they meet beneath it, and
    these faces by their numbers. face: the fillet between the ends of its contacts; vertices: see `contact_ends`; now:
    faces of the part that were cut back already. Raises `GeometryError` where there are no such faces.
    """
    surface, own = strip.rolls[end].made.surface, end_lines(face, end)
    corner, beside = strip.end(end)
    standing = close_to(surface, beside, part, now)
    across = [_across(standing, corner, vertex) for vertex in vertices]
    if across[0] == across[1]:
        raise _NONE
    for by in (room(strip, end) * times for times in _FARTHER):
        cuts = [
            [s for s in whole_cuts(surface, n, standing[n], by, vertices) if _starts_at(s, vertex)]
            for n, vertex in zip(across, vertices, strict=True)
        ]
        met = [m for a in cuts[0] for b in cuts[1] if (m := _met(a, b, vertices)) is not None]
        if met:
            break
    else:
        raise _NONE
    best = min(met, key=lambda m: m.gap)
    if float((best.place - corner) @ _way(strip, end)) > 0:
        # Beyond the crease the faces across are cut back, and do not grow.
        raise _NONE
    flat = np.array([own.lines[0][0].control[0], own.lines[-1][0].control[-1]])
    space = np.array([own.lines[0][1].control[0], own.lines[-1][1].control[-1]])
    row = joined(best.row, flat, space)
    edge = _edge(standing[across[0]], standing[across[1]], by, corner, row[0].cut.space.control[-1])
    lines = tipped([s.cut.space for s in row], vertices)
    grown = {n: with_corner(standing[n], corner, [line], [edge], by) for n, line in zip(across, lines, strict=True)}
    return End(own.at, tuple((s.cut.on_face, s.cut.space) for s in row)), grown


def _way(strip: Strip, end: int) -> Array:
    """The direction (3,) in which a crease leaves its start (0) or end (-1)."""
    line = strip.rolls[end].run.first.space
    along = curve_derivatives(line, [line.domain[end]], 1)[1, 0]
    return np.asarray(along if end else -along)


def _across(standing: Mapping[int, Face], corner: Array, vertex: Array) -> int:
    """The number of the face with an edge at a corner on which a contact ends."""
    for n, face in standing.items():
        for e in face.edges:
            ends = e.space.control[[0, -1]]
            if np.linalg.norm(ends - corner, axis=1).min() < REACH and within(e.space, vertex[None], REACH):
                return n
    raise _NONE


def _starts_at(stretch: Stretch, vertex: Array) -> bool:
    return bool(np.linalg.norm(stretch.tips - vertex, axis=1).min() < MEETS)


def _met(one: Stretch, two: Stretch, vertices: Array) -> _Met | None:
    """Two lines from where the contacts end to where they meet; None where they do not."""
    one = one if np.linalg.norm(one.tips[0] - vertices[0]) < MEETS else one.turned()
    two = two if np.linalg.norm(two.tips[1] - vertices[1]) < MEETS else two.turned()
    for m in approaches(one.cut.space, two.cut.space)[:1]:
        (a, _), (_, d) = one.cut.space.domain, two.cut.space.domain
        if m.gap < MEETS and m.t[0] > a and m.t[1] < d:
            return _Met(m.gap, (_part(one, a, m.t[0]), _part(two, m.t[1], d)), m.points.mean(axis=0))
    return None


def _part(stretch: Stretch, start: float, end: float) -> Stretch:
    on_face, space = (curve_part(c, start, end) for c in (stretch.cut.on_face, stretch.cut.space))
    return Stretch(stretch.number, CutCurve(on_face, space))


def _edge(one: Face, two: Face, by: float, corner: Array, tip: Array) -> Curve:
    """The line in which two faces that are carried on meet, from their corner to a tip."""
    tips = np.stack([corner, tip])
    for fit, _ in fresh_meet(_CUT)(roomy(one.surface, by), roomy(two.surface, by)):
        feet = to_curve(fit.space, tips)
        if feet.distance.max() < MEETS and feet.t[0] != feet.t[1]:
            line = curve_part(fit.space, *sorted(feet.t.tolist()))
            line = line if feet.t[0] < feet.t[1] else reverse_curve(line)
            return with_end(with_end(line, 0, corner), -1, tip)
    raise _NONE
