"""Blend curve: between two ends, G0 to G3 at each; an end may also be a point on an edge, left square to it."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from pamble.build.data import EdgeRef, Stored
from pamble.build.features.base import Context, FeatureKind, Inputs, Made, PartHandle, made_curves
from pamble.build.features.fields import choice, continuity, fullness, number
from pamble.core.curves.blend import BlendCurve, blend_curve, square_jet
from pamble.core.curves.jets import CurveJets, curve_jets, end_jet
from pamble.core.curves.measure import length_parameters
from pamble.core.joining.spec import DEFAULT_FULLNESS

End = Literal["start", "end", "point", "point, turned", "square to the edge"]


class BlendCurveParams(Stored):
    """The lines, where on each it begins, and the continuity there. at: fraction of the length for a point."""

    first: EdgeRef = choice("First line")
    first_from: End | None = choice("From its", None)
    first_at: float = number("At", 0.5, ge=0, le=1)
    second: EdgeRef = choice("Second line")
    second_from: End | None = choice("From its", None)
    second_at: float = number("At", 0.5, ge=0, le=1)
    continuity_first: int = continuity("At the first")
    continuity_second: int = continuity("At the second")
    fullness_first: float | None = fullness("Fullness, first")
    fullness_second: float | None = fullness("Fullness, second")
    degree: int | None = number("Degree", None, ge=1, le=9)


def _jet(inputs: Inputs, ref: EdgeRef, where: End, at: float) -> CurveJets:
    curve = inputs.curve(ref)
    if where == "square to the edge":
        edge = inputs.edge(ref)
        return square_jet(edge, float(length_parameters(edge.space, np.array([at]))[0]))
    if where in ("point", "point, turned"):
        jet = curve_jets(curve, length_parameters(curve, np.array([at])))
        return jet.turned() if where == "point, turned" else jet
    return end_jet(curve, 0 if where == "start" else 1)


def _nearest_ends(inputs: Inputs, params: BlendCurveParams) -> tuple[End, End]:
    """Of the four pairs of ends the two that are nearest; an edge of a face is left square to it."""
    wheres: list[list[End]] = []
    for ref, given in ((params.first, params.first_from), (params.second, params.second_from)):
        free: list[End] = ["square to the edge"] if inputs.is_edge(ref) else ["start", "end"]
        wheres.append([given] if given is not None else free)
    pairs = [(a, b) for a in wheres[0] for b in wheres[1]]

    def apart(pair: tuple[End, End]) -> float:
        a = _jet(inputs, params.first, pair[0], params.first_at)
        b = _jet(inputs, params.second, pair[1], params.second_at)
        return float(np.linalg.norm(a.point - b.point))

    return min(pairs, key=apart)


def run(params: BlendCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the blend curve."""
    where = _nearest_ends(inputs, params)
    made = blend_curve(
        _jet(inputs, params.first, where[0], params.first_at),
        _jet(inputs, params.second, where[1], params.second_at),
        (params.continuity_first, params.continuity_second),
        (params.fullness_first, params.fullness_second),
        params.degree,
    )
    out = made_curves(made.curve, warnings=made.warnings, joints=[vars(j) for j in made.joints], ends=list(where))
    return replace(out, handles=_handles(params, made))


def _handles(params: BlendCurveParams, made: BlendCurve) -> tuple[PartHandle, ...]:
    control, q = made.curve.control, made.curve.degree
    distance = float(np.linalg.norm(control[-1] - control[0]))
    sides = (
        ("fullness_first", params.continuity_first, params.fullness_first, control[1], made.arms[0], "first end"),
        ("fullness_second", params.continuity_second, params.fullness_second, control[-2], made.arms[1], "second end"),
    )
    return tuple(
        PartHandle(name, -1, f"Fullness, {words}", point, arm / max(float(np.linalg.norm(arm)), 1e-12), q / distance,
                   DEFAULT_FULLNESS[g] if full is None else full)
        for name, g, full, point, arm, words in sides
        if g > 0
    )  # fmt: skip


KIND = FeatureKind(
    "blend_curve", "Blend curve", "theoretical", BlendCurveParams, run, "curves",
    "Pick two lines: curves at their nearest ends, edges of faces square to them.",
)  # fmt: skip
