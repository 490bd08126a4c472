"""The end of a fillet that runs over several faces, or over edges that it consumes: followed from one contact to the
other over all faces that it cuts.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import partial
from itertools import groupby, pairwise

import numpy as np

from pamble.core.arrays import Array, BoolArray, IntArray, cross, dot, norm, unit
from pamble.core.curves.stretches import stretches
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.fit import FittedBranch
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.faces.trim import CutCurve, fresh_meet
from pamble.core.fillets.ends import End, end_lines, tipped
from pamble.core.fillets.grown import room
from pamble.core.fillets.recut import FILLET, onto_border, regrown, roomy
from pamble.core.fillets.splice import OPEN, Piece, in_a_row, spliced_off
from pamble.core.fillets.strip import Strip
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part, reverse_curve, surface_part
from pamble.core.spline.surface import Surface

_CUT, _FIT = 1e-6, 1e-6

_MEETS = 0.03
"""Distance, mm, within which lines over two faces beside each other follow each other."""

_ROOM = 0.1
"""Share of a fillet beyond its contacts' ends, on both sides, in which its end is looked for."""

_MOST = 12
"""Faces over which one end runs, at most."""

_AMONG = 17

_FAR = 2.0
"""Times its width by which a crease lies off its fillet at most, up to one of 30 degrees between its faces."""

_LEAST = 1e-6
"""Share of a line below which nothing lies between two places on it."""

_ASKED = 65
"""Places of a line that are asked whether they lie on a face."""

_ON = 0.2
"""Share of an end's width by which a line goes on beside a face's border to where a contact ends."""


@dataclass(frozen=True)
class Stretch:
    """A line of the end over the face of a number, run from the fillet's side v0 to v1."""

    number: int
    cut: CutCurve

    @property
    def tips(self) -> Array:
        return curve_points(self.cut.space, self.cut.space.domain)

    def turned(self) -> Stretch:
        return replace(self, cut=CutCurve(reverse_curve(self.cut.on_face), reverse_curve(self.cut.space)))


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


def close_to(surface: Surface, beside: Sequence[int], part: Sequence[Face], now: Mapping[int, Face]) -> dict[int, Face]:
    """The faces of a part, as they stand now, that may cut a fillet, by their numbers. beside: numbers of those along
    it.
    """
    standing = {n: now.get(n, f) for n, f in enumerate(part) if n not in beside}
    return {n: f for n, f in standing.items() if _close(surface, f.surface)}


def cut_off(
    row: Sequence[Stretch], tips: Array, standing: Mapping[int, Face], goes: Callable[[Array], Array]
) -> dict[int, Face]:
    """The faces over which a row of stretches runs, each without what lies beyond it. tips: where it begins and ends,
    (2, 3); goes: see `beyond`.
    """
    lines, out = tipped([s.cut.space for s in row], tips), dict[int, Face]()
    for number, run in groupby(zip(row, lines, strict=True), key=lambda pair: pair[0].number):
        out[number] = _without(out.get(number, standing[number]), [line for _, line in run], goes)
    return out


def _part(surface: Surface, at: tuple[float, float], end: int) -> Surface:
    """The part of a fillet in which its end lies."""
    low, high = surface.domain[0]
    room = _ROOM * (high - low) + abs(at[1] - at[0])
    inner = max(at) + room if end == 0 else min(at) - room
    inner = min(max(inner, low + room), high - room) if 2 * room < high - low else (high if end == 0 else low)
    return surface_part(surface, (low, inner) if end == 0 else (inner, high), None)


def _close(a: Surface, b: Surface) -> bool:
    """Whether the boxes of two surfaces meet."""
    one, two = a.control.reshape(-1, 3), b.control.reshape(-1, 3)
    return bool(
        (one.min(axis=0) <= two.max(axis=0) + _MEETS).all() and (two.min(axis=0) <= one.max(axis=0) + _MEETS).all()
    )


