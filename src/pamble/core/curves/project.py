"""Projection of a curve onto a face, along a direction or to the nearest point, with the fewest CVs."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree

from pamble.core.arrays import Array, BoolArray, IntArray, norm, unit
from pamble.core.curves.fit import Fit, fit_points
from pamble.core.curves.measure import length_parameters
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_grid
from pamble.core.spline.surface import Surface

_FINE = 321
_SEEDS = 40


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
    us, vs = np.linspace(u0, u1, _SEEDS), np.linspace(v0, v1, _SEEDS)
    grid = surface_grid(surface, us, vs)[0, 0].reshape(-1, 3)
    flat = np.column_stack([grid @ x, grid @ y])
    target = np.column_stack([points @ x, points @ y])
    # Of the few grid points nearest across the direction, start at the one nearest along it.
    near = np.asarray(cKDTree(flat).query(target, k=4)[1], dtype=np.intp)
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
    face: Face,
    direction: Array | None,
    degree: int = 5,
    tolerance: float = 0.02,
    spans: int | None = None,
    hurry: bool = False,
) -> Projection:
    """Project a curve along a direction (3,), or along the surface normal when None.

    Each stretch that lands is fitted with the fewest CVs; ``off_surface`` is the largest distance of the result from
    the surface. Raises `GeometryError` if nothing lands.
    """
    t = length_parameters(curve, np.linspace(0, 1, _FINE // 4 if hurry else _FINE))
    t[[0, -1]] = curve.domain
    points = curve_points(curve, t)
    surface = face.surface
    found = pull(surface, points) if direction is None else land(surface, points, direction)
    found = replace(found, hit=found.hit & inside(face, found.u, found.v))
    runs = [r for r in runs_of(found.hit) if len(r) > 3]
    if not runs:
        way = "along the surface normal" if direction is None else "along this direction"
        raise GeometryError(f"The curve misses the surface {way}: move it over the face, or choose another direction.")
    pieces = tuple(fit_points(found.point[r], degree, tolerance, spans, hurry=hurry) for r in runs)
    if hurry:
        return Projection(pieces, points[~found.hit], max(p.deviation for p in pieces))
    off = max(
        float(norm(to_surface(surface, w).point - w).max())
        for w in (curve_points(p.curve, np.linspace(0, 1, 200)) for p in pieces)
    )
    return Projection(pieces, points[~found.hit], off)


def runs_of(mask: BoolArray) -> list[IntArray]:
    """Stretches of indices where the mask is true."""
    index = np.flatnonzero(mask)
    return [] if not len(index) else np.split(index, np.flatnonzero(np.diff(index) > 1) + 1)
