"""Curve through points, with directions and weights at points that ask for them."""

from __future__ import annotations

from typing import Any, ClassVar

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array, floats, norm
from pamble.core.curves.interpolate import changed_points, natural_handles, point_parameters, through_points
from pamble.core.curves.jets import curve_jets
from pamble.core.curves.polygon import evened
from pamble.core.errors import GeometryError, StudyError
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.knots import raise_degree
from pamble.study.features.base import Action, Context, FeatureKind, Inputs, Made, made_curves
from pamble.study.features.fields import choice, number, unseen
from pamble.study.features.laying import Laid
from pamble.study.references import EdgeRef, Place, Point
from pamble.study.stored import CurveData, Stored

_TIP = 1 / 3
"""Length of a handle on the part, as a share of how far the curve goes there in the pace of one leg."""


class DirectionData(Stored):
    """The direction that the curve takes at a point (numbered from 0), and its weight: 1 is the pace of the legs beside
    it, 2 holds the direction twice as far. along: a line whose tangent nearest to the point gives the direction; of its
    two senses the one nearer to ``direction``.
    """

    point: int = Field(ge=0)
    direction: Point
    weight: float = Field(1.0, gt=0.01, le=20)
    along: EdgeRef | None = None


class KeptShape(Stored):
    """What the curve keeps of itself once a point was put in or taken out: the parameters of its points, of a closed
    curve one more for its end; and the curve that further movements of points are laid over.
    """

    parameters: list[float]
    curve: CurveData | None = None


class PointCurveParams(Laid):
    """Points in order, mm, or hanging on a line or a CV. A closed curve joins its own start with curvature.

    where: the places of the points when they were last changed, those that hang among them.
    """

    POINTS: ClassVar = ("points", "where", "kept.curve.control")
    WAYS: ClassVar = ("directions.direction",)

    points: list[Place] = Field(title="Points", min_length=2, json_schema_extra={"widget": "points"})
    degree: int = number("Degree", 3, ge=2, le=7)
    closed: bool = choice("Closed", False)
    directions: list[DirectionData] = choice("Directions", [], widget="directions")
    kept: KeptShape | None = unseen(None)
    where: list[Point] = unseen([])

    def places(self) -> list[Point]:
        """Places of all points, of those that hang as they were last."""
        last = self.where if len(self.where) == len(self.points) else [None] * len(self.points)
        out = [p if isinstance(p, tuple) else w for p, w in zip(self.points, last, strict=True)]
        if any(p is None for p in out):
            raise StudyError("A point hangs on something that is not there: release it first.")
        return [p for p in out if p is not None]


def _handles(params: PointCurveParams) -> Array | None:
    """Directions times weights by point, NaN where there is none."""
    out = np.full((len(params.points), 3), np.nan)
    for d in params.directions:
        if d.point >= len(out):
            raise GeometryError(f"There is a direction at point {d.point + 1}, but the curve has {len(out)} points.")
        length = float(np.linalg.norm(d.direction))
        if length < 1e-12:
            raise GeometryError(f"The direction at point {d.point + 1} has no length.")
        out[d.point] = np.array(d.direction) / length * d.weight
    return out if params.directions else None


def _through(params: PointCurveParams, points: Array) -> Curve:
    kept, handles = params.kept, _handles(params)
    if kept is None or len(kept.parameters) != len(points) + params.closed:
        curve = through_points(points, params.degree, params.closed, handles)
    elif kept.curve is None:
        curve = through_points(points, params.degree, params.closed, handles, floats(kept.parameters))
    else:
        curve = changed_points(kept.curve.curve(), floats(kept.parameters), points, params.closed, handles)
    if params.closed and params.degree > curve.degree:
        curve = raise_degree(curve, params.degree - curve.degree)
    return curve