def cuts_of(surface: Surface, number: int, face: Face, by: float, vertices: Array) -> Iterator[Stretch]:
    """The stretches of a face in which it cuts a fillet. by: see `roomy`; vertices: where the contacts end, up to which
    a stretch goes on that leaves the face beside them, as a smooth section does tangentially.
    """
    low, high = np.array(face.surface.domain).T

    def label(uv: Array) -> IntArray:
        there = ((uv >= low) & (uv <= high)).all(axis=1) & inside(face, uv[:, 0], uv[:, 1])
        return np.where(there, 0, -1)

    width = float(np.linalg.norm(np.ptp(vertices, axis=0))) if len(vertices) else 0.0
    for fit in _fits(surface, face.surface, by):
        feet, t = to_curve(fit.space, vertices), np.linspace(*fit.space.domain, _ASKED)
        for _, start, end in stretches(partial(_labels, label, fit.on_b), t):
            ends = [start, end]
            for at, away in zip(feet.t.tolist(), feet.distance.tolist(), strict=True):
                k = int(abs(at - end) < abs(at - start))
                gap = np.diff(curve_points(fit.space, [ends[k], at]), axis=0)
                if away < _MEETS and float(norm(gap)[0]) < _ON * width:
                    ends[k] = at
            if ends[1] > ends[0]:
                on_face, space = (curve_part(c, ends[0], ends[1]) for c in (fit.on_a, fit.space))
                yield Stretch(number, CutCurve(on_face, space))


def _labels(label: Callable[[Array], IntArray], curve: Curve, t: Array) -> IntArray:
    return label(curve_points(curve, t))


def _fits(surface: Surface, across: Surface, by: float) -> Sequence[FittedBranch]:
    """Where a surface, carried on where it can be followed, cuts a fillet; nothing where the fillet runs along it."""
    for wall in (roomy(across, by), across):
        with suppress(GeometryError):
            return [fit for fit, _ in fresh_meet(_CUT)(surface, wall)]
    return []


def leading(found: Sequence[Stretch], start: Array, goal: Array) -> list[Stretch]:
    """The stretches that lead from one place to another, each beginning where the one before it ends; of several ways
    the one of the fewest.
    """
    both = [t for s in found for t in (s, s.turned())]
    ways: list[tuple[Array, list[Stretch], frozenset[int]]] = [(start, [], frozenset())]
    for _ in range(_MOST):
        longer = []
        for place, way, used in ways:
            for k, s in enumerate(both):
                if k // 2 in used or float(np.linalg.norm(s.tips[0] - place)) > _MEETS:
                    continue
                new = [*way, s]
                if float(np.linalg.norm(s.tips[1] - goal)) < _MEETS:
                    return new
                longer.append((s.tips[1], new, used | {k // 2}))
        ways = longer
    raise GeometryError("The faces at the end do not cut the fillet from side to side.")


def joined(row: Sequence[Stretch], flat: Array, space: Array) -> list[Stretch]:
    """The stretches with tips where the row begins and ends, and each where the one before it does. flat, space: both
    places in the fillet's parameters, (2, 2), and in space, (2, 3).
    """
    out: list[Stretch] = []
    at, place = flat[0], space[0]
    for k, s in enumerate(row):
        on_face, told = s.cut.on_face.control.copy(), s.cut.space.control.copy()
        on_face[0], told[0] = at, place
        if k == len(row) - 1:
            on_face[-1], told[-1] = flat[1], space[1]
        at, place = on_face[-1], told[-1]
        cut = CutCurve(replace(s.cut.on_face, control=on_face), replace(s.cut.space, control=told))
        out.append(Stretch(s.number, cut))
    return out


def beyond(surface: Surface, corner: Array) -> Callable[[Array], Array]:
    """How far places (m, 3) lie on that side of a fillet on which its crease ends, mm; below zero also for those that
    do not lie over it, or farther off than any crease does.
    """
    (low, high), most = surface.domain[1], _FAR * float(norm(surface.control[:, -1] - surface.control[:, 0]).max())

    def height(points: Array) -> tuple[Array, BoolArray]:
        foot = to_surface(surface, points)
        d = surface_derivatives(surface, foot.u, foot.v, 1)
        return dot(unit(cross(d[1, 0], d[0, 1])), points - d[0, 0]), (foot.v > low) & (foot.v < high)

    side = float(np.sign(height(corner[None])[0][0]))

    def goes(points: Array) -> Array:
        above, over = height(points)
        return np.where((over & (side * above < most)) | (side * above < 0), side * above, -np.abs(above))

    return goes


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


def whole_cuts(surface: Surface, number: int, face: Face, by: float, vertices: Array) -> Iterator[Stretch]:
    """The stretches in which a face that is carried on cuts a fillet, parted where contacts end on them. by: see
    `roomy`.
    """
    for fit in _fits(surface, face.surface, by):
        low, high = fit.space.domain
        feet = to_curve(fit.space, vertices)
        stops = [low, *sorted(feet.t[feet.distance < _MEETS].tolist()), high]
        for a, b in pairwise(stops):
            if b - a > _LEAST * (high - low):
                on_face, space = (curve_part(c, a, b) for c in (fit.on_a, fit.space))
                yield Stretch(number, CutCurve(on_face, space))


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
    return bool((inner & (goes(points) > -_MEETS)).all())
