"""Where two fillets meet beside an edge that stays sharp: each ends on the other, in a mitre."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, cross, norm, unit
from pamble.core.curves.measure import curve_length
from pamble.core.curves.meet import Meeting as Crossing
from pamble.core.curves.meet import approaches
from pamble.core.errors import GeometryError
from pamble.core.faces.cut_back import Cut
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.inside import inside
from pamble.core.fillets.ends import End, onto_borders
from pamble.core.fillets.meeting import Meeting
from pamble.core.fillets.mitre_line import DEGREE, STATIONS, Arm, fitted, lean, met, on_face
from pamble.core.fillets.recut import roomy, with_corner
from pamble.core.fillets.strip import Strip
from pamble.core.spline.closest import to_curve, within
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import Surface

_MEETS = 1e-3
"""Distance, mm, within which two contacts cross, and a contact reaches the sharp edge."""

_LEVEL, _SHORT = 1e-3, 1e-2
"""Distance, mm, on the sharp edge up to which both contacts reach it in one place; length of a thread beside it that is
left.
"""

_SHARP = 1e-2
"""Distance, mm, within which the sharp edge starts at the corner and lies along both faces."""

_ROOM = 2.0
"""Times the depth of a fillet by which a face beside it is carried on."""

_MARGIN, _LEAST_MARGIN = 0.05, 0.02
"""Share of its width, and of the fillet's, by which a line that cuts a face goes on beyond the other contact."""


@dataclass(frozen=True)
class Growth:
    """A face that grows over a sharp edge until it meets the deeper fillet. number: of the face; name: of the edge that
    its own contact cuts; corner: where that ends on the sharp edge (3,); past: how it runs on to the line in which both
    meet; by: how far the face is carried on, mm. thread: whether that is hardly wider than nothing.
    """

    number: int
    name: str
    corner: Array
    line: Curve
    past: Curve
    by: float
    thread: bool = False

    def of(self, face: Face) -> Face:
        """The face, cut back already, with what comes. Raises `GeometryError` where that does not close, and is more
        than a thread.
        """
        try:
            return with_corner(face, self.corner, [self.line], [self.past], self.by, self.name)
        except GeometryError:
            if self.thread:
                return face
            raise


@dataclass(frozen=True)
class Mitre:
    """ends: of both fillets, by strip and start (0) or end (-1). cut: number of the face that the deeper fillet reaches
    over the sharp edge, and what it takes from it; growth: of that face where the fillet would stand out beside the
    edge; None where both reach that edge in one place.
    """

    ends: Mapping[tuple[int, int], End]
    cut: tuple[int, Cut] | None
    growth: Growth | None = None


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
        raise GeometryError(
            f"{near} the contacts of two fillets do not cross on the face that both share: take radii that are nearer "
            "to each other."
        )
    start = min(crossed, key=lambda m: float(norm(m.points[0] - corner.point))).t
    sharp = _sharp_edge(part, one, two, corner.point, near)
    feet = [_reached(arm, sharp, corner.point, near) for arm in (one, two)]
    if feet[0].depth < feet[1].depth:
        one, two, feet, start = two, one, feet[::-1], start[::-1]
    # `one` is the deeper fillet, and `two` ends on it all across.
    level = bool(norm(feet[0].point - feet[1].point) < _LEVEL)
    w, found = met(one, two, start, (feet[0].u, feet[1].u), near)
    table = np.column_stack([found, w])  # u and w of `one`, u and w of `two`
    table = np.vstack([[start[0], 0.0, start[1], 0.0], table])
    if level:
        table[-1] = [feet[0].u, 1.0, feet[1].u, 1.0]
    control, line = fitted(table, one, two)
    first = [(control[:, 0], control[:, 1], line)]
    second = two.end([(control[:, 2], control[:, 3], line)], (start[1], float(table[-1, 2])))
    cut = growth = None
    if not level:
        begins = float(table[-1, 0]), float(table[-1, 1])
        over = _over(one, two, begins, feet[0].u, part)
        if over is not None:
            rest, space, cut = over
        else:
            rest, space, growth = _grown(one, two, begins, feet, float(table[-1, 2]), part, near)
            thread = within(sharp.space, curve_points(space, np.linspace(0, 1, STATIONS)), _LEVEL)
            growth = None if thread and curve_length(space) < _SHORT else replace(growth, thread=thread)
        first.append((rest[:, 0], rest[:, 1], space))
    return Mitre({one.key: one.end(first, (start[0], feet[0].u)), two.key: second}, cut, growth)


def _arms(corner: Meeting, strips: Sequence[Strip]) -> tuple[Arm, Arm]:
    sides = [strips[i].end(at)[1] for i, at in corner.ends]
    shared = (set(sides[0]) & set(sides[1])).pop()
    out = []
    for (i, at), pair in zip(corner.ends, sides, strict=True):
        side = pair.index(shared)
        out.append(Arm((i, at), strips[i].rolls[at], strips[i].name, side, pair[1 - side]))
    return out[0], out[1]


