"""Triangles of a trimmed face in its parameter plane."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from pamble.core.arrays import Array, BoolArray, IntArray
from pamble.core.errors import GeometryError
from pamble.core.faces.meshing.constrain import delaunay, twice_area, with_edges
from pamble.core.faces.meshing.plan import Plan, make_plan, staircase


@dataclass(frozen=True)
class FlatMesh:
    """uv: (n, 2) parameters, the loops' points first and in their order; triangles: (k, 3) counter-clockwise; rim: the
    number of triangles, last in the list, that are not halves of whole cells; nodes: (n - loop_points, 2) places on the
    grid of the other points.
    """

    uv: Array
    triangles: IntArray
    loop_points: int
    rim: int
    nodes: IntArray


def mesh_loops(us: Array, vs: Array, loops: Sequence[Array], scale: Array) -> FlatMesh:
    """Mesh the inside of loops: halves of whole cells of the grid ``us`` x ``vs``, and a Delaunay rim that holds every
    point and side of the loops. scale: mm for a unit of u and of v.

    Raises `GeometryError` where loops cross themselves.
    """
    plan = make_plan(us, vs, loops)
    whole = plan.whole
    nl = len(plan.loop)
    used = np.zeros(plan.good.shape, dtype=bool)
    for part in (used[:-1, :-1], used[1:, :-1], used[:-1, 1:], used[1:, 1:]):
        part |= whole
    lone = plan.good & ~used
    gi, gj = np.nonzero(used | lone)
    number = np.full(plan.good.shape, -1, dtype=np.intp)
    number[gi, gj] = nl + np.arange(len(gi))
    uv = np.vstack([plan.loop, np.column_stack([us[gi], vs[gj]])])
    rings = [number.ravel()[ring] for ring in staircase(whole)]
    rim = _rim(plan, uv, rings, number[lone], scale)
    return FlatMesh(uv, np.vstack([_halves(whole, number), rim]), nl, len(rim), np.column_stack([gi, gj]))


def _halves(whole: BoolArray, number: IntArray) -> IntArray:
    """Two triangles a whole cell, the diagonals turning from cell to cell."""
    i, j = np.nonzero(whole)
    a, b, c, d = number[i, j], number[i + 1, j], number[i + 1, j + 1], number[i, j + 1]
    odd = ((i + j) % 2 == 1)[:, None]
    return np.vstack(
        [
            np.where(odd, np.column_stack([a, b, d]), np.column_stack([a, b, c])),
            np.where(odd, np.column_stack([b, c, d]), np.column_stack([a, c, d])),
        ]
    )


def _rim(plan: Plan, uv: Array, rings: list[IntArray], lone: IntArray, scale: Array) -> IntArray:
    """Triangles between the loops and the whole cells."""
    nl = len(plan.loop)
    ids = np.concatenate([np.arange(nl), *rings, lone])
    p = uv[ids] * scale
    after = np.full(len(ids), -1)
    after[:nl] = plan.next
    at = nl
    for ring in rings:
        after[at : at + len(ring)] = np.append(np.arange(at + 1, at + len(ring)), at)
        at += len(ring)
    triangles = delaunay(p)
    if np.bincount(triangles.ravel(), minlength=len(p)).min() == 0:
        return _by_library(plan, p, rings, ids)
    forced = with_edges(p, triangles, np.column_stack([np.arange(at), after[:at]]))
    if forced is None:
        return _by_library(plan, p, rings, ids)
    inside = _belongs(plan, p, forced, after, at, scale)
    rim = ids[forced[inside]]
    if not _fills(plan, p, forced[inside], rings, scale):
        return _by_library(plan, p, rings, ids)
    return rim


def _belongs(plan: Plan, p: Array, triangles: IntArray, after: IntArray, lone: int, scale: Array) -> BoolArray:
    """Which triangles lie between loops and cells: a directed loop side has the face on its left, a directed side of
    the staircase a whole cell; what has neither is asked for its middle.
    """
    nl = len(plan.loop)
    inside: BoolArray = np.zeros(len(triangles), dtype=bool)
    outside: BoolArray = np.zeros(len(triangles), dtype=bool)
    on_loop = triangles < nl
    for i, j in ((0, 1), (1, 2), (2, 0)):
        forth = after[triangles[:, i]] == triangles[:, j]
        back = after[triangles[:, j]] == triangles[:, i]
        inside |= (forth & on_loop[:, i]) | (back & ~on_loop[:, i])
        outside |= (back & on_loop[:, i]) | (forth & ~on_loop[:, i])
    loops_only: BoolArray = np.all(on_loop, axis=1, keepdims=True)[:, 0]
    grid_only = ~np.any(on_loop, axis=1)
    inside |= (~loops_only & ~grid_only) | (triangles >= lone).any(axis=1)
    open_ = np.flatnonzero(~inside & ~outside)
    if len(open_):
        middle = p[triangles[open_]].mean(axis=1)
        held: BoolArray = np.empty(len(open_), dtype=bool)
        flat = loops_only[open_]
        if flat.any():
            polygon = _polygon(plan, p)
            shapely.prepare(polygon)
            held[flat] = np.asarray(shapely.contains_xy(polygon, middle[flat, 0], middle[flat, 1]))
        uv = middle[~flat] / scale
        i = np.clip(np.searchsorted(plan.us, uv[:, 0], side="right") - 1, 0, plan.whole.shape[0] - 1)
        j = np.clip(np.searchsorted(plan.vs, uv[:, 1], side="right") - 1, 0, plan.whole.shape[1] - 1)
        held[~flat] = ~plan.whole[i, j]
        inside[open_] = held
    return np.asarray(inside)


def _polygon(plan: Plan, p: Array) -> shapely.Polygon:
    parts = [p[a:b] for a, b in zip(plan.start[:-1], plan.start[1:], strict=True)]
    return shapely.Polygon(parts[0], parts[1:])


def _fills(plan: Plan, p: Array, rim: IntArray, rings: list[IntArray], scale: Array) -> bool:
    """Whether the rim's triangles have just the area that lies between the loops and the whole cells."""
    wanted = _polygon(plan, p).area
    du, dv = np.diff(plan.us) * scale[0], np.diff(plan.vs) * scale[1]
    cells = float((np.outer(du, dv) * plan.whole).sum())
    got = 0.5 * float(twice_area(p, *rim.T).sum())
    return bool(abs(got + cells - wanted) < 1e-6 * max(wanted, 1e-12))


