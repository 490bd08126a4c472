"""Move CVs of a curve that another step makes: a change held over it, whatever that makes of it."""

from __future__ import annotations

from pamble.core.arrays import norm
from pamble.core.curves.overlay import laid_over
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, Shape
from pamble.study.features.fields import choice, number
from pamble.study.features.figures import MOVED
from pamble.study.references import ChangedEdgeRef
from pamble.study.stored import CurveData, Stored


class MoveCurveCvsParams(Stored):
    """change: movements of the CVs as a spline of their own; share: how much of the change counts."""

    curve: ChangedEdgeRef = choice("Curve")
    change: CurveData
    share: float = number("Share", 1.0, ge=-2, le=2)


def run(params: MoveCurveCvsParams, inputs: Inputs, context: Context) -> Made:
    """Lay the change over the curve."""
    shape = inputs.shape(params.curve.feature)
    curve = inputs.curve(params.curve)
    if shape.face is not None:
        raise GeometryError("An edge of a face is moved by the CVs of the face.")
    own = params.change.curve()
    change = Curve(own.degree, own.knots, params.share * own.control)
    made = laid_over(curve, change)
    curves = tuple(made if c is curve else c for c in shape.curves)
    new = Shape(curves=curves, names=shape.names)
    return Made(changes={params.curve.feature: new}, facts={"moved": float(norm(change.control).max())})


KIND = FeatureKind(
    "move_curve_cvs", "Move CVs of a curve", "theoretical", MoveCurveCvsParams, run, None,
    makes="change", bulk=("change",), figures=(MOVED,),
)  # fmt: skip
