"""Light lines on a face: contours on a grid of its parameters, then brought onto the true surface by Newton."""

from __future__ import annotations

from dataclasses import dataclass

import contourpy
import numpy as np
import shapely

from pamble.core.arrays import Array, BoolArray, IntArray, norm
from pamble.core.faces.display import edge_steps, grid_parameters
from pamble.core.faces.face import Face
from pamble.core.lights.bank import Bank, shown
from pamble.core.spline.differential import normals, turning_normals
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_grid
from pamble.core.spline.surface import Surface

_MOST = 400
"""Lights that a face may show; of more only every second, third and so on is drawn."""

_CLOSEST = 2.5
"""Lights between two neighbours of the grid from which lines run together."""

_NEAREST = 1 / 400
"""Least distance of two lights, as a share of the face's size: nearer ones are a dark patch."""

_FINER = 1, 2, 4
_CROWDED = 0.002
"""How many times the steps are taken where lights run together in more than so large a share of the grid."""

_END = 1e-6
"""Share of a line within which it is at its end."""

_ROUNDS = 4
_SETTLED = 3e-4
"""Share of the largest step below which a round brings nothing any more: the next error is its square."""

_FARTHEST = 0.02
"""Largest step of one round, as a share of the surface's domain."""


@dataclass(frozen=True)
class LightLine:
    """A line of one light on a face. number: of the light; points: (m, 3), mm, on the surface."""

    number: int
    points: Array


