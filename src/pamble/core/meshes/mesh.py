"""A triangle mesh as a reference: normals, open edges, a lighter one for the screen."""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, IntArray, cross, floats, unit
from pamble.core.errors import GeometryError


@dataclass(frozen=True, eq=False)
class TriangleMesh:
    """vertices: (n, 3) mm. triangles: (k, 3) numbers of vertices, anticlockwise seen from outside."""

    vertices: Array
    triangles: IntArray

    def __post_init__(self) -> None:
        v, t = floats(self.vertices), np.ascontiguousarray(self.triangles, dtype=np.intp)
        if v.ndim != 2 or v.shape[1] != 3 or t.ndim != 2 or t.shape[1] != 3 or not len(t):
            raise GeometryError("A mesh has vertices with 3 coordinates and at least one triangle.")
        if not np.isfinite(v).all():
            raise GeometryError("A vertex of the mesh is not a finite number.")
        if t.min() < 0 or t.max() >= len(v):
            raise GeometryError("A triangle of the mesh names a vertex that is not there.")
        object.__setattr__(self, "vertices", v)
        object.__setattr__(self, "triangles", t)

    @property
    def size(self) -> Array:
        """Extent along x, y and z, mm."""
        return np.asarray(np.ptp(self.vertices, axis=0))


def vertex_normals(mesh: TriangleMesh) -> Array:
    """Unit normals (n, 3): the triangles' normals weighted by area."""
    a, b, c = (mesh.vertices[mesh.triangles[:, i]] for i in range(3))
    area = cross(b - a, c - a)
    at, count = mesh.triangles.T.ravel(), len(mesh.vertices)
    return unit(np.column_stack([np.bincount(at, np.tile(area[:, k], 3), count) for k in range(3)]))


def open_edge_count(mesh: TriangleMesh) -> int:
    """Number of triangle sides that belong to one triangle only: 0 for a closed mesh."""
    start, end = mesh.triangles.T.ravel(), np.roll(mesh.triangles, -1, axis=1).T.ravel()
    key = np.sort(np.minimum(start, end) * len(mesh.vertices) + np.maximum(start, end))
    other = np.concatenate([[True], key[1:] != key[:-1], [True]])
    return int(np.sum(other[1:] & other[:-1]))


def lighter(mesh: TriangleMesh, most: int) -> TriangleMesh:
    """A mesh of ``most`` triangles or fewer for the screen; the same mesh if it has no more.

    Vertices in one cell of a grid become their mean (Rossignac and Borrel, 1993; from memory).
    """
    if len(mesh.triangles) <= most:
        return mesh
    low, size = mesh.vertices.min(axis=0), mesh.size
    cells = 1.4 * np.sqrt(most / 2.0)
    while cells > 1:
        step = max(float(size.max()) / cells, 1e-12)
        place = np.floor((mesh.vertices - low) / step).astype(np.int64)
        key = (place[:, 0] * 1_000_003 + place[:, 1]) * 1_000_003 + place[:, 2]
        _, group = np.unique(key, return_inverse=True)
        t = group[mesh.triangles]
        t = t[(t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])]
        if 0 < len(t) <= most:
            count = np.bincount(group)
            mean = np.column_stack([np.bincount(group, mesh.vertices[:, i]) / count for i in range(3)])
            return TriangleMesh(mean, t)
        cells *= 0.8
    return TriangleMesh(mesh.vertices, mesh.triangles[:most])


def pack(mesh: TriangleMesh) -> bytes:
    """The mesh as compact bytes, exact."""
    buffer = io.BytesIO()
    np.savez_compressed(buffer, vertices=mesh.vertices, triangles=mesh.triangles.astype(np.uint32))
    return buffer.getvalue()


def unpack(data: bytes) -> TriangleMesh:
    """A mesh from what `pack` made. Raises `GeometryError` for anything else."""
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as parts:
            return TriangleMesh(parts["vertices"], parts["triangles"].astype(np.intp))
    except (ValueError, KeyError, OSError, EOFError, TypeError, zipfile.BadZipFile) as error:
        raise GeometryError("The stored mesh is damaged: load it from its file again.") from error