def run(params: PointCurveParams, inputs: Inputs, context: Context) -> Made:
    """Interpolate the points. The tips of the directions are told for the part."""
    params = params.standing(inputs)
    points = np.array([inputs.point(p) for p in params.points])
    params = params.model_copy(update={"directions": [_aligned(d, points, inputs) for d in params.directions]})
    curve = _through(params, points)
    tips = []
    t = _parameters(params, points)
    for d in params.directions:
        way = np.array(d.direction) / np.linalg.norm(d.direction)
        speed = float(norm(curve_derivatives(curve, t[[d.point]], 1)[1])[0])
        reach = _TIP * speed * float(np.diff(t).mean()) / d.weight
        tips.append({"point": d.point, "at": (points[d.point] + reach * d.weight * way).tolist(), "reach": reach})
    hanging = [i for i, p in enumerate(params.points) if not isinstance(p, tuple)]
    return made_curves(curve, points=points, tips=tips, hanging=hanging)


def _aligned(d: DirectionData, points: Array, inputs: Inputs) -> DirectionData:
    """The direction with the tangent of the line it goes along."""
    if d.along is None or d.point >= len(points):
        return d
    line = inputs.curve(d.along)
    tangent = curve_jets(line, to_curve(line, np.array([points[d.point]])).t).tangent[0]
    x, y, z = (tangent if float(tangent @ np.array(d.direction)) >= 0 else -tangent).tolist()
    return d.model_copy(update={"direction": (x, y, z)})


def _parameters(params: PointCurveParams, points: Array) -> Array:
    kept = params.kept
    if kept is not None and len(kept.parameters) == len(points) + params.closed:
        return floats(kept.parameters)
    return point_parameters(np.vstack([points, points[:1]]) if params.closed else points)


def _insert(raw: dict[str, Any], cvs: list[int], value: float | None) -> dict[str, Any]:
    """A point on the curve behind each picked one (before the last of an open curve). Nothing moves."""
    params = PointCurveParams.model_validate(raw)
    if not cvs:
        raise StudyError("Pick the point that a new one is to follow.")
    where, points = params.places(), list(params.points)
    curve, t = _through(params, floats(where)), _parameters(params, floats(where))
    directions = params.directions
    for i in sorted(set(cvs), reverse=True):
        k = min(i, len(t) - 2)
        middle = 0.5 * (t[k] + t[k + 1])
        x, y, z = curve_points(curve, np.array([middle]))[0].tolist()
        t = np.insert(t, k + 1, middle)
        points.insert(k + 1, (x, y, z))
        where.insert(k + 1, (x, y, z))
        directions = _shifted(directions, k + 1, 1)
    kept = KeptShape(parameters=t.tolist(), curve=CurveData.of(curve))
    changes = {"points": points, "where": where, "kept": kept, "directions": directions}
    return _rated(params.model_copy(update=changes), curve).model_dump()


def _rated(params: PointCurveParams, curve: Curve) -> PointCurveParams:
    """Weights of the directions by the pace of the legs beside them now, so that the curve stays as it is."""
    if not params.directions:
        return params
    at = np.array([d.point for d in params.directions], dtype=np.intp)
    where = floats(params.places())
    weights = norm(natural_handles(curve, where, at, params.closed, _parameters(params, where)))
    new = [d.model_copy(update={"weight": float(w)}) for d, w in zip(params.directions, weights, strict=True)]
    return params.model_copy(update={"directions": new})


def _shifted(directions: list[DirectionData], start: int, by: int) -> list[DirectionData]:
    return [d.model_copy(update={"point": d.point + by}) if d.point >= start else d for d in directions]


def _delete(raw: dict[str, Any], cvs: list[int], value: float | None) -> dict[str, Any]:
    params = PointCurveParams.model_validate(raw)
    gone = set(cvs)
    if not gone:
        raise StudyError("Pick the points to delete first.")
    left = [i for i in range(len(params.points)) if i not in gone]
    if len(left) < (3 if params.closed else 2):
        raise StudyError("Too few points would be left: delete the curve itself instead.")
    place = {old: new for new, old in enumerate(left)}
    directions = [d.model_copy(update={"point": place[d.point]}) for d in params.directions if d.point in place]
    where = params.places()
    t = _parameters(params, floats(where))
    pace = t[[*left, *([len(t) - 1] if params.closed else [])]]
    changes = {
        "points": [params.points[i] for i in left],
        "where": [where[i] for i in left],
        "kept": KeptShape(parameters=((pace - pace[0]) / (pace[-1] - pace[0])).tolist()),
        "directions": directions,
    }
    return params.model_copy(update=changes).model_dump()


