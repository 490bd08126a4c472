"""Results of steps as bytes, so that opening a study does not compute them again, and a last good shape lasts.

Layout: uint32 length of a JSON head, the head, then one float64 block. What was packed by other code is not read: the
number of the form stands in front.
"""

from __future__ import annotations

import logging
from dataclasses import asdict
from typing import Any

import numpy as np
import orjson

from pamble.core.arrays import Array, jsonable
from pamble.core.errors import PambleError
from pamble.core.faces.face import Edge, Face
from pamble.core.planes import Plane
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface
from pamble.study.objects import DeclaredSeam, Made, PartHandle, Shape

log = logging.getLogger("pamble")

FORM = 6
"""Rises when the form of what is packed, or what the same inputs give, changes."""


class _Writer:
    def __init__(self) -> None:
        self._parts: list[Array] = []
        self._size = 0

    def put(self, values: Array | None) -> list[Any] | None:
        if values is None:
            return None
        array = np.ascontiguousarray(values, dtype=np.float64)
        place = [self._size, list(array.shape)]
        self._parts.append(array.ravel())
        self._size += array.size
        return place

    def body(self) -> bytes:
        return np.concatenate(self._parts).tobytes() if self._parts else b""


def pack_made(made: Made) -> bytes | None:
    """A result as bytes; None where it holds what is stored elsewhere, a reference mesh."""
    shapes = [*made.makes.values(), *made.changes.values()]
    if any(s.mesh is not None for s in shapes):
        return None
    w = _Writer()
    head = {
        "form": FORM,
        "makes": {k: _shape(w, s) for k, s in made.makes.items()},
        "changes": {k: _shape(w, s) for k, s in made.changes.items()},
        "seams": [asdict(s) for s in made.seams],
        "handles": [h.plain() for h in made.handles],
        "facts": jsonable(dict(made.facts)),
        "warnings": list(made.warnings),
        "removes": list(made.removes),
    }
    data = orjson.dumps(head, option=orjson.OPT_SERIALIZE_NUMPY)
    data += b" " * (-len(data) % 8)
    return len(data).to_bytes(8, "little") + data + w.body()


def unpack_made(data: bytes) -> Made | None:
    """The result that was packed; None if it was packed in another form, or cannot be read: then it is computed."""
    try:
        return _unpacked(data)
    except (ValueError, KeyError, TypeError, IndexError, AttributeError, PambleError):
        log.exception("a stored result cannot be read")
        return None


def _unpacked(data: bytes) -> Made | None:
    size = int.from_bytes(data[:8], "little")
    head = orjson.loads(data[8 : 8 + size])
    if head.get("form") != FORM:
        return None
    body = np.frombuffer(data, dtype=np.float64, offset=8 + size)
    return Made(
        {k: _read_shape(body, s) for k, s in head["makes"].items()},
        {k: _read_shape(body, s) for k, s in head["changes"].items()},
        tuple(DeclaredSeam(**s) for s in head["seams"]),
        tuple(PartHandle.read(h) for h in head["handles"]),
        head["facts"],
        tuple(head["warnings"]),
        removes=tuple(head["removes"]),
    )


def _shape(w: _Writer, s: Shape) -> dict[str, Any]:
    return {
        "face": None if s.face is None else _face(w, s.face),
        "curves": [_curve(w, c) for c in s.curves],
        "names": list(s.names),
        "plane": None if s.plane is None else [v.tolist() for v in (s.plane.origin, s.plane.x, s.plane.y)],
        "points": w.put(s.points),
    }


def _face(w: _Writer, face: Face) -> dict[str, Any]:
    s = face.surface
    loops = [
        [[e.name, e.inward, e.at, _curve(w, e.pcurve), None if e.natural else _curve(w, e.space)] for e in loop]
        for loop in face.loops
    ]
    arrays = [w.put(a) for a in (s.knots_u, s.knots_v, s.control, s.weights)]
    return {"degree": [s.degree_u, s.degree_v], "arrays": arrays, "loops": loops, "names": list(face.names)}


def _curve(w: _Writer, c: Curve) -> list[Any]:
    return [c.degree, w.put(c.knots), w.put(c.control), w.put(c.weights)]


def _array(body: Array, place: list[Any] | None) -> Array | None:
    if place is None:
        return None
    start, shape = place
    return np.array(body[start : start + int(np.prod(shape))]).reshape(shape)


def _read_shape(body: Array, s: dict[str, Any]) -> Shape:
    return Shape(
        None if s["face"] is None else _read_face(body, s["face"]),
        tuple(_read_curve(body, c) for c in s["curves"]),
        tuple(s["names"]),
        None,
        None if s["plane"] is None else Plane(*(np.array(v) for v in s["plane"])),
        _array(body, s["points"]),
    )


def _read_face(body: Array, f: dict[str, Any]) -> Face:
    ku, kv, control, weights = (_array(body, a) for a in f["arrays"])
    assert ku is not None
    assert kv is not None
    assert control is not None
    surface = Surface(f["degree"][0], f["degree"][1], ku, kv, control, weights)
    loops = tuple(
        tuple(
            Edge(surface, name, _read_curve(body, p), inward, None if c is None else _read_curve(body, c), at)
            for name, inward, at, p, c in loop
        )
        for loop in f["loops"]
    )
    u0, u1, v0, v1 = f["names"]
    return Face(surface, loops, (u0, u1, v0, v1))


def _read_curve(body: Array, c: list[Any]) -> Curve:
    knots, control, weights = (_array(body, a) for a in c[1:])
    assert knots is not None
    assert control is not None
    return Curve(c[0], knots, control, weights)
