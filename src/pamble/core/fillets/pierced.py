"""Holes that a fillet runs over: those that its contact crosses, and those that lie whole between it and its crease.
Their walls end on the fillet, which goes round them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import partial, reduce
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.edit import run_on
from pamble.core.errors import GeometryError
from pamble.core.faces.cut_back import Cut
from pamble.core.faces.face import Edge, Face, base_name, side_curve
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.fillets.ends import contact_edges
from pamble.core.fillets.grown import room
from pamble.core.fillets.rows_over import MEETS, Stretch, beyond, close_to, cuts_of, joined, leading, whole_cuts
from pamble.core.fillets.several import cut_off, grow_to
from pamble.core.fillets.splice import Piece, in_a_row, spliced_off, with_loop
from pamble.core.fillets.strip import Strip
from pamble.core.spline.closest import to_curve, within
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_grid
from pamble.core.spline.knots import begun_at, curve_part, surface_part
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import SEAM_SEARCH

NOTCH = "notch"
"""Name of the edges of a fillet round what pierces it."""

_ON = 1e-2
"""Distance, mm, within which an end of a contact lies on a fillet's side."""

_GAP = 1e-6
"""Share of a contact below which nothing lies between two ends on it."""


_ALONG, _STARTS = 9, 24

_ROOM = 0.02
"""Share of a fillet, besides as much as a gap is long, on both sides of it in which it is closed."""


@dataclass(frozen=True)
class Gap:
    """Where a contact leaves its face and comes back. number: of the face; ends: the places (2, 3); line: the contact
    between them.
    """

    number: int
    ends: Array
    line: Curve

    @property
    def error(self) -> GeometryError:
        """What to say where it cannot be closed."""
        x, y, z = curve_points(self.line, [0.5 * sum(self.line.domain)])[0]
        return GeometryError(
            f"Near ({x:.2f}, {y:.2f}, {z:.2f}) mm the contact of the ball leaves its face: a smaller radius is needed."
        )


def gaps(face: Face, number: int, cut: Cut) -> Iterator[Gap]:
    """Where a contact leaves the face that was cut back along it, and comes back."""
    if not cut.edges:
        return
    own = contact_edges(face, cut.name)
    ends = np.concatenate([curve_points(e.space, e.space.domain) for e in own])
    for line in cut.lines:
        low, high = line.domain
        closed = norm(np.diff(curve_points(line, line.domain), axis=0))[0] < _ON
        feet = to_curve(line, ends)
        on = np.flatnonzero(feet.distance < _ON)
        on = on[np.argsort(feet.t[on])]
        t, places = feet.t[on], ends[on]
        stretches = [(float(a), float(b), places[k : k + 2]) for k, (a, b) in enumerate(pairwise(t))]
        if closed and len(t):
            stretches.append((float(t[-1]), float(t[0]) + high - low, places[[-1, 0]]))
        for start, end, both in stretches:
            if end - start < _GAP * (high - low):
                continue
            between = _stretch(line, start, end)
            middle = curve_points(between, [0.5 * sum(between.domain)])
            if not any(within(e.space, middle, _ON) for e in own):
                yield Gap(number, both, between)


def _stretch(line: Curve, start: float, end: float) -> Curve:
    """A stretch of a contact, of a closed one over its joint too."""
    low, high = line.domain
    if end <= high:
        return curve_part(line, start, end)
    end -= high - low
    parts = [curve_part(line, a, b) for a, b in ((start, high), (low, end)) if b - a > _GAP * (high - low)]
    return reduce(run_on, parts)


def pierced(
    faces: Sequence[Face], strip: Strip, part: Sequence[Face], changed: Mapping[int, Face], left: Sequence[Gap]
) -> tuple[list[Face], dict[int, Face], list[str]]:
    """Fillets in a row round all holes that they run over; the faces of the part cut back, by their number; and what is
    not done. changed: those that were cut back already; left: gaps of its contacts. Raises `GeometryError` where
    nothing leads over a gap.
    """
    out, now, told = list(faces), dict(changed), list[str]()
    if left and out[0].natural and out[0].surface.closed[0]:
        out[0] = Face(_begun_apart(out[0].surface, strip, left))
    for gap in left:
        k, side = _roll_of(strip, gap)
        surface = out[k].surface
        feet = to_curve(side_curve(surface, ("v0", "v1")[side])[2], gap.ends)
        flat = np.column_stack([feet.t, np.full(2, float(side))])
        near = _beside(surface, np.sort(feet.t))
        walls = _Walls(strip, near, close_to(near, strip.faces, part, now), gap.ends)
        try:
            row, cuts = walls.met(partial(_over, gap, flat, feet.point))
            out[k], now = _notched(out[k], row, gap.line), now | cuts
        except GeometryError:
            raise gap.error from None
    for n in strip.faces:
        crease = strip.cut(n)
        for rim in _rims(part[n], changed[n], () if crease is None else crease.edges):
            try:
                k, row, cuts = _ring(out, strip, part, now, rim)
                out[k] = with_loop(out[k], [Source(NOTCH, s.cut.on_face, s.cut.space) for s in row])
                now |= cuts
            except GeometryError:
                x, y, z = curve_points(rim[0].space, rim[0].space.domain)[0]
                told.append(
                    f"Near ({x:.2f}, {y:.2f}, {z:.2f}) mm a hole lies under the fillet, and its wall does not end on "
                    "it: trim both by hand."
                )
    return out, now, told


def _beside(surface: Surface, at: Array) -> Surface:
    """The part of a fillet beside a gap between two places along it, (2,)."""
    low, high = surface.domain[0]
    more = float(at[1] - at[0]) + _ROOM * (high - low)
    return surface_part(surface, (max(low, float(at[0]) - more), min(high, float(at[1]) + more)), None)


