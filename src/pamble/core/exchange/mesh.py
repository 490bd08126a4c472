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
    elif form == ".stl":
        _check_text_stl(data, name)
    elif form == ".ply":
        _check_ply(data, name)
    else:
        _check_obj(data, name)
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


def doubt(data: bytes, name: str) -> str | None:
    """What speaks for a file having been cut where nothing in it says so; None if nothing does."""
    if PurePath(name).suffix.lower() == ".obj" and data[-1:] not in (b"\n", b"\r"):
        return "its last line is not ended: it may be cut short, and triangles missing"
    return None


def _check_binary_stl(data: bytes, name: str) -> None:
    if len(data) < 84:
        raise ExchangeError(f"{name} is cut short: it does not even hold the head of an STL file.")
    count = int.from_bytes(data[80:84], "little")
    if len(data) < 84 + 50 * count:
        raise ExchangeError(f"{name} is cut short: it announces {count} triangles and does not hold them.")


def _check_text_stl(data: bytes, name: str) -> None:
    if b"endsolid" not in data[-4096:].lower():
        raise ExchangeError(f"{name} is cut short: it does not end as an STL file does.")


_SIZES = {
    "char": 1, "uchar": 1, "int8": 1, "uint8": 1, "short": 2, "ushort": 2, "int16": 2, "uint16": 2, "int": 4, "uint": 4,
    "int32": 4, "uint32": 4, "float": 4, "float32": 4, "double": 8, "float64": 8,
}  # fmt: skip


def _check_ply(data: bytes, name: str) -> None:
    """Compare what the head announces with what is there: lines, or the bytes that triangles take at least."""
    head, end, body = data.partition(b"end_header")
    if not end:
        raise ExchangeError(f"{name} is cut short: the head of a PLY file has no end.")
    body = body.partition(b"\n")[2]
    lines, size = 0, 0
    count = 0
    try:
        for words in (line.split() for line in head.decode("ascii", "replace").splitlines()):
            if words[:1] == ["element"]:
                count = int(words[2])
                lines += count
            elif words[:2] == ["property", "list"]:
                size += count * (_SIZES[words[2]] + 3 * _SIZES[words[3]])
            elif words[:1] == ["property"]:
                size += count * _SIZES[words[1]]
    except (IndexError, KeyError, ValueError) as error:
        raise ExchangeError(f"{name} cannot be read as PLY: its head is damaged.") from error
    text = b"format ascii" in head
    if (body.count(b"\n") + (body[-1:] not in (b"", b"\n")) < lines) if text else len(body) < size:
        raise ExchangeError(f"{name} is cut short: it announces {lines} elements and does not hold them.")


def _check_obj(data: bytes, name: str) -> None:
    """The last line is whole, and no triangle names a point that is not there."""
    points, highest = 0, 0
    words: list[bytes] = []
    for line in data.splitlines():
        words = line.split() or words
        if words[:1] == [b"v"] and line.strip():
            points += 1
        elif words[:1] == [b"f"] and line.strip():
            numbers = [int(w.split(b"/")[0]) for w in words[1:] if w.split(b"/")[0].lstrip(b"-").isdigit()]
            highest = max([highest, *numbers])
            if len(numbers) < 3:
                raise ExchangeError(f"{name} is cut short or damaged: a face of it has fewer than three points.")
    if highest > points:
        raise ExchangeError(f"{name} is cut short: its faces name {highest} points, and it holds {points}.")
    if words[:1] in ([b"v"], [b"vn"]) and len(words) < 4:
        raise ExchangeError(f"{name} is cut short: its last line breaks off.")
