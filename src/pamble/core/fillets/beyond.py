"""A crease beyond its ends: its own polynomial where that stays on both faces, and else the line in which they go on
to meet. An edge of many short spans, as an intersection is often stored, runs off at once.
"""

from __future__ import annotations

import numpy as np
from scipy.interpolate import CubicSpline

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.fillets.feet import derivatives, step_uv
from pamble.core.spline.surface import Surface

_OFF = 1e-4
"""Share of the way beyond an end by which a crease may leave the faces."""

_FAR = 3.0
"""Times its length beyond an end by which a place may lie from that end."""

_STEPS, _PASSES = 8, 2
_SURE = 0.01
"""Sine of the angle between both faces from which their normals tell the way that a crease takes."""

_ALIKE = 1e-6
"""Singular values, over the largest, below which a plane adds nothing: the faces go on into each other."""


def runs_off(points: Array, feet: tuple[Array, Array], beyond: Array) -> bool:
    """Whether a crease leaves its faces. points, feet on both: (m, 3); beyond: (m,) mm from the end."""
    away = np.maximum(*(norm(points - f) for f in feet))
    return bool((~(away <= _OFF * beyond + 1e-6)).any())


def along_both(
    surfaces: tuple[Surface, Surface], uv: tuple[Array, Array], frame: Array, away: Array
) -> tuple[Array, Array, tuple[Array, Array]]:
    """Points and unit tangents (m, 3) where two surfaces go on to meet, and their parameters (m, 2) on both.

    uv: (2,) on each at the crease's end. frame: (3, 3), there the place, the unit tangent that leads on, and the
    curvature vector. away: (m,) rising lengths beyond the end, mm.
    """
    place, tangent, bend = frame
    guess = place + away[:, None] * tangent + 0.5 * away[:, None] ** 2 * bend
    planes = unit(tangent + away[:, None] * bend)
    at = [np.tile(x, (len(away), 1)) for x in uv]
    for again in range(_PASSES):
        points = guess
        for _ in range(_STEPS):
            normals, feet = [planes], [guess]
            for k, surface in enumerate(surfaces):
                for _ in range(2):
                    d = derivatives(surface, at[k][:, 0], at[k][:, 1], 1)
                    step = step_uv(d, points - d[0, 0])
                    at[k] = at[k] + np.where(np.isfinite(step), step, 0.0)
                normals.append(unit(cross(d[1, 0], d[0, 1])))
                feet.append(d[0, 0])
            system = np.nan_to_num(np.stack(normals, axis=1), posinf=0.0, neginf=0.0)
            rest = np.stack([dot(n, f - points) for n, f in zip(normals, feet, strict=True)], axis=1)
            moved = points + (np.linalg.pinv(system, rcond=_ALIKE) @ rest[:, :, None])[:, :, 0]
            # A surface of a high degree may run off far beyond its border: there the crease goes on as it ended.
            sane = norm(moved - place) < _FAR * away
            points = np.where(sane[:, None], moved, guess)
        smooth = _by_length(np.vstack([place, points]))
        planes = unit(smooth(away, 1))
        if again < _PASSES - 1:
            guess = smooth(away)
    # Square to both normals, but where the faces go on into each other.
    square = cross(normals[1], normals[2])
    sure = sane & (norm(square) > _SURE)
    exact = square * np.where(dot(square, planes) < 0, -1.0, 1.0)[:, None] / np.maximum(norm(square), _SURE)[:, None]
    return points, np.where(sure[:, None], exact, planes), (at[0], at[1])


def _by_length(line: Array) -> CubicSpline:
    """The spline through places (m, 3), its parameter the length along it."""
    length = np.append(0.0, np.cumsum(norm(np.diff(line, axis=0))))
    x, w = np.polynomial.legendre.leggauss(3)
    half = 0.5 * np.diff(length)
    speed = norm(CubicSpline(length, line)((length[:-1, None] + half[:, None] * (1 + x)).ravel(), 1))
    return CubicSpline(np.append(0.0, np.cumsum((speed.reshape(-1, 3) * w).sum(axis=1) * half)), line)
