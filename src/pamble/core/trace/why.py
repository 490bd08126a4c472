"""Why a seam, a blend or a gap is not quiet: from an edge of a part to the cause, its place and the step to change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.checks.judge import CREASE, judged
from pamble.core.checks.measured import MeasuredSeam, Worst, measure_seam
from pamble.core.checks.seams import Seam, find_seams
from pamble.core.errors import BlendError, GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import frames, positions
from pamble.core.joining.blend import build_blend
from pamble.core.joining.pairing import pair_edges
from pamble.core.joining.spec import BlendSpec
from pamble.core.patches.sections import is_closed
from pamble.core.spline.closest import to_curve
from pamble.core.tolerances import DEFAULT, SEAM_SEARCH, Tolerances
from pamble.core.trace.cause import Cause, Kind
from pamble.core.trace.pieces import TABLE, Found, beside, find, line_at
from pamble.core.trace.signals import Line
from pamble.core.trace.strip import Strip, nearest, strip_between

_BESIDE = 0.05
"""Share of an edge's length beside it in which the faces are looked at where nothing lies between them."""

_FOLDED = 150.0
"""Angle in degrees above which a face folds back rather than meets another at a crease."""

_OPEN = 0.7
"""Share of a seam that may be narrower than a crease, as one that fades is."""

_GAPING = 0.005
"""Share of the part's diagonal by which edges may miss each other that were meant to meet."""

_FACING = 0.5
"""Share of an edge that has the other straight across a gap."""

_SHORT = 0.1
"""Share of a strip's edge below which the stretch that both its neighbours cover tells nothing."""

_ALONG = 0.7
"""Cosine of the angle up to which an edge across a gap still runs along."""


@dataclass(frozen=True)
class Trace:
    """What was found at an edge.

    faces: of the two lines compared, as places in the list; edges: their names. between: the face that joins them, or
    None. target: the continuity that was judged by, 0 to 3; seam: the seam picked, None over a gap. crease: least and
    largest angle between the faces, degrees, and its unevenness. spans: those that a blend needs here, and those that
    the one between has, if there is one. cause: None where the edge is sound.
    """

    faces: tuple[int, int]
    edges: tuple[str, str]
    between: int | None
    target: int
    seam: MeasuredSeam | None
    crease: tuple[float, float, float]
    spans: tuple[int, int | None]
    cause: Cause | None

    @property
    def sound(self) -> bool:
        return self.cause is None


def trace(
    faces: Sequence[Face],
    number: int,
    edge: Edge,
    diagonal: float,
    target: int | None = None,
    limits: Tolerances = DEFAULT,
    search: float | None = None,
    beside: int | None = None,
) -> Trace:
    """Say why the edge of a face is not quiet.

    Where a blend lies between two faces, they are compared along it; else the faces on both sides of the edge; else
    those on both sides of the gap. target: G0 to G3 that is asked for; found from the figures if None. search: how far
    apart edges are that were meant to meet, mm; a share of the part if None, since what is wrong may gape. beside: the
    face on the other side, where the edge borders several. Raises `GeometryError` where nothing is near the edge.
    """
    seams, _ = find_seams(faces, search or max(SEAM_SEARCH, _GAPING * diagonal))
    here = [s for s in seams if edge in (s.a, s.b) and (beside is None or beside in s.faces)]
    if not here:
        return _over_gap(faces, number, edge, diagonal)
    seam = nearest(here)
    measured = measure_seam(seam, diagonal, order=3)
    aim = meant(measured) if target is None else target
    strips = [s for s in (strip_between(faces, seams, seam, 0), strip_between(faces, seams, seam, 1)) if s is not None]
    # A face that meets one of the two at a crease is no blend between them.
    strips = [s for s in strips if all(meant(measure_seam(x[3], diagonal)) > 0 for x in s.sides)]
    if strips:
        return _blended(faces, min(strips, key=lambda s: s.width), seam, measured, aim, target, diagonal, limits)
    return _meeting(faces, seam, measured, aim, diagonal, limits)


