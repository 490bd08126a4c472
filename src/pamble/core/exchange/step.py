"""STEP in and out. Lengths are mm whatever unit a file uses."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from OCP.BRep import BRep_Builder
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.Interface import Interface_Static
from OCP.Message import Message
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_Reader, STEPControl_StepModelType
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopoDS import TopoDS_Compound
from OCP.XCAFDoc import XCAFDoc_DocumentTool

from pamble.core.errors import ExchangeError, PambleError
from pamble.core.faces.face import Face
from pamble.core.faces.shapes import curve_to_shape, face_from_shape, face_to_shape, shape_faces, shape_kind
from pamble.core.spline.curve import Curve

_SCHEMA = "AP242DIS"


@dataclass(frozen=True)
class StepFace:
    """A face of a file: name, kind of surface, the face, or the reason why it cannot be taken, and the file's shape."""

    name: str
    kind: str
    face: Face | None
    problem: str | None
    shape: Any


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


def read_step(path: Path | str) -> list[StepFace]:
    """All faces of a STEP file in its order. Raises `ExchangeError` if it is no STEP file or holds no face."""
    path = Path(path)
    if not path.is_file():
        raise ExchangeError(f"There is no file {path.name}.", subject=path.name)
    with path.open("rb") as file:
        head = file.read(4096)
    if b"ISO-10303-21" not in head:
        raise ExchangeError(f"{path.name} is not a STEP file: it does not begin with ISO-10303-21.", subject=path.name)
    reader = STEPControl_Reader()
    with _muted():
        _quiet()
        Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
        Interface_Static.SetIVal_s("read.precision.mode", 0)
        try:
            status = reader.ReadFile(str(path))
            if status == IFSelect_ReturnStatus.IFSelect_RetDone:
                reader.TransferRoots()
                shape = reader.OneShape()
        except Exception as error:
            raise ExchangeError(f"{path.name} cannot be read: {error}", subject=path.name) from error
    if status != IFSelect_ReturnStatus.IFSelect_RetDone:
        raise ExchangeError(f"{path.name} is damaged or cut short: its entities cannot be read.", subject=path.name)
    shapes = [] if shape is None else shape_faces(shape)
    if not shapes:
        raise ExchangeError(
            f"{path.name} holds no face: Pamble takes faces, shells and solids, not meshes or loose curves.",
            subject=path.name,
        )
    found = []
    for number, item in enumerate(shapes, start=1):
        name = _entity_name(reader, item) or f"Face {number}"
        kind = shape_kind(item)
        try:
            with _muted():
                face = face_from_shape(item)
            found.append(StepFace(name, kind, face, None, item))
        except PambleError as error:
            found.append(StepFace(name, kind, None, str(error), item))
        except Exception as error:  # whatever the native library throws at one face must not lose the others
            found.append(StepFace(name, kind, None, f"it cannot be converted ({type(error).__name__})", item))
    return _distinct(found)


def _entity_name(reader: Any, shape: Any) -> str:
    try:
        entity = reader.WS().TransferReader().EntityFromShapeResult(shape, 1)
        name = entity.Name()
        return "" if name is None else str(name.ToCString()).strip()
    except (AttributeError, RuntimeError, TypeError):
        return ""


def _distinct(faces: list[StepFace]) -> list[StepFace]:
    """Give every face a name of its own."""
    seen: dict[str, int] = {}
    out = []
    for f in faces:
        seen[f.name] = seen.get(f.name, 0) + 1
        name = f.name if seen[f.name] == 1 else f"{f.name} ({seen[f.name]})"
        out.append(StepFace(name, f.kind, f.face, f.problem, f.shape))
    return out


def _to_shape(item: Any) -> Any:
    if isinstance(item, Face):
        return face_to_shape(item)
    return curve_to_shape(item) if isinstance(item, Curve) else item


def write_step(faces: Sequence[tuple[str, Face | Curve | Any]], path: Path | str, title: str = "Pamble") -> None:
    """Write named faces and curves (or shapes kept from a file) as one compound.

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
    for name, face in faces:
        shape = _to_shape(face)
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
