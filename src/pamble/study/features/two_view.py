"""Two-view curve: two planar curves in crossing views make one space curve, kept linked."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.offset import curve_plane
from pamble.core.curves.twoview import two_view
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.study.features.base import Context, FeatureKind, Inputs, Made
from pamble.study.features.fields import FitParams, choice, heading
from pamble.study.features.figures import DEVIATION
from pamble.study.features.fitting import fitted_curves, hurried
from pamble.study.references import EdgeRef, Point


class TwoViewParams(FitParams):
    """The two curves and the directions they are looked at along; null for square to the curve's own plane."""

    first: EdgeRef = choice("First view's curve")
    first_view: Point | None = heading("Looked at along", None)
    second: EdgeRef = choice("Second view's curve")
    second_view: Point | None = heading("Looked at along", None)


def _view(curve: Curve, given: Point | None, which: str) -> Array:
    if given is not None:
        return np.array(given)
    try:
        normal, off = curve_plane(curve)
    except GeometryError as error:
        raise GeometryError(f"The {which} curve is straight: say along which direction it is looked at.") from error
    if off > 0.01:
        raise GeometryError(f"The {which} curve is not planar, by {off:.3f} mm: say along which direction it counts.")
    return normal


def run(params: TwoViewParams, inputs: Inputs, context: Context) -> Made:
    """Build the space curve."""
    a, b = inputs.curve(params.first), inputs.curve(params.second)
    views = _view(a, params.first_view, "first"), _view(b, params.second_view, "second")
    made = two_view(a, views[0], b, views[1], **hurried(params, context))
    warnings = [
        f"{length:.2f} mm of the {name} curve are beyond the reach of the other."
        for length, name in zip(made.unused, ("first", "second"), strict=True)
        if length > 0.01
    ]
    return fitted_curves([made.fit], params, context, warnings, unused=list(made.unused))


KIND = FeatureKind(
    "two_view", "Two-view curve", "theoretical", TwoViewParams, run, "curves",
    "Pick a planar curve of one view, then one of a crossing view.", figures=(DEVIATION,),
)  # fmt: skip
