"""Rebuild and simplify: another degree, another number of spans, or the fewest CVs within a tolerance."""

from __future__ import annotations

from dataclasses import replace

from pamble.core.curves.fit import rebuild, simplify
from pamble.core.curves.measure import Deviation, deviation
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made
from pamble.study.features.fields import FitParams, choice, number
from pamble.study.features.figures import DEVIATION
from pamble.study.features.fitting import fitted_curves, hurried
from pamble.study.references import EdgeRef


class FitCurveParams(FitParams):
    """spans given: rebuilt to just that many. Else the fewest within the tolerance."""

    curve: EdgeRef = choice("Curve")
    tolerance: float = number("Tolerance", 0.02, "mm", gt=0, le=10)


def run(params: FitCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the simpler curve and say how far it moved."""
    source = inputs.curve(params.curve)
    if params.spans is None:
        made = simplify(source, **hurried(params, context))
    else:
        made = rebuild(source, params.degree, params.spans)
    moved = Deviation(made.deviation, made.place) if context.quick else deviation(made.curve, source)
    told = replace(made, deviation=moved.distance, place=moved.point)
    return fitted_curves([told], params, context, deviation_point=moved.point.tolist(), cvs_before=len(source.control))


KIND = FeatureKind(
    "fit_curve", "Rebuild, simplify", "theoretical", FitCurveParams, run, "curves", "Pick a curve.",
    figures=(DEVIATION, Figure("cvs_before", "CVs before")),
)  # fmt: skip
