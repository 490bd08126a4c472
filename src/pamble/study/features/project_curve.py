"""Projection of a curve onto faces, along a direction or along the surface normal, simplified."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from pamble.core.faces.project import project
from pamble.study.features.base import Context, FeatureKind, Inputs, Made
from pamble.study.features.fields import FitParams, choice, heading, number
from pamble.study.features.figures import DEVIATION, OFF_SURFACE
from pamble.study.features.fitting import fitted_curves, hurried
from pamble.study.references import EdgeRef, FaceRef, Point


class ProjectCurveParams(FitParams):
    """along: a direction, or the surface normal (pull). faces: of several, the nearest one takes each point."""

    curve: EdgeRef = choice("Curve")
    faces: list[FaceRef] = Field(title="Faces", min_length=1)
    along: Literal["direction", "surface normal"] = choice("Along", "direction")
    direction: Point = heading("Direction", (0.0, 0.0, 1.0), when=("along", "direction"))
    tolerance: float = number("Tolerance", 0.02, "mm", gt=0, le=10)


def run(params: ProjectCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the projection; several curves where the curve leaves the face and comes back."""
    faces = [inputs.face(ref) for ref in params.faces]
    direction = np.array(params.direction) if params.along == "direction" else None
    made = project(inputs.curve(params.curve), faces, direction, **hurried(params, context))
    warnings = []
    if len(made.missed):
        x, y, z = made.missed[len(made.missed) // 2]
        warnings.append(f"Part of the curve finds no face, near ({x:.2f}, {y:.2f}, {z:.2f}) mm.")
    return fitted_curves(made.pieces, params, context, warnings, off_surface=made.off_surface)


KIND = FeatureKind(
    "project_curve", "Project", "theoretical", ProjectCurveParams, run, "curves", "Pick a curve, then the faces.",
    figures=(DEVIATION, OFF_SURFACE),
)  # fmt: skip
