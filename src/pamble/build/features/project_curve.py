"""Projection of a curve onto a face, along a direction or along the surface normal, simplified."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pamble.build.data import EdgeRef, FaceRef, Point
from pamble.build.features.base import Context, FeatureKind, Inputs, Made, hurried, made_curves
from pamble.build.features.fields import FitParams, choice, number
from pamble.core.curves.project import project


class ProjectCurveParams(FitParams):
    """along: a direction, or the surface normal (pull)."""

    curve: EdgeRef = choice("Curve")
    face: FaceRef = choice("Face")
    along: Literal["direction", "surface normal"] = choice("Along", "direction")
    direction: Point = choice("Direction", (0.0, 0.0, 1.0))
    tolerance: float = number("Tolerance", 0.02, "mm", gt=0, le=10)


def run(params: ProjectCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the projection; several curves where the curve leaves the face and comes back."""
    face = inputs.face(params.face)
    direction = np.array(params.direction) if params.along == "direction" else None
    made = project(inputs.curve(params.curve), face, direction, **hurried(params, context))
    warnings = []
    if len(made.missed):
        x, y, z = made.missed[len(made.missed) // 2]
        warnings.append(f"Part of the curve misses the face, near ({x:.2f}, {y:.2f}, {z:.2f}) mm.")
    return made_curves(
        *(p.curve for p in made.pieces),
        warnings=tuple(warnings),
        deviation=max(p.deviation for p in made.pieces),
        off_surface=made.off_surface,
    )


KIND = FeatureKind(
    "project_curve", "Project", "theoretical", ProjectCurveParams, run, "curves", "Pick a curve, then a face."
)
