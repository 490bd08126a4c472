"""Faces of closed surfaces as a file means them, where the native library reads them otherwise."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from OCP.BRep import BRep_Tool
from OCP.Geom import Geom_BSplineSurface
from OCP.TopAbs import TopAbs_Orientation
from OCP.TopoDS import TopoDS

from pamble.core.exchange.missing import places_of
from pamble.core.faces.face import Face
from pamble.core.faces.joints import goes_round, rest_of
from pamble.core.faces.kernel import surface_from_kernel
from pamble.core.faces.shapes import face_from_shape, shape_edges
from pamble.core.faces.turns import on_wrong_turns
from pamble.core.spline.knots import swap_directions

Reading = Callable[[], tuple[Any, list[Any]]]
"""Reads the file again, with edges where their trim curves have them: the reader and the faces, in another order."""


def as_meant(reader: Any, faces: list[Any], again: Reading) -> list[Any]:
    """The faces of a file, shapes or, where no shape would do, faces as they are here; None for one that goes.

    Where edges of a ball run over its joint, they are put on a wrong turn of it: their trim curves in the file tell
    the right one. Of a spline like a ball that has holes over its joint, what was cut out is read in its place, in as
    many faces. Either is turned over then, or the faces beside it are.
    """
    over, wrong = [_turned_over(reader, face) for face in faces], [on_wrong_turns(face) for face in faces]
    found: dict[int, Any] = {}
    if any(wrong):
        known, place = _read_again(again), places_of(reader)
        own = [place(face) if turn else None for face, turn in zip(faces, wrong, strict=True)]
        found = {n: known[p] for n, p in enumerate(own) if p is not None and p in known}
    parted = _parted(reader, faces)
    for group, known_one in parted:
        for n in group:
            over[n] = not over[known_one]
    sides = [_sided(face, turned) for face, turned in zip(faces, over, strict=True)]
    if any(over):
        groups = [group for group, _ in parted]
        alone = [[n] for n in range(len(faces)) if n not in found and not any(n in group for group in groups)]
        rests = {group[0]: rest for group in [*alone, *groups] if (rest := _rest([sides[n] for n in group]))}
        for n, rest in rests.items():
            beside = [k for k, face in enumerate(faces) if over[k] != over[n] and _share_an_edge(face, faces[n])]
            # Of two like that, none can be told from the other.
            if beside and not rests.keys() & set(beside):
                found[n] = rest
        found |= {n: None for group in groups if group[0] in found for n in group[1:]}
    return [found.get(n, side) for n, side in enumerate(sides)] if found else faces


def _parted(reader: Any, faces: list[Any]) -> list[tuple[list[int], int]]:
    """Numbers of faces on one surface for which the file has one face, as the reader knows of none that they come from,
    and the number of a face beside them that it does know.
    """
    results, groups = reader.WS().TransferReader(), dict[int, list[int]]()
    surfaces = [BRep_Tool.Surface_s(face) for face in faces]
    known = [results.EntityFromShapeResult(face, 1) is not None for face in faces]
    for n in (n for n, told in enumerate(known) if not told):
        groups.setdefault(id(surfaces[n]), []).append(n)
    out = []
    for group in (group for group in groups.values() if len(group) > 1):
        beside = [k for k, face in enumerate(faces) if known[k] and _share_an_edge(face, faces[group[0]])]
        out += [(group, beside[0])] if beside else []
    return out


def _read_again(again: Reading) -> dict[int, Any]:
    """Faces with edges where their trim curves have them, on the sides that they have in the file, by place there."""
    reader, shapes = again()
    place = places_of(reader)
    right = [(place(s), _sided(s, _turned_over(reader, s))) for s in shapes if not on_wrong_turns(s)]
    return {number: shape for number, shape in right if number is not None}


def _sided(shape: Any, turned: bool) -> Any:
    return TopoDS.Face(shape.Reversed()) if turned else shape


def _turned_over(reader: Any, shape: Any) -> bool:
    """Whether a face was given another side than it has in the file."""
    entity = reader.WS().TransferReader().EntityFromShapeResult(shape, 1)
    same = getattr(entity, "SameSense", None)
    return same is not None and bool(same()) != (shape.Orientation() == TopAbs_Orientation.TopAbs_FORWARD)


def _rest(shapes: list[Any]) -> Face | None:
    """What is left of a whole spline like a ball without faces of it; None where they are no such faces."""
    geom = BRep_Tool.Surface_s(shapes[0])
    if not isinstance(geom, Geom_BSplineSurface):
        return None
    whole = surface_from_kernel(geom)
    if goes_round(whole) is None:
        return None
    if shapes[0].Orientation() == TopAbs_Orientation.TopAbs_REVERSED:
        whole = swap_directions(whole)
    try:
        return rest_of([face_from_shape(shape) for shape in shapes], whole)
    except Exception:  # of many kinds; then it stays as it was read
        return None


def _share_an_edge(a: Any, b: Any) -> bool:
    return any(e.IsSame(f) for e in shape_edges(a) for f in shape_edges(b))