def _smooth(raw: dict[str, Any], cvs: list[int], value: float | None) -> dict[str, Any]:
    """The picked points, or all inner ones, moved to an even progress of the curve; more of ``value`` (0 to 1)."""
    params = PointCurveParams.model_validate(raw)
    points = floats(params.places())
    n = len(points)
    chosen = np.array(sorted(set(cvs)) if cvs else range(n), dtype=np.intp)
    t = _parameters(params, points)
    share = 0.5 if value is None else float(np.clip(value, 0, 1))
    if params.closed:
        # Round the joint: the points stand thrice in a row, the middle ones count.
        t = t[:-1]
        wide = evened(np.vstack([points] * 3), np.concatenate([t - 1, t, t + 1]), chosen + n)[n : 2 * n]
    else:
        wide = evened(points, t, chosen)
    moved = (points + share * (wide - points)).tolist()
    new = [tuple(m) if isinstance(p, tuple) else p for p, m in zip(params.points, moved, strict=True)]
    return params.model_copy(update={"points": new}).model_dump()


def _direct(raw: dict[str, Any], cvs: list[int], value: float | None) -> dict[str, Any]:
    """A direction at each picked point, as the curve runs there now."""
    params = PointCurveParams.model_validate(raw)
    has = {d.point for d in params.directions}
    new = np.array([i for i in sorted(set(cvs)) if i not in has], dtype=np.intp)
    if not len(new):
        raise StudyError("Pick points that have no direction yet.")
    where = floats(params.places())
    found = natural_handles(_through(params, where), where, new, params.closed, _parameters(params, where))
    weights = np.clip(norm(found), 0.02, 20)
    ways = (found / norm(found)[:, None]).tolist()
    made = [
        DirectionData(point=int(i), direction=tuple(way), weight=float(w))
        for i, way, w in zip(new, ways, weights, strict=True)
    ]
    return params.model_copy(update={"directions": [*params.directions, *made]}).model_dump()


def _free(raw: dict[str, Any], cvs: list[int], value: float | None) -> dict[str, Any]:
    params = PointCurveParams.model_validate(raw)
    return params.model_copy(update={"directions": [d for d in params.directions if d.point not in cvs]}).model_dump()


def settle(before: dict[str, Any], params: dict[str, Any], moved: list[int]) -> dict[str, Any]:
    """Parameters after a change. A curve that is closed lets go of the directions of what were its ends: they led away
    from each other. What it kept of its shape goes with its degree and its ends.
    """
    out = params
    if params["closed"] and not before["closed"]:
        ends = (0, len(params["points"]) - 1)
        out = {**out, "directions": [d for d in params["directions"] if d["point"] not in ends]}
    if any(params[k] != before[k] for k in ("closed", "degree")):
        out = {**out, "kept": None}
    return out


KIND = FeatureKind(
    "point_curve", "Curve through points", "theoretical", PointCurveParams, run, "curves",
    "Click where the curve goes through; Enter keeps it.", section="Draw", net=("points",), settle=settle,
    actions={
        "smooth": Action(_smooth, "Smooth", "The picked points move halfway to an even progress", at="cvs"),
        "insert": Action(
            _insert, "Insert after", "A point on the curve, halfway to the next; nothing moves", at="cvs", recounts=True
        ),
        "delete": Action(
            _delete, "Delete", "The curve no longer goes through the picked points", at="cvs", recounts=True
        ),
        "direct": Action(_direct, "Give a direction", "A handle for the direction of the curve here", at="cvs"),
        "free": Action(_free, "Free", "Take the direction away again", at="cvs"),
    },
)  # fmt: skip
