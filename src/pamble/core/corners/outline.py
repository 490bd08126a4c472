"""A hole cut back until four sides remain: at a corner that goes, one smooth line leads from the far end of one of its
sides to that of the other, over the faces beside both. Which corners go is proposed by the outline that is left."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise, product

import numpy as np

from pamble.core.arrays import Array, BoolArray, cross, dot, norm, unit
from pamble.core.corners.layouts import regular
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.landing import pull
from pamble.core.patches.loop import Placed
from pamble.core.patches.side import Side
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points

_STEP, _LOOKED = 65, 25

_LEANS, _LEAN = (0.15, 0.35), (6.0, 30.0)
"""Shares of the room on its face that are tried by which a cut leaves the side that it takes; the least and the most,
degrees.
"""

_BEYOND, _ROOM = 10.0, 0.8
"""By how many degrees a cut leaves a side beyond the place that it is to pass, within so much of the room."""

_DEPTHS = np.array([0.04, 0.06, 0.09, 0.13, 0.18, 0.24, 0.32, 0.42])
"""Depths of a cut beyond its corner that are tried, as shares of the shorter of its two sides."""

_OVER_TIP = 0.2
"""Least of these over the tip of a face that only touches the corner: nearer it leaves an edge of next to no length."""

_CLEAR = 0.02
"""Share of its sides by which a cut keeps clear of them between their ends."""

_NEAR = 1e-3
"""Distance, mm, within which an edge of a face begins at an end of a side."""

_CALM = 3.0
"""How much more than the calmest a line may bend for its depth to be within the limits."""

SMOOTH = 0.5
"""Angle, degrees, between two faces up to which a cut runs on from one to the other without a corner."""

_LAID, _LAID_SPANS = 3, 4
"""How often a line is laid onto its faces, and its spans then."""

_OUTSIDE = 1.15
"""How far a line over a corner is drawn from the middle, the corner at 1."""

_STRAIGHT = 170.0
"""Angle of a corner, degrees, from which it is hardly one: a patch does not meet both its sides."""


@dataclass(frozen=True)
class Bordering:
    """A side of a hole in its place. faces: those beside it; touching: those that have a corner where it starts."""

    placed: Placed
    faces: tuple[Face, ...]
    touching: tuple[Face, ...] = ()

    @property
    def side(self) -> Side:
        return self.placed.side


@dataclass(frozen=True)
class OverCorner:
    """The line over a corner, which is where side ``corner`` starts. line: near its faces; depth: by how much it passes
    the corner, mm, with limits within which it may do; place: of the corner (3,), outward: unit direction (3,) from it
    to the line.
    """

    corner: int
    line: Curve
    depth: float
    limits: tuple[float, float]
    place: Array
    outward: Array


@dataclass(frozen=True)
class Outline:
    """What is left of a hole. lines: over the corners that go. angles: at the four that stay, degrees. unlike: the
    larger ratio of the lengths of opposite sides. score: the lower the better.
    """

    lines: tuple[OverCorner, ...]
    angles: tuple[float, ...]
    unlike: float
    score: float

    @property
    def corners(self) -> tuple[int, ...]:
        """Those that go, rising."""
        return tuple(x.corner for x in self.lines)


def ways(count: int) -> list[tuple[int, ...]]:
    """Sets of corners of a hole of five to eight sides that may go so that four sides stay. Raises `GeometryError`.

    >>> ways(5)
    [(0,), (1,), (2,), (3,), (4,)]
    >>> len(ways(6)), ways(8)
    (9, [(0, 2, 4, 6), (1, 3, 5, 7)])
    """
    if count not in range(5, 9):
        raise GeometryError(f"The hole has {count} sides: one of five to eight is cut back to four.")
    sets = combinations(range(count), count - 4)
    return [c for c in sets if all((b - a) % count > 1 for a, b in zip(c, [*c[1:], c[0]], strict=True) if len(c) > 1)]


def words(corners: Sequence[int]) -> str:
    """Corners that go, in words.

    >>> words((0, 3))
    'corners 1, 4'
    """
    return ("corner " if len(corners) == 1 else "corners ") + ", ".join(f"{k + 1}" for k in corners)


def corners_of(said: str | None, count: int) -> tuple[int, ...]:
    """The corners that go by their words, one of `ways`. Raises `GeometryError` with those there are."""
    known = {words(w): w for w in ways(count)}
    found = known.get(said or "") or known.get((said or "").replace("corners", "corner"))
    if found is None:
        raise GeometryError(f"A hole of {count} sides is not cut back at {said}: there are {', '.join(known)}.")
    return found


def outlines(sides: Sequence[Bordering]) -> list[Outline]:
    """All ways to cut a hole back to four sides, the best first: its corners near 90 degrees, opposite sides alike, and
    no side that turns far.

    sides: head to tail. Raises `GeometryError` where there is none.
    """
    count, found, wrong = len(sides), [], ""
    over: dict[int, OverCorner] = {}
    for k in sorted({k for way in ways(count) for k in way}):
        try:
            over[k] = line_over(sides, k)
        except GeometryError as error:
            wrong = wrong or str(error)
    for way in ways(count):
        if all(k in over for k in way):
            found.append(left_by(sides, [over[k] for k in way]))
    if not found:
        raise GeometryError(wrong)
    found = [o for o in found if max(o.angles) < _STRAIGHT]
    if not found:
        raise GeometryError(
            f"However it is cut, one of the four corners left has more than {_STRAIGHT:g}°: lay the hole out instead."
        )
    return sorted(found, key=lambda o: o.score)


def line_over(sides: Sequence[Bordering], corner: int, depth: float | None = None) -> OverCorner:
    """The line over the corner where a side starts, ``depth`` mm beyond it; None for the calmest.

    Raises `GeometryError` where it would run over the hole, or leave the faces.
    """
    before, after = sides[corner - 1], sides[corner]
    one, two = before.side, after.side
    s = np.linspace(0, 1, _STEP)
    rows, outward = (one.points(s), two.points(s)), (one.outward(s), two.outward(s))
    lengths = [float(norm(np.diff(r, axis=0)).sum()) for r in rows]
    into = unit(outward[0][-1:] + outward[1][:1])[0]
    # In the corner itself halfway: beyond a sharp one no side alone says what is outside.
    outward[0][-1] = outward[1][0] = into
    place, ends = rows[1][0], (rows[0][0], rows[1][-1])
    faces = [*before.faces, *after.faces, *after.touching]
    crease = _crease(before, after)
    if crease > SMOOTH and not after.touching:
        x, y, z = place
        raise GeometryError(
            f"The faces beside the corner near ({x:.2f}, {y:.2f}, {z:.2f}) mm meet at {crease:.2f}°: a cut over that "
            "crease would leave a corner."
        )
    least = _OVER_TIP if after.touching else 0.0
    tried = np.append(_DEPTHS[least <= _DEPTHS] * min(lengths), [] if depth is None else depth)
    targets = _onto(place - tried[:, None] * into, faces)
    b = basis.matrix(basis.uniform_knots(3, 1), 3, np.array([lengths[0] / sum(lengths)]))[0, 0]
    made: list[tuple[float, float, Curve]] = []
    for lean, beyond in product(_LEANS, (-90.0, _BEYOND)):
        away = _leaving(before, 0.0, lean, targets, beyond), _leaving(after, 1.0, lean, targets, beyond)
        rest = targets - (b[0] + b[1]) * ends[0] - (b[2] + b[3]) * ends[1]
        for d, left, one_way, other in zip(tried, rest, *away, strict=True):
            p, q = np.linalg.lstsq(np.stack([b[1] * one_way, b[2] * other], axis=1), left, rcond=None)[0]
            line = Curve.bezier(np.array([ends[0], ends[0] + p * one_way, ends[1] + q * other, ends[1]]))
            if min(p, q) > 0:
                made.append((_turning(line), float(d), line))
    clear = _clear([line for _, _, line in made], faces, rows, outward)
    clear_lines = [c for c, by in zip(made, clear, strict=True) if by > _CLEAR * min(lengths)]
    calm = [d for bend, d, _ in clear_lines if bend < _CALM * min(bend for bend, _, _ in clear_lines)]
    limits = min(calm, default=0.0), max(calm, default=0.0)
    if depth is not None:
        clear_lines = [c for c in clear_lines if c[1] == depth]
    for _, d, line in sorted(clear_lines, key=lambda c: c[0]):
        if _lands(line, faces):
            return OverCorner(corner, _laid(line, faces), d, limits, place, -into)
    x, y, z = place
    fault = "stays on the faces that are picked" if clear_lines else "keeps clear of the hole"
    if depth is not None:
        fault += ": less deep, or a face between them, may do" if clear_lines else ": deeper may do"
    by = "" if depth is None else f", {depth:g} mm beyond it,"
    raise GeometryError(f"No line over the corner near ({x:.2f}, {y:.2f}, {z:.2f}) mm{by} {fault}.")


def left_by(sides: Sequence[Bordering], lines: Sequence[OverCorner]) -> Outline:
    """The outline of a hole that lines over corners leave."""
    count, s = len(sides), np.linspace(0, 1, _STEP)
    gone = {x.corner: x for x in lines}
    lengths, turns, tangents, normals = [], [], [], []
    for k in range(count):
        if k in gone:
            continue
        over = gone.get((k + 1) % count)
        points = sides[k].side.points(s) if over is None else curve_points(over.line, s)
        chords = np.diff(points, axis=0)
        lengths.append(float(norm(chords).sum()))
        turns.append(float(np.arccos(np.clip(dot(unit(chords[:-1]), unit(chords[1:])), -1, 1)).sum()))
        ways_ = sides[k].side.tangents(s[[0, -1]]) if over is None else unit(chords[[0, -1]])
        tangents.append(ways_)
        normals.append(cross(ways_, sides[k].side.outward(s[:1])[[0, 0]]))
    angles = []
    for k in range(len(tangents)):
        back, on, n = -tangents[k - 1][1], tangents[k][0], normals[k][0]
        angles.append(float(np.degrees(np.arctan2(n @ np.cross(on, back), on @ back)) % 360.0))
    unlike = max(max(a, b) / min(a, b) for a, b in zip(lengths[:2], lengths[2:], strict=True))
    score = float(np.sum((np.array(angles) / 90 - 1) ** 2) + np.log(unlike) ** 2 + 0.25 * np.sum(np.square(turns)))
    return Outline(tuple(lines), tuple(angles), unlike, score)


def _laid(line: Curve, faces: Sequence[Face]) -> Curve:
    """A line laid onto faces: off them, it would have kinks where its feet go from one to the other."""
    t = np.linspace(0, 1, 2 * _STEP)
    knots = basis.uniform_knots(5, _LAID_SPANS)
    rows = basis.matrix(knots, 5, t)[0]
    heavy = np.ones(len(t))
    heavy[[0, -1]] = 1e4
    for _ in range(_LAID):
        points = _onto(curve_points(line, t), faces)
        control = np.linalg.lstsq(rows * heavy[:, None], points * heavy[:, None], rcond=None)[0]
        line = Curve(5, knots, control)
    return line


def _lands(line: Curve, faces: Sequence[Face]) -> bool:
    """Whether a line lies over the faces all along."""
    return bool(np.logical_or.reduce([_landing(line, f) for f in faces]).all())


def _landing(line: Curve, face: Face) -> BoolArray:
    return pull(face, curve_points(line, np.linspace(0, 1, _STEP)[1:-1])).hit


def _leaving(border: Bordering, s: float, share: float, targets: Array, beyond: float) -> Array:
    """Unit directions (m, 3) in which a line leaves an end of a side, away from the hole: by a share of the room that
    the face has there beyond it, and so many degrees beyond the places (m, 3) that it is to pass.
    """
    here = np.array([s])
    place, out = border.side.points(here)[0], -border.side.outward(here)[0]
    along = border.side.tangents(here)[0] * (1.0 if s == 0 else -1.0)
    room = 90.0
    for e in (e for face in border.faces for e in face.edges):
        low, high = e.space.domain
        for t, sign in ((low, 1.0), (high, -1.0)):
            d = curve_derivatives(e.space, np.array([t]), 1)[:, 0]
            way = sign * unit(d[1:])[0]
            angle = float(np.degrees(np.arctan2(way @ out, way @ along)))
            if np.linalg.norm(d[0] - place) < _NEAR and 1.0 < angle < 179.0:
                room = angle
    toward = np.degrees(np.arctan2((targets - place) @ out, (targets - place) @ along))
    lean = np.maximum(np.clip(share * room, *_LEAN), np.minimum(toward + beyond, _ROOM * room))
    lean = np.radians(lean)[:, None]
    return np.asarray(np.cos(lean) * along + np.sin(lean) * out)


def _crease(before: Bordering, after: Bordering) -> float:
    """Angle, degrees, of the faces where one side follows the other."""
    n = before.side.at(np.array([1.0])).normal[0], after.side.at(np.array([0.0])).normal[0]
    return float(np.degrees(np.arccos(np.clip(abs(n[0] @ n[1]), 0, 1))))


def _onto(points: Array, faces: Sequence[Face]) -> Array:
    """Points (m, 3) put on the nearest surface of some faces."""
    feet = [to_surface(f.surface, points).point for f in faces]
    far = np.array([norm(f - points) for f in feet])
    return np.asarray(np.stack(feet)[np.argmin(far, axis=0), np.arange(len(points))])


def _clear(lines: Sequence[Curve], faces: Sequence[Face], rows: Sequence[Array], into: Sequence[Array]) -> Array:
    """By how much lines, put onto their faces, keep clear of two sides between their ends, mm, (k,); below zero where
    they run over the hole.
    """
    if not lines:
        return np.zeros(0)
    s = np.linspace(0, 1, _LOOKED)[_LOOKED // 8 : -(_LOOKED // 8)]
    points = _onto(np.concatenate([curve_points(line, s) for line in lines]), faces)
    border, ways_ = np.vstack(rows), np.vstack(into)
    apart = norm(points[:, None] - border[None])
    nearest = np.argmin(apart, axis=1)
    outside = dot(border[nearest] - points, ways_[nearest]) > 0
    by = np.where(outside, apart[np.arange(len(points)), nearest], -1.0)
    return np.asarray(by.reshape(len(lines), -1).min(axis=1))


def _turning(line: Curve) -> float:
    """Length times the integral of the squared curvature: 9.87 for a half circle."""
    d = curve_derivatives(line, np.linspace(0, 1, _STEP), 2)
    speed = norm(d[1])
    bend = norm(cross(d[1], d[2])) / speed**3
    return float(speed.mean() * (bend**2 * speed).mean())


def picture(corners: Sequence[int], count: int) -> list[tuple[float, float, float, float]]:
    """The lines over corners as chords (x, y, x, y) beside the regular polygon whose corners lie on the circle of
    radius 1."""
    corner = regular(count)
    s = np.linspace(0, 1, 7)[:, None]
    out: list[tuple[float, float, float, float]] = []
    for k in corners:
        a, b = corner[k - 1], corner[(k + 1) % count]
        tip = 2 * _OUTSIDE * corner[k] - 0.5 * (a + b)
        row = (1 - s) ** 2 * a + 2 * s * (1 - s) * tip + s**2 * b
        out += [(*map(float, p), *map(float, q)) for p, q in pairwise(row)]  # type: ignore[misc]
    return out
