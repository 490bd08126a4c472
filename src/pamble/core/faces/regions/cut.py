"""Faces made of chosen regions: their loops follow the sources' own curves, their edges have names that last."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

import shapely

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.regions.arrange import Arrangement, Piece, bounded
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import EDGES, Surface


@dataclass(frozen=True)
class Border:
    """A stretch of a source that bounds a region; way +1 if it is run along the source's parameter."""

    source: int
    t0: float
    t1: float
    way: int


def faces_of(surface: Surface, made: Arrangement, keep: Sequence[int]) -> list[Face]:
    """Faces that hold the regions of these numbers, the largest first; neighbours across a cutter become one.

    An edge is named by its source, with "1of2" and so on behind it where several stretches of the source are left.
    Raises `GeometryError` if nothing is kept.
    """
    return [_face(surface, made, loops) for loops in _pieces(made, keep)]


def face_of(surface: Surface, made: Arrangement, keep: Sequence[int]) -> Face:
    """One face of the regions of these numbers, in however many pieces; see `faces_of`."""
    return _face(surface, made, [loop for loops in _pieces(made, keep) for loop in loops])


def _pieces(made: Arrangement, keep: Sequence[int]) -> list[list[list[Border]]]:
    """The loops of each piece that regions make together, the largest first."""
    if not keep:
        raise GeometryError("Nothing is kept of the face: pick at least one region.")
    kept = set(keep)
    if len(kept) == 1:
        return [[_joined(made, [(made.pieces[i], w) for i, w in ring]) for ring in made.rings[keep[0]]]]
    border = [p for p in made.pieces if (p.left in kept) != (p.right in kept)]
    found = []
    for polygon, rings in bounded(border):
        first, way = rings[0][0]
        if (border[first].left if way > 0 else border[first].right) in kept:
            loops = [_joined(made, [(border[i], w) for i, w in ring]) for ring in rings]
            found.append((float(shapely.area(polygon)), loops))
    found.sort(key=lambda f: -f[0])
    return [loops for _, loops in found]


def _joined(made: Arrangement, ring: Sequence[tuple[Piece, int]]) -> list[Border]:
    """Stretches of a ring; those of one source that run on into each other made one."""
    stretches = [Border(p.source, p.t0, p.t1, w) for p, w in ring]
    out = stretches[:1]
    for border in stretches[1:]:
        both = _run_on(out[-1], border)
        if both is None:
            out.append(border)
        else:
            out[-1] = both
    if len(out) > 1 and (both := _run_on(out[-1], out[0])) is not None:
        out = [both, *out[1:-1]]
    return out


def _run_on(a: Border, b: Border) -> Border | None:
    if a.source != b.source or a.way != b.way:
        return None
    low, high = (a, b) if a.way > 0 else (b, a)
    return replace(low, t1=high.t1) if low.t1 == high.t0 else None


def _face(surface: Surface, made: Arrangement, loops: Sequence[Sequence[Border]]) -> Face:
    if len(loops) == 1 and _whole(made, loops[0]):
        sides = {made.sources[b.source].at: made.sources[b.source].name for b in loops[0]}
        u0, u1, v0, v1 = (sides[side] for side in EDGES)
        return Face(surface, (), (u0, u1, v0, v1))
    count = Counter(made.sources[b.source].name for loop in loops for b in loop)
    number: dict[tuple[int, float], str] = {}
    for name, n in count.items():
        own = sorted((b.source, b.t0) for loop in loops for b in loop if made.sources[b.source].name == name)
        for i, key in enumerate(own, start=1):
            number[key] = name if n == 1 else f"{name}.{i}of{n}"
    edges = tuple(
        tuple(_edge(surface, made, b, number[b.source, b.t0]) for b in loop if _has_length(made, b)) for loop in loops
    )
    return Face(surface, tuple(loop for loop in edges if loop))


def _whole(made: Arrangement, loop: Sequence[Border]) -> bool:
    """Whether a loop is just the four sides of the surface."""
    if len(loop) != 4 or {made.sources[b.source].at for b in loop} != set(EDGES):
        return False
    return all((b.t0, b.t1) == tuple(made.table.domain[b.source].tolist()) for b in loop)


def _has_length(made: Arrangement, b: Border) -> bool:
    return made.sources[b.source].space is not None


def _edge(surface: Surface, made: Arrangement, b: Border, name: str) -> Edge:
    source = made.sources[b.source]
    assert source.space is not None
    return Edge(surface, name, _part(source.curve, b.t0, b.t1), float(b.way), None, source.at, source.space)


def _part(curve: Curve, t0: float, t1: float) -> Curve:
    """A stretch of a parameter curve; of a straight line without a change of basis."""
    if (t0, t1) == curve.domain:
        return curve
    if curve.degree == 1 and len(curve.control) == 2:
        ends = curve_points(curve, [t0, t1])
        return Curve.line(ends[0], ends[1], (t0, t1))
    return curve_part(curve, t0, t1)
