"""The end of a fillet that runs over several faces, or over edges that it consumes: followed from one contact to the
other over all faces that it cuts.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import groupby

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.face import Face
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.fillets.ends import End, end_lines, tipped
from pamble.core.fillets.grown import room
from pamble.core.fillets.recut import FILLET, bordered, onto_border, regrown
from pamble.core.fillets.rows_over import MEETS, Stretch, beyond, close_to, cuts_of, joined, leading
from pamble.core.fillets.splice import OPEN, Piece, in_a_row, spliced_off
from pamble.core.fillets.strip import Strip
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import surface_part
from pamble.core.spline.surface import Surface

_FIT = 1e-6
_AMONG = 17

_ROOM = 0.1
"""Share of a fillet beyond its contacts' ends, on both sides, in which its end is looked for."""


def by_several(
    face: Face, strip: Strip, end: int, vertices: Array, part: Sequence[Face], now: Mapping[int, Face]
) -> tuple[End, dict[int, Face], set[int]]:
    """How a fillet ends at its start (0) or end (-1), the faces that it cuts back there by their numbers, and the
    numbers of those that go whole. face: the fillet between the ends of its contacts; vertices: see `contact_ends`;
    now: faces of the part that were cut back already. Raises `GeometryError` where no line leads from one contact to
    the other.
    """
    surface, own = strip.rolls[end].made.surface, end_lines(face, end)
    near, by = _part(surface, own.at, end), room(strip, end)
    standing = close_to(near, strip.end(end)[1], part, now)
    found = [s for n, f in standing.items() for s in cuts_of(near, n, f, by, vertices)]
    flat = np.array([own.lines[0][0].control[0], own.lines[-1][0].control[-1]])
    space = np.array([own.lines[0][1].control[0], own.lines[-1][1].control[-1]])
    row = joined(leading(found, *vertices), flat, space)
    goes = beyond(surface, strip.end(end)[0])
    cuts = cut_off(row, vertices, standing, goes)
    whole = {n for n, f in standing.items() if n not in cuts and _gone(f, surface, goes)}
    return End(own.at, tuple((s.cut.on_face, s.cut.space) for s in row)), cuts, whole


def cut_off(
    row: Sequence[Stretch], tips: Array, standing: Mapping[int, Face], goes: Callable[[Array], Array]
) -> dict[int, Face]:
    """The faces over which a row of stretches runs, each without what lies beyond it. tips: where it begins and ends,
    (2, 3); goes: see `beyond`.
    """
    lines, out = tipped([s.cut.space for s in row], tips), dict[int, Face]()
    for number, run in groupby(zip(row, lines, strict=True), key=lambda pair: pair[0].number):
        own = [line for _, line in run]
        out[number] = bordered(_without(out.get(number, standing[number]), own, goes), own)
    return out


def _part(surface: Surface, at: tuple[float, float], end: int) -> Surface:
    """The part of a fillet in which its end lies."""
    low, high = surface.domain[0]
    more = _ROOM * (high - low) + abs(at[1] - at[0])
    inner = max(at) + more if end == 0 else min(at) - more
    inner = min(max(inner, low + more), high - more) if 2 * more < high - low else (high if end == 0 else low)
    return surface_part(surface, (low, inner) if end == 0 else (inner, high), None)


def grow_to(
    row: Sequence[Stretch], tips: Array, standing: Mapping[int, Face], goes: Callable[[Array], Array], by: float
) -> dict[int, Face]:
    """The faces over which a row of stretches runs, each carried on to it where it lies beyond their borders. tips,
    goes: see `cut_off`; by: see `roomy`.
    """
    lines, out = tipped([s.cut.space for s in row], tips), dict[int, Face]()
    for number in dict.fromkeys(s.number for s in row):
        own = [line for s, line in zip(row, lines, strict=True) if s.number == number]
        out[number] = regrown(standing[number], own, goes, by)
    return out


def _without(face: Face, lines: Sequence[Curve], goes: Callable[[Array], Array]) -> Face:
    """A face without what lies beyond a row of lines on it. Where the row crosses the joint of a closed face it is in
    two, on both its sides.
    """
    scale, border = plane_scale(face.surface), border_sources(face)
    chains = list[list[Source]]()
    for line in lines:
        for f in curve_onto(face.surface, line, None, _FIT):
            own = Source(FILLET, onto_border(f.on_a, border, None, scale), f.space, cutter=FILLET)
            whole = [Piece.whole(s, 1.0) for s in [*(chains[-1] if chains else []), own]]
            if chains and in_a_row(whole, scale) is not None:
                chains[-1].append(own)
            else:
                chains.append([own])
    if not chains:
        raise GeometryError(OPEN)
    for chain in chains:
        row = in_a_row([Piece.whole(s, 1.0) for s in chain], scale)
        assert row is not None
        face = spliced_off(face.surface, border_sources(face), row, goes, scale)
    return face


def _gone(face: Face, surface: Surface, goes: Callable[[Array], Array]) -> bool:
    """Whether all of a face lies between a fillet and its crease."""
    points = np.concatenate([curve_points(e.space, np.linspace(*e.space.domain, _AMONG)) for e in face.edges])
    foot = to_surface(surface, points)
    (u0, u1), (v0, v1) = surface.domain
    inner = (foot.u > u0) & (foot.u < u1) & (foot.v >= v0) & (foot.v <= v1)
    return bool((inner & (goes(points) > -MEETS)).all())