def meant(measured: MeasuredSeam) -> int:
    """The continuity that a seam was meant to have, by how near to it it comes: common practice, no published
    source."""
    if CREASE < np.quantile(measured.figures.angle, _OPEN) < _FOLDED:
        return 0
    return 2 if np.median(measured.figures.curvature) < 20.0 else 1


def _over(measured: MeasuredSeam, target: int, limits: Tolerances) -> bool:
    return _most_over([measured], target, limits)[0] > 1.0


def _most_over(seams: Sequence[MeasuredSeam], target: int, limits: Tolerances) -> tuple[float, Worst, str]:
    """Of the figures that a target asks for the one worst against its limit: how many times that, where, its unit."""
    kinds = (
        ("gap", limits.gap, "mm"),
        ("angle", limits.angle, "degree"),
        ("curvature", limits.curvature, "%"),
        ("rate_percent", limits.rate, "%"),
    )
    found = [
        (m.worst[name].value / limit, m.worst[name], unit) for m in seams for name, limit, unit in kinds[: target + 1]
    ]
    return max(found, key=lambda f: f[0])


def _blended(
    faces: Sequence[Face],
    strip: Strip,
    seam: Seam,
    measured: MeasuredSeam,
    aim: int,
    target: int | None,
    diagonal: float,
    limits: Tolerances,
) -> Trace:
    """A blend between two faces: they are compared as it pairs them."""
    (own, first, a, _), (far, second, b, other) = strip.sides
    beyond = measure_seam(other, diagonal, order=3)
    if target is None:
        aim = max(aim, meant(beyond))
    over = _over(measured, aim, limits) or _over(beyond, aim, limits)
    shares = _common(strip)
    lines = _on(a, own, shares), _on(b, far, 1.0 - shares if _against(own, far) else shares)
    now = find(*lines, strip.width, diagonal, paired=True)
    cause = now.cause
    surface = faces[strip.face].surface
    has = surface.spans[0 if (own.side or "v0")[0] == "v" else 1]
    if not over:
        cause = None
    elif now.calm or cause is None:
        _, place, unit = _most_over([measured, beyond], aim, limits)
        if cause is None or cause.kind != "pairing":
            wanted = _spans_wanted(a, b, has, aim, now.predicted, diagonal, limits)
            kind: Kind = "spans" if wanted > has else "made"
            figure = (float(has), "spans") if kind == "spans" else (place.value, unit)
            cause = Cause(kind, None, *figure, place.point, wanted, wanted)
    return Trace(
        (first, second),
        (a.name, b.name),
        strip.face,
        aim,
        measured,
        now.crease,
        (_needs(now, cause), has),
        cause,
    )


def _spans_wanted(a: Edge, b: Edge, has: int, aim: int, predicted: int, diagonal: float, limits: Tolerances) -> int:
    """Spans of a blend between two edges that holds: as many as there are, where the best one with so many does."""
    try:
        for spans in (has, None):
            made = build_blend(a, b, BlendSpec((aim, aim), spans=spans), diagonal)
            if spans is None or all(
                judged(aim, r.gap, r.angle, r.curvature, None, limits)[0] != "over" for r in made.residuals or ()
            ):
                return made.spans
    except BlendError:
        pass
    return predicted


def _meeting(
    faces: Sequence[Face], seam: Seam, measured: MeasuredSeam, aim: int, diagonal: float, limits: Tolerances
) -> Trace:
    """Two faces that meet along the edge."""
    low, high = seam.a.domain
    start, end = ((t - low) / (high - low) for t in seam.t)
    a = Line(seam.a, lambda s: start + (end - start) * s)
    points = positions(seam.a, low + (high - low) * a.at(TABLE))
    length = float(norm(np.diff(points, axis=0)).sum())
    now = find(a, beside(seam.b, points), _BESIDE * length, diagonal)
    cause = now.cause
    over = _over(measured, aim, limits)
    if not over and (aim > 0 or (cause is not None and not now.calms)):
        # A curved edge may need many spans of its own: only what becomes calm was spoiled.
        cause = None
    elif over and (cause is None or now.calm):
        have = [int(e.space.spans) for e in (seam.a, seam.b)]
        _, worst, unit = _most_over([measured], aim, limits)
        if unit == "mm" and have[0] != have[1]:
            cause = Cause("spans", None, float(min(have)), "spans", worst.point, max(have), max(have))
        else:
            cause = Cause("made", None, worst.value, unit, worst.point, now.predicted, now.predicted)
    names = (seam.a.name, seam.b.name)
    return Trace(seam.faces, names, None, aim, measured, now.crease, (_needs(now, cause), None), cause)


