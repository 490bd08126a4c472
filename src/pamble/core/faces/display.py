"""What a screen needs of a face: points on a grid or in triangles, with exact normals and curvatures, and its edges.

Points along a trimmed edge are taken from the edge's own curve, at places that only that curve decides: two faces that
share an edge show the very same points along it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from pamble.core.arrays import Array, IntArray, norm
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.meshing.moving import MovingMesh
from pamble.core.faces.regions.sources import plane_scale
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import curvatures
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_grid

_DENSE = 2.0
"""How many steps along an edge as long as the part there are for each step of the grid."""


@dataclass(frozen=True)
class DisplayMesh:
    """Vertices of a face. vertices: (m, 10) as position 3, normal 3, largest and smallest curvature (1/mm), u, v.

    grid: (nu, nv) when the vertices are a parameter grid, first index along u; else triangles: (k, 3). lines: polylines
    of the edges by name, those of no length left out.
    """

    vertices: Array
    grid: tuple[int, int] | None
    triangles: IntArray | None
    lines: tuple[tuple[str, Array], ...]


def grid_parameters(knots: Array, degree: int, least: int) -> Array:
    """Evenly spread parameters with every span boundary among them, at least ``least`` steps in all; not to be written
    to.
    """
    return _grid_parameters(np.asarray(knots, dtype=np.float64).tobytes(), degree, least)


@lru_cache(maxsize=512)
def _grid_parameters(key: bytes, degree: int, least: int) -> Array:
    knots = np.frombuffer(key)
    points = basis.breaks(knots, degree)
    width = np.diff(points)
    share = np.maximum(1, np.round(least * width / (points[-1] - points[0]))).astype(np.intp)
    span = np.repeat(np.arange(len(width)), share)
    step = np.arange(len(span)) - np.repeat(np.cumsum(share) - share, share)
    out = np.append(points[span] + width[span] * step / share[span], points[-1])
    out.setflags(write=False)
    return out


def display_mesh(face: Face, steps: int, reach: float | None = None, last: MovingMesh | None = None) -> DisplayMesh:
    """Mesh of a face with about ``steps`` steps along each direction, evaluated on the true surface.

    reach: a length in mm, the same for all faces of a part, about its size; by default the face's own. last: keeps the
    triangles of a trimmed face while its loops move. Raises `GeometryError` where trim loops cross themselves.
    """
    if face.natural:
        return natural_meshes([face], steps)[0]
    us, vs = _grid(face, steps)
    return _trimmed(face, us, vs, steps, reach or face.surface.diagonal, last or MovingMesh())


def natural_meshes(faces: Sequence[Face], steps: int) -> list[DisplayMesh]:
    """Meshes of faces that are not trimmed, in one go; see `display_mesh`."""
    parameters = [_grid(face, steps) for face in faces]
    grids = [surface_grid(face.surface, us, vs, 2) for face, (us, vs) in zip(faces, parameters, strict=True)]
    if not grids:
        return []
    uv = [_pairs(us.tobytes(), vs.tobytes()) for us, vs in parameters]
    flat = [grid.reshape(3, 3, -1, 3) for grid in grids]
    vertices = _vertices(
        flat[0] if len(flat) == 1 else np.concatenate(flat, axis=2), uv[0] if len(uv) == 1 else np.concatenate(uv)
    )
    out, start = [], 0
    for face, grid, row in zip(faces, grids, uv, strict=True):
        p = grid[0, 0]
        borders = zip(face.names, (p[0], p[-1], p[:, 0], p[:, -1]), strict=True)
        out.append(DisplayMesh(vertices[start : start + len(row)], p.shape[:2], None, _long(borders)))
        start += len(row)
    return out


def _grid(face: Face, steps: int) -> tuple[Array, Array]:
    s = face.surface
    return grid_parameters(s.knots_u, s.degree_u, steps), grid_parameters(s.knots_v, s.degree_v, steps)


@lru_cache(maxsize=64)
def _pairs(us: bytes, vs: bytes) -> Array:
    """All pairs of two rows of parameters, (m, 2); not to be written to."""
    u, v = np.meshgrid(np.frombuffer(us), np.frombuffer(vs), indexing="ij")
    out = np.column_stack([u.ravel(), v.ravel()])
    out.setflags(write=False)
    return out


def _long(lines: Iterable[tuple[str, Array]]) -> tuple[tuple[str, Array], ...]:
    return tuple((name, line) for name, line in lines if np.ptp(line, axis=0).max() > 1e-9)


def _vertices(d: Array, uv: Array) -> Array:
    n, k = curvatures(d)
    out = np.empty((len(uv), 10))
    out[:, :3], out[:, 3:6], out[:, 6], out[:, 7], out[:, 8:] = d[0, 0], n, k.largest, k.smallest, uv
    out[:, 6:8][~np.isfinite(out[:, 6:8])] = 0.0
    return out


def edge_steps(curve: Curve, domain: tuple[float, float], steps: int, reach: float) -> Array:
    """Parameters along a stretch of a curve: by its length against the part's, by its turning, and at its breaks."""
    legs = np.diff(curve.control, axis=0)
    length = norm(legs)
    way = legs[length > 1e-12] / length[length > 1e-12, None]
    turn = float(np.arccos(np.clip(np.vecdot(way[1:], way[:-1]), -1, 1)).sum()) if len(way) > 1 else 0.0
    least = max(_DENSE * steps * float(length.sum()) / reach, steps * turn / np.pi)
    count = int(np.clip(np.ceil(least), 2, 6 * steps))
    t = grid_parameters(curve.knots, curve.degree, count)
    if domain == curve.domain:
        return t
    start, end = domain
    room = 0.3 * (curve.domain[1] - curve.domain[0]) / count
    return np.concatenate([[start], t[(t > start + room) & (t < end - room)], [end]])


