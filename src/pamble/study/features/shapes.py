"""Line, arc, circle, ellipse and rounded rectangle, exact."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves import shapes
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, PartHandle, made_curves
from pamble.study.features.fields import choice, heading, number
from pamble.study.features.handles import move, pull
from pamble.study.references import Place, Point
from pamble.study.stored import Stored


class LineParams(Stored):
    """A straight piece between two points."""

    start: Place = choice("Start")
    end: Place = choice("End")


def line(params: LineParams, inputs: Inputs, context: Context) -> Made:
    """Build the line."""
    start, end = inputs.point(params.start), inputs.point(params.end)
    if np.allclose(start, end, rtol=0, atol=1e-9):
        raise GeometryError("The two ends of the line are one point.")
    return made_curves(Curve.line(start, end))


class ArcParams(Stored):
    """An arc through three points, between two by its radius about an axis, or a conic whose end tangents meet in the
    middle point. rho: height of the conic's shoulder; below 0.5 an ellipse, 0.5 a parabola, above a hyperbola.
    """

    by: Literal["three points", "radius", "conic"] = choice("Given by", "three points")
    start: Place = choice("Start")
    through: Place = choice("Through", (0.0, 0.0, 0.0), ("by", "three points", "conic"), placed=True)
    end: Place = choice("End")
    radius: float = number("Radius", 50.0, "mm", when=("by", "radius"), gt=0)
    normal: Point = heading("Turns about", (0.0, 1.0, 0.0), ("by", "radius"), facing=True)
    large: bool = choice("The long way round", False, when=("by", "radius"))
    rho: float = number("rho", 0.4142, when=("by", "conic"), gt=0, lt=1)


def arc(params: ArcParams, inputs: Inputs, context: Context) -> Made:
    """Build the arc."""
    a, b, n = inputs.point(params.start), inputs.point(params.end), np.array(params.normal)
    if params.by == "radius":
        return made_curves(shapes.arc_by_radius(a, b, params.radius, n, params.large))
    if params.by == "conic":
        return made_curves(shapes.conic_arc(a, inputs.point(params.through), b, params.rho))
    return made_curves(shapes.arc_three_points(a, inputs.point(params.through), b))


_LENGTHS = (1e-3, 1e5)


def _centre(given: Place, centre: Array, normal: Point) -> tuple[PartHandle, ...]:
    """A handle at the centre, unless it hangs on something else."""
    return (move("centre", "Centre", centre, np.array(normal)),) if isinstance(given, tuple) else ()


class EllipseParams(Stored):
    """A circle when both radii are one, else an ellipse; an arc of it when it turns less than 360 degrees."""

    centre: Place = choice("Centre")
    normal: Point = heading("Turns about", (0.0, 1.0, 0.0), facing=True)
    radius: float = number("Radius", 50.0, "mm", gt=0)
    second: float | None = number("Second radius", None, "mm", gt=0)
    degrees: float = number("Turns by", 360.0, "°", gt=0, le=360)
    toward: Point | None = heading("Starts toward", None)


def ellipse(params: EllipseParams, inputs: Inputs, context: Context) -> Made:
    """Build the circle or ellipse."""
    toward = None if params.toward is None else np.array(params.toward)
    radii = (params.radius, params.second or params.radius)
    centre = inputs.point(params.centre)
    made = shapes.ellipse(centre, np.array(params.normal), radii, toward, params.degrees)
    x, y = shapes.frame(np.array(params.normal), toward)
    handles = [pull("radius", "Radius", radii[0], centre, x, limits=_LENGTHS)]
    if params.second is not None:
        handles.append(pull("second", "Second radius", radii[1], centre, y, limits=_LENGTHS))
    return made_curves(made, handles=(*handles, *_centre(params.centre, centre, params.normal)))


class RectangleParams(Stored):
    """A rectangle with conic corners. rho 0.414 makes them round."""

    centre: Place = choice("Centre")
    normal: Point = heading("Square to", (0.0, 1.0, 0.0), facing=True)
    width: float = number("Width", 100.0, "mm", gt=0)
    height: float = number("Height", 60.0, "mm", gt=0)
    corner: float = number("Corner", 15.0, "mm", gt=0)
    rho: float = number("rho", 0.4142, gt=0, lt=1)


def rectangle(params: RectangleParams, inputs: Inputs, context: Context) -> Made:
    """Build the rectangle."""
    size = (params.width, params.height)
    centre, normal = inputs.point(params.centre), np.array(params.normal)
    x, y = shapes.frame(normal)
    handles = (
        pull("width", "Width", params.width, centre, x, per_mm=2.0, limits=_LENGTHS),
        pull("height", "Height", params.height, centre, y, per_mm=2.0, limits=_LENGTHS),
        *_centre(params.centre, centre, params.normal),
    )
    return made_curves(shapes.rounded_rectangle(centre, normal, size, params.corner, params.rho), handles=handles)


KINDS = (
    FeatureKind("line", "Line", "construction", LineParams, line, "curves", "Click start and end.", section="Draw"),
    FeatureKind(
        "arc",
        "Arc",
        "theoretical",
        ArcParams,
        arc,
        "curves",
        "Click start, a point on the way (the corner of a conic), and end.",
        section="Draw",
    ),
    FeatureKind(
        "ellipse", "Circle, ellipse", "construction", EllipseParams, ellipse, "curves", "Click the centre.",
        section="Draw",
    ),
    FeatureKind(
        "rectangle", "Rounded rectangle", "construction", RectangleParams, rectangle, "curves", "Click the centre.",
        section="Draw",
    ),
)  # fmt: skip