def _near(corner: Meeting) -> str:
    return "Near ({:.2f}, {:.2f}, {:.2f}) mm".format(*corner.point)


def _crossings(a: Curve, b: Curve) -> list[Crossing]:
    return [m for m in approaches(a, b) if m.gap < _MEETS]


def _sharp_edge(part: Sequence[Face], one: Arm, two: Arm, corner: Array, near: str) -> Edge:
    """The edge between both own faces that begins at the corner."""
    other = part[two.other]
    for edge in part[one.other].edges:
        ends = curve_points(edge.space, edge.space.domain)
        at = int(np.argmin(norm(ends - corner)))
        if norm(ends[at] - corner) > _SHARP:
            continue
        begins, away = edge.space.domain[at], edge.space.domain[1 - at] - edge.space.domain[at]
        beside = curve_points(edge.space, begins + np.linspace(0.02, 0.2, 4) * away)
        if any(within(e.space, beside, _SHARP) for e in other.edges):
            return edge
    raise GeometryError(f"{near} the faces beside two fillets share no edge that begins there.")


@dataclass(frozen=True)
class _Foot:
    """Where a contact reaches the sharp edge: its parameter u, the place (3,), and how far from the corner, mm."""

    u: float
    point: Array
    depth: float


def _reached(arm: Arm, sharp: Edge, corner: Array, near: str) -> _Foot:
    found = _crossings(arm.own, sharp.space)
    if not found:
        raise GeometryError(f"{near} a fillet does not reach the edge that stays sharp: a smaller radius is needed.")
    best = min(found, key=lambda m: float(norm(m.points[0] - corner)))
    begins = float(to_curve(sharp.space, corner[None]).t[0])
    depth = curve_length(sharp.space, *sorted((begins, best.t[1]))) if begins != best.t[1] else 0.0
    return _Foot(best.t[0], best.points[0], depth)


def _over(
    one: Arm, two: Arm, begins: tuple[float, float], ends: float, part: Sequence[Face]
) -> tuple[Array, Curve, tuple[int, Cut]] | None:
    """The rest of the deeper fillet's end, over the sharp edge on the other's own face, and what it takes from that;
    None where it does not lie on that face.
    """
    face = part[two.other]
    margin = max(_MARGIN * (1.0 - begins[1]), _LEAST_MARGIN)
    rows, foot = on_face(one, face.surface, begins, (ends, 1.0))
    # What cuts the face begins beyond the other contact, to cross that; on the sharp edge it ends tangentially.
    before = begins[0] - (ends - begins[0]) / (1.0 - begins[1]) * margin
    wider, _ = on_face(one, face.surface, (before, begins[1] - margin), (ends, 1.0))
    u, v = foot[STATIONS // 2]
    there = all(low <= t <= high for t, (low, high) in zip((u, v), face.surface.domain, strict=True))
    if not np.isfinite(rows).all() or not there or not inside(face, u[None], v[None])[0]:
        return None
    control, space = _lying(one, rows)
    line = onto_borders(_lying(one, wider)[1], face)
    cut = Cut(one.name, (), (line,), (rows[:, 2:], _into(face.surface, foot, rows[:, 2:], two)))
    return control, space, (two.other, cut)


def _grown(
    one: Arm, two: Arm, begins: tuple[float, float], feet: Sequence[_Foot], ends: float, part: Sequence[Face], near: str
) -> tuple[Array, Curve, Growth]:
    """The same where the other's own face has to be carried on over the sharp edge to meet the deeper fillet. feet: of
    both contacts on that edge; ends: where the other's own contact ends.
    """
    by = _ROOM * feet[0].depth
    rows, _ = on_face(one, roomy(part[two.other].surface, by), begins, (feet[0].u, 1.0))
    if not np.isfinite(rows).all():
        raise GeometryError(
            f"{near} the larger of two fillets would stand out beside the sharp edge: give both one radius there."
        )
    control, space = _lying(one, rows)
    past = curve_part(two.own, *sorted((feet[1].u, ends)))
    return control, space, Growth(two.other, two.name, feet[1].point, space, past, by)


def _lying(one: Arm, rows: Array) -> tuple[Array, Curve]:
    """A line on a fillet through rows of u, w and the place: control points of u and w (n, 2), and the curve in
    space.
    """

    def off(at: Array) -> float:
        return float(norm(one.derivatives(at[:, 0], at[:, 1])[0] - at[:, 2:]).max())

    control, knots = lean(rows, off)
    return control[:, :2], Curve(DEGREE, knots, control[:, 2:])


def _into(surface: Surface, foot: Array, line: Array, two: Arm) -> Array:
    """Unit directions (m, 3) on a face square to a line across it, toward where the fillet beside that face goes."""
    d = surface_derivatives(surface, foot[:, 0], foot[:, 1], 1)
    side = unit(cross(cross(d[1, 0], d[0, 1]), np.gradient(line, axis=0)))
    along = curve_derivatives(two.own, to_curve(two.own, line[:1]).t, 1)[1, 0]
    return np.asarray(side * np.sign((along if two.key[1] == 0 else -along) @ side[0]))
