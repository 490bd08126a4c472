"""STEP in and out. Lengths are mm whatever unit a file uses."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from OCP.BRep import BRep_Builder
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.Interface import Interface_Static
from OCP.Message import Message
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_Reader, STEPControl_StepModelType
from OCP.StepShape import StepShape_GeometricSet
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopoDS import TopoDS_Compound
from OCP.XCAFDoc import XCAFDoc_DocumentTool

from pamble.core.checks.body import inside_out
from pamble.core.errors import ExchangeError, PambleError
from pamble.core.exchange.balls import exact_shape, kept_shape
from pamble.core.exchange.meant import as_meant
from pamble.core.exchange.missing import beyond_measure, missing_faces, named_faces, undefined
from pamble.core.faces.face import Face
from pamble.core.faces.loose import curve_from_shape, curve_to_shape, loose_edges
from pamble.core.faces.met import parted_where_met
from pamble.core.faces.shapes import face_from_shape, shape_faces, shape_kind
from pamble.core.spline.curve import Curve

_SCHEMA = "AP242DIS"

_FLAT = 3
"""The reader's word for edges that are where their trim curves have them."""


@dataclass(frozen=True)
class StepItem:
    """A face or a loose curve of a file: name, kind of surface or "curve", what it became, or the reason why it cannot
    be taken, and what it is written as: the file's shape, or None where there is not even that.
    """

    name: str
    kind: str
    made: Face | Curve | None
    problem: str | None
    shape: Any

    @property
    def face(self) -> Face | None:
        return self.made if isinstance(self.made, Face) else None

    @property
    def curve(self) -> Curve | None:
        return self.made if isinstance(self.made, Curve) else None


def _quiet() -> None:
    messenger = Message.DefaultMessenger_s()
    printers = messenger.ChangePrinters()
    while printers.Size():
        printers.Remove(1)


@contextmanager
def _muted() -> Iterator[None]:
    """Keep the native library's own printing away from standard output, which belongs to the caller."""
    import sys

    sys.stdout.flush()
    saved, sink = os.dup(1), os.open(os.devnull, os.O_WRONLY)
    os.dup2(sink, 1)
    try:
        yield
    finally:
        os.dup2(saved, 1)
        os.close(saved)
        os.close(sink)


def read_step(path: Path | str) -> list[StepItem]:
    """All faces of a STEP file in its order, then the curves that bound none of them.

    Raises `ExchangeError` if it is no STEP file or holds neither.
    """
    path = Path(path)
    if not path.is_file():
        raise ExchangeError(f"There is no file {path.name}.", subject=path.name)
    data = path.read_bytes()
    if b"ISO-10303-21" not in data[:4096]:
        raise ExchangeError(f"{path.name} is not a STEP file: it does not begin with ISO-10303-21.", subject=path.name)
    if false := beyond_measure(data):
        raise ExchangeError(f"{path.name} is damaged: it holds {false} where a number belongs.", subject=path.name)
    reader = STEPControl_Reader()
    shape = _shape(reader, path)
    faces = [] if shape is None else shape_faces(shape)
    edges = [] if shape is None else loose_edges(shape)
    if not faces and not edges and named_faces(data):
        raise ExchangeError(
            f"{path.name} is damaged: it names {len(named_faces(data))} faces, and none can be built.",
            subject=path.name,
        )
    if not faces and not edges:
        raise ExchangeError(
            f"{path.name} holds no face and no curve: Pamble takes faces, shells, solids and curves, not meshes.",
            subject=path.name,
        )

    def again() -> tuple[Any, list[Any]]:
        second = STEPControl_Reader()
        return second, shape_faces(_shape(second, path, flat=True))

    found = []
    sets = _set_names(reader) if edges else {}
    for number, (item, meant) in enumerate(zip(faces, as_meant(reader, faces, again), strict=True), start=1):
        if meant is None:
            continue
        name = _entity_name(reader, item, sets) or f"Face {number}"
        if isinstance(meant, Face):
            found.append(StepItem(name, shape_kind(item), meant, None, meant))
            continue
        taken = _taken(name, shape_kind(item), face_from_shape, meant)
        found.append(taken if meant is item else replace(taken, shape=taken.made))
    for number, item in enumerate(edges, start=1):
        name = _entity_name(reader, item, sets) or f"Curve {number}"
        found.append(_taken(name, "curve", curve_from_shape, item))
    for lost in missing_faces(data, reader, faces):
        found.append(StepItem(f"Face #{lost}", "missing", None, "the file names it, but it could not be built", None))
    if absent := undefined(data):
        words = f"the file refers to {absent} entities that are not in it: more may be missing than can be told"
        found.append(StepItem("Rest of the file", "missing", None, words, None))
    return _distinct(found)


