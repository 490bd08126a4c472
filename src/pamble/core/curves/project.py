"""Projection of a curve onto faces, along a direction or to the nearest point, with the fewest CVs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from pamble.core.arrays import Array, BoolArray, IntArray, norm, unit
from pamble.core.curves.fit import Fit, fit_points
from pamble.core.curves.measure import length_parameters
from pamble.core.curves.stretches import stretches
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_grid
from pamble.core.spline.surface import Surface

_FINE = 321
_SEEDS = 40
_LEAST = 33
"""Points of a stretch at least, however short it is."""

_SMOOTH = np.radians(1.0)
"""Turn between stretches on neighbouring faces up to which they are one curve; chords of steps, not tangents."""


@dataclass(frozen=True)
class Landing:
    """Where points land on a surface: u, v (m,), point (m, 3), and whether each one does."""

    u: Array
    v: Array
    point: Array
    hit: BoolArray


@dataclass(frozen=True)
class Projection:
    """A fitted piece for every stretch that lands; missed: points (k, 3) of the curve that find no surface."""

    pieces: tuple[Fit, ...]
    missed: Array
    off_surface: float


def land(surface: Surface, points: Array, direction: Array) -> Landing:
    """Follow lines through ``points`` (m, 3) along ``direction`` (3,), both ways, to the surface: the nearest meeting.

    Newton on the two coordinates square to the direction, from the nearest cell of a grid seen along it.
    """
    d = unit(np.asarray(direction, dtype=float)[None])[0]
    if not np.any(d):
        raise GeometryError("A projection needs a direction that is not zero.")
    x = unit(np.cross(d, np.eye(3)[int(np.argmin(np.abs(d)))])[None])[0]
    y = np.cross(d, x)
    (u0, u1), (v0, v1) = surface.domain
    us, vs, grid, tree = _seen_along(surface, tuple(x), tuple(y))
    target = np.column_stack([points @ x, points @ y])
    # Of the few grid points nearest across the direction, start at the one nearest along it.
    near = np.asarray(tree.query(target, k=4)[1], dtype=np.intp)
    along = np.abs((grid[near] - points[:, None]) @ d)
    seed = near[np.arange(len(points)), np.argmin(along, axis=1)]
    u, v = us[seed // len(vs)], vs[seed % len(vs)]
    for _ in range(25):
        s = surface_derivatives(surface, u, v, 1)
        fx, fy = s[0, 0] @ x - target[:, 0], s[0, 0] @ y - target[:, 1]
        a, b, c, e = s[1, 0] @ x, s[0, 1] @ x, s[1, 0] @ y, s[0, 1] @ y
        det = a * e - b * c
        det = np.where(np.abs(det) > 1e-14, det, 1e-14)
        du, dv = -(e * fx - b * fy) / det, -(a * fy - c * fx) / det
        du, dv = np.clip(du, -0.2 * (u1 - u0), 0.2 * (u1 - u0)), np.clip(dv, -0.2 * (v1 - v0), 0.2 * (v1 - v0))
        new_u, new_v = np.clip(u + du, u0, u1), np.clip(v + dv, v0, v1)
        settled = np.maximum(np.abs(new_u - u) / (u1 - u0), np.abs(new_v - v) / (v1 - v0)).max() < 1e-13
        u, v = new_u, new_v
        if settled:
            break
    foot = surface_derivatives(surface, u, v, 0)[0, 0]
    apart = np.hypot(foot @ x - target[:, 0], foot @ y - target[:, 1])
    return Landing(u, v, foot, apart < 1e-6 * max(1.0, surface.diagonal))


@lru_cache(maxsize=16)
def _seen_along(
    surface: Surface, x: tuple[float, ...], y: tuple[float, ...]
) -> tuple[Array, Array, Array, cKDTree[Any]]:
    """A grid on a surface, and its points as seen along a direction, for looking up near ones; remembered."""
    (u0, u1), (v0, v1) = surface.domain
    us, vs = np.linspace(u0, u1, _SEEDS), np.linspace(v0, v1, _SEEDS)
    grid = surface_grid(surface, us, vs)[0, 0].reshape(-1, 3)
    return us, vs, grid, cKDTree(np.column_stack([grid @ np.array(x), grid @ np.array(y)]))


def pull(surface: Surface, points: Array) -> Landing:
    """Nearest points on the surface; a point whose foot lies beyond an edge does not land."""
    feet = to_surface(surface, points)
    s = surface_derivatives(surface, feet.u, feet.v, 1)
    gap = points - feet.point
    lean = np.maximum(
        np.abs(np.einsum("ij,ij->i", gap, unit(s[1, 0]))), np.abs(np.einsum("ij,ij->i", gap, unit(s[0, 1])))
    )
    return Landing(feet.u, feet.v, feet.point, lean < 1e-6 * max(1.0, surface.diagonal))


def project(
    curve: Curve,
    faces: Sequence[Face],
    direction: Array | None,
    degree: int = 5,
    tolerance: float = 0.02,
    spans: int | None = None,
    hurry: bool = False,
) -> Projection:
    """Project a curve along a direction (3,), or along the surface normal when None, onto one or several faces.

    Of several faces the one nearest to the curve takes each point. Each stretch that lands is fitted with the fewest
    CVs; stretches on neighbouring faces that run on smoothly become one curve. ``off_surface`` is the largest distance
    of the result from the faces. Raises `GeometryError` if nothing lands.
    """
    t = length_parameters(curve, np.linspace(0, 1, _FINE // 4 if hurry else _FINE), hurry)
    t[[0, -1]] = curve.domain
    on, landed = _onto(faces, curve_points(curve, t), direction)

    def label(at: Array) -> IntArray:
        return _onto(faces, curve_points(curve, at), direction)[0]

    runs = [r for r in stretches(label, t, 1 if hurry else 6, on) if r[2] > r[1]]
    if not runs:
        way = "along the surface normal" if direction is None else "along this direction"
        one = "surface" if len(faces) == 1 else "surfaces"
        raise GeometryError(f"The curve misses the {one} {way}: move it over the face, or choose another direction.")
    parts = [_part(curve, faces[f], direction, t, landed, a, b) for f, a, b in runs]
    chains = _chained(parts, [f for f, _, _ in runs], tolerance)
    pieces = tuple(fit_points(c, degree, tolerance, spans, hurry=hurry) for c in chains)
    missed = curve_points(curve, t[~np.any([(t >= a) & (t <= b) for _, a, b in runs], axis=0)])
    if hurry:
        return Projection(pieces, missed, max(p.deviation for p in pieces))
    check = np.vstack([curve_points(p.curve, np.linspace(0, 1, 200)) for p in pieces])
    off = np.min([norm(to_surface(f.surface, check).point - check) for f in faces], axis=0)
    return Projection(pieces, missed, float(off.max()))


def _onto(faces: Sequence[Face], points: Array, direction: Array | None) -> tuple[IntArray, Array]:
    """Which face takes each point, -1 for none, and where it lands (m, 3)."""
    found = [pull(f.surface, points) if direction is None else land(f.surface, points, direction) for f in faces]
    far = np.array(
        [
            np.where(x.hit & inside(f, x.u, x.v), norm(x.point - points), np.inf)
            for f, x in zip(faces, found, strict=True)
        ]
    )
    best = np.argmin(far, axis=0)
    every = np.arange(len(points))
    landed = np.stack([x.point for x in found])[best, every]
    return np.where(np.isfinite(far[best, every]), best, -1), landed


def _part(curve: Curve, face: Face, direction: Array | None, t: Array, landed: Array, a: float, b: float) -> Array:
    """Points of the projection of the stretch from ``a`` to ``b`` on one face, given where ``t`` landed."""
    inner = (t >= a) & (t <= b)
    if inner.sum() < _LEAST:
        return _onto([face], curve_points(curve, np.linspace(a, b, _LEAST)), direction)[1]
    if t[inner][0] == a and t[inner][-1] == b:
        return landed[inner]
    ends = _onto([face], curve_points(curve, [a, b]), direction)[1]
    start = ends[:1] if t[inner][0] > a else ends[:0]
    return np.vstack([start, landed[inner], ends[1:] if t[inner][-1] < b else ends[:0]])


def _chained(parts: list[Array], on: list[int], tolerance: float) -> list[Array]:
    """Points of stretches, those on different faces that meet and run on without a kink joined to one."""
    out = [parts[0]]
    for (before, last), (part, face) in pairwise(zip(parts, on, strict=True)):
        gap = float(norm((part[0] - before[-1])[None])[0])
        turn = unit((before[-1] - before[-2])[None]) @ unit((part[1] - part[0])[None]).T
        if last != face and gap < tolerance and float(turn[0, 0]) > np.cos(_SMOOTH):
            out[-1] = np.vstack([out[-1], part[1:]])
        else:
            out.append(part)
    return out
