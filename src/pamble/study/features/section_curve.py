"""Section of a face with a plane, and the intersection of two faces."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array
from pamble.core.curves.fit import fit_points
from pamble.core.errors import GeometryError, NotMeeting
from pamble.core.faces.intersect import face_intersection, plane_section
from pamble.core.planes import plane_at
from pamble.study.features.base import Context, FeatureKind, Inputs, Made
from pamble.study.features.fields import FitParams, choice, heading
from pamble.study.features.figures import DEVIATION
from pamble.study.features.fitting import fitted_curves, hurried, numbered
from pamble.study.features.meeting import Meetings
from pamble.study.references import FaceRef, PlaneRef, Point

_NEAR = 1e-3
"""Tolerance in mm of the curves from which points are taken; the points themselves are exact."""


class SectionParams(FitParams):
    """Of one or several faces, with the plane of a step; or, when that is left open, with the one through a point,
    square to a normal.
    """

    faces: list[FaceRef] = Field(title="Faces", min_length=1)
    plane: PlaneRef | None = choice("Plane", None)
    point: Point = choice("Through", (0.0, 0.0, 0.0))
    normal: Point = heading("Square to", (1.0, 0.0, 0.0))


class IntersectionParams(FitParams):
    """Two faces that run through each other."""

    first: FaceRef = choice("First face")
    second: FaceRef = choice("Second face")


def _meetings(context: Context) -> Meetings:
    return Meetings(_NEAR, context.preview, context.memory or ())


def _fitted(
    runs: list[Array], params: FitParams, context: Context, meetings: Meetings, names: tuple[str, ...] = (),
    warnings: tuple[str, ...] = (),
) -> Made:  # fmt: skip
    fits = [fit_points(run, **hurried(params, context)) for run in runs]
    return replace(fitted_curves(fits, params, context, warnings, names), memory=tuple(meetings.after))


def section(params: SectionParams, inputs: Inputs, context: Context) -> Made:
    """Build the section curves."""
    if params.plane is not None:
        plane = inputs.plane(params.plane)
    else:
        plane = plane_at(np.array(params.point), np.array(params.normal))
    meetings = _meetings(context)
    runs: list[Array] = []
    names: list[str] = []
    missed = []
    for ref in params.faces:
        try:
            found = plane_section(inputs.face(ref), plane, meetings.meet)
        except NotMeeting:
            missed.append(inputs.name(ref.feature))
            continue
        runs += found
        # Of several faces each line is named by its own: one that is missed does not rename the others.
        names += numbered(ref.feature if len(params.faces) > 1 else "c", len(found))
    if not runs:
        raise GeometryError("The plane does not meet any of the faces: move it.")
    warnings = (f"The plane does not meet {', '.join(missed)}.",) if missed else ()
    return _fitted(runs, params, context, meetings, tuple(names) if len(params.faces) > 1 else (), warnings)


def intersection(params: IntersectionParams, inputs: Inputs, context: Context) -> Made:
    """Build the intersection curves."""
    meetings = _meetings(context)
    runs = face_intersection(inputs.face(params.first), inputs.face(params.second), meetings.meet)
    return _fitted(runs, params, context, meetings)


KINDS = (
    FeatureKind(
        "section_curve", "Section", "construction", SectionParams, section, "curves", "Pick faces.",
        section="On faces", figures=(DEVIATION,),
    ),
    FeatureKind(
        "intersection_curve",
        "Intersection",
        "theoretical",
        IntersectionParams,
        intersection,
        "curves",
        "Pick two faces.",
        section="On faces",
        figures=(DEVIATION,),
    ),
)  # fmt: skip
