"""Lines over the corners of a hole: from the far end of one side of a corner to that of the other, over the faces
there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np

from pamble.core.arrays import Array, BoolArray, cross, dot, norm, unit
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
    border, directions = np.vstack(rows), np.vstack(into)
    apart = norm(points[:, None] - border[None])
    nearest = np.argmin(apart, axis=1)
    outside = dot(border[nearest] - points, directions[nearest]) > 0
    by = np.where(outside, apart[np.arange(len(points)), nearest], -1.0)
    return np.asarray(by.reshape(len(lines), -1).min(axis=1))


def _turning(line: Curve) -> float:
    """Length times the integral of the squared curvature: 9.87 for a half circle."""
    d = curve_derivatives(line, np.linspace(0, 1, _STEP), 2)
    speed = norm(d[1])
    bend = norm(cross(d[1], d[2])) / speed**3
    return float(speed.mean() * (bend**2 * speed).mean())
