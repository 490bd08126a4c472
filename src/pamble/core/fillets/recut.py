"""A face bounded anew where a corner of it was: by the end of a fillet that cuts it off, or that it has to reach."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from pamble.core.arrays import Array, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.face import MOVED, Edge, Face, base_name
from pamble.core.faces.regions.arrange import arrange
from pamble.core.faces.regions.cut import faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.fillets.ends import REACH
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import EDGES, Surface
from pamble.core.surfaces.extend import extend_surface

FILLET, PAST = "fillet", "past"
"""Names of the edges that a fillet's end, and a contact that runs past the corner, leave on faces."""

_FIT = 1e-5
_SAMPLES = 65
_OPEN = "the fillet's end does not close with its border."


def roomy(surface: Surface, by: float) -> Surface:
    """The surface carried on by ``by`` mm on every side that can be: nothing of what is there changes."""
    for side in EDGES:
        try:
            surface = extend_surface(surface, side, by)
        except GeometryError:
            continue
    return surface


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
    scale = plane_scale(surface)
    foot = to_surface(surface, corner[None])
    at = np.array([foot.u[0], foot.v[0]])
    border = [_moved(s, face.surface, surface) for s in border_sources(face)]
    row = list[Source]()
    whole = True
    for name, line in [*((FILLET, line) for line in lines), *((PAST, line) for line in past)]:
        fits = curve_onto(surface, line, None, _FIT)
        whole = whole and len(fits) == 1
        row += [Source(name, _onto(f.on_a, border, at, scale), f.space, cutter=name) for f in fits]
    if not row:
        raise GeometryError(_OPEN)
    return _spliced(surface, border, row, at, scale) if whole else _divided(surface, border, row, at * scale, scale)


def _moved(source: Source, before: Surface, after: Surface) -> Source:
    """A source of a border on a surface that was carried on: what was its side lies inside it now."""
    if source.at is None:
        return source
    along, high = EDGES.index(source.at) // 2, int(source.at[1])
    if before.domain[along][high] == after.domain[along][high]:
        return source
    named = source.name + MOVED if base_name(source.name) in EDGES else source.name
    return replace(source, at=None, name=named)


def _onto(line: Curve, border: Sequence[Source], corner: Array, scale: Array) -> Curve:
    """A line in the parameters with its ends on the border where they lie beside it: it leaves this tangentially, so
    that a millionth of a millimetre would part them.
    """
    control = line.control.copy()
    for row in (0, -1):
        feet = [(to_curve(s.curve, control[row : row + 1 or None]), s.curve) for s in border]
        foot, beside = min(feet, key=lambda f: float(f[0].distance[0]))
        for place in (corner, curve_points(beside, foot.t)[0]):
            if float(np.linalg.norm((place - control[row]) * scale)) < REACH:
                control[row] = place
                break
    return replace(line, control=control)


@dataclass(frozen=True)
class _Piece:
    """A stretch of a source, run from its start to its end if way is above 0, and else back."""

    source: Source
    start: float
    end: float
    way: float

    @staticmethod
    def whole(source: Source, way: float) -> _Piece:
        return _Piece(source, *source.curve.domain, way)

    @property
    def tips(self) -> Array:
        """Parameters (2, 2) where it begins and ends as it is run."""
        return curve_points(self.source.curve, [self.start, self.end])[:: 1 if self.way > 0 else -1]

    def up_to(self, t: float) -> _Piece:
        return replace(self, end=t) if self.way > 0 else replace(self, start=t)

    def up_from(self, t: float) -> _Piece:
        return replace(self, start=t) if self.way > 0 else replace(self, end=t)


