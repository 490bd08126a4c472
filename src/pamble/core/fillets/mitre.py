"""Where two fillets meet beside an edge that stays sharp: each ends on the other, in a mitre."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, cross, norm, unit
from pamble.core.curves.measure import curve_length
from pamble.core.curves.meet import Meeting as Crossing
from pamble.core.curves.meet import approaches
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.fit import ends_kept
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.inside import inside
from pamble.core.fillets.ends import Cut, End, onto_borders
from pamble.core.fillets.meeting import Meeting
from pamble.core.fillets.rolled import Rolled
from pamble.core.fillets.strip import Strip
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives
from pamble.core.spline.surface import Surface

_MEETS = 1e-3
"""Distance, mm, within which two contacts cross, and a contact reaches the sharp edge."""

_LEVEL = 1e-3
"""Distance, mm, on the sharp edge up to which both contacts reach it in one place."""

_SHARP = 1e-2
"""Distance, mm, within which the sharp edge starts at the corner and lies along both faces."""

_STATIONS, _DEGREE, _SPANS = 65, 5, (1, 2, 3, 4, 6, 8, 12)
_FIT = 1e-5
"""Distance, mm, within which the curve of a mitre lies on both fillets."""

_MARGIN, _LEAST_MARGIN = 0.05, 0.02
"""Share of its width, and of the fillet's, by which a line that cuts a face goes on beyond the other contact."""

_STEPS, _SOLVED = 40, 1e-9


@dataclass(frozen=True)
class Mitre:
    """ends: of both fillets, by strip and start (0) or end (-1). cut: number of the face that the deeper fillet reaches
    over the sharp edge, and what it takes from it; None where both reach that edge in one place.
    """

    ends: Mapping[tuple[int, int], End]
    cut: tuple[int, Cut] | None


@dataclass(frozen=True)
class _Arm:
    """A fillet at the corner. side: 0 or 1, of its side on the face that both share; other: number of its own face.
    shared, own: its contacts with them.
    """

    key: tuple[int, int]
    roll: Rolled
    name: str
    side: int
    other: int

    @property
    def surface(self) -> Surface:
        return self.roll.ball.surface

    @property
    def shared(self) -> Curve:
        return self.roll.lines[self.side]

    @property
    def own(self) -> Curve:
        return self.roll.lines[1 - self.side]

    @property
    def station(self) -> int:
        """The crease's station at the corner."""
        return int(np.argmin(np.abs(self.roll.crease.s + self.key[1])))

    @property
    def turn(self) -> float:
        """Angle of its arc at the corner, radians."""
        return float(abs(self.roll.crease.turn[self.station]))

    @property
    def radius(self) -> float:
        return float(self.roll.found.radius[self.station])

    def across(self, w: Array) -> Array:
        """Parameters v at shares of the way from the shared face to its own one."""
        return w if self.side == 0 else 1.0 - w

    def derivatives(self, u: Array, w: Array) -> tuple[Array, Array, Array]:
        """Point and derivatives along u and w, (m, 3) each."""
        d = surface_derivatives(self.surface, u, self.across(w), 1)
        return d[0, 0], d[1, 0], d[0, 1] if self.side == 0 else -d[0, 1]

    def end(self, lines: Sequence[tuple[Array, Array, Curve]], at: tuple[float, float]) -> End:
        """lines: u and w of control points and the curve in space, from the shared face on; at: u there and at its
        own.
        """
        made = [(Curve(_DEGREE, space.knots, np.column_stack([u, self.across(w)])), space) for u, w, space in lines]
        if self.side == 0:
            return End(at, tuple(made))
        return End(at[::-1], tuple((_reversed(flat), _reversed(space)) for flat, space in made[::-1]))


def _reversed(curve: Curve) -> Curve:
    return replace(curve, knots=1.0 - curve.knots[::-1], control=curve.control[::-1])


