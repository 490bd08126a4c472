"""Curve through points."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pamble.build.data import Point, Stored
from pamble.build.features.base import Context, FeatureKind, Inputs, Made, made_curves
from pamble.build.features.fields import choice, number
from pamble.core.curves.shapes import through_points
from pamble.core.spline.knots import raise_degree


class PointCurveParams(Stored):
    """Points in order, mm. A closed curve joins its own start with curvature."""

    points: list[Point] = Field(title="Points", min_length=2)
    degree: int = number("Degree", 3, ge=2, le=7)
    closed: bool = choice("Closed", False)


def run(params: PointCurveParams, inputs: Inputs, context: Context) -> Made:
    """Interpolate the points."""
    points = np.array(params.points)
    curve = through_points(points, params.degree, params.closed)
    if params.closed and params.degree > curve.degree:
        curve = raise_degree(curve, params.degree - curve.degree)
    return replace(made_curves(curve), points=points)


KIND = FeatureKind(
    "point_curve", "Curve through points", "theoretical", PointCurveParams, run, "curves",
    "Click where the curve goes through; Enter keeps it.", net=("points",),
)  # fmt: skip