def _over_gap(faces: Sequence[Face], number: int, edge: Edge, diagonal: float) -> Trace:
    """Two faces on both sides of a gap that a blend is to close."""
    other, far, width = _across(faces, number, edge)
    sides = pair_edges(edge, far, False)
    a, b = (line_at(side.edge, side.parameters(TABLE)) for side in sides)
    now = find(a, b, width, diagonal)
    cause = now.cause if now.heals else None
    return Trace((number, other), (edge.name, far.name), None, 0, None, now.crease, (_needs(now, cause), None), cause)


def _across(faces: Sequence[Face], number: int, edge: Edge) -> tuple[int, Edge, float]:
    """The edge of another face that runs along this one on the other side of a gap, and the gap's width in mm."""
    t = np.linspace(*edge.domain, 33)
    here = frames(edge, t, 2, remember=False)
    length = float(norm(np.diff(here.position, axis=0)).sum())
    found = []
    for i, face in enumerate(faces):
        if i == number:
            continue
        for e in (e for e in face.edges if is_closed(e.space) == is_closed(edge.space)):
            foot = to_curve(e.space, here.position)
            there = frames(e, foot.t, 2, remember=False)
            along = np.abs(dot(here.tangent, there.tangent))
            width = float(np.median(foot.distance))
            # What lies ahead or behind has its nearest point at its end.
            low, high = e.space.domain
            beside = (foot.t > low) & (foot.t < high)
            if np.median(along) > _ALONG and width < length and np.mean(beside) > _FACING:
                found.append((width, i, e))
    if not found:
        raise GeometryError("Nothing runs along this edge: there is no seam and no gap to look into.")
    width, i, e = min(found, key=lambda f: f[0])
    return i, e, width


def _needs(now: Found, cause: Cause | None) -> int:
    """Spans that are needed here: those that the cause is told with, where there is one."""
    return now.predicted if cause is None else cause.needs


def _against(a: Edge, b: Edge) -> bool:
    pa, pb = positions(a, np.linspace(*a.domain, 9)), positions(b, np.linspace(*b.domain, 9))
    return bool(norm(pa - pb[::-1]).sum() < norm(pa - pb).sum())


def _common(strip: Strip) -> Array:
    """Shares of a strip's first own edge at `TABLE`, along the stretch in which it has neighbours on both sides."""
    (own, _, _, seam), (far, _, _, other) = strip.sides
    ranges = [_stretch(own, seam), _stretch(far, other)]
    if _against(own, far):
        ranges[1] = (1.0 - ranges[1][1], 1.0 - ranges[1][0])
    start, end = max(r[0] for r in ranges), min(r[1] for r in ranges)
    if end - start < _SHORT:
        start, end = ranges[0]
    return start + (end - start) * TABLE


def _stretch(own: Edge, seam: Seam) -> tuple[float, float]:
    """Shares of an edge between which a seam lies on it."""
    low, high = own.domain
    t = np.array(seam.t) if seam.a is own else to_curve(own.space, positions(seam.a, np.array(seam.t))).t
    start, end = np.sort((t - low) / (high - low))
    # A loop that is gone round whole ends where it begins.
    return (float(start), float(end)) if end - start > _SHORT or not is_closed(own.space) else (0.0, 1.0)


def _on(neighbour: Edge, own: Edge, shares: Array) -> Line:
    """The neighbour's edge along a strip's own edge, at the strip's own pace."""
    low, high = own.domain
    return beside(neighbour, positions(own, low + (high - low) * shares))
