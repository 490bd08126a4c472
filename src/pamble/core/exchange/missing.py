"""What is wrong with a STEP file's text: a damaged one must lose no face without a word, and bring in no false
number."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any

_FACE = re.compile(rb"#(\d+)\s*=\s*(?:ADVANCED_FACE|FACE_SURFACE)\s*\(")
_SHELL = re.compile(rb"=\s*(?:CLOSED_SHELL|OPEN_SHELL|CONNECTED_FACE_SET)\s*\(\s*'[^']*'\s*,\s*\(([^)]*)\)", re.DOTALL)
_REFERENCE = re.compile(rb"#(\d+)")


_STRING = re.compile(rb"'[^']*'")
_DEFINED = re.compile(rb"#(\d+)\s*=")


_BEYOND = re.compile(rb"[(,]\s*[-+]?(?:NAN|INF)|\d\.?\d*E\+?(?:[3-9]\d|\d{3,})\b", re.IGNORECASE)
"""Numbers that are none, or of 1e30 and more: nothing is as large, and the reader of files can run for ever on them."""


def beyond_measure(data: bytes) -> str | None:
    """The first number of a file that is none, or beyond all measure."""
    found = _BEYOND.search(_STRING.sub(b"", data))
    return None if found is None else found[0].decode("ascii", "replace").lstrip("(, ")


def undefined(data: bytes) -> int:
    """How many entities a file refers to without holding them."""
    bare = _STRING.sub(b"", data)
    return len(set(_REFERENCE.findall(bare)) - set(_DEFINED.findall(bare)))


def named_faces(data: bytes) -> set[int]:
    """Numbers of the entities that are faces, or that a shell takes for faces (ISO 10303-42)."""
    own = {int(n) for n in _FACE.findall(data)}
    return own.union(int(n) for shell in _SHELL.findall(data) for n in _REFERENCE.findall(shell))


def places_of(reader: Any) -> Callable[[Any], int | None]:
    """Tells in which place among a file's entities stands what a shape was made from, where the reader knows it."""
    model, results = reader.WS().Model(), reader.WS().TransferReader()
    # The entities are kept, so that no other one can take their place in memory.
    known = {id(e): (n, e) for n, e in enumerate(model.Value(i) for i in range(1, model.NbEntities() + 1))}

    def of(shape: Any) -> int | None:
        return known.get(id(results.EntityFromShapeResult(shape, 1)), (None, None))[0]

    return of


def missing_faces(data: bytes, reader: Any, shapes: Sequence[Any]) -> list[int]:
    """Numbers of the faces in a file's text that none of the shapes made from it comes from, in order."""
    wanted = named_faces(data)
    if len(wanted) <= len(shapes):
        return []
    numbers, of = [int(n) for n in _DEFINED.findall(_STRING.sub(b"", data))], places_of(reader)
    made = {numbers[n] for shape in shapes if (n := of(shape)) is not None and n < len(numbers)}
    lost = sorted(wanted - made)
    # Faces are built under other names too: never more of them are missing than the counts say.
    return lost[: len(wanted) - len(shapes)] if made else lost
