"""Planes to draw and move in, to cut with, and to look at squarely. They follow what they hang on."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pamble.core.curves.jets import curve_jets
from pamble.core.curves.measure import length_parameters
from pamble.core.planes import Plane, plane_at, plane_by_points, plane_through_line, principal_plane
from pamble.core.spline.evaluate import curve_points
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, PartHandle, Shape
from pamble.study.features.fields import choice, number
from pamble.study.features.handles import pull, slide, turn
from pamble.study.references import EdgeRef, Place, PlaneRef
from pamble.study.stored import Stored

_AXES = {"x": 0, "y": 1, "z": 2}


def _made(plane: Plane, *handles: PartHandle) -> Made:
    return Made({"": Shape(plane=plane)}, facts={"normal": plane.normal.tolist()}, handles=handles)


def _offset(plane: Plane, offset: float) -> Made:
    """The plane moved along its normal, with a handle for that."""
    handle = pull("offset", "Offset", offset, plane.origin, plane.normal, limits=(-1e5, 1e5))
    return _made(plane.moved(offset), handle)


class ParallelPlaneParams(Stored):
    """Square to a global axis, or parallel to another plane; through a point, and from there along its normal."""

    square_to: Literal["x", "y", "z"] = choice("Square to", "y")
    parallel_to: PlaneRef | None = choice("Parallel to", None)
    through: Place = choice("Through")
    offset: float = number("Offset", 0.0, "mm")


def parallel(params: ParallelPlaneParams, inputs: Inputs, context: Context) -> Made:
    """Build the plane."""
    through = inputs.point(params.through)
    if params.parallel_to is None:
        return _offset(principal_plane(_AXES[params.square_to], through), params.offset)
    other = inputs.plane(params.parallel_to)
    return _offset(Plane(through, other.x, other.y), params.offset)


class ThreePointPlaneParams(Stored):
    """Through three points; its x axis runs from the first to the second."""

    first: Place = choice("First point")
    second: Place = choice("Second point")
    third: Place = choice("Third point")
    offset: float = number("Offset", 0.0, "mm")


def by_points(params: ThreePointPlaneParams, inputs: Inputs, context: Context) -> Made:
    """Build the plane."""
    points = (inputs.point(p) for p in (params.first, params.second, params.third))
    return _offset(plane_by_points(*points), params.offset)


class NormalPlaneParams(Stored):
    """Square to a curve at a fraction of its length."""

    curve: EdgeRef = choice("Curve")
    at: float = number("At", 0.0, ge=0, le=1)


def square_to_curve(params: NormalPlaneParams, inputs: Inputs, context: Context) -> Made:
    """Build the plane."""
    curve = inputs.curve(params.curve)
    t = length_parameters(curve, np.array([params.at]))
    jets = curve_jets(curve, t)
    handle = slide("at", "At", params.at, lambda s: curve_points(curve, length_parameters(curve, s)))
    return _made(plane_at(jets.point[0], jets.tangent[0]), handle)


class LinePlaneParams(Stored):
    """Through the line between two points, turned about it; at 0° it stands as upright as it can."""

    start: Place = choice("From")
    end: Place = choice("To")
    degrees: float = number("Turned by", 0.0, "°")


def through_line(params: LinePlaneParams, inputs: Inputs, context: Context) -> Made:
    """Build the plane."""
    start, end = inputs.point(params.start), inputs.point(params.end)
    plane = plane_through_line(start, end, params.degrees)
    middle, axis = 0.5 * (start + end), end - start
    across = np.cross(plane.normal, axis)
    at = middle + 0.5 * across * np.linalg.norm(axis) / max(float(np.linalg.norm(across)), 1e-12)
    return _made(plane, turn("degrees", "Turned by", params.degrees, middle, axis, at))


KINDS = (
    FeatureKind(
        "plane_parallel", "Plane", "construction", ParallelPlaneParams, parallel, "plan",
        "Click a point that the plane goes through.", makes="plane",
    ),
    FeatureKind(
        "plane_points", "Plane by three points", "construction", ThreePointPlaneParams, by_points, "plan",
        "Click three points.", makes="plane",
    ),
    FeatureKind(
        "plane_normal", "Plane square to a curve", "construction", NormalPlaneParams, square_to_curve, "plan",
        "Pick a curve or an edge.", makes="plane",
    ),
    FeatureKind(
        "plane_line", "Plane through a line", "construction", LinePlaneParams, through_line, "plan",
        "Click two points on the line.", makes="plane",
    ),
)  # fmt: skip
