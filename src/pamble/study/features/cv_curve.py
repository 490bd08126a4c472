"""CV curve: drawn by its CVs, of any degree and spans. Moving CVs changes the curve's own definition."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array, IntArray
from pamble.core.curves.edit import nearest_ends
from pamble.core.curves.jets import end_jet
from pamble.core.curves.match import match_end
from pamble.core.curves.relations import Relation, Solution, solve_relations, straight_line
from pamble.core.errors import PambleError
from pamble.core.spline.curve import Curve
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, made_curves
from pamble.study.features.cv_actions import ACTIONS
from pamble.study.features.fields import choice, hold
from pamble.study.features.laying import Laid
from pamble.study.references import CvRef, EdgeRef, OnLine, PlaneRef, Point
from pamble.study.stored import CurveData, Stored

_TO_OTHERS = ("touch", "joint", "inline", "plane")


class RelationData(Stored):
    """A relation of the curve's CVs, numbered from 0; see the core's `Relation`. A CV of another curve, or a place on a
    line, may stand in place of one of its own. line: what a touch or a joint goes to, or CVs stand in line with; its
    nearest end counts. plane: the plane that a CV keeps its height above.
    """

    kind: Literal[
        "fixed", "coincident", "same", "length", "incline", "symmetric", "collinear", "equal", "angle", "at", "axis",
        "plane", "inline", "touch", "joint",
    ]  # fmt: skip
    cvs: list[int | OnLine | CvRef] = []
    plane: PlaneRef | None = None
    axis: int = Field(2, ge=0, le=2)
    value: float = 0.0
    point: Point = (0.0, 0.0, 0.0)
    line: EdgeRef | None = None
    end: int = Field(0, ge=0, le=1)
    order: int = Field(1, ge=0, le=3)

    @property
    def own(self) -> bool:
        """Whether it binds nothing but the curve itself."""
        return self.kind not in _TO_OTHERS and all(isinstance(cv, int) for cv in self.cvs)


class CvCurveParams(Laid):
    """The curve itself. hold_start, hold_end: what a change of CVs keeps at an end, null for nothing, 0 position,
    1 tangent, 2 curvature, 3 its change; the rows of CVs it takes follow. source: the file it came from.
    """

    POINTS: ClassVar = ("curve.control",)

    curve: CurveData = choice("CVs", widget="cvs")
    hold_start: int | None = hold("Hold at the start", 3)
    hold_end: int | None = hold("Hold at the end", 3)
    relations: list[RelationData] = choice("Relations", [], widget="relations")
    source: str | None = choice("Source", None)


def run(params: CvCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the curve from its numbers, its relations kept."""
    curve = params.standing(inputs).curve.curve()
    if not params.relations:
        return made_curves(curve)
    made = _solved(curve, params.relations, inputs)
    warnings = tuple(
        f"Relation {i + 1} ({params.relations[i].kind}) contradicts those before it and is not kept."
        for i in made.broken
    )
    solved = Curve(curve.degree, curve.knots, made.control, curve.weights)
    return made_curves(solved, warnings=warnings, free=made.free, broken=list(made.broken), idle=list(made.idle))


def _solved(
    curve: Curve, relations: list[RelationData], inputs: Inputs | None, held: IntArray | None = None
) -> Solution:
    """The relations kept; those to other objects need ``inputs``."""
    anchors: list[Array] = []

    def number(cv: int | OnLine | CvRef) -> int:
        if isinstance(cv, int):
            return cv
        assert inputs is not None
        anchors.append(inputs.point(cv))
        return len(curve.control) + len(anchors) - 1

    out = []
    for r in relations:
        cvs = tuple(number(cv) for cv in r.cvs)
        plain = Relation(r.kind, cvs, r.axis, r.value, r.point, end=r.end, order=r.order)
        out.append(plain if r.own or inputs is None else _to_line(plain, r, curve, inputs))
    fixed = np.array(anchors) if anchors else None
    return solve_relations(curve, tuple(out), held, fixed)


def _to_line(plain: Relation, r: RelationData, curve: Curve, inputs: Inputs) -> Relation:
    if r.kind not in _TO_OTHERS:
        return plain
    if r.kind == "plane":
        if r.plane is None:
            raise PambleError("A height above a plane needs the plane: pick one.")
        plane = inputs.plane(r.plane)
        return replace(plain, point=tuple(plane.origin.tolist()), direction=tuple(plane.normal.tolist()))
    if r.line is None:
        raise PambleError(f"A {r.kind} needs a line to go to: pick one.")
    line = inputs.curve(r.line)
    if r.kind == "touch":
        point, direction = (tuple(v.tolist()) for v in straight_line(line))
        return Relation("touch", point=point, direction=direction)
    end = nearest_ends(curve, line, ((r.end,), (0, 1)))[1]
    if r.kind == "inline":
        jet = end_jet(line, end)
        return replace(plain, point=tuple(jet.point[0].tolist()), direction=tuple(jet.tangent[0].tolist()))
    return Relation("joint", end=r.end, order=r.order, target=end_jet(line, end))


def settle(before: dict[str, Any], params: dict[str, Any], moved: list[int]) -> dict[str, Any]:
    """Parameters after a change: what is held at the ends is put back, then the curve's own relations are kept.

    The CVs next to a held end follow; CVs that were moved give way last. Relations to other objects are kept
    whenever the curve is built.
    """
    holds = (params.get("hold_start"), params.get("hold_end"))
    curve = CurveData.model_validate(params["curve"]).curve()
    old = CurveData.model_validate(before["curve"]).curve()
    if moved and holds != (None, None) and len(old.control) == len(curve.control):
        curve = _held(old, curve, holds)
    relations = [RelationData.model_validate(r) for r in params.get("relations", [])]
    own = [r for r in relations if r.own]
    control = curve.control
    if own:
        control = _solved(curve, own, None, np.array(moved, dtype=np.intp)).control
    return {**params, "curve": {**params["curve"], "control": [[float(x) for x in p] for p in control]}}


def _held(before: Curve, after: Curve, holds: tuple[int | None, int | None]) -> Curve:
    for end, order in enumerate(holds):
        if order is None:
            continue
        made = match_end(after, end, end_jet(before, end).turned(), order)
        if not made.raised:
            after = made.curve
    return after


KIND = FeatureKind(
    "cv_curve", "CV curve", "theoretical", CvCurveParams, run, "curves",
    "Click where the CVs go; Enter keeps the curve.",
    key="D", bulk=("curve",), net=("curve", "control"), settle=settle, actions=ACTIONS,
)  # fmt: skip