def light_lines(face: Face, lights: Bank, steps: int = 48, quick: bool = False) -> list[LightLine]:
    """All light lines on a face, cut at its borders; ``steps`` along each direction decide how finely they turn.

    quick: each point is moved once toward the light and no more, for the moment in which a face is dragged.
    """
    s = face.surface
    us, vs, value = _numbers(face, lights, steps, _FINER[:1] if quick else _FINER)
    if not np.isfinite(value).any():
        return []
    found = contourpy.contour_generator(us, vs, np.ma.masked_invalid(value.T))
    low, high = int(np.ceil(np.nanmin(value))), int(np.floor(np.nanmax(value)))
    # Straight into the light there is a spot, or a ridge, but no line.
    low = max(low, 1) if lights.kind == "isophote" else low
    every = -(-max(high - low, 0) // _MOST) or 1
    numbers, rows = list[int](), list[Array]()
    for number in range(-(-low // every) * every, high + 1, every):
        for line in found.lines(number):
            numbers.append(number)
            rows.append(np.asarray(line))
    if not rows:
        return []
    sizes = np.array([len(r) for r in rows])
    uv = _settled(s, lights, np.concatenate(rows), np.repeat(numbers, sizes), 1 if quick else _ROUNDS)
    parts = np.split(uv, np.cumsum(sizes)[:-1])
    which, kept = np.arange(len(parts)), parts
    if not face.natural:
        area = _area(face, steps)
        which, kept = _inside(area, parts)
        if len(kept) and not quick:
            # Where a line was cut it ends on a chord between two of its points: nearer ones, and it is cut again.
            ends = _settled(s, lights, np.concatenate([k[[0, -1]] for k in kept]), np.array(numbers)[which].repeat(2))
            which, kept = _inside(area, _refined(parts, which, kept, ends.reshape(-1, 2, 2)))
    if not len(kept):
        return []
    flat = np.concatenate(kept)
    points = np.split(surface_derivatives(s, flat[:, 0], flat[:, 1], 0)[0, 0], np.cumsum([len(k) for k in kept])[:-1])
    return [LightLine(numbers[i], p) for i, p in zip(which, points, strict=True)]


def _numbers(face: Face, lights: Bank, steps: int, finer: tuple[int, ...]) -> tuple[Array, Array, Array]:
    """Parameters (m,), (n,) of a grid and its numbers (m, n), in as many times the steps as part nearly all lights."""
    s = face.surface
    border = [e.space.control for loop in face.loops for e in loop]
    # The surface may reach far beyond its trims.
    size = float(np.linalg.norm(np.ptp(np.vstack(border), axis=0))) if border else s.diagonal
    for times in finer:
        us, vs = (grid_parameters(k, p, times * steps) for k, p in ((s.knots_u, s.degree_u), (s.knots_v, s.degree_v)))
        grid = surface_grid(s, us, vs, 1)
        value, _ = shown(lights, grid[0, 0], normals(grid), (), ())
        near, unparted = _crowded(value, grid[0, 0], _NEAREST * size)
        if np.count_nonzero(unparted & ~near) <= _CROWDED * value.size:
            break
    return us, vs, np.where(near | unparted, np.nan, value)


def _refined(parts: list[Array], which: IntArray, kept: list[Array], ends: Array) -> list[Array]:
    """Lines in the parameter plane with more points. which, kept: stretches of them; ends: (k, 2, 2), points near both
    ends of each stretch.
    """
    out = list(parts)
    for line in np.unique(which):
        mine = np.flatnonzero(which == line)
        run = np.append(0.0, np.cumsum(norm(np.diff(parts[line], axis=0))))
        cut = np.concatenate([kept[k][[0, -1]] for k in mine])
        at = shapely.line_locate_point(shapely.LineString(parts[line]), shapely.points(cut))
        new = np.minimum(at, run[-1] - at) > _END * run[-1]
        order = np.argsort(np.append(run, at[new]), kind="stable")
        out[line] = np.concatenate([parts[line], ends[mine].reshape(-1, 2)[new]])[order]
    return out


def _crowded(value: Array, points: Array, nearest: float) -> tuple[BoolArray, BoolArray]:
    """Where on a grid of points lights lie nearer to each other than so many mm, and where more of them than can be
    told apart fall between neighbours.
    """
    near, unparted = np.zeros((2, *value.shape), dtype=bool)
    with np.errstate(invalid="ignore"):
        for k, here in ((0, np.s_[1:]), (1, np.s_[:, 1:])):
            lights = np.abs(np.diff(value, axis=k))
            near[here] |= lights * nearest > norm(np.diff(points, axis=k))
            unparted[here] |= lights > _CLOSEST
    return near, unparted


def _settled(surface: Surface, lights: Bank, uv: Array, number: IntArray, rounds: int = _ROUNDS) -> Array:
    """Parameters moved to where the number holds exactly, the shortest way on the surface; none leaves its domain, and
    ends on its border stay there.
    """
    low, high = np.array(surface.domain).T
    free = (uv > low) & (uv < high)
    far = _FARTHEST * (high - low)
    for _ in range(rounds):
        d = surface_derivatives(surface, uv[:, 0], uv[:, 1], 2)
        n, nu, nv = turning_normals(d)
        value, (fu, fv) = shown(lights, d[0, 0], n, (d[1, 0], d[0, 1]), (nu, nv))
        e, f, g = (np.vecdot(a, b) for a, b in ((d[1, 0], d[1, 0]), (d[1, 0], d[0, 1]), (d[0, 1], d[0, 1])))
        with np.errstate(divide="ignore", invalid="ignore"):
            # The gradient on the surface, by the inverse of its first form; its determinant falls out.
            way = np.stack([g * fu - f * fv, e * fv - f * fu], axis=1)
            way = np.where(free.all(axis=1)[:, None], way, free * np.stack([fu, fv], axis=1))
            step = ((number - value) / (way[:, 0] * fu + way[:, 1] * fv))[:, None] * way
        step = np.where(np.isfinite(step), np.clip(step, -far, far), 0.0)
        uv = np.clip(uv + step, low, high)
        if np.abs(step).max(axis=0).max() < _SETTLED * far.min():
            break
    return uv


def _area(face: Face, steps: int) -> shapely.Geometry:
    """A trimmed face in the parameter plane."""
    rings = []
    for loop in face.loops:
        ring = []
        for edge in loop:
            flat = curve_points(edge.pcurve, edge_steps(edge.twin, edge.domain, steps, face.surface.diagonal))
            ring.append(flat if edge.inward > 0 else flat[::-1])
        # Chords of two borders that nearly touch may cross.
        rings.append(shapely.make_valid(shapely.Polygon(np.concatenate(ring))))
    outer = max(rings, key=lambda r: r.area)
    area: shapely.Geometry = outer.difference(shapely.union_all([r for r in rings if r is not outer]))
    shapely.prepare(area)
    return area


def _inside(area: shapely.Geometry, parts: list[Array]) -> tuple[IntArray, list[Array]]:
    """The stretches of lines in the parameter plane that lie within an area, and the line each is part of."""
    lines = np.array([shapely.LineString(p) if len(p) > 1 else shapely.LineString() for p in parts])
    cut, which = shapely.get_parts(shapely.intersection(lines, area), return_index=True)
    real = [
        (int(i), shapely.get_coordinates(c))
        for i, c in zip(which, cut, strict=True)
        if shapely.get_type_id(c) == 1 and not c.is_empty
    ]
    return np.array([i for i, _ in real], dtype=np.intp), [c for _, c in real]
