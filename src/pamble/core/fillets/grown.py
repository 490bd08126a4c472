"""Where the corner at the end of a crease juts into a face beside it: the face that stands across has to grow there,
and the contact ends on what it grows by.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, BoolArray, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.cut_back import Cut
from pamble.core.faces.face import MOVED, Face, base_name
from pamble.core.faces.inside import inside
from pamble.core.faces.regions.arrange import Arrangement, arrange
from pamble.core.faces.regions.cut import faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.faces.trim import CutCurve, fresh_meet, meeting_ends
from pamble.core.fillets.crease import derivatives
from pamble.core.fillets.ends import REACH, onto_borders
from pamble.core.fillets.strip import Strip
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import EDGES, Surface
from pamble.core.surfaces.extend import extend_surface

FILLET, PAST = "fillet", "past"
"""Names of the edges that a fillet's end, and a contact that runs past the corner, leave on faces."""

_ACROSS = 0.2
"""Part of a face's normal along the crease from which the face stands across it."""

_FIT = 1e-5
_ROOM = 3.0
"""Times the distance of the contacts from the corner by which a face across is carried on."""

_SAMPLES = 65
_ROUNDS = 12
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
        for i, face in enumerate(part):
            if i in strip.faces or min(float(to_curve(e.space, p[None]).distance[0]) for e in face.edges) > REACH:
                continue
            foot = to_surface(face.surface, p[None])
            k = derivatives(face.surface, foot.u, foot.v, 1)
            normal = unit(np.cross(k[1, 0], k[0, 1]))[0]
            if foot.distance[0] < REACH and abs(float(normal @ way)) > _ACROSS:
                out[end] = i
    return out


def roomy(surface: Surface, by: float) -> Surface:
    """The surface carried on by ``by`` mm on every side that can be: nothing of what is there changes."""
    for side in EDGES:
        try:
            surface = extend_surface(surface, side, by)
        except GeometryError:
            continue
    return surface


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
    rolls, line = list(strip.rolls), strip.line
    for end, own in over.items():
        for o in own:
            if o.side == 0:
                line = _up_to(line, o.t, end)
            else:
                roll = rolls[end]
                rolls[end] = replace(roll, lines=(roll.lines[0], _up_to(roll.lines[1], o.t, end)))
    return replace(strip, rolls=tuple(rolls), line=line)


def cuts_past(over: Mapping[int, Sequence[Over]], part: Sequence[Face]) -> list[tuple[int, Cut]]:
    """What is taken from the faces beside the crease, besides the strip itself: by their number."""
    return [(o.number, Cut(PAST, (), (onto_borders(o.line, part[o.number]),))) for own in over.values() for o in own]


def _contacts(strip: Strip, end: int) -> tuple[Curve, Curve]:
    """The contacts at an end with the first and the second face, (0) or (-1)."""
    return strip.line, strip.rolls[end].lines[1]


def _over(face: Face, number: int, side: int, line: Curve, across: Surface, corner: Array, end: int) -> Over | None:
    """A contact that meets the face across inside its own face, where there is one. across: carried on."""
    t = _meets(line, across, end)
    if t is None:
        return None
    place = curve_points(line, [t])
    foot = to_surface(face.surface, place)
    if min(float(to_curve(e.space, place).distance[0]) for e in face.edges) < REACH:
        return None
    if foot.distance[0] > REACH or not inside(face, foot.u, foot.v)[0]:
        return None
    ends = np.vstack([corner[None], place])
    for fit, _ in fresh_meet(_FIT)(face.surface, across):
        feet = to_curve(fit.space, ends)
        if feet.distance.max() < REACH and feet.t[0] != feet.t[1]:
            past = curve_part(fit.space, *sorted(feet.t.tolist()))
            if _is_in(face, past):
                return Over(side, number, t, past)
    return None


def _meets(line: Curve, surface: Surface, end: int) -> float | None:
    """Parameter at which a contact meets a surface, the one nearest to its start (0) or end (-1)."""
    low, high = line.domain
    far = line.domain[end]
    t = np.linspace(0.5 * (low + high), far, _SAMPLES)
    height, there = _heights(surface, curve_points(line, t))
    turns = np.flatnonzero((height[1:] * height[:-1] <= 0) & there[1:] & there[:-1])
    if not len(turns):
        return None
    a, b = t[turns[-1]], t[turns[-1] + 1]
    fa, fb = height[turns[-1]], height[turns[-1] + 1]
    for _ in range(_ROUNDS):
        at = 0.5 * (a + b) if fa == fb else a - fa * (b - a) / (fb - fa)
        f = float(_heights(surface, curve_points(line, [at]))[0][0])
        if abs(f) < 1e-10:
            return float(at)
        if f * fa > 0:
            a, fa, fb = at, f, fb / 2
        else:
            b, fb, fa = at, f, fa / 2
    return float(at)


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


def _moved(source: Source, before: Surface, after: Surface) -> Source:
    """A source of a border on a surface that was carried on: what was its side lies inside it now."""
    if source.at is None:
        return source
    along, high = EDGES.index(source.at) // 2, int(source.at[1])
    if before.domain[along][high] == after.domain[along][high]:
        return source
    named = source.name + MOVED if base_name(source.name) in EDGES else source.name
    return replace(source, at=None, name=named)


def lies_on(surface: Surface, line: Curve) -> bool:
    """Whether a line lies on a surface."""
    return float(to_surface(surface, curve_points(line, np.linspace(*line.domain, 33))).distance.max()) < REACH


def _bounds(made: Arrangement, region: int, border: int) -> bool:
    """Whether a source from that number on bounds a region."""
    return any(made.pieces[i].source >= border for ring in made.rings[region] for i, _ in ring)


def with_corner(face: Face, corner: Array, lines: Sequence[Curve], past: Sequence[Curve], by: float) -> Face:
    """The face with what lies between its corner (3,) and a row of lines beyond that.

    past: lines from the corner to an end of the row, where that lies on no edge; by: see `roomy`. Raises
    `GeometryError` where they do not close with the face's border.
    """
    surface = face.surface
    if not all(lies_on(surface, line) for line in [*lines, *past]):
        surface = roomy(surface, by)
    border = [_moved(s, face.surface, surface) for s in border_sources(face)]
    row = []
    for name, line in [*((FILLET, line) for line in lines), *((PAST, line) for line in past)]:
        fits = curve_onto(surface, line, None, _FIT)
        if len(fits) != 1 or to_curve(fits[0].space, line.control[[0, -1]]).distance.max() > REACH:
            raise GeometryError("the fillet's end does not lie on it.")
        row.append((name, CutCurve(fits[0].on_a, fits[0].space)))
    scale = plane_scale(surface)
    corners = [CutCurve(s.curve, s.space) for s in border if s.space is not None]
    met = meeting_ends([*corners, *(cut for _, cut in row)], scale, REACH)[len(corners) :]
    sources = [Source(name, cut.on_face, cut.space, cutter=name) for (name, _), cut in zip(row, met, strict=True)]
    made = arrange([*border, *sources], scale)
    foot = to_surface(surface, corner[None])
    at = np.array([foot.u[0], foot.v[0]]) * scale
    grown = {
        r
        for p in made.pieces
        if norm(p.points[[0, -1]] - at).min() < REACH
        for r in (p.left, p.right)
        if r >= 0 and not made.inside[r] and _bounds(made, r, len(border))
    }
    if not grown:
        raise GeometryError("the fillet's end does not close with its border.")
    return faces_of(surface, made, [*np.flatnonzero(made.inside).tolist(), *grown])[0]
