"""What a screen needs of a face: points on a grid or in triangles, with exact normals and curvatures, and its edges."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, IntArray
from pamble.core.faces.face import Face
from pamble.core.spline import basis
from pamble.core.spline.differential import curvatures
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_grid
from pamble.core.spline.surface import EDGES


@dataclass(frozen=True)
class DisplayMesh:
    """Vertices of a face. vertices: (m, 10) as position 3, normal 3, largest and smallest curvature (1/mm), u, v.

    grid: (nu, nv) when the vertices are a parameter grid, first index along u; else triangles: (k, 3).
    """

    vertices: Array
    grid: tuple[int, int] | None
    triangles: IntArray | None


def grid_parameters(knots: Array, degree: int, least: int) -> Array:
    """Evenly spread parameters with every span boundary among them, at least ``least`` steps in all."""
    points = basis.breaks(knots, degree)
    share = np.maximum(1, np.round(least * np.diff(points) / (points[-1] - points[0]))).astype(int)
    inner = [np.linspace(a, b, n, endpoint=False) for a, b, n in zip(points[:-1], points[1:], share, strict=True)]
    return np.concatenate([*inner, points[-1:]])


def display_mesh(face: Face, steps: int) -> DisplayMesh:
    """Mesh of a face with about ``steps`` steps along each direction, evaluated on the true surface."""
    s = face.surface
    if not face.natural:
        from pamble.core.faces.triangles import triangulate

        uv, triangles = triangulate(face, steps)
        d = surface_derivatives(s, uv[:, 0], uv[:, 1], 2)
        return DisplayMesh(_vertices(d, uv), None, triangles)
    us, vs = grid_parameters(s.knots_u, s.degree_u, steps), grid_parameters(s.knots_v, s.degree_v, steps)
    grid = surface_grid(s, us, vs, 2)
    u, v = np.meshgrid(us, vs, indexing="ij")
    uv = np.column_stack([u.ravel(), v.ravel()])
    return DisplayMesh(_vertices(grid.reshape(3, 3, -1, 3), uv), (len(us), len(vs)), None)


def _vertices(d: Array, uv: Array) -> Array:
    n, k = curvatures(d)
    bend = np.nan_to_num(np.column_stack([k.largest, k.smallest]), nan=0.0, posinf=0.0, neginf=0.0)
    return np.column_stack([d[0, 0], n, bend, uv])


def edge_lines(face: Face, mesh: DisplayMesh, steps: int) -> list[tuple[str, Array]]:
    """Polyline of every edge, (m, 3), by name; edges of no length left out."""
    if mesh.grid is not None:
        points = mesh.vertices[:, :3].reshape(*mesh.grid, 3)
        borders = (points[0], points[-1], points[:, 0], points[:, -1])
        sides: Iterable[tuple[str, Array]] = zip(EDGES, borders, strict=True)
    else:
        sides = (
            (e.name, curve_points(e.space, grid_parameters(e.space.knots, e.space.degree, steps))) for e in face.edges
        )
    return [(name, line) for name, line in sides if np.ptp(line, axis=0).max() > 1e-9]


def iso_lines(face: Face, steps: int) -> list[Array]:
    """Span boundaries inside a natural face as polylines: what shows how a surface is made."""
    s = face.surface
    if not face.natural:
        return []
    us, vs = grid_parameters(s.knots_u, s.degree_u, steps), grid_parameters(s.knots_v, s.degree_v, steps)
    inner_u = basis.breaks(s.knots_u, s.degree_u)[1:-1]
    inner_v = basis.breaks(s.knots_v, s.degree_v)[1:-1]
    along_v = surface_grid(s, inner_u, vs)[0, 0] if len(inner_u) else np.zeros((0, 0, 3))
    along_u = surface_grid(s, us, inner_v)[0, 0].transpose(1, 0, 2) if len(inner_v) else np.zeros((0, 0, 3))
    return [*along_v, *along_u]
