"""Match: a curve whose end is moved to meet another, G0 to G3."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pamble.build.data import EdgeRef, Stored
from pamble.build.features.base import Context, FeatureKind, Inputs, Made, made_curves
from pamble.build.features.fields import choice, continuity
from pamble.core.curves.jets import end_jet
from pamble.core.curves.match import average_ends, match_end
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points

End = Literal["start", "end"]


class MatchCurveParams(Stored):
    """curve: the one that moves. to: the one it meets. Ends left null are the nearest ones."""

    curve: EdgeRef = choice("Curve that moves")
    curve_end: End | None = choice("At its", None)
    to: EdgeRef = choice("Meets")
    to_end: End | None = choice("At its", None)
    continuity: int = continuity("Continuity")
    spread: bool = choice("Spread the change", False)
    both: bool = choice("Both move", False)


def nearest_ends(a: Curve, b: Curve, given: tuple[End | None, End | None]) -> tuple[int, int]:
    """Ends (0 or 1) of two curves that are nearest, where not given."""
    pa, pb = curve_points(a, a.domain), curve_points(b, b.domain)
    choices = [[0, 1] if g is None else [int(g == "end")] for g in given]
    pairs = [(i, j) for i in choices[0] for j in choices[1]]
    return min(pairs, key=lambda ij: float(np.linalg.norm(pa[ij[0]] - pb[ij[1]])))


def run(params: MatchCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the matched curve, and the other one too if both move."""
    a, b = inputs.curve(params.curve), inputs.curve(params.to)
    i, j = nearest_ends(a, b, (params.curve_end, params.to_end))
    if params.both:
        made = average_ends(a, i, b, j, params.continuity)
    else:
        made = (match_end(a, i, end_jet(b, j), params.continuity, params.spread),)  # type: ignore[assignment]
    first = made[0]
    warnings = (f"The degree was raised by {first.raised}: there were too few CVs.",) if first.raised else ()
    return made_curves(
        *(m.curve for m in made),
        warnings=warnings,
        joints=[vars(first.joint)],
        moved=first.moved.tolist(),
    )


KIND = FeatureKind(
    "match_curve", "Match", "theoretical", MatchCurveParams, run, "curves", "Pick the curve that moves, then the other."
)