def _trimmed(face: Face, us: Array, vs: Array, steps: int, reach: float, last: MovingMesh) -> DisplayMesh:
    loops, places, lines = [], [], []
    for loop in face.loops:
        uv, points = [], []
        for k, edge in enumerate(loop):
            t = edge_steps(edge.twin, edge.domain, steps, reach)
            flat, space = curve_points(edge.pcurve, t), curve_points(edge.twin, t)
            lines.append((edge.name, space))
            if edge.inward < 0:
                flat, space = flat[::-1], space[::-1]
            over = _over_pole(flat[-1], loop[(k + 1) % len(loop)], us, vs)
            uv.append(np.concatenate([flat[:-1], over]))
            points.append(np.concatenate([space[:-1], np.repeat(space[-1:], len(over), axis=0)]))
        loops.append(np.concatenate(uv))
        places.append(np.concatenate(points))
    mesh = last.mesh(us, vs, loops, plane_scale(face.surface))
    rim, inner = mesh.uv[: mesh.loop_points], mesh.nodes
    grid = surface_grid(face.surface, us, vs, 2)[:, :, inner[:, 0], inner[:, 1]]
    d = np.concatenate([surface_derivatives(face.surface, rim[:, 0], rim[:, 1], 2), grid], axis=2)
    vertices = _vertices(d, mesh.uv)
    vertices[: mesh.loop_points, :3] = np.concatenate(places)
    return DisplayMesh(vertices, None, mesh.triangles, _long(lines))


_JUMP = 1e-6


def _over_pole(end: Array, after: Edge, us: Array, vs: Array) -> Array:
    """The end of an edge, and points from there on where the loop jumps over a pole to the next edge."""
    start = curve_points(after.pcurve, [after.domain[0 if after.inward > 0 else 1]])[0]
    size = np.array([us[-1] - us[0], vs[-1] - vs[0]])
    jump = float((np.abs(start - end) / size).max())
    if jump < _JUMP:
        return np.zeros((0, 2))
    count = max(1, int(np.ceil(jump * max(len(us), len(vs)))))
    return np.asarray(end + (np.arange(count) / count)[:, None] * (start - end))


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
