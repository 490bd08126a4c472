"""A face bounded anew where a corner of it was: by the end of a fillet that cuts it off, or that it has to reach."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import replace

import numpy as np
import shapely

from pamble.core.arrays import TINY, Array, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.face import MOVED, Face, base_name
from pamble.core.faces.regions.arrange import arrange
from pamble.core.faces.regions.cut import faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.faces.twins import twin
from pamble.core.fillets.ends import REACH
from pamble.core.fillets.splice import OPEN, Piece, in_a_row, near, spliced_at
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.ends import with_end
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import EDGES, Surface
from pamble.core.surfaces.extend import extend_surface

FILLET, PAST, JOINT = "fillet", "past", "joint"
"""Names of the edges that a fillet's end, a contact that runs past the corner, and a closed face's joint leave."""

_LESS = 1.0, 0.5, 0.25, 0.1
"""Shares of a length by which a surface is carried on; the first that does for most sides."""

_FIT, _PARTS = 1e-6, 5e-5
"""How closely a line is fitted to a face, and distance from a border within which it has not left it, mm."""

_SAMPLES = 65
_ALONG = np.cos(np.radians(2.0))
"""Cosine of the angle up to which two lines leave a place along each other."""

_TURNS = tuple((a, b) for a in (0, -1, 1) for b in (0, -1, 1))
"""Times round a closed face by which a place may be meant."""


def roomy(surface: Surface, by: float) -> Surface:
    """The surface carried on by ``by`` mm on every side that can be: nothing of what is there changes. By less where
    else one side would take all the room that there is, as on an arc.
    """
    best, most = surface, 0
    free = [s for s in EDGES if not surface.closed[EDGES.index(s) // 2] and s not in surface.poles]
    for share in _LESS:
        made, sides = surface, 0
        for side in free:
            with suppress(GeometryError):
                made, sides = extend_surface(made, side, share * by), sides + 1
        if sides > most:
            best, most = made, sides
        if most == len(free):
            break
    return best


def lies_on(surface: Surface, line: Curve) -> bool:
    """Whether a line lies on a surface."""
    return float(to_surface(surface, curve_points(line, np.linspace(*line.domain, 33))).distance.max()) < REACH


def bordered(face: Face, row: Sequence[Curve]) -> Face:
    """The face, where a row of lines begins and ends on its border. Raises `GeometryError` where it does not."""
    tips = np.array([row[0].control[0], row[-1].control[-1]])
    if np.min([to_curve(e.space, tips).distance for e in face.edges], axis=0).max() > REACH:
        raise GeometryError(OPEN)
    return face


def with_corner(
    face: Face, corner: Array, lines: Sequence[Curve], past: Sequence[Curve], by: float, runs_on: str = ""
) -> Face:
    """The face bounded by a row of lines in place of its corner (3,): what lies between them goes, or comes.

    past: lines from the corner to an end of the row, where that lies on no edge; by: see `roomy`; runs_on: name of the
    edge that these run on from, where that is one of the face. Raises `GeometryError` where they do not close with the
    face's border.
    """
    surface = face.surface
    if not all(lies_on(surface, line) for line in [*lines, *past]):
        surface = roomy(surface, by)
    scale = plane_scale(surface)
    foot = to_surface(surface, corner[None])
    at = np.array([foot.u[0], foot.v[0]])
    border = [_moved(s, face.surface, surface) for s in border_sources(face)]
    row = list[Source]()
    for name, label, line in [*((FILLET, "", line) for line in lines), *((PAST, runs_on, line) for line in past)]:
        fits = curve_onto(surface, line, None, _FIT)
        row += [Source(name, onto_border(f.on_a, border, at, scale), f.space, cutter=name, label=label) for f in fits]
    if not row:
        raise GeometryError(OPEN)
    row = [_tangent_to(s, [r for r in row if r.name == FILLET], scale) if s.name == PAST else s for s in row]
    chain = in_a_row([Piece.whole(s, 1.0) for s in row], scale)
    if chain is None:
        return _divided(surface, border, row, at * scale, scale)
    return spliced_at(surface, border, chain, at, scale)


def regrown(face: Face, lines: Sequence[Curve], goes: Callable[[Array], Array], by: float) -> Face:
    """The face bounded by a row of lines in place of what lies beside it: what goes there goes, and where the row lies
    beyond its border the face comes as far. goes: how far places (m, 3) lie beyond what cuts; by: see `roomy`. Raises
    `GeometryError` where the row does not close with the face's border.
    """
    surface = roomy(face.surface, by)
    scale = plane_scale(surface)
    border = [_moved(s, face.surface, surface) for s in border_sources(face)]
    fits = [f for line in lines for f in curve_onto(surface, line, None, _FIT)]
    row = [_leaving(Source(FILLET, onto_border(f.on_a, border, None, scale), f.space), border, scale) for f in fits]
    made = arrange([*border, *row, *_joints(surface, border, row, scale)], scale)
    turned = set()
    for r, rings in enumerate(made.rings):
        pieces = [made.pieces[i] for ring in rings for i, _ in ring]
        middle = shapely.point_on_surface(made.polygon(r))
        flat = np.vstack([(middle.x, middle.y), *(p.points for p in pieces)]) / scale
        high = goes(surface_points(surface, flat[:, 0], flat[:, 1]))
        if any(p.source >= len(border) for p in pieces) and high[0] > 0 and high.min() > -REACH:
            turned.add(r)
    if not turned:
        raise GeometryError(OPEN)
    return faces_of(surface, made, sorted(turned ^ set(np.flatnonzero(made.inside).tolist())))[0]


def _moved(source: Source, before: Surface, after: Surface) -> Source:
    """A source of a border on a surface that was carried on: what was its side lies inside it now."""
    if source.at is None:
        return source
    along, high = EDGES.index(source.at) // 2, int(source.at[1])
    if before.domain[along][high] == after.domain[along][high]:
        return source
    named = source.name + MOVED if base_name(source.name) in EDGES else source.name
    return replace(source, at=None, name=named)


def onto_border(line: Curve, border: Sequence[Source], corner: Array | None, scale: Array) -> Curve:
    """A line in the parameters with its ends on the border where they lie beside it: it leaves this tangentially, so
    that a millionth of a millimetre would part them.
    """
    for row in (0, -1):
        here = line.control[[row]]
        feet = [(to_curve(s.curve, here), s.curve) for s in border]
        foot, beside = min(feet, key=lambda f: float(f[0].distance[0]))
        for place in (corner, curve_points(beside, foot.t)[0]):
            if place is not None and float(np.linalg.norm((place - here[0]) * scale)) < REACH:
                line = with_end(line, row, place)
                break
    return line


def _leaving(source: Source, border: Sequence[Source], scale: Array) -> Source:
    """A line that cuts, begun and ended where it parts from the border: a fillet that follows the curvature of a face,
    and its change, leaves the face's border so gently that both would cross by the errors of their fits.
    """
    line = source.curve
    t = np.linspace(*line.domain, _SAMPLES * 4)
    places = curve_points(line, t) * scale
    flats = [replace(s.curve, control=s.curve.control * scale) for s in border]
    beside = np.min([to_curve(c, places).distance for c in flats], axis=0) < _PARTS
    first, last = (int(np.argmin(b)) - 1 for b in (beside, beside[::-1]))
    start, end = max(first, 0), len(t) - 1 - max(last, 0)
    if beside.all() or (start == 0 and end == len(t) - 1):
        return replace(source, cutter=FILLET)
    part = curve_part(line, float(t[start]), float(t[end]))
    space = None if source.space is None else curve_part(source.space, float(t[start]), float(t[end]))
    return replace(source, curve=onto_border(part, border, None, scale), space=space, cutter=FILLET)


def _tangent_to(past: Source, lines: Sequence[Source], scale: Array) -> Source:
    """A contact that runs past the corner with the place and the tangent of the fillet's end where both meet: they
    leave it along each other, and would cross beside it by the errors of their fits.
    """
    control = past.curve.control.copy()
    for tip, leg in ((0, 1), (-1, -2)):
        for line in (s.curve.control for s in lines):
            for end, beside in ((0, 1), (-1, -2)):
                if not near(control[tip], line[end], scale):
                    continue
                own, way = (control[leg] - control[tip]) * scale, (line[beside] - line[end]) * scale
                way = way / max(float(np.linalg.norm(way)), TINY)
                control[tip] = line[end]
                if float(own @ way) > _ALONG * float(np.linalg.norm(own)):
                    control[leg] = line[end] + float(own @ way) * way / scale
    return replace(past, curve=replace(past.curve, control=control))


def _divided(surface: Surface, border: Sequence[Source], row: Sequence[Source], corner: Array, scale: Array) -> Face:
    """The same where the row crosses the joint of a closed face: what lies between it and the corner is turned over
    among the regions that it leaves. corner: scaled.
    """
    turn = np.array([np.ptp(d) if c else 0.0 for d, c in zip(surface.domain, surface.closed, strict=True)]) * scale
    made = arrange([*border, *row, *_joints(surface, border, row, scale)], scale)
    lines = [_places(s.curve, scale) for s in row]
    between = _between([*lines, *_stubs([_places(s.curve, scale) for s in border], lines, corner, turn)], turn)
    turned = set()
    for r in range(len(made.rings)):
        middle = shapely.point_on_surface(made.polygon(r))
        if any(between.contains(shapely.Point(middle.x + a * turn[0], middle.y + b * turn[1])) for a, b in _TURNS):
            turned.add(r)
    if not turned:
        raise GeometryError(OPEN)
    return faces_of(surface, made, sorted(turned ^ set(np.flatnonzero(made.inside).tolist())))[0]


def _joints(surface: Surface, border: Sequence[Source], row: Sequence[Source], scale: Array) -> list[Source]:
    """The pieces of a joint between the row, where that crosses it outside the border, and the border."""
    tips = np.concatenate([curve_points(s.curve, s.curve.domain) for s in border])
    out = []
    for tip in np.concatenate([s.curve.control[[0, -1]] for s in row]):
        for k in (k for k in (0, 1) if surface.closed[k]):
            beside = tips[np.abs(tips[:, k] - tip[k]) * scale[k] < REACH]
            if np.abs(tip[k] - np.array(surface.domain[k])).min() * scale[k] > REACH or not len(beside):
                continue
            end = beside[int(np.argmin(norm((beside - tip) * scale)))]
            middle = (0.5 * (tip + end))[None]
            if (
                min(norm((curve_points(s.curve, to_curve(s.curve, middle).t) - middle) * scale)[0] for s in border)
                > REACH
            ):
                line = Curve.line(tip, end)
                out.append(Source(JOINT, line, twin(surface, line, _FIT), cutter=JOINT))
    return out


def _places(curve: Curve, scale: Array) -> Array:
    return curve_points(curve, np.linspace(*curve.domain, _SAMPLES)) * scale


def _away(a: Array, b: Array, turn: Array) -> Array:
    """From places to others (m, 2), the short way round a closed face."""
    way = b - a
    return np.asarray(way - turn * np.round(way / np.where(turn > 0, turn, np.inf)))


def _stubs(border: Sequence[Array], row: Sequence[Array], corner: Array, turn: Array) -> list[Array]:
    """The stretches of a border from its corner to where a row of lines ends on it, over a joint too."""
    tips = np.concatenate([line[[0, -1]] for line in row])
    alone = [p for k, p in enumerate(tips) if (norm(_away(p, np.delete(tips, k, axis=0), turn)) > REACH).all()]
    out: list[Array] = []
    for tip in (p for p in alone if norm(_away(p, corner[None], turn))[0] > REACH):
        for way in _ways(border, corner, turn):
            at = norm(_away(tip, way[-1], turn))
            k = int(np.argmin(at))
            if at[k] < norm(np.diff(way[-1], axis=0)).max():
                out += [*way[:-1], np.vstack([way[-1][: max(k, 1)], way[-1][0] + _away(way[-1][0], tip, turn)])]
                break
    return out


def _ways(border: Sequence[Array], corner: Array, turn: Array) -> list[list[Array]]:
    """Lines of a border that lead away from a corner, and those with one more behind them."""

    def leading(place: Array, but: int | None) -> list[tuple[int, Array]]:
        both = [(i, way) for i, line in enumerate(border) for way in (line, line[::-1]) if i != but]
        return [(i, way) for i, way in both if norm(_away(place, way[:1], turn))[0] < REACH]

    first = leading(corner, None)
    return [[way] for _, way in first] + [[way, on] for i, way in first for _, on in leading(way[-1], i)]


def _between(lines: Sequence[Array], turn: Array) -> shapely.Geometry:
    """What lies between lines that close, laid out beyond a joint; crossings counted."""
    left = list(lines)
    ring = left.pop(0)
    while left:
        away = [norm(_away(ring[-1], p[[0, -1]], turn)) for p in left]
        k = int(np.argmin([a.min() for a in away]))
        if away[k].min() > 2 * REACH:
            raise GeometryError(OPEN)
        piece = left.pop(k)
        piece = piece if away[k][0] <= away[k][1] else piece[::-1]
        ring = np.vstack([ring, piece + (ring[-1] + _away(ring[-1], piece[0], turn) - piece[0])])
    if norm(ring[:1] - ring[-1:])[0] > 2 * REACH:
        raise GeometryError(OPEN)
    return shapely.make_valid(shapely.Polygon(ring))