def _shape(reader: Any, path: Path, flat: bool = False) -> Any:
    """What a file holds, in mm. flat: edges are where their trim curves have them. Raises `ExchangeError`."""
    shape = None
    with _muted():
        _quiet()
        Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
        Interface_Static.SetIVal_s("read.precision.mode", 0)
        Interface_Static.SetIVal_s("read.surfacecurve.mode", _FLAT if flat else 0)
        try:
            status = reader.ReadFile(str(path))
            if status == IFSelect_ReturnStatus.IFSelect_RetDone:
                reader.TransferRoots()
                shape = reader.OneShape()
        except Exception as error:
            raise ExchangeError(f"{path.name} cannot be read: {error}", subject=path.name) from error
        finally:
            Interface_Static.SetIVal_s("read.surfacecurve.mode", 0)
    if status != IFSelect_ReturnStatus.IFSelect_RetDone:
        raise ExchangeError(f"{path.name} is damaged or cut short: its entities cannot be read.", subject=path.name)
    return shape


def _taken(name: str, kind: str, convert: Callable[[Any], Face | Curve], shape: Any) -> StepItem:
    try:
        with _muted():
            return StepItem(name, kind, convert(shape), None, shape)
    except PambleError as error:
        return StepItem(name, kind, None, str(error), shape)
    except Exception as error:  # whatever the native library throws at one shape must not lose the others
        return StepItem(name, kind, None, f"it cannot be converted ({type(error).__name__})", shape)


def _set_names(reader: Any) -> dict[int, tuple[Any, Any]]:
    """Loose curves are named by the set they stand in: by identity of the curve's entity, that entity and the set's
    name. The entities are kept, so that no other one can take their place in memory.
    """
    model = reader.WS().Model()
    names = {}
    for i in range(1, model.NbEntities() + 1):
        entity = model.Value(i)
        if isinstance(entity, StepShape_GeometricSet) and entity.NbElements() == 1:
            curve = entity.ElementsValue(1).Value()
            names[id(curve)] = (curve, entity.Name())
    return names


def _entity_name(reader: Any, shape: Any, sets: dict[int, tuple[Any, Any]]) -> str:
    try:
        entity = reader.WS().TransferReader().EntityFromShapeResult(shape, 1)
        name = sets[id(entity)][1] if id(entity) in sets else entity.Name()
        return "" if name is None else str(name.ToCString()).strip()
    except (AttributeError, RuntimeError, TypeError):
        return ""


def _distinct(items: list[StepItem]) -> list[StepItem]:
    """Give everything a name of its own."""
    seen: dict[str, int] = {}
    out = []
    for item in items:
        seen[item.name] = seen.get(item.name, 0) + 1
        out.append(item if seen[item.name] == 1 else replace(item, name=f"{item.name} ({seen[item.name]})"))
    return out


def _to_shape(item: Any) -> Any:
    if isinstance(item, Face):
        return exact_shape(item)
    return curve_to_shape(item) if isinstance(item, Curve) else kept_shape(item)


def _inside_out(faces: Sequence[Face]) -> list[int]:
    """The same as `inside_out`; none where a seam cannot be looked at."""
    try:
        return inside_out(faces)
    except PambleError:
        return []


def write_step(faces: Sequence[tuple[str, Face | Curve | Any]], path: Path | str, title: str = "Pamble") -> None:
    """Write named faces and curves (or shapes kept from a file) as one compound; faces share whole edges, and the
    normals of those that meet point to one side, of a closed body outward.

    The file is written beside its place and moved there whole. Raises `ExchangeError`.
    """
    path = Path(path)
    if not faces:
        raise ExchangeError("There is no face to export: choose at least one face or curve.")
    document = TDocStd_Document(TCollection_ExtendedString("XmlXCAF"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    compound, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(compound)
    shapes = []
    own = [item for _, item in faces if isinstance(item, Face)]
    parted = dict(zip(map(id, own), parted_where_met(own), strict=True))
    turned = {id(own[i]) for i in _inside_out(own)}
    for name, face in faces:
        shape = _to_shape(parted.get(id(face), face))
        shape = shape.Reversed() if id(face) in turned else shape
        builder.Add(compound, shape)
        shapes.append((name, shape))
    label = tool.AddShape(compound, False)
    TDataStd_Name.Set_s(label, TCollection_ExtendedString(title, True))
    for name, shape in shapes:
        sub = tool.AddSubShape(label, shape)
        if not sub.IsNull():
            TDataStd_Name.Set_s(sub, TCollection_ExtendedString(name, True))
    writer = STEPCAFControl_Writer()
    with _muted():
        _quiet()
        Interface_Static.SetCVal_s("write.step.schema", _SCHEMA)
        Interface_Static.SetCVal_s("write.step.unit", "MM")
        Interface_Static.SetIVal_s("write.stepcaf.subshapes.name", 1)
        Interface_Static.SetIVal_s("write.surfacecurve.mode", 1)
        writer.SetNameMode(True)
        if not writer.Transfer(document, STEPControl_StepModelType.STEPControl_AsIs):
            raise ExchangeError("The faces cannot be written as STEP.")
        try:
            handle, temporary = tempfile.mkstemp(suffix=".step", dir=path.parent)
        except OSError as error:
            raise ExchangeError(f"{path} cannot be written: {error.strerror}.") from error
        os.close(handle)
        try:
            if writer.Write(temporary) != IFSelect_ReturnStatus.IFSelect_RetDone:
                raise ExchangeError(f"{path} cannot be written.")
            os.chmod(temporary, 0o644)
            os.replace(temporary, path)
        finally:
            if os.path.exists(temporary):
                os.unlink(temporary)
