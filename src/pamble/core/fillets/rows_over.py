"""Rows of lines in which a fillet crosses other faces: those on them, and those on what they are carried on by."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, BoolArray, IntArray, boxes_meet, cross, dot, norm, unit
from pamble.core.curves.stretches import stretches
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.fit import FittedBranch
from pamble.core.faces.cut_ends import CutCurve
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.faces.trim import fresh_meet
from pamble.core.fillets.recut import roomy
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.ends import with_end
from pamble.core.spline.evaluate import curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part, reverse_curve
from pamble.core.spline.surface import Surface

_CUT = 1e-6

MEETS = 0.03
"""Distance, mm, within which lines over two faces beside each other follow each other."""

_MOST = 12
"""Faces over which one row runs, at most."""

_FAR = 2.0
"""Times its width by which a crease lies off its fillet at most, up to one of 30 degrees between its faces."""

_LEAST = 1e-6
"""Share of a line below which nothing lies between two places on it."""

_ASKED = 65
"""Places of a line that are asked whether they lie on a face."""

_ON = 0.2
"""Share of a row's width by which a line goes on beside a face's border to where a contact ends."""


@dataclass(frozen=True)
class Stretch:
    """A line of the end over the face of a number, run from the fillet's side v0 to v1. past: whether it goes on
    beside the face's border.
    """

    number: int
    cut: CutCurve
    past: bool = False

    @property
    def tips(self) -> Array:
        return curve_points(self.cut.space, self.cut.space.domain)

    def turned(self) -> Stretch:
        return replace(self, cut=CutCurve(reverse_curve(self.cut.on_face), reverse_curve(self.cut.space)))


def close_to(surface: Surface, beside: Sequence[int], part: Sequence[Face], now: Mapping[int, Face]) -> dict[int, Face]:
    """The faces of a part, as they stand now, that may cut a fillet, by their numbers. beside: numbers of those along
    it.
    """
    standing = {n: now.get(n, f) for n, f in enumerate(part) if n not in beside}
    own = surface.control.reshape(-1, 3)
    return {n: f for n, f in standing.items() if boxes_meet(own, f.surface.control.reshape(-1, 3), MEETS)}


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
            near, past = [start, end], [start, end]
            for at, away in zip(feet.t.tolist(), feet.distance.tolist(), strict=True):
                k = int(abs(at - end) < abs(at - start))
                gap = float(norm(np.diff(curve_points(fit.space, [past[k], at]), axis=0))[0])
                if away < MEETS and gap < _ON * width:
                    past[k] = at
                    near[k] = at if gap < MEETS else near[k]
            for a, b in dict.fromkeys((tuple(near), tuple(past))):
                if b > a:
                    on_face, space = (curve_part(c, a, b) for c in (fit.on_a, fit.space))
                    yield Stretch(number, CutCurve(on_face, space), [a, b] != near)


def whole_cuts(surface: Surface, number: int, face: Face, by: float, vertices: Array) -> Iterator[Stretch]:
    """The stretches in which a face that is carried on cuts a fillet, parted where contacts end on them. by: see
    `roomy`.
    """
    for fit in _fits(surface, face.surface, by):
        low, high = fit.space.domain
        feet = to_curve(fit.space, vertices)
        stops = [low, *sorted(feet.t[feet.distance < MEETS].tolist()), high]
        for a, b in pairwise(stops):
            if b - a > _LEAST * (high - low):
                on_face, space = (curve_part(c, a, b) for c in (fit.on_a, fit.space))
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
    the one of the fewest. None goes on beside its face where they lead there without it.
    """
    if any(s.past for s in found):
        with suppress(GeometryError):
            return leading([s for s in found if not s.past], start, goal)
    both = [t for s in found for t in (s, s.turned())]
    ways: list[tuple[Array, list[Stretch], frozenset[int]]] = [(start, [], frozenset())]
    for _ in range(_MOST):
        longer = []
        for place, way, used in ways:
            for k, s in enumerate(both):
                if k // 2 in used or float(np.linalg.norm(s.tips[0] - place)) > MEETS:
                    continue
                new = [*way, s]
                if float(np.linalg.norm(s.tips[1] - goal)) < MEETS:
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
        on_face, told = with_end(s.cut.on_face, 0, at), with_end(s.cut.space, 0, place)
        if k == len(row) - 1:
            on_face, told = with_end(on_face, -1, flat[1]), with_end(told, -1, space[1])
        at, place = on_face.control[-1], told.control[-1]
        out.append(Stretch(s.number, CutCurve(on_face, told)))
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
