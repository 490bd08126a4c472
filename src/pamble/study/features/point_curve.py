"""Curve through points, with directions and weights at points that ask for them."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array, floats, norm
from pamble.core.curves.interpolate import natural_handles, point_parameters, through_points
from pamble.core.curves.jets import curve_jets
from pamble.core.curves.polygon import evened
from pamble.core.errors import GeometryError, StudyError
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.knots import raise_degree
from pamble.study.features.base import Action, Context, FeatureKind, Inputs, Made, made_curves
from pamble.study.features.fields import choice, number
from pamble.study.references import EdgeRef, Point
from pamble.study.stored import Stored

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


class PointCurveParams(Stored):
    """Points in order, mm. A closed curve joins its own start with curvature."""

    points: list[Point] = Field(title="Points", min_length=2)
    degree: int = number("Degree", 3, ge=2, le=7)
    closed: bool = choice("Closed", False)
    directions: list[DirectionData] = choice("Directions", [], widget="directions")


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


def _through(params: PointCurveParams) -> Curve:
    curve = through_points(np.array(params.points), params.degree, params.closed, _handles(params))
    if params.closed and params.degree > curve.degree:
        curve = raise_degree(curve, params.degree - curve.degree)
    return curve


def run(params: PointCurveParams, inputs: Inputs, context: Context) -> Made:
    """Interpolate the points. The tips of the directions are told for the part."""
    params = params.model_copy(update={"directions": [_aligned(d, params.points, inputs) for d in params.directions]})
    points, curve = np.array(params.points), _through(params)
    tips = []
    t = _parameters(points, params.closed)
    for d in params.directions:
        way = np.array(d.direction) / np.linalg.norm(d.direction)
        speed = float(norm(curve_derivatives(curve, t[[d.point]], 1)[1])[0])
        reach = _TIP * speed * float(np.diff(t).mean()) / d.weight
        tips.append({"point": d.point, "at": (points[d.point] + reach * d.weight * way).tolist(), "reach": reach})
    return made_curves(curve, points=points, tips=tips)


def _aligned(d: DirectionData, points: list[Point], inputs: Inputs) -> DirectionData:
    """The direction with the tangent of the line it goes along."""
    if d.along is None or d.point >= len(points):
        return d
    line = inputs.curve(d.along)
    tangent = curve_jets(line, to_curve(line, np.array([points[d.point]])).t).tangent[0]
    x, y, z = (tangent if float(tangent @ np.array(d.direction)) >= 0 else -tangent).tolist()
    return d.model_copy(update={"direction": (x, y, z)})


def _parameters(points: Array, closed: bool) -> Array:
    return point_parameters(np.vstack([points, points[:1]]) if closed else points)


def _insert(raw: dict[str, Any], cvs: list[int], value: float | None) -> dict[str, Any]:
    """A point on the curve behind each picked one (before the last of an open curve)."""
    params = PointCurveParams.model_validate(raw)
    if not cvs:
        raise StudyError("Pick the point that a new one is to follow.")
    points, curve = list(params.points), _through(params)
    t = _parameters(floats(points), params.closed)
    for i in sorted(set(cvs), reverse=True):
        k = min(i, len(t) - 2)
        new = curve_points(curve, np.array([0.5 * (t[k] + t[k + 1])]))[0]
        points.insert(k + 1, (float(new[0]), float(new[1]), float(new[2])))
        params = params.model_copy(update={"directions": _shifted(params.directions, k + 1, 1)})
    return params.model_copy(update={"points": points}).model_dump()


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
    return params.model_copy(update={"points": [params.points[i] for i in left], "directions": directions}).model_dump()


def _smooth(raw: dict[str, Any], cvs: list[int], value: float | None) -> dict[str, Any]:
    """The picked points, or all inner ones, moved to an even progress of the curve; more of ``value`` (0 to 1)."""
    params = PointCurveParams.model_validate(raw)
    points = floats(params.points)
    n = len(points)
    chosen = np.array(sorted(set(cvs)) if cvs else range(n), dtype=np.intp)
    share = 0.5 if value is None else float(np.clip(value, 0, 1))
    if params.closed:
        # Round the joint: the points stand thrice in a row, the middle ones count.
        t = _parameters(points, True)[:-1]
        wide = evened(np.vstack([points] * 3), np.concatenate([t - 1, t, t + 1]), chosen + n)[n : 2 * n]
    else:
        wide = evened(points, point_parameters(points), chosen)
    moved = points + share * (wide - points)
    return params.model_copy(update={"points": [(float(x), float(y), float(z)) for x, y, z in moved]}).model_dump()


def _direct(raw: dict[str, Any], cvs: list[int], value: float | None) -> dict[str, Any]:
    """A direction at each picked point, as the curve runs there now."""
    params = PointCurveParams.model_validate(raw)
    has = {d.point for d in params.directions}
    new = np.array([i for i in sorted(set(cvs)) if i not in has], dtype=np.intp)
    if not len(new):
        raise StudyError("Pick points that have no direction yet.")
    found = natural_handles(_through(params), floats(params.points), new, params.closed)
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


KIND = FeatureKind(
    "point_curve", "Curve through points", "theoretical", PointCurveParams, run, "curves",
    "Click where the curve goes through; Enter keeps it.", section="Draw", net=("points",),
    actions={
        "smooth": Action(_smooth, "Smooth", "The picked points move halfway to an even progress", at="cvs"),
        "insert": Action(_insert, "Insert after", "A point on the curve, halfway to the next", at="cvs", recounts=True),
        "delete": Action(
            _delete, "Delete", "The curve no longer goes through the picked points", at="cvs", recounts=True
        ),
        "direct": Action(_direct, "Give a direction", "A handle for the direction of the curve here", at="cvs"),
        "free": Action(_free, "Free", "Take the direction away again", at="cvs"),
    },
)  # fmt: skip
