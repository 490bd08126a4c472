"""Other half: faces mirrored at a plane, with a seam wherever an edge lies on it."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array
from pamble.core.curves.transform import mirror
from pamble.core.faces.face import Face
from pamble.core.faces.twins import moved_face
from pamble.core.planes import Plane
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.tolerances import SEAM_SEARCH
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, Shape
from pamble.study.features.fields import choice, continuity, number
from pamble.study.references import FaceRef, PlaneRef
from pamble.study.stored import Stored

_SAMPLES = 33
_AXES = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}


class OtherHalfParams(Stored):
    """plane: of the study, or square to an axis at an offset when null. across: what the seams in it are to hold."""

    faces: list[FaceRef] = Field(title="Faces", min_length=1, json_schema_extra={"every": True})
    plane: PlaneRef | None = choice("Plane", None)
    square_to: Literal["x", "y", "z"] = choice("Else square to", "y")
    offset: float = number("At", 0.0, "mm", ge=-1e6, le=1e6)
    across: int = continuity("Across the plane")


def run(params: OtherHalfParams, inputs: Inputs, context: Context) -> Made:
    """Mirror the faces; every edge that lies on the plane promises a seam with its own image."""
    plane = _plane(params, inputs)
    change = mirror(plane.normal, plane.origin)
    ids = list(dict.fromkeys(ref.feature for ref in params.faces))
    makes: dict[str, Shape] = {}
    seams: list[DeclaredSeam] = []
    warnings: list[str] = []
    for i, id in enumerate(ids):
        face, slot = inputs.face(FaceRef(feature=id)), "" if i == 0 else f"{i + 1}"
        makes[slot] = Shape(moved_face(face, change))
        own = [e.name for e in face.edges if np.abs(plane.height(_points(e.space))).max() < SEAM_SEARCH]
        seams += [DeclaredSeam(name, id, name, params.across, slot) for name in own]
        over = _over(face, plane)
        if over > SEAM_SEARCH:
            warnings.append(f"{inputs.name(id)} reaches over the plane by {over:.3f} mm: trim it there.")
    if not seams:
        warnings.append("No edge lies on the plane: the halves do not meet.")
    return Made(makes, seams=tuple(seams), facts={"seams": len(seams)}, warnings=tuple(warnings))


def _plane(params: OtherHalfParams, inputs: Inputs) -> Plane:
    if params.plane is not None:
        return inputs.plane(params.plane)
    x, y = (np.eye(3)[k] for k in _AXES[params.square_to])
    return Plane(params.offset * np.cross(x, y), x, y)


def _points(curve: Curve) -> Array:
    return curve_points(curve, np.linspace(*curve.domain, _SAMPLES))


def _over(face: Face, plane: Plane) -> float:
    """How far the smaller part of a face lies on the other side of the plane, by its edges, mm."""
    high = np.concatenate([plane.height(_points(e.space)) for e in face.edges])
    return float(min(max(high.max(), 0.0), max(-high.min(), 0.0)))


KIND = FeatureKind(
    "other_half", "Other half", "secondary", OtherHalfParams, run, "primaries",
    "Pick faces of one half.", makes="face", section="From faces",
    figures=(Figure("seams", "Seams in the plane"),),
)  # fmt: skip
