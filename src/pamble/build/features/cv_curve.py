"""CV curve: drawn by its CVs, of any degree and spans. Moving CVs changes the curve's own definition."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from pamble.build.data import CurveData, Stored
from pamble.build.features.base import Context, FeatureKind, Inputs, Made, made_curves
from pamble.build.features.fields import choice
from pamble.core.curves.jets import end_jet
from pamble.core.curves.match import match_end
from pamble.core.errors import PambleError


class CvCurveParams(Stored):
    """The curve itself. hold_start, hold_end: what a change of CVs keeps at an end, null for nothing, 0 position,
    1 tangent, 2 curvature, 3 its change; the rows of CVs it takes follow. source: the file it came from.
    """

    curve: CurveData
    hold_start: int | None = Field(None, title="Hold at the start", ge=0, le=3, json_schema_extra={"continuity": True})
    hold_end: int | None = Field(None, title="Hold at the end", ge=0, le=3, json_schema_extra={"continuity": True})
    source: str | None = choice("Source", None)


def run(params: CvCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the curve from its numbers."""
    return made_curves(params.curve.curve())


def held_ends(params: dict[str, Any], net: list[list[float]]) -> list[list[float]]:
    """CVs after a change, with what is held at the ends put back: the CVs next to a held end follow."""
    holds = (params.get("hold_start"), params.get("hold_end"))
    if holds == (None, None):
        return net
    before = CurveData.model_validate(params["curve"]).curve()
    after = CurveData.model_validate({**params["curve"], "control": net}).curve()
    try:
        for end, order in enumerate(holds):
            if order is None:
                continue
            target = end_jet(before, end).turned()
            made = match_end(after, end, target, order)
            if not made.raised:
                after = made.curve
    except PambleError:
        return [list(p) for p in params["curve"]["control"]]
    return [[float(x) for x in p] for p in after.control]


KIND = FeatureKind(
    "cv_curve", "CV curve", "theoretical", CvCurveParams, run, "curves",
    "Click where the CVs go; Enter keeps the curve.", bulk=("curve",), net=("curve", "control"),
)  # fmt: skip
