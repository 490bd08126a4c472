"""Where the corner at the end of a crease juts into a face beside it: the face that stands across has to grow there,
and the contact ends on what it grows by.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from pamble.core.arrays import Array, BoolArray, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.cut_back import Cut
from pamble.core.faces.face import MOVED, Face, base_name
from pamble.core.faces.inside import inside
from pamble.core.faces.regions.arrange import arrange
from pamble.core.faces.regions.cut import faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.faces.trim import CutCurve, fresh_meet, meeting_ends
from pamble.core.fillets.ends import REACH, onto_borders
from pamble.core.fillets.feet import derivatives
from pamble.core.fillets.strip import Strip
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import EDGES, Surface
from pamble.core.surfaces.extend import extend_surface

FILLET, PAST = "fillet", "past"
"""Names of the edges that a fillet's end, and a contact that runs past the corner, leave on faces."""

_ACROSS = 0.03
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
        most = _ACROSS
        for i, face in enumerate(part):
            if i in strip.faces or min(float(to_curve(e.space, p[None]).distance[0]) for e in face.edges) > REACH:
                continue
            foot = to_surface(face.surface, p[None])
            k = derivatives(face.surface, foot.u, foot.v, 1)
            normal = unit(np.cross(k[1, 0], k[0, 1]))[0]
            if foot.distance[0] < REACH and abs(float(normal @ way)) > most:
                out[end], most = i, abs(float(normal @ way))
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


def with_corner(face: Face, corner: Array, lines: Sequence[Curve], past: Sequence[Curve], by: float) -> Face:
    """The face bounded by a row of lines in place of its corner (3,): what lies between them goes, or comes.

    past: lines from the corner to an end of the row, where that lies on no edge; by: see `roomy`. Raises
    `GeometryError` where they do not close with the face's border.
    """
    surface = face.surface
    if not all(lies_on(surface, line) for line in [*lines, *past]):
        surface = roomy(surface, by)
    border = [_moved(s, face.surface, surface) for s in border_sources(face)]
    row = [(FILLET, line) for line in lines] + [(PAST, line) for line in past]
    laid = [(name, fit) for name, line in row for fit in curve_onto(surface, line, None, _FIT)]
    scale = plane_scale(surface)
    ends = [CutCurve(s.curve, s.space) for s in border if s.space is not None]
    flat = [CutCurve(_onto(fit.on_a, border, scale), fit.space) for _, fit in laid]
    met = meeting_ends([*ends, *flat], scale, REACH)[len(ends) :]
    sources = [Source(name, cut.on_face, cut.space, cutter=name) for (name, _), cut in zip(laid, met, strict=True)]
    made = arrange([*border, *sources], scale)
    foot = to_surface(surface, corner[None])
    at = np.array([foot.u[0], foot.v[0]]) * scale
    between = _between([_places(s.curve, scale) for s in sources], _stubs(border, sources, at, scale))
    middles = [shapely.point_on_surface(made.polygon(r)) for r in range(len(made.rings))]
    turned = {r for r, middle in enumerate(middles) if between.contains(middle)}
    if not turned:
        raise GeometryError("the fillet's end does not close with its border.")
    return faces_of(surface, made, sorted(turned ^ set(np.flatnonzero(made.inside).tolist())))[0]


def _onto(line: Curve, border: Sequence[Source], scale: Array) -> Curve:
    """A line in the parameters with its ends on the border where they lie beside it: it leaves this tangentially, so
    that a millionth of a millimetre would part them.
    """
    control = line.control.copy()
    for row in (0, -1):
        feet = [(to_curve(s.curve, control[row : row + 1 or None]), s.curve) for s in border]
        foot, beside = min(feet, key=lambda f: float(f[0].distance[0]))
        place = curve_points(beside, foot.t)[0]
        if float(np.linalg.norm((place - control[row]) * scale)) < REACH:
            control[row] = place
    return replace(line, control=control)


def _places(curve: Curve, scale: Array, start: float | None = None, end: float | None = None) -> Array:
    low, high = curve.domain
    t = np.linspace(low if start is None else start, high if end is None else end, _SAMPLES)
    return curve_points(curve, t) * scale


def _stubs(border: Sequence[Source], row: Sequence[Source], corner: Array, scale: Array) -> list[Array]:
    """The stretches of a border from its corner to where a row of lines ends on it, scaled plane."""
    tips = np.concatenate([s.curve.control[[0, -1]] for s in row]) * scale
    alone = [p for k, p in enumerate(tips) if (norm(np.delete(tips, k, axis=0) - p) > REACH).all()]
    out = []
    for tip in (p for p in alone if norm((p - corner)[None])[0] > REACH):
        for s in border:
            begins = next(
                (t for t in s.curve.domain if norm(curve_points(s.curve, [t]) * scale - corner)[0] < REACH), None
            )
            foot = to_curve(s.curve, (tip / scale)[None])
            if begins is not None and norm(curve_points(s.curve, foot.t) * scale - tip)[0] < REACH:
                out.append(_places(s.curve, scale, begins, float(foot.t[0])))
                break
    return out


def _between(row: Sequence[Array], stubs: Sequence[Array]) -> shapely.Geometry:
    """What lies between a row of lines and the border's stretches, crossings of both counted."""
    left = [*row, *stubs]
    ring = left.pop(0)
    while left:
        away = [norm(p[[0, -1]] - ring[-1]) for p in left]
        k = int(np.argmin([a.min() for a in away]))
        if away[k].min() > 2 * REACH:
            raise GeometryError("the fillet's end does not close with its border.")
        piece = left.pop(k)
        ring = np.vstack([ring, piece if away[k][0] <= away[k][1] else piece[::-1]])
    if norm(ring[:1] - ring[-1:])[0] > 2 * REACH:
        raise GeometryError("the fillet's end does not close with its border.")
    return shapely.make_valid(shapely.Polygon(ring))
