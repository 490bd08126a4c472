"""Faces of closed surfaces as a file means them, where the native library reads them otherwise."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from OCP.BRep import BRep_Tool
from OCP.Geom import Geom_BSplineSurface
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from pamble.core.errors import GeometryError
from pamble.core.exchange.missing import made_from
from pamble.core.faces.face import Face
from pamble.core.faces.joints import rest_of
from pamble.core.faces.kernel import surface_from_kernel
from pamble.core.faces.shapes import face_from_shape
from pamble.core.faces.turns import on_wrong_turns
from pamble.core.spline.knots import swap_directions

Reading = Callable[[], tuple[Any, list[Any]]]
"""Reads the file again, with edges where their trim curves have them: the reader and the faces, in another order."""


def as_meant(reader: Any, faces: list[Any], again: Reading) -> list[Any]:
    """The faces of a file, shapes or, where no shape would do, faces as they are here.

    Where edges of a ball run over its joint, they are put on a wrong turn of it: their trim curves in the file tell
    the right one. Of a spline like a ball that has a hole over its joint, what was cut out is read in its place. Either
    is turned over then, or the faces beside it are.
    """
    over = [_turned_over(reader, face) for face in faces]
    known = _read_again(again) if any(map(on_wrong_turns, faces)) else {}
    found: dict[int, Any] = {}
    for n, face in enumerate(faces):
        number = made_from(reader, face) if known and on_wrong_turns(face) else None
        if number in known:
            found[n] = known[number]
    sides = [_sided(face, turned) for face, turned in zip(faces, over, strict=True)]
    if any(over):
        rests = {n: rest for n, face in enumerate(sides) if n not in found and (rest := _rest(face)) is not None}
        for n, rest in rests.items():
            beside = [k for k, face in enumerate(faces) if over[k] != over[n] and _share_an_edge(face, faces[n])]
            # Of two like that, none can be told from the other.
            if beside and not rests.keys() & set(beside):
                found[n] = rest
    return [found.get(n, side) for n, side in enumerate(sides)] if found else faces


def _read_again(again: Reading) -> dict[int, Any]:
    """Faces with edges where their trim curves have them, on the sides that they have in the file, by number there."""
    reader, shapes = again()
    right = [(made_from(reader, s), _sided(s, _turned_over(reader, s))) for s in shapes if not on_wrong_turns(s)]
    return {number: shape for number, shape in right if number is not None}


def _sided(shape: Any, turned: bool) -> Any:
    return TopoDS.Face(shape.Reversed()) if turned else shape


def _turned_over(reader: Any, shape: Any) -> bool:
    """Whether a face was given another side than it has in the file."""
    entity = reader.WS().TransferReader().EntityFromShapeResult(shape, 1)
    same = getattr(entity, "SameSense", None)
    return same is not None and bool(same()) != (shape.Orientation() == TopAbs_Orientation.TopAbs_FORWARD)


def _rest(shape: Any) -> Face | None:
    """What is left of a whole spline like a ball without a face; None where it is no such face."""
    geom = BRep_Tool.Surface_s(shape)
    if not isinstance(geom, Geom_BSplineSurface):
        return None
    whole = surface_from_kernel(geom)
    if shape.Orientation() == TopAbs_Orientation.TopAbs_REVERSED:
        whole = swap_directions(whole)
    try:
        return rest_of(face_from_shape(shape), whole)
    except GeometryError:
        return None


def _share_an_edge(a: Any, b: Any) -> bool:
    return any(e.IsSame(f) for e in _edges(a) for f in _edges(b))


def _edges(shape: Any) -> list[Any]:
    found, explorer = [], TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_EDGE)
    while explorer.More():
        found.append(TopoDS.Edge(explorer.Current()))
        explorer.Next()
    return found
