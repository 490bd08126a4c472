"""Projection of a curve onto faces, along a direction or to the nearest point, with the fewest CVs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, IntArray, norm, unit
from pamble.core.curves.fit import fit_points
from pamble.core.curves.least_squares import Fit
from pamble.core.curves.runs import Run, Tracer
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.landing import land, pull
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.extremes import largest

_SMOOTH = np.radians(1.0)
"""Turn between stretches on neighbouring faces up to which they are one curve; chords of steps, not tangents."""


@dataclass(frozen=True)
class Projection:
    """A fitted piece for every stretch that lands; missed: points (k, 3) of the curve that find no surface."""

    pieces: tuple[Fit, ...]
    missed: Array
    off_surface: float


def project(
    curve: Curve,
    faces: Sequence[Face],
    direction: Array | None,
    degree: int = 5,
    tolerance: float = 0.02,
    spans: int | Array | None = None,
    hurry: bool = False,
) -> Projection:
    """Project a curve along a direction (3,), or along the surface normal when None, onto one or several faces.

    Of several faces the one nearest to the curve takes each point. Each stretch that lands on one sheet is fitted with
    the fewest CVs; stretches on neighbouring faces that run on smoothly become one curve. ``off_surface`` is the
    largest distance of the result from the faces. Raises `GeometryError` if nothing lands.
    """

    def place(t: Array, only: int | None) -> tuple[IntArray, Array]:
        return _onto(faces if only is None else [faces[only]], curve_points(curve, t), direction)

    runs, missed = Tracer(curve, place, hurry).runs()
    if not runs:
        way = "along the surface normal" if direction is None else "along this direction"
        one = "surface" if len(faces) == 1 else "surfaces"
        raise GeometryError(f"The curve misses the {one} {way}: move it over the face, or choose another direction.")
    pieces = tuple(fit_points(c, degree, tolerance, spans, hurry=hurry) for c in _chained(runs, tolerance))
    nowhere = curve_points(curve, missed)
    if hurry:
        return Projection(pieces, nowhere, max(p.deviation for p in pieces))
    return Projection(pieces, nowhere, max(_off(p.curve, faces) for p in pieces))


def _off(curve: Curve, faces: Sequence[Face]) -> float:
    """Largest distance of a curve from the nearest of the faces, mm, closed in on between samples."""

    def away(t: Array) -> Array:
        points = curve_points(curve, t)
        feet = [norm(to_surface(f.surface, points).point - points) for f in faces]
        return np.asarray(np.min(feet, axis=0)[None])

    t = np.linspace(0, 1, 200)
    return float(largest(away, t, away(t))[1][0])


def _onto(faces: Sequence[Face], points: Array, direction: Array | None) -> tuple[IntArray, Array]:
    """Which face takes each point, the nearest one or -1 for none, and where it lands (m, 3)."""
    found = [pull(f, points) if direction is None else land(f, points, direction) for f in faces]
    far = np.array([np.where(x.hit, norm(x.point - points), np.inf) for x in found])
    best = np.argmin(far, axis=0)
    every = np.arange(len(points))
    landed = np.stack([x.point for x in found])[best, every]
    return np.where(np.isfinite(far[best, every]), best, -1), landed


def _chained(runs: list[Run], tolerance: float) -> list[Array]:
    """Points of runs, those on different faces that meet and go on without a kink joined to one."""
    out = [runs[0].points]
    for before, run in pairwise(runs):
        last, part = before.points, run.points
        gap = float(norm((part[0] - last[-1])[None])[0])
        turn = unit((last[-1] - last[-2])[None]) @ unit((part[1] - part[0])[None]).T
        if before.label != run.label and gap < tolerance and float(turn[0, 0]) > np.cos(_SMOOTH):
            out[-1] = np.vstack([out[-1], part[1:]])
        else:
            out.append(part)
    return out
