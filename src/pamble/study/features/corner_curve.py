"""Corner: a true-radius arc between two curves that meet, or a curvature-continuous one of the same reach."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pamble.core.joining.curve_corner import corner, corner_of_chord
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, made_curves
from pamble.study.features.fields import choice, fullness, number
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored


class CornerParams(Stored):
    """By its radius, or by the length of the chord between its ends. trim: also give what is left of the two curves.
    shape: a true arc, or a G2 blend between the arc's ends.
    """

    first: EdgeRef = choice("First curve")
    second: EdgeRef = choice("Second curve")
    by: Literal["radius", "chord"] = choice("Given by", "radius")
    radius: float = number("Radius", 20.0, "mm", when=("by", "radius"), gt=0)
    chord: float = number("Chord", 28.0, "mm", when=("by", "chord"), gt=0)
    shape: Literal["arc", "G2"] = choice("Shape", "arc")
    fullness: float | None = fullness("Fullness", 0)
    trim: bool = choice("Trim the pair", True)


def run(params: CornerParams, inputs: Inputs, context: Context) -> Made:
    """Build the corner."""
    a, b = inputs.curve(params.first), inputs.curve(params.second)
    full = (params.fullness, params.fullness)
    if params.by == "chord":
        made = corner_of_chord(a, b, params.chord, params.shape == "G2", full)
    else:
        made = corner(a, b, params.radius, params.shape == "G2", full)
    chord = float(np.linalg.norm(made.curve.control[-1] - made.curve.control[0]))
    kept = made.trimmed if params.trim else ()
    return made_curves(made.curve, *kept, chord=chord, radius=made.radius, centre=made.centre.tolist())


KIND = FeatureKind(
    "corner_curve", "Corner", "theoretical", CornerParams, run, "curves", "Pick two curves that meet at a corner.",
    section="Change", figures=(Figure("radius", "Radius", "mm"), Figure("chord", "Chord", "mm")),
)  # fmt: skip