def _over(gap: Gap, flat: Array, space: Array, found: Sequence[Stretch]) -> list[Stretch]:
    return joined(leading(found, *gap.ends), flat, space)


def _roll_of(strip: Strip, gap: Gap) -> tuple[int, int]:
    """Along which of the fillets in a row a gap lies, and on which of its sides."""
    middle = curve_points(gap.line, [0.5 * sum(gap.line.domain)])
    sides = [(k, side) for k, r in enumerate(strip.rolls) for side in (0, 1) if r.run.numbers[side] == gap.number]
    return min(sides, key=lambda at: float(to_curve(strip.rolls[at[0]].lines[at[1]], middle).distance[0]))


def _notched(face: Face, row: Sequence[Stretch], line: Curve) -> Face:
    """A fillet without what lies between a row of lines and a stretch of its side."""
    scale = plane_scale(face.surface)
    chain = in_a_row([Piece.whole(Source(NOTCH, s.cut.on_face, s.cut.space), 1.0) for s in row], scale)
    assert chain is not None
    return spliced_off(
        face.surface, border_sources(face), chain, lambda points: -to_curve(line, points).distance, scale
    )


def _begun_apart(surface: Surface, strip: Strip, left: Sequence[Gap]) -> Surface:
    """A closed fillet begun away from the gaps of its contacts, where one of them lies over its joint."""
    (low, high), over, places = surface.domain[0], False, list[Array]()
    for gap in left:
        side = side_curve(surface, ("v0", "v1")[_roll_of(strip, gap)[1]])[2]
        t = to_curve(side, curve_points(gap.line, np.linspace(*gap.line.domain, _ALONG))).t
        over = over or float(np.abs(np.diff(t)).max()) > 0.5 * (high - low)
        places.append(t)
    if not over:
        return surface
    at = np.linspace(low, high, _STARTS + 2)[1:-1]
    away = np.abs(at[:, None] - np.concatenate(places))
    return begun_at(surface, 0, float(at[np.argmax(np.minimum(away, high - low - away).min(axis=1))]))


def _rims(before: Face, after: Face, crease: Sequence[Edge]) -> Iterator[tuple[Edge, ...]]:
    """The loops of a face, its outer one and the crease's own aside, of which nothing is left once it was cut back."""
    left = {base_name(e.name) for e in after.edges}
    own = {base_name(e.name) for e in crease}
    for loop in before.loops[1:]:
        if not {base_name(e.name) for e in loop} & (left | own):
            yield loop


def _ring(
    faces: Sequence[Face], strip: Strip, part: Sequence[Face], now: Mapping[int, Face], rim: Sequence[Edge]
) -> tuple[int, list[Stretch], dict[int, Face]]:
    """The fillet of a row that a hole pierces, the closed row of lines in which it does, and the hole's walls cut back.

    rim: the hole's edges on the face that is gone there.
    """
    points = [curve_points(e.space, np.linspace(*e.space.domain, _ALONG)) for e in rim]
    for k, face in enumerate(faces):
        standing = close_to(face.surface, strip.faces, part, now)
        walls = {n: f for n, f in standing.items() if any(_borders(f, row) for row in points)}
        with suppress(GeometryError):
            return k, *_Walls(strip, face.surface, walls, np.zeros((0, 3))).met(_closed)
    raise GeometryError("Nothing pierces the fillet there.")


def _closed(found: Sequence[Stretch]) -> list[Stretch]:
    """Stretches that lead back to where the first of them begins."""
    for s in found:
        first, last = s.tips
        rest = [o for o in found if o is not s]
        with suppress(GeometryError):
            row = [s] if float(np.linalg.norm(last - first)) < MEETS else [s, *leading(rest, last, first)]
            return joined(row, np.tile(s.cut.on_face.control[:1], (2, 1)), np.tile(first, (2, 1)))
    raise GeometryError("Nothing leads round there.")


@dataclass(frozen=True)
class _Walls:
    """Faces that may pierce a fillet, by their numbers. vertices: where its contact ends on them, (m, 3)."""

    strip: Strip
    surface: Surface
    faces: Mapping[int, Face]
    vertices: Array

    def met(self, row_of: Callable[[Sequence[Stretch]], list[Stretch]]) -> tuple[list[Stretch], dict[int, Face]]:
        """The row of stretches that is looked for among those in which they cut the fillet, and the faces cut back to
        it; else among those in which they would, carried on, and the faces carried on to it.
        """
        goes, by = beyond(self.surface, self._crease()), room(self.strip, 0)
        for cuts, bound in ((cuts_of, cut_off), (whole_cuts, partial(grow_to, by=by))):
            with suppress(GeometryError):
                row = row_of([s for n, f in self.faces.items() for s in cuts(self.surface, n, f, by, self.vertices)])
                tips = np.array([row[0].tips[0], row[-1].tips[1]]) if not len(self.vertices) else self.vertices
                return row, bound(row, tips, self.faces, goes)
        raise GeometryError("Nothing pierces the fillet there.")

    def _crease(self) -> Array:
        """The place of the crease (3,) beside the middle of the fillet: from one farther along, it is not told on which
        of its sides the crease lies.
        """
        u, v = ([0.5 * sum(d)] for d in self.surface.domain)
        middle = surface_grid(self.surface, u, v)[0, 0, 0]
        feet = [to_curve(r.run.first.space, middle) for r in self.strip.rolls]
        return np.asarray(min(feet, key=lambda f: float(f.distance[0])).point[0])


def _borders(face: Face, points: Array) -> bool:
    return any(within(e.space, points, SEAM_SEARCH) for e in face.edges)
