"""Trim, cut, extend, join and reverse."""

from __future__ import annotations

from itertools import pairwise
from typing import Literal

import numpy as np
from pydantic import Field

from pamble.core.curves.edit import extend, join, joint_of, nearest_ends
from pamble.core.curves.jets import end_jet
from pamble.core.curves.measure import length_parameters
from pamble.core.curves.meet import cut_pieces, meet
from pamble.core.errors import GeometryError
from pamble.core.spline import knots
from pamble.core.spline.curve import Curve
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, made_curves
from pamble.study.features.fields import choice, number
from pamble.study.features.figures import JOINTS
from pamble.study.features.handles import pull
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored


class TrimParams(Stored):
    """The stretch that is kept, as fractions of the length; or split there into all its pieces."""

    curve: EdgeRef = choice("Curve")
    start: float = number("From", 0.0, ge=0, le=1)
    end: float = number("To", 1.0, ge=0, le=1)
    pieces: bool = choice("Keep all pieces", False)
    reverse: bool = choice("Reverse", False)


def _part(curve: Curve, start: float, end: float) -> Curve:
    a, b = length_parameters(curve, np.array([start, end]))
    return knots.curve_part(curve, curve.domain[0] if start == 0 else a, curve.domain[1] if end == 1 else b)


def trim(params: TrimParams, inputs: Inputs, context: Context) -> Made:
    """Build the stretch or the pieces."""
    if params.end - params.start < 1e-6:
        raise GeometryError("The stretch ends before it begins: the end lies behind the start.")
    curve = inputs.curve(params.curve)
    marks = [0.0, params.start, params.end, 1.0] if params.pieces else [params.start, params.end]
    stretches = [(a, b) for a, b in pairwise(marks) if b - a > 1e-9]
    made = [_part(curve, a, b) for a, b in stretches]
    return made_curves(*([knots.reverse_curve(c) for c in made] if params.reverse else made))


Kept = Literal["start", "middle", "end", "all"]


class CutParams(Stored):
    """The parts of a curve before, between and after the places where others cross it. keep_other: the other is cut by
    the curve too, and what of it is kept.
    """

    curve: EdgeRef = choice("Curve")
    by: EdgeRef = choice("Cut by")
    and_by: EdgeRef | None = choice("And by", None)
    keep: Kept = choice("Keep its", "start")
    keep_other: Kept | None = choice("Of the other keep", None)


def cut_off(params: CutParams, inputs: Inputs, context: Context) -> Made:
    """Build the parts that are kept, those of the first curve before those of the other."""
    refs = [params.curve, params.by, *([params.and_by] if params.and_by else [])]
    curve, other, *more = inputs.different(refs)
    made = _kept(cut_pieces(curve, [other, *more]), params.keep, inputs.name(params.curve.feature))
    if params.keep_other is not None:
        made += _kept(cut_pieces(other, [curve]), params.keep_other, inputs.name(params.by.feature))
    return made_curves(*made)


def _kept(pieces: list[Curve], keep: Kept, name: str) -> list[Curve]:
    if keep == "middle" and len(pieces) < 3:
        raise GeometryError(f"{name} is crossed once only: there is no middle. Cut it by one more, or keep an end.")
    return {"start": pieces[:1], "middle": pieces[1:-1], "end": pieces[-1:], "all": pieces}[keep]


class MeetParams(Stored):
    """Two curves, extended or cut back until they meet. An end left open is the one nearest to the other curve."""

    first: EdgeRef = choice("First curve", ends="first_end")
    second: EdgeRef = choice("Second curve", ends="second_end")
    first_end: Literal["start", "end"] | None = choice("First one's end", None)
    second_end: Literal["start", "end"] | None = choice("Second one's end", None)
    shape: Literal["curvature", "straight"] = choice("Run on with", "curvature")
    tolerance: float = number("Tolerance", 0.01, "mm", gt=0, le=10)


def until_they_meet(params: MeetParams, inputs: Inputs, context: Context) -> Made:
    """Build both curves, ending where they meet."""
    which = {"start": 0, "end": 1, None: None}
    ends = which[params.first_end], which[params.second_end]
    first, second = inputs.different([params.first, params.second])
    made = meet(first, second, params.shape, ends, params.tolerance)
    return made_curves(*made.curves, gap=made.gap, grown=list(made.grown))


class ExtendParams(Stored):
    """shape: with its own curvature, or straight on."""

    curve: EdgeRef = choice("Curve", ends="end")
    end: Literal["start", "end"] = choice("At its", "end")
    length: float = number("By", 20.0, "mm", gt=0)
    shape: Literal["curvature", "straight"] = choice("Runs on with", "curvature")


def lengthen(params: ExtendParams, inputs: Inputs, context: Context) -> Made:
    """Build the longer curve."""
    end = 0 if params.end == "start" else 1
    curve = inputs.curve(params.curve)
    jet = end_jet(curve, end)
    length = pull("length", "Longer by", params.length, jet.point[0], jet.tangent[0], limits=(1e-3, 1e5))
    return made_curves(extend(curve, end, params.length, params.shape), handles=(length,))


class JoinParams(Stored):
    """Curves in order, each meeting the next within the tolerance."""

    curves: list[EdgeRef] = Field(title="Curves", min_length=2)
    tolerance: float = number("Tolerance", 0.01, "mm", gt=0)


def join_all(params: JoinParams, inputs: Inputs, context: Context) -> Made:
    """Build one curve and say how its pieces meet."""
    pieces = inputs.different(params.curves)
    out = pieces[0]
    for piece in pieces[1:]:
        out = join(out, piece, params.tolerance)
    figures = []
    for a, b in pairwise(pieces):
        i, j = nearest_ends(a, b)
        figures.append(vars(joint_of(a, i, b, j)))
    return made_curves(out, joints=figures)


_TRIM = FeatureKind(
    "trim_curve", "Trim, split, reverse", "theoretical", TrimParams, trim, "curves", "Pick a curve.", section="Change"
)  # fmt: skip
_CUT = FeatureKind(
    "cut_curve",
    "Cut by a curve",
    "theoretical",
    CutParams,
    cut_off,
    "curves",
    "Pick a curve, then another.",
    section="Change",
)
_EXTEND = FeatureKind(
    "extend_curve", "Extend", "theoretical", ExtendParams, lengthen, "curves", "Pick a curve.", section="Change"
)
_MEET = FeatureKind(
    "meet_curves", "Extend until they meet", "theoretical", MeetParams, until_they_meet, "curves",
    "Pick two curves: they grow, or are cut back, until they meet.", section="Change",
    figures=(
        Figure("gap", "Gap", "mm"),
        Figure("grown", "Grown", "mm", "list", each="Curve {n} grew by", negative="Curve {n} cut by"),
    ),
)  # fmt: skip
_JOIN = FeatureKind(
    "join_curves", "Join", "theoretical", JoinParams, join_all, "curves", "Pick curves in order.",
    section="Change", figures=(JOINTS,),
)  # fmt: skip

KINDS = (_TRIM, _CUT, _EXTEND, _MEET, _JOIN)
