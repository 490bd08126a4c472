"""Offset of a curve in a plane, constant or varying along its length."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.measure import length_parameters
from pamble.core.curves.offset import offset_curve
from pamble.core.faces.offset_curve import offset_on_surface
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.study.features.base import Context, FeatureKind, Inputs, Made
from pamble.study.features.fields import FitParams, choice, heading, number
from pamble.study.features.figures import DEVIATION, OFF_SURFACE
from pamble.study.features.fitting import fitted_curves, hurried
from pamble.study.features.handles import pull
from pamble.study.references import EdgeRef, FaceRef, Point


class OffsetCurveParams(FitParams):
    """distance: mm to the left of the curve seen against ``normal``; negative to the right. end_distance: at the end,
    if it varies. normal: square to the plane of the offset, null for the curve's own plane.
    """

    curve: EdgeRef = choice("Curve")
    distance: float = number("Distance", 12.0, "mm")
    end_distance: float | None = number("Distance at the end", None, "mm")
    normal: Point | None = heading("Plane's normal", None)


def run(params: OffsetCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the offset; several curves where loops were cut out."""
    normal = None if params.normal is None else np.array(params.normal)
    end = params.distance if params.end_distance is None else params.end_distance
    made = offset_curve(inputs.curve(params.curve), (params.distance, end), normal, **hurried(params, context))
    warnings = [_cut_out(x) for x in made.cuts]
    out = fitted_curves(made.pieces, params, context, warnings)
    # The handle stands where the offset of the middle lies, told from the result: its side is the curve's own.
    curve = inputs.curve(params.curve)
    middle = curve_points(curve, length_parameters(curve, np.array([0.5])))
    foot = to_curve(made.pieces[0].curve, middle).point[0] if abs(params.distance) > 1e-9 else middle[0]
    way = (foot - middle[0]) * np.sign(params.distance or 1.0)
    handles = (pull("distance", "Distance", params.distance, middle[0], way, limits=(-1e5, 1e5)),) if way.any() else ()
    return replace(out, handles=handles)


def _cut_out(at: Array) -> str:
    x, y, z = at
    return (
        f"The offset crosses itself at ({x:.2f}, {y:.2f}, {z:.2f}) mm, where the radius is smaller than the distance: "
        "the loop was cut out."
    )


class SurfaceOffsetParams(FitParams):
    """distance: mm along the face, to the left of the curve seen against the normal; negative to the right.
    end_distance: at the end, if it varies.
    """

    curve: EdgeRef = choice("Curve on the face")
    face: FaceRef = choice("Face")
    distance: float = number("Distance", 12.0, "mm")
    end_distance: float | None = number("Distance at the end", None, "mm")


def on_face(params: SurfaceOffsetParams, inputs: Inputs, context: Context) -> Made:
    """Build the offset on the face; several curves where it leaves the face and comes back."""
    face = inputs.face(params.face)
    end = params.distance if params.end_distance is None else params.end_distance
    made = offset_on_surface(inputs.curve(params.curve), face, (params.distance, end), **hurried(params, context))
    warnings = [_cut_out(x) for x in made.cuts]
    warnings += ["Part of the offset runs over the edge of the face."] if made.left else []
    return fitted_curves(made.pieces, params, context, warnings, off_surface=made.off_surface)


ON_FACE = FeatureKind(
    "surface_offset", "Offset on a face", "theoretical", SurfaceOffsetParams, on_face, "curves",
    "Pick a curve on a face, then the face.",
    section="On faces", figures=(DEVIATION, OFF_SURFACE),
)  # fmt: skip

KIND = FeatureKind(
    "offset_curve", "Offset", "theoretical", OffsetCurveParams, run, "curves", "Pick the curve to offset.",
    figures=(DEVIATION,),
)  # fmt: skip
