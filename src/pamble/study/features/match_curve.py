"""Match: a curve whose end is moved to meet another, G0 to G3."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.edit import nearest_ends
from pamble.core.curves.jets import end_jet
from pamble.core.curves.match import average_ends, match_end
from pamble.core.tolerances import COINCIDENT
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, made_curves
from pamble.study.features.fields import choice, continuity
from pamble.study.features.figures import JOINTS, MOVED
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored

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
        moved=float(first.moved.max()),
        moved_cvs=_numbers(first.moved),
    )


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