def _by_library(plan: Plan, p: Array, rings: list[IntArray], ids: IntArray) -> IntArray:
    """The rim by shapely's constrained Delaunay triangulation: slower, and right where loops touch themselves."""
    nl = len(plan.loop)
    polygon = _polygon(plan, p)
    at, cells = nl, []
    for ring in rings:
        cells.append(shapely.Polygon(p[at : at + len(ring)]))
        at += len(ring)
    if not polygon.is_valid:
        polygon = shapely.make_valid(polygon)
    between = polygon.difference(shapely.union_all(cells)) if cells else polygon
    triangles = shapely.get_parts(shapely.constrained_delaunay_triangles(between))
    if not len(triangles):
        raise GeometryError("A trimmed face cannot be meshed for display: its loops cross themselves.")
    corners = shapely.get_coordinates(triangles).reshape(-1, 4, 2)[:, :3].reshape(-1, 2)
    order = np.lexsort(p.T[::-1])
    rows = {tuple(p[i].tolist()): i for i in order[::-1].tolist()}
    found = np.array([rows.get((x, y), -1) for x, y in corners.tolist()], dtype=np.intp).reshape(-1, 3)
    if (found < 0).any():
        raise GeometryError("A trimmed face cannot be meshed for display: its loops cross themselves.")
    turned = twice_area(p, *found.T) < 0
    found[turned] = found[turned][:, [0, 2, 1]]
    return ids[found]
