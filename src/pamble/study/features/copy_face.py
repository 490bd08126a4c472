"""Faces offset, and copies of faces: moved, turned, mirrored, scaled; straight and round arrays."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from pamble.core.errors import GeometryError
from pamble.core.faces.change import shrunk
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inner_place
from pamble.core.faces.twins import moved_face, on_surface
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.surfaces.offset import offset_surface
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, Shape, made_face
from pamble.study.features.copy_curve import change_of
from pamble.study.features.fields import choice, heading, number
from pamble.study.features.figures import DEVIATION
from pamble.study.features.handles import pull
from pamble.study.references import FaceRef, Place, Point
from pamble.study.stored import Stored


class OffsetFaceParams(Stored):
    """The face moved along its normal, trims with it."""

    face: FaceRef = choice("Face")
    distance: float = number("Distance", 5.0, "mm", ge=-1e5, le=1e5)


def offset(params: OffsetFaceParams, inputs: Inputs, context: Context) -> Made:
    """Build the offset face."""
    face = inputs.face(params.face)
    tolerance = context.fit * (20.0 if context.quick else 1.0)
    try:
        surface, off = offset_surface(face.surface, params.distance, tolerance)
    except GeometryError:
        # Beyond the trims it may fold: there it is not needed.
        face = _least(face, 0.1 * tolerance)
        surface, off = offset_surface(face.surface, params.distance, tolerance)
    u, v = inner_place(face)
    d = surface_derivatives(face.surface, [u], [v], 1)
    normal = np.cross(d[1, 0, 0], d[0, 1, 0])
    handle = pull("distance", "Distance", params.distance, d[0, 0, 0], normal, limits=(-1e5, 1e5))
    return made_face(on_surface(face, surface, 0.1 * tolerance), handles=(handle,), deviation=off)


def _least(face: Face, tolerance: float) -> Face:
    """A trimmed face on no more of its surface than it takes; any other as it is."""
    try:
        return shrunk(face, tolerance)
    except GeometryError:
        return face


class CopyFacesParams(Stored):
    """One change, done once or several times over; see the copy of a curve."""

    faces: list[FaceRef] = Field(title="Faces", min_length=1)
    how: Literal["move", "turn", "mirror", "scale"] = choice("Change", "move")
    shift: Point = choice("By", (0.0, 20.0, 0.0), when=("how", "move"))
    axis: Point = heading("About the axis", (0.0, 0.0, 1.0), when=("how", "turn"))
    degrees: float = number("Turn", 30.0, "°", when=("how", "turn"))
    normal: Point = heading("Mirror square to", (0.0, 1.0, 0.0), when=("how", "mirror"))
    factors: Point = choice("Factors", (1.0, 1.0, 1.0), when=("how", "scale"))
    pivot: Place = choice("Pivot", (0.0, 0.0, 0.0), when=("how", "turn", "mirror", "scale"))
    copies: int = number("Copies", 1, when=("how", "move", "turn", "scale"), ge=1, le=100)


def copied(params: CopyFacesParams, inputs: Inputs, context: Context) -> Made:
    """Build the copies; exact."""
    pivot = inputs.point(params.pivot)
    count = 1 if params.how == "mirror" else params.copies
    made = [moved_face(inputs.face(ref), change_of(params, pivot, k + 1)) for k in range(count) for ref in params.faces]
    return Made({"" if i == 0 else str(i + 1): Shape(face) for i, face in enumerate(made)})


KINDS = (
    FeatureKind(
        "offset_face", "Offset a face", "primary", OffsetFaceParams, offset, "primaries", "Pick a face.", makes="face",
        section="From faces", figures=(DEVIATION,),
    ),
    FeatureKind(
        "copy_faces", "Copy, mirror, array", "primary", CopyFacesParams, copied, "primaries", "Pick faces.",
        makes="face", section="From faces",
    ),
)  # fmt: skip
