"""The binary frame in which changed shapes and figures travel.

Layout: uint32 length of the header (little endian), the header as JSON padded with spaces to a multiple of 4, then
one float32 block. Arrays stand in the header as [offset, count] in floats.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import orjson
from numpy.typing import NDArray

from pamble.core.arrays import Array
from pamble.core.curves.measure import samples
from pamble.core.faces.display import DisplayMesh, display_mesh, iso_lines
from pamble.core.faces.face import Face
from pamble.core.faces.meshing.moving import MovingMesh
from pamble.core.meshes.mesh import TriangleMesh, lighter, vertex_normals
from pamble.core.remember import Remembered
from pamble.core.spline.evaluate import curve_points
from pamble.study.objects import Shape


class FrameWriter:
    """Collects arrays and gives their places."""

    def __init__(self) -> None:
        self._parts: list[NDArray[np.float32]] = []
        self._size = 0

    def put(self, values: Array | NDArray[np.float32]) -> list[int]:
        """Add an array; returns [offset, count] in floats."""
        flat = np.ascontiguousarray(values, dtype=np.float32).ravel()
        place = [self._size, len(flat)]
        self._parts.append(flat)
        self._size += len(flat)
        return place

    def finish(self, header: dict[str, Any]) -> bytes:
        """The whole frame."""
        head = orjson.dumps(header, option=orjson.OPT_SERIALIZE_NUMPY)
        head += b" " * (-len(head) % 4)
        body = np.concatenate(self._parts).astype("<f4").tobytes() if self._parts else b""
        return len(head).to_bytes(4, "little") + head + body


_BARE: dict[str, Any] = {
    "grid": None,
    "triangles": None,
    "edges": [],
    "isos": [],
    "cvs": {"count": [0, 0], "through": False, "points": []},
    "degree": [0, 0],
    "spans": [0, 0],
    "rational": False,
    "trimmed": True,
    "plane": None,
}
"""Entries of an object that has neither lines nor CVs."""


def put_shape(
    writer: FrameWriter, shape: Shape, steps: int, reach: float | None, last: MovingMesh | None = None,
    mesh: DisplayMesh | None = None,
) -> dict[str, Any]:  # fmt: skip
    """Meshes, lines, span boundaries and CVs of an object, as header entries. reach, last: see `display_mesh`. mesh: of
    a face, where it is made already.
    """
    if shape.mesh is not None:
        return _put_mesh(writer, shape.mesh)
    if shape.plane is not None:
        p = shape.plane
        axes = [v.tolist() for v in (p.origin, p.x, p.y)]
        return {**_BARE, "kind": "plane", "vertices": writer.put(np.zeros((0, 10))), "plane": axes}
    if shape.face is None:
        return _put_curves(writer, shape, steps)
    return _put_face(writer, mesh or display_mesh(shape.face, steps, reach, last), shape.face, steps)


def _put_face(writer: FrameWriter, mesh: DisplayMesh, face: Face, steps: int) -> dict[str, Any]:
    s = face.surface
    return {
        "kind": "face",
        "vertices": writer.put(mesh.vertices),
        "grid": mesh.grid,
        "triangles": None if mesh.triangles is None else writer.put(mesh.triangles.astype(float)),
        "edges": [{"name": name, "points": writer.put(points)} for name, points in mesh.lines],
        "isos": [writer.put(points) for points in iso_lines(face, steps)],
        "cvs": {"count": list(s.control.shape[:2]), "through": False, "points": s.control.ravel().tolist()},
        "degree": [s.degree_u, s.degree_v],
        "spans": list(s.spans),
        "rational": s.weights is not None,
        "trimmed": not face.natural,
        "plane": None,
    }


_SHOWN_TRIANGLES = 500_000
"""Triangles of a mesh that are drawn; one with more is shown lighter, and measured whole."""


def _put_mesh(writer: FrameWriter, mesh: TriangleMesh) -> dict[str, Any]:
    """A reference mesh: triangles without lines or CVs. Numbers of vertices are exact as float32 up to 2^24."""
    rows, triangles = _drawn.get(mesh, None, lambda: _rows(lighter(mesh, _SHOWN_TRIANGLES)))
    return {**_BARE, "kind": "mesh", "vertices": writer.put(rows), "triangles": writer.put(triangles)}


_drawn: Remembered[TriangleMesh, None, tuple[NDArray[np.float32], NDArray[np.float32]]] = Remembered(1)


def _rows(mesh: TriangleMesh) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    rows = np.zeros((len(mesh.vertices), 10), np.float32)
    rows[:, :3], rows[:, 3:6] = mesh.vertices, vertex_normals(mesh)
    return rows, mesh.triangles.astype(np.float32)


def _put_curves(writer: FrameWriter, shape: Shape, steps: int) -> dict[str, Any]:
    """Curves as lines without a mesh; the CVs shown are those of the first one."""
    first, points = shape.curves[0], shape.net
    lines = [
        (name, curve_points(c, samples(c, max(steps // 2, 4 * steps // c.spans)))) for name, c in shape.lines.items()
    ]
    return {
        "kind": "curves",
        "vertices": writer.put(np.zeros((0, 10))),
        "grid": None,
        "triangles": None,
        "edges": [{"name": name, "points": writer.put(points)} for name, points in lines],
        "isos": [],
        "cvs": {"count": [len(points), 1], "through": shape.points is not None, "points": points.ravel().tolist()},
        "degree": [first.degree, 0],
        "spans": [first.spans, 0],
        "rational": any(c.weights is not None for c in shape.curves),
        "trimmed": False,
        "plane": None,
    }


def read_frame(data: bytes) -> tuple[dict[str, Any], NDArray[np.float32]]:
    """Header and float block of a frame."""
    size = int.from_bytes(data[:4], "little")
    return orjson.loads(data[4 : 4 + size]), np.frombuffer(data[4 + size :], dtype="<f4")