def too_short(corner: Meeting, strips: Sequence[Strip], part: Sequence[Face]) -> bool:
    """Whether contacts end before they cross on the shared face, or before the sharp edge: then the balls have to roll
    farther.
    """
    one, two = _arms(corner, strips)
    sharp = _sharp_edge(part, one, two, corner.point, _near(corner))
    reached = all(_crossings(arm.own, sharp.space) for arm in (one, two))
    return not (reached and _crossings(one.shared, two.shared))


def mitre(corner: Meeting, strips: Sequence[Strip], part: Sequence[Face]) -> Mitre:
    """How both fillets end in a corner of two creases. Raises `GeometryError` where no mitre closes it."""
    one, two = _arms(corner, strips)
    near = _near(corner)
    crossed = _crossings(one.shared, two.shared)
    if not crossed:
        raise GeometryError(f"{near} the contacts of two fillets do not cross on the face that both share.")
    start = min(crossed, key=lambda m: float(norm(m.points[0] - corner.point))).t
    sharp = _sharp_edge(part, one, two, corner.point, near)
    feet = [_reached(arm, sharp, corner.point, near) for arm in (one, two)]
    if feet[0].depth < feet[1].depth:
        one, two, feet, start = two, one, feet[::-1], start[::-1]
    # `one` is the deeper fillet, and `two` ends on it all across.
    level = bool(norm(feet[0].point - feet[1].point) < _LEVEL)
    ends = (feet[0].u, 1.0) if level else None
    w, found = _met(one, two, start, (feet[0].u, feet[1].u), near)
    table = np.column_stack([found, w])  # u and w of `one`, u and w of `two`
    table = np.vstack([[start[0], 0.0, start[1], 0.0], table])
    if ends is not None:
        table[-1] = [ends[0], ends[1], feet[1].u, 1.0]
    control, line = _fitted(table, one, two)
    first = [(control[:, 0], control[:, 1], line)]
    second = two.end([(control[:, 2], control[:, 3], line)], (start[1], float(table[-1, 2])))
    cut = None
    if not level:
        rest, space, cut = _over(one, two, (float(table[-1, 0]), float(table[-1, 1])), feet[0].u, part, near)
        first.append((rest[:, 0], rest[:, 1], space))
    return Mitre({one.key: one.end(first, (start[0], feet[0].u)), two.key: second}, cut)


def _arms(corner: Meeting, strips: Sequence[Strip]) -> tuple[_Arm, _Arm]:
    sides = [strips[i].end(at)[1] for i, at in corner.ends]
    shared = (set(sides[0]) & set(sides[1])).pop()
    out = []
    for (i, at), pair in zip(corner.ends, sides, strict=True):
        side = pair.index(shared)
        out.append(_Arm((i, at), strips[i].rolls[at], strips[i].name, side, pair[1 - side]))
    return out[0], out[1]


def _near(corner: Meeting) -> str:
    return "Near ({:.2f}, {:.2f}, {:.2f}) mm".format(*corner.point)


def _crossings(a: Curve, b: Curve) -> list[Crossing]:
    return [m for m in approaches(a, b) if m.gap < _MEETS]


def _sharp_edge(part: Sequence[Face], one: _Arm, two: _Arm, corner: Array, near: str) -> Edge:
    """The edge between both own faces that begins at the corner."""
    other = part[two.other]
    for edge in part[one.other].edges:
        ends = curve_points(edge.space, edge.space.domain)
        at = int(np.argmin(norm(ends - corner)))
        if norm(ends[at] - corner) > _SHARP:
            continue
        begins, away = edge.space.domain[at], edge.space.domain[1 - at] - edge.space.domain[at]
        beside = curve_points(edge.space, begins + np.linspace(0.02, 0.2, 4) * away)
        if min(float(to_curve(e.space, beside).distance.max()) for e in other.edges) < _SHARP:
            return edge
    raise GeometryError(f"{near} the faces beside two fillets share no edge that begins there.")


