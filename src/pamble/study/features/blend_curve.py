"""Blend curve: between two ends, G0 to G3 at each; an end may also be a point on an edge, left square to it."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from pamble.core.curves.jets import CurveJets, curve_jets, end_jet
from pamble.core.curves.measure import length_parameters
from pamble.core.joining.curve_blend import BlendCurve, blend_curve, square_jet
from pamble.core.joining.spec import DEFAULT_FULLNESS, FULLNESS_LIMITS
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, PartHandle, made_curves
from pamble.study.features.fields import choice, continuity, fullness, number
from pamble.study.features.figures import JOINTS
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored

End = Literal["start", "end", "point", "point, turned", "square to the edge"]


class BlendCurveParams(Stored):
    """The lines, where on each it begins, and the continuity there. at: fraction of the length for a point."""

    first: EdgeRef = choice("First line", ends="first_from")
    first_from: End | None = choice("From its", None)
    first_at: float = number("At", 0.5, ge=0, le=1)
    second: EdgeRef = choice("Second line", ends="second_from")
    second_from: End | None = choice("From its", None)
    second_at: float = number("At", 0.5, ge=0, le=1)
    continuity_first: int = continuity("At the first")
    continuity_second: int = continuity("At the second")
    fullness_first: float | None = fullness("Fullness, first", 0)
    fullness_second: float | None = fullness("Fullness, second", 1)
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


def _nearest_ends(inputs: Inputs, params: BlendCurveParams) -> tuple[tuple[End, CurveJets], tuple[End, CurveJets]]:
    """Of the four pairs of ends the two that are nearest, with their jets; an edge of a face is left square to it."""
    sides: list[list[tuple[End, CurveJets]]] = []
    for ref, given, at in (
        (params.first, params.first_from, params.first_at),
        (params.second, params.second_from, params.second_at),
    ):
        free: list[End] = ["square to the edge"] if inputs.is_edge(ref) else ["start", "end"]
        sides.append([(where, _jet(inputs, ref, where, at)) for where in ([given] if given is not None else free)])
    pairs = [(a, b) for a in sides[0] for b in sides[1]]
    return min(pairs, key=lambda pair: float(np.linalg.norm(pair[0][1].point - pair[1][1].point)))


def run(params: BlendCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the blend curve."""
    ends = _nearest_ends(inputs, params)
    where = [end[0] for end in ends]
    made = blend_curve(
        ends[0][1],
        ends[1][1],
        (params.continuity_first, params.continuity_second),
        (params.fullness_first, params.fullness_second),
        params.degree,
    )
    full = [
        DEFAULT_FULLNESS[g] if f is None else f
        for g, f in (
            (params.continuity_first, params.fullness_first),
            (params.continuity_second, params.fullness_second),
        )
    ]
    out = made_curves(
        made.curve, warnings=made.warnings, joints=[vars(j) for j in made.joints], ends=where, fullness=full
    )
    return replace(out, handles=_handles(params, made))


def _handles(params: BlendCurveParams, made: BlendCurve) -> tuple[PartHandle, ...]:
    control, q = made.curve.control, made.curve.degree
    distance = float(np.linalg.norm(control[-1] - control[0]))
    sides = (
        ("fullness_first", params.continuity_first, params.fullness_first, control[1], made.arms[0], "first"),
        ("fullness_second", params.continuity_second, params.fullness_second, control[-2], made.arms[1], "second"),
    )
    return tuple(
        PartHandle("pull", name, -1, "Fullness", point, arm / max(float(np.linalg.norm(arm)), 1e-12),
                   DEFAULT_FULLNESS[g] if full is None else full, *FULLNESS_LIMITS, per_mm=q / distance, side=side)
        for name, g, full, point, arm, side in sides
        if g > 0
    )  # fmt: skip


KIND = FeatureKind(
    "blend_curve",
    "Blend curve",
    "theoretical",
    BlendCurveParams,
    run,
    "curves",
    "Pick two lines: curves at the ends where they are picked, edges of faces square to them.",
    doing="Pull the round handles for fullness. Enter keeps the curve, Esc drops it.",
    figures=(JOINTS,),
)
