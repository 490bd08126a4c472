"""A drafted step along a line on a smooth face, that dies out: a wall whose section is an S, and the upper face that
comes back to the smooth one behind it.

The strip beside the line becomes two patches of six rows. Those on their common edge rise by the height, three on each
side of it alike, those on the outer edges stay: wall, upper face and the face around go on into each other with their
curvature, and so does the end, as the last three columns stay. Own method.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, cross, dot, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.fillets.beside import fading, in_rows, line_on, without
from pamble.core.fillets.lying import strip_beside
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import curvatures
from pamble.core.spline.evaluate import surface_derivatives, surface_grid
from pamble.core.spline.extremes import largest
from pamble.core.spline.knots import split_surface
from pamble.core.spline.surface import Surface

_STEEPEST = 1.875
"""Slope in the middle of an S that rises by 1 over a width of 1: of the quintic with no slope and no curvature at both
ends."""

_ROUNDS, _CLOSE = 8, 1e-4
"""Times that the width is tried, and how close, in degrees, the steepest angle comes."""

_GRID = 41


@dataclass(frozen=True)
class Step:
    """rest: the face without both strips. wall, upper: v0 of the wall lies on the line, at v1 of the upper face that is
    back; u1 is the end that dies out. width: of the wall, mm. height: at the start, mm; steepest: angle of the wall to
    the face, degrees; radius: the least in the wall, mm. off: how far the strips lay off the face before, mm; missed:
    how many times its aim the worst figure of the seams between them. spans: of both strips before they were parted.
    """

    rest: Face
    wall: Face
    upper: Face
    width: float
    height: float
    steepest: float
    radius: float
    off: float
    missed: float
    spans: tuple[int, int]


def drafted_step(
    face: Face, line: Curve, height: float, angle: float, back: float, *, other_side: bool = False,
    turned: bool = False, name: str = "step", like: Step | None = None,
) -> Step:  # fmt: skip
    """A step of ``height`` mm (negative: down) at the start of a line on a face, that has faded at its end.

    angle: of the wall to the face where it is steepest, degrees; back: over how many mm behind the wall the upper face
    comes back. other_side: on the right of the line as seen from the face's normal. turned: it dies out at the line's
    start. like: a step of the same numbers on a face that was nearly the same: its width and spans are taken, and its
    figures, while the face moves. Raises `GeometryError` for a line off the face or one that begins inside it, and
    strips that reach beyond it.
    """
    if not 1 <= angle <= 80:
        raise GeometryError(f"A wall leans by 1° to 80°, not by {angle:g}°.")
    if abs(height) < 1e-3:
        raise GeometryError("A step needs a height.")
    laid, sign = line_on(face, line, turned), -1.0 if other_side else 1.0
    if like is not None:
        strip = strip_beside(face, laid, sign * (like.width + back), like.spans)
        parts = split_surface(strip.surface, "v", _share(strip.surface, like.width / (like.width + back)))
        wall, upper = _raised(parts, sign * height)
        rest = without(face, strip.surface, name, quick=True)
        return replace(like, rest=rest, wall=Face(wall), upper=Face(upper), off=strip.off, missed=strip.ratio)
    width = _STEEPEST * abs(height) / np.tan(np.radians(angle))
    spans = (1, 1)
    for _ in range(_ROUNDS):
        strip = strip_beside(face, laid, sign * (width + back), start=spans)
        base, spans = strip.surface, strip.spans
        before = split_surface(base, "v", _share(base, width / (width + back)))
        wall, upper = _raised(before, sign * height)
        steepest = _steepest(before[0], wall)
        if abs(steepest - angle) < _CLOSE:
            break
        width *= np.tan(np.radians(steepest)) / np.tan(np.radians(angle))
    return Step(
        without(face, base, name), Face(wall), Face(upper), float(width), _height(before[0], wall), steepest,
        _least_radius(wall), strip.off, strip.ratio, spans,
    )  # fmt: skip


def _share(base: Surface, share: float) -> float:
    """The v at which a share of the strip's width is reached, halfway along."""
    v = np.linspace(0, 1, 201)
    row = surface_grid(base, [0.5], v)[0, 0, 0]
    way = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(row, axis=0), axis=1))])
    return float(np.interp(share * way[-1], way, v))


def _raised(parts: tuple[Surface, Surface], height: float) -> tuple[Surface, Surface]:
    """Both patches with the rows on their common edge lifted by a height that fades."""
    wall, upper = parts
    count = len(wall.control)
    if count < 5:
        raise GeometryError("The strip has too few columns to fade in: take a longer line.")
    knots = basis.greville(wall.knots_u, wall.degree_u)
    d = surface_derivatives(wall, knots, np.full(count, wall.domain[1][1]), 1)
    normals = unit(cross(d[1, 0], d[0, 1]))
    t = np.linspace(0, 1, 101)
    values = basis.matrix(wall.knots_u, wall.degree_u, t)[0]
    amounts = np.zeros(count)
    # The start has the whole height; behind it the law is followed as closely as the columns can.
    amounts[0] = height
    left = height * fading(t) - height * values[:, 0]
    amounts[1 : count - 3] = np.linalg.lstsq(values[:, 1 : count - 3], left, rcond=None)[0]
    lift = (amounts[:, None] * normals)[:, None]
    rising, falling = np.array([0.0, 0, 0, 1, 1, 1]), np.array([1.0, 1, 1, 0, 0, 0])
    return (
        wall.with_control(wall.control + lift * in_rows(wall, rising)[:, None]),
        upper.with_control(upper.control + lift * in_rows(upper, falling)[:, None]),
    )


def _most(figure: Callable[[Array, Array], Array], surface: Surface) -> float:
    """The largest of a figure at scattered parameters, closed in on between samples each way."""
    u, v = (np.linspace(*d, _GRID) for d in surface.domain)
    rows = figure(np.repeat(u, _GRID), np.tile(v, _GRID)).reshape(_GRID, _GRID)
    i, j = np.unravel_index(np.argmax(rows), rows.shape)
    (at,), _ = largest(lambda x: figure(np.full_like(x, u[i]), x)[None], v, rows[i][None])
    column = figure(u, np.full_like(u, at))[None]
    _, (most,) = largest(lambda x: figure(x, np.full_like(x, at))[None], u, column)
    return float(max(most, rows[i, j]))


def _steepest(before: Surface, wall: Surface) -> float:
    """The largest angle, degrees, between the wall and the face that it stands on."""

    def turned(u: Array, v: Array) -> Array:
        was, now = (surface_derivatives(s, u, v, 1) for s in (before, wall))
        m, n = (unit(cross(x[1, 0], x[0, 1])) for x in (was, now))
        return np.asarray(np.degrees(np.arccos(np.clip(dot(m, n), -1, 1))))

    return _most(turned, wall)


def _height(before: Surface, wall: Surface) -> float:
    """How high the wall is at its start, mm."""
    ends = [s.control[0, -1] for s in (before, wall)]
    return float(np.linalg.norm(ends[1] - ends[0]))


def _least_radius(wall: Surface) -> float:
    def bend(u: Array, v: Array) -> Array:
        _, k = curvatures(surface_derivatives(wall, u, v, 2))
        return np.maximum(np.abs(k.largest), np.abs(k.smallest))

    return 1 / max(_most(bend, wall), 1e-12)