@dataclass(frozen=True)
class _Foot:
    """Where a contact reaches the sharp edge: its parameter u, the place (3,), and how far from the corner, mm."""

    u: float
    point: Array
    depth: float


def _reached(arm: _Arm, sharp: Edge, corner: Array, near: str) -> _Foot:
    found = _crossings(arm.own, sharp.space)
    if not found:
        raise GeometryError(f"{near} a fillet does not reach the edge that stays sharp: a smaller radius is needed.")
    best = min(found, key=lambda m: float(norm(m.points[0] - corner)))
    begins = float(to_curve(sharp.space, corner[None]).t[0])
    depth = curve_length(sharp.space, *sorted((begins, best.t[1]))) if begins != best.t[1] else 0.0
    return _Foot(best.t[0], best.points[0], depth)


def _met(one: _Arm, two: _Arm, start: tuple[float, float], ends: tuple[float, float], near: str) -> tuple[Array, Array]:
    """Shares w (m,) across the second fillet, and u and w on the first and u on the second (m, 3), where both meet.

    They touch where they begin, on the face that both share: from there on Newton's steps are sound.
    """
    w = np.linspace(0, 1, _STATIONS)[1:]
    angle = two.turn * w
    # Over the shared face both rise by the same height: r (1 - cos) of each arc.
    rise = np.clip(1.0 - two.radius / one.radius * (1.0 - np.cos(angle)), -1.0, 1.0)
    share = np.clip(np.arccos(rise) / max(one.turn, 1e-6), 0.0, 1.0)
    way = np.sin(np.minimum(angle, np.pi / 2)) / np.sin(min(two.turn, np.pi / 2))
    x = np.column_stack([start[0] + way * (ends[0] - start[0]), share, start[1] + way * (ends[1] - start[1])])
    for _ in range(_STEPS):
        p, pu, pw = one.derivatives(x[:, 0], x[:, 1])
        q, qu, _ = two.derivatives(x[:, 2], w)
        gap = q - p
        system = np.stack([pu, pw, -qu], axis=2)
        step = _solved(system, gap)
        size = np.abs(step).max(axis=1, keepdims=True)
        x = x + step * np.minimum(1.0, 0.1 / np.maximum(size, 1e-300))
        if np.abs(step).max() < 1e-14:
            break
    p, q = one.derivatives(x[:, 0], x[:, 1])[0], two.derivatives(x[:, 2], w)[0]
    within = (x > -1e-3).all() and (x < 1.0 + 1e-3).all()
    if not np.isfinite(x).all() or norm(q - p).max() > _SOLVED or not within:
        raise GeometryError(f"{near} two fillets do not meet in one line: take radii that are nearer to each other.")
    return w, x


def _solved(system: Array, gap: Array) -> Array:
    return np.asarray((np.linalg.pinv(system, rcond=1e-12) @ gap[..., None])[..., 0])


def _fitted(table: Array, one: _Arm, two: _Arm) -> tuple[Array, Curve]:
    """Control points of both parameter curves (n, 4), and the curve in space, on the fewest spans that lie on both."""
    points = 0.5 * (one.derivatives(table[:, 0], table[:, 1])[0] + two.derivatives(table[:, 2], table[:, 3])[0])

    def off(at: Array) -> float:
        ours = one.derivatives(at[:, 0], at[:, 1])[0], two.derivatives(at[:, 2], at[:, 3])[0]
        return max(float(norm(p - at[:, 4:]).max()) for p in ours)

    control, knots = _lean(np.column_stack([table, points]), off)
    return control[:, :4], Curve(_DEGREE, knots, control[:, 4:])