def _spliced(surface: Surface, border: Sequence[Source], row: Sequence[Source], corner: Array, scale: Array) -> Face:
    """The row put into the loop of the corner, in place of what lies between its ends there."""
    loops = [[_Piece.whole(s, s.inward) for s in border if s.loop == n] for n in dict.fromkeys(s.loop for s in border)]
    chain = _in_a_row([_Piece.whole(s, 1.0) for s in row], scale)
    back = [replace(p, way=-p.way) for p in chain[::-1]]
    for n, loop in enumerate(loops):
        for k, before in enumerate(loop):
            after = loop[(k + 1) % len(loop)]
            if not (_near(before.tips[1], corner, scale) and _near(after.tips[0], corner, scale)):
                continue
            for new in (chain, back):
                begins = _place_on(before.source, new[0].tips[0], scale)
                ends = _place_on(after.source, new[-1].tips[1], scale)
                if begins is None or ends is None:
                    continue
                others = [loop[(k + 2 + i) % len(loop)] for i in range(len(loop) - 2)]
                alone = before is after
                cut = (
                    [before.up_to(begins).up_from(ends)] if alone else [before.up_to(begins), *new, after.up_from(ends)]
                )
                loops[n] = [*others, *cut, *(new if alone else [])]
                return _face(surface, loops)
    raise GeometryError(_OPEN)


def _near(a: Array, b: Array, scale: Array) -> bool:
    return float(np.linalg.norm((a - b) * scale)) < REACH


def _place_on(source: Source, tip: Array, scale: Array) -> float | None:
    """Parameter at which a source passes a place."""
    for t in source.curve.domain:
        if _near(curve_points(source.curve, [t])[0], tip, scale):
            return float(t)
    t = float(to_curve(source.curve, tip[None]).t[0])
    return t if _near(curve_points(source.curve, [t])[0], tip, scale) else None


def _in_a_row(pieces: Sequence[_Piece], scale: Array) -> list[_Piece]:
    """Pieces as they follow each other, each run onward. Raises `GeometryError` if one lies apart."""
    left, out = list(pieces[1:]), [pieces[0]]
    while left:
        found = None
        for i, p in enumerate(left):
            for turned in (p, replace(p, way=-p.way)):
                if _near(turned.tips[0], out[-1].tips[1], scale):
                    found = i, [*out, turned]
                elif _near(turned.tips[1], out[0].tips[0], scale):
                    found = i, [turned, *out]
        if found is None:
            raise GeometryError(_OPEN)
        left.pop(found[0])
        out = found[1]
    return out


def _face(surface: Surface, loops: Sequence[Sequence[_Piece]]) -> Face:
    real = [[p for p in loop if p.source.space is not None and p.end > p.start] for loop in loops]
    many = Counter(p.source.name for loop in real for p in loop)
    seen = Counter[str]()
    made = []
    for loop in real:
        edges = []
        for p in loop:
            name = p.source.name
            seen[name] += 1
            called = name if many[name] == 1 else f"{name}.{seen[name]}of{many[name]}"
            flat = p.source.curve
            part = flat if (p.start, p.end) == flat.domain else curve_part(flat, p.start, p.end)
            edges.append(Edge(surface, called, part, p.way, None, p.source.at, p.source.space))
        made.append(tuple(edges))
    return Face(surface, tuple(made))


def _divided(surface: Surface, border: Sequence[Source], row: Sequence[Source], corner: Array, scale: Array) -> Face:
    """The same where the row crosses the joint of a closed face: what lies between it and the corner is turned over
    among the regions that it leaves. corner: scaled.
    """
    made = arrange([*border, *row], scale)
    between = _between([_places(s.curve, scale) for s in row], _stubs(border, row, corner, scale))
    middles = [shapely.point_on_surface(made.polygon(r)) for r in range(len(made.rings))]
    turned = {r for r, middle in enumerate(middles) if between.contains(middle)}
    if not turned:
        raise GeometryError(_OPEN)
    return faces_of(surface, made, sorted(turned ^ set(np.flatnonzero(made.inside).tolist())))[0]


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
            raise GeometryError(_OPEN)
        piece = left.pop(k)
        ring = np.vstack([ring, piece if away[k][0] <= away[k][1] else piece[::-1]])
    if norm(ring[:1] - ring[-1:])[0] > 2 * REACH:
        raise GeometryError(_OPEN)
    return shapely.make_valid(shapely.Polygon(ring))
