"""Trimmed balls and what is like them, written so that they are read as what they are. The reader of OpenCASCADE takes
some for what was cut out of them, where their joint lies so or so; its own files of them too.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from OCP.BRep import BRep_Tool
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.STEPControl import STEPControl_Reader, STEPControl_StepModelType, STEPControl_Writer
from OCP.TopAbs import TopAbs_ShapeEnum

from pamble.core.faces.face import Face
from pamble.core.faces.joints import ball_like, other_joints, other_turns
from pamble.core.faces.kernel import shape_area
from pamble.core.faces.shapes import face_from_shape, shape_edges
from pamble.core.faces.to_shape import face_to_shape

_SAME = 1e-3
"""Share of its area by which a face may differ that was read back."""


def exact_shape(face: Face) -> Any:
    """The shape of a face; of one like a ball with its joint where it is read back as it is, if it can be."""
    shape = face_to_shape(face)
    if ball_like(face) is None or _read_right(shape):
        return shape
    return next((s for s in map(face_to_shape, _alike(face)) if _read_right(s)), shape)


def _alike(face: Face) -> Iterator[Face]:
    """The same face with its joint in other places, and with its parameters turned; what is tried is read back."""
    for turned in (face, *other_turns(face)):
        along = ball_like(turned)
        if turned is not face:
            yield turned
        if along is not None:
            yield from other_joints(turned, along)


def kept_shape(shape: Any) -> Any:
    """The shape of a face as it came from a file; of one with poles that would not be read back as it is, one that is,
    if it can be.
    """
    if shape.ShapeType() != TopAbs_ShapeEnum.TopAbs_FACE or not _has_poles(shape) or _read_right(shape):
        return shape
    try:
        return exact_shape(face_from_shape(shape))
    except Exception:  # of many kinds; then it goes out as it came
        return shape


def _has_poles(shape: Any) -> bool:
    return any(BRep_Tool.Degenerated_s(edge) for edge in shape_edges(shape))


def _read_right(shape: Any) -> bool:
    """Whether a face is of the same area once it was written and read."""
    with tempfile.TemporaryDirectory() as folder:
        path = str(Path(folder) / "face.step")
        writer, reader = STEPControl_Writer(), STEPControl_Reader()
        writer.Transfer(shape, STEPControl_StepModelType.STEPControl_AsIs)
        written = writer.Write(path) == IFSelect_ReturnStatus.IFSelect_RetDone
        if not written or reader.ReadFile(path) != IFSelect_ReturnStatus.IFSelect_RetDone:
            return False
        reader.TransferRoots()
        return abs(shape_area(reader.OneShape()) - shape_area(shape)) < _SAME * shape_area(shape)