def _lean(rows: Array, off: Callable[[Array], float]) -> tuple[Array, Array]:
    """Control points and knots for even rows, the first and last kept, on the fewest spans. off: distance in mm."""
    between = np.linspace(0, 1, 4 * len(rows))
    best: tuple[float, Array, Array] | None = None
    for spans in _SPANS:
        knots = basis.uniform_knots(_DEGREE, spans)
        control = ends_kept(knots, len(rows)) @ rows
        miss = off(basis.matrix(knots, _DEGREE, between)[0] @ control)
        if best is None or miss < best[0]:
            best = miss, control, knots
        if miss <= _FIT:
            break
    assert best is not None
    return best[1], best[2]


def _over(
    one: _Arm, two: _Arm, begins: tuple[float, float], ends: float, part: Sequence[Face], near: str
) -> tuple[Array, Curve, tuple[int, Cut]]:
    """The rest of the deeper fillet's end, over the sharp edge on the other's own face, and what it takes from that."""
    face = part[two.other]
    margin = max(_MARGIN * (1.0 - begins[1]), _LEAST_MARGIN)
    rows, foot = _on_face(one, face.surface, begins, (ends, 1.0))
    # What cuts the face begins beyond the other contact, to cross that; on the sharp edge it ends tangentially.
    before = begins[0] - (ends - begins[0]) / (1.0 - begins[1]) * margin
    wider, _ = _on_face(one, face.surface, (before, begins[1] - margin), (ends, 1.0))
    u, v = foot[_STATIONS // 2]
    there = all(low <= t <= high for t, (low, high) in zip((u, v), face.surface.domain, strict=True))
    if not np.isfinite(rows).all() or not there or not inside(face, u[None], v[None])[0]:
        raise GeometryError(
            f"{near} the larger of two fillets would stand out beside the sharp edge: give both one radius there."
        )

    def off(at: Array) -> float:
        return float(norm(one.derivatives(at[:, 0], at[:, 1])[0] - at[:, 2:]).max())

    control, knots = _lean(rows, off)
    longer, longer_knots = _lean(wider, off)
    line = onto_borders(Curve(_DEGREE, longer_knots, longer[:, 2:]), face)
    cut = Cut(one.name, (), (line,), (rows[:, 2:], _into(face.surface, foot, rows[:, 2:], two)))
    return control[:, :2], Curve(_DEGREE, knots, control[:, 2:]), (two.other, cut)


def _on_face(
    one: _Arm, surface: Surface, begins: tuple[float, float], ends: tuple[float, float]
) -> tuple[Array, Array]:
    """Where a fillet meets a surface between two places (u, w): rows of u, w and the point, (m, 5), and their feet; not
    a number where they do not meet.
    """
    u, w = (np.linspace(a, b, _STATIONS) for a, b in zip(begins, ends, strict=True))
    foot = to_surface(surface, one.derivatives(u, w)[0])
    x = np.column_stack([u, foot.u, foot.v])
    for _ in range(_STEPS):
        p, pu, _ = one.derivatives(x[:, 0], w)
        d = surface_derivatives(surface, x[:, 1], x[:, 2], 1)
        step = _solved(np.stack([pu, -d[1, 0], -d[0, 1]], axis=2), d[0, 0] - p)
        x = x + step
        if np.abs(step).max() < 1e-14:
            break
    p = one.derivatives(x[:, 0], w)[0]
    if norm(p - surface_derivatives(surface, x[:, 1], x[:, 2], 0)[0, 0]).max() > _SOLVED:
        p = np.full_like(p, np.nan)
    return np.column_stack([x[:, 0], w, p]), x[:, 1:]


def _into(surface: Surface, foot: Array, line: Array, two: _Arm) -> Array:
    """Unit directions (m, 3) on a face square to a line across it, toward where the fillet beside that face goes."""
    d = surface_derivatives(surface, foot[:, 0], foot[:, 1], 1)
    side = unit(cross(cross(d[1, 0], d[0, 1]), np.gradient(line, axis=0)))
    middle = curve_points(two.own, [0.5 * sum(two.own.domain)])[0]
    return np.asarray(side * np.sign((middle - line[0]) @ side[0]))
