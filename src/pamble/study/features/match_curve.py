"""Match: a curve whose end is moved to meet another, G0 to G3."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.edit import nearest_ends
from pamble.core.curves.jets import CurveJets, curve_jets, end_jet
from pamble.core.curves.match import Match, average_ends, match_end
from pamble.core.curves.measure import length_parameters
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.tolerances import COINCIDENT
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, PartHandle, made_curves
from pamble.study.features.fields import choice, continuity, number
from pamble.study.features.figures import JOINTS, MOVED
from pamble.study.features.handles import slide
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored

End = Literal["start", "end"]


class MatchCurveParams(Stored):
    """curve: the one that moves. to: the one it meets. Ends left null are the nearest ones."""

    curve: EdgeRef = choice("Curve that moves", ends="curve_end")
    curve_end: End | None = choice("At its", None)
    to: EdgeRef = choice("Meets", ends="to_end")
    to_end: End | None = choice("At its", None)
    at: float | None = number("At inside it", None, ge=0, le=1)
    continuity: int = continuity("Continuity")
    spread: bool = choice("Spread the change", False)
    both: bool = choice("Both move", False)


def _free(given: End | None) -> tuple[int, ...]:
    return (0, 1) if given is None else (int(given == "end"),)


def _numbers(moved: Array) -> str:
    """Which CVs moved, as "2, 3 of 6"."""
    which = np.flatnonzero(moved > COINCIDENT) + 1
    return f"{', '.join(str(i) for i in which)} of {len(moved)}" if len(which) else "none"


def run(params: MatchCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the matched curve, and the other one too if both move."""
    a, b = inputs.curve(params.curve), inputs.curve(params.to)
    i, j = nearest_ends(a, b, (_free(params.curve_end), _free(params.to_end)))
    handles: tuple[PartHandle, ...] = ()
    made: tuple[Match, ...]
    if params.at is not None:
        if params.both:
            raise GeometryError("Inside a line only the one curve can move: let the other stay, or meet its end.")
        i, jet = _inside(a, b, params.at, params.curve_end)
        made = (match_end(a, i, jet, params.continuity, params.spread),)
        handles = (slide("at", "At", params.at, lambda s: curve_points(b, length_parameters(b, s))),)
    elif params.both:
        made = average_ends(a, i, b, j, params.continuity)
    else:
        made = (match_end(a, i, end_jet(b, j), params.continuity, params.spread),)
    first = made[0]
    warnings = (f"The degree was raised by {first.raised}: there were too few CVs.",) if first.raised else ()
    return made_curves(
        *(m.curve for m in made),
        warnings=warnings,
        handles=handles,
        joints=[vars(first.joint)],
        moved=float(first.moved.max()),
        moved_cvs=_numbers(first.moved),
    )


def _inside(a: Curve, b: Curve, at: float, end: End | None) -> tuple[int, CurveJets]:
    """Which end of ``a`` meets a place inside ``b``, and the jet there, turned so that the curve turns least."""
    jet = curve_jets(b, length_parameters(b, np.array([at])))
    which = min(_free(end), key=lambda e: float(norm(end_jet(a, e).point - jet.point)[0]))
    into = -end_jet(a, which).tangent[0]
    return which, jet if float(jet.tangent[0] @ into) >= 0 else jet.turned()


KIND = FeatureKind(
    "match_curve",
    "Match",
    "theoretical",
    MatchCurveParams,
    run,
    "curves",
    "Pick the curve that moves, then the other.",
    figures=(JOINTS, Figure("moved_cvs", "CVs moved", form="words"), MOVED),
)
