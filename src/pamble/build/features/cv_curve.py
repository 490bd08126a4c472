"""CV curve: drawn by its CVs, of any degree and spans. Moving CVs changes the curve's own definition."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import Field

from pamble.build.data import CurveData, Point, Stored
from pamble.build.features.base import Context, FeatureKind, Inputs, Made, made_curves
from pamble.build.features.fields import choice
from pamble.core.curves.jets import end_jet
from pamble.core.curves.match import match_end
from pamble.core.curves.relations import Relation, solve_relations
from pamble.core.errors import PambleError
from pamble.core.spline.curve import Curve


class RelationData(Stored):
    """A relation between CVs of the curve, numbered from 0; see the core's `Relation`."""

    kind: Literal["fixed", "same", "length", "symmetric", "collinear", "equal", "angle"]
    cvs: list[int]
    axis: int = Field(2, ge=0, le=2)
    value: float = 0.0
    point: Point = (0.0, 0.0, 0.0)

    def relation(self) -> Relation:
        return Relation(self.kind, tuple(self.cvs), self.axis, self.value, self.point)


class CvCurveParams(Stored):
    """The curve itself. hold_start, hold_end: what a change of CVs keeps at an end, null for nothing, 0 position,
    1 tangent, 2 curvature, 3 its change; the rows of CVs it takes follow. source: the file it came from.
    """

    curve: CurveData
    hold_start: int | None = Field(None, title="Hold at the start", ge=0, le=3, json_schema_extra={"continuity": True})
    hold_end: int | None = Field(None, title="Hold at the end", ge=0, le=3, json_schema_extra={"continuity": True})
    relations: list[RelationData] = []
    source: str | None = choice("Source", None)


def run(params: CvCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the curve from its numbers, its relations kept."""
    curve = params.curve.curve()
    if not params.relations:
        return made_curves(curve)
    relations = tuple(r.relation() for r in params.relations)
    made = solve_relations(curve.control, relations)
    warnings = tuple(
        f"Relation {i + 1} ({relations[i].kind}) contradicts those before it and is not kept." for i in made.broken
    )
    solved = Curve(curve.degree, curve.knots, made.control, curve.weights)
    return made_curves(solved, warnings=warnings, free=made.free, broken=list(made.broken), idle=list(made.idle))


def settle(before: dict[str, Any], params: dict[str, Any], moved: list[int]) -> dict[str, Any]:
    """Parameters after a change: what is held at the ends is put back, then the relations are kept.

    The CVs next to a held end follow; CVs that were moved give way last.
    """
    holds = (params.get("hold_start"), params.get("hold_end"))
    curve = CurveData.model_validate(params["curve"]).curve()
    if moved and holds != (None, None):
        curve = _held(CurveData.model_validate(before["curve"]).curve(), curve, holds)
    relations = tuple(RelationData.model_validate(r).relation() for r in params.get("relations", []))
    control = curve.control
    if relations:
        control = solve_relations(control, relations, np.array(moved, dtype=np.intp)).control
    return {**params, "curve": {**params["curve"], "control": [[float(x) for x in p] for p in control]}}


def _held(before: Curve, after: Curve, holds: tuple[int | None, int | None]) -> Curve:
    try:
        for end, order in enumerate(holds):
            if order is None:
                continue
            made = match_end(after, end, end_jet(before, end).turned(), order)
            if not made.raised:
                after = made.curve
    except PambleError:
        return before
    return after


KIND = FeatureKind(
    "cv_curve", "CV curve", "theoretical", CvCurveParams, run, "curves",
    "Click where the CVs go; Enter keeps the curve.", bulk=("curve",), net=("curve", "control"), settle=settle,
)  # fmt: skip
