"""Mid curve: between two curves at a ratio."""

from __future__ import annotations

from pamble.core.curves.mid import mid_curve
from pamble.study.features.base import Context, FeatureKind, Inputs, Made
from pamble.study.features.fields import FitParams, choice, number
from pamble.study.features.figures import DEVIATION
from pamble.study.features.fitting import fitted_curves, hurried
from pamble.study.references import EdgeRef


class MidCurveParams(FitParams):
    """ratio: 0 on the first curve, 1 on the second."""

    first: EdgeRef = choice("First curve")
    second: EdgeRef = choice("Second curve")
    ratio: float = number("Ratio", 0.5, ge=0, le=1)


def run(params: MidCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the mid curve."""
    a, b = inputs.different([params.first, params.second])
    made = mid_curve(a, b, params.ratio, **hurried(params, context))
    return fitted_curves([made], params, context)


KIND = FeatureKind(
    "mid_curve", "Mid curve", "theoretical", MidCurveParams, run, "curves", "Pick two curves.",
    section="Change", figures=(DEVIATION,),
)  # fmt: skip
