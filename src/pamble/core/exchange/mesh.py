"""STL, OBJ and PLY in, as reference meshes."""

from __future__ import annotations

import io
from pathlib import PurePath

import numpy as np

from pamble.core.errors import ExchangeError, PambleError
from pamble.core.meshes.mesh import TriangleMesh

FORMS = (".stl", ".obj", ".ply")


def read_mesh(data: bytes, name: str) -> TriangleMesh:
    """A mesh from a file's content; its name tells the form. Equal vertices are made one.

    Raises `ExchangeError` if it is no mesh, is cut short, or holds no triangle.
    """
    import trimesh

    form = PurePath(name).suffix.lower()
    if form not in FORMS:
        raise ExchangeError(f"{name}: meshes are taken as STL, OBJ and PLY, not as {form or 'a file without ending'}.")
    if form == ".stl" and not data[:5].lower().startswith(b"solid"):
        _check_binary_stl(data, name)
    try:
        loaded = trimesh.load(io.BytesIO(data), file_type=form[1:], force="mesh", process=False)
        vertices, triangles = np.asarray(loaded.vertices, dtype=float), np.asarray(loaded.faces)
        if len(triangles) and len(vertices):
            vertices, index = np.unique(vertices, axis=0, return_inverse=True)
            triangles = index.reshape(-1)[triangles]
            triangles = triangles[(np.diff(np.sort(triangles, axis=1), axis=1) != 0).all(axis=1)]
    except Exception as error:  # whatever the reader stumbles over, the file is at fault
        raise ExchangeError(
            f"{name} cannot be read as {form[1:].upper()}: it is damaged or of another form."
        ) from error
    if not len(triangles):
        raise ExchangeError(f"{name} holds no triangle: points or lines alone are no mesh.")
    try:
        return TriangleMesh(vertices, triangles)
    except PambleError as error:
        raise ExchangeError(f"{name}: {error}") from error


def _check_binary_stl(data: bytes, name: str) -> None:
    if len(data) < 84:
        raise ExchangeError(f"{name} is cut short: it does not even hold the head of an STL file.")
    count = int.from_bytes(data[80:84], "little")
    if len(data) < 84 + 50 * count:
        raise ExchangeError(f"{name} is cut short: it announces {count} triangles and does not hold them.")
