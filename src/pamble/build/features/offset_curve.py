"""Offset of a curve in a plane, constant or varying along its length."""

from __future__ import annotations

import numpy as np

from pamble.build.data import EdgeRef, Point
from pamble.build.features.base import Context, FeatureKind, Inputs, Made, hurried, made_curves
from pamble.build.features.fields import FitParams, choice, number
from pamble.core.curves.offset import offset_curve


class OffsetCurveParams(FitParams):
    """distance: mm to the left of the curve seen against ``normal``; negative to the right. end_distance: at the end,
    if it varies. normal: square to the plane of the offset, null for the curve's own plane.
    """

    curve: EdgeRef = choice("Curve")
    distance: float = number("Distance", 12.0, "mm")
    end_distance: float | None = number("Distance at the end", None, "mm")
    normal: Point | None = choice("Plane's normal", None)


def run(params: OffsetCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the offset; several curves where loops were cut out."""
    normal = None if params.normal is None else np.array(params.normal)
    end = params.distance if params.end_distance is None else params.end_distance
    made = offset_curve(inputs.curve(params.curve), (params.distance, end), normal, **hurried(params, context))
    warnings = tuple(
        f"The offset crosses itself at ({x:.2f}, {y:.2f}, {z:.2f}) mm, where the radius is smaller than the distance: "
        "the loop was cut out."
        for x, y, z in made.cuts
    )
    return made_curves(
        *(p.curve for p in made.pieces), warnings=warnings, deviation=max(p.deviation for p in made.pieces)
    )


KIND = FeatureKind(
    "offset_curve", "Offset", "theoretical", OffsetCurveParams, run, "curves", "Pick the curve to offset."
)
