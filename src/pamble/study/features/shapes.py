"""Line, arc, circle, ellipse and rounded rectangle, exact."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves import shapes
from pamble.core.curves.jets import curve_jets
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, PartHandle, made_curves
from pamble.study.features.fields import choice, heading, number
from pamble.study.features.handles import move, pull, slide
from pamble.study.features.laying import Laid
from pamble.study.references import Place, Point


class LineParams(Laid):
    """A straight piece between two points."""

    POINTS: ClassVar = ("start", "end")

    start: Place = choice("Start")
    end: Place = choice("End")


def line(params: LineParams, inputs: Inputs, context: Context) -> Made:
    """Build the line."""
    params = params.standing(inputs)
    start, end = inputs.point(params.start), inputs.point(params.end)
    if np.allclose(start, end, rtol=0, atol=1e-9):
        raise GeometryError("The two ends of the line are one point.")
    return made_curves(Curve.line(start, end))


class ArcParams(Laid):
    """An arc through three points, between two by its radius about an axis, or a conic whose end tangents meet in the
    middle point. rho: height of the conic's shoulder; below 0.5 an ellipse, 0.5 a parabola, above a hyperbola.
    """

    POINTS: ClassVar = ("start", "through", "end")
    WAYS: ClassVar = ("normal",)

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
    params = params.standing(inputs)
    a, b, n = inputs.point(params.start), inputs.point(params.end), np.array(params.normal)
    if params.by == "radius":
        made = shapes.arc_by_radius(a, b, params.radius, n, params.large)
        return made_curves(made, handles=_arc_handles(params, made, n))
    middle = inputs.point(params.through)
    if params.by == "conic":
        made, turn = shapes.conic_arc(a, middle, b, params.rho), np.cross(middle - a, b - a)
    else:
        made, turn = shapes.arc_three_points(a, middle, b), np.cross(middle - a, b - a)
    return made_curves(made, handles=_arc_handles(params, made, turn))


def _arc_handles(params: ArcParams, made: Curve, normal: Array) -> tuple[PartHandle, ...]:
    """Handles at both ends, at what lies between them and at the centre, which takes all of the arc along."""
    jets = curve_jets(made, np.array([sum(made.domain) / 2]))
    out = [
        move(field, label, at, normal)
        for field, label, at in (("start", "Start", made.control[0]), ("end", "End", made.control[-1]))
        if isinstance(getattr(params, field), tuple)
    ]
    free = isinstance(params.through, tuple)
    if params.by == "conic":
        chord, corner = 0.5 * (made.control[0] + made.control[-1]), made.control[1]
        out.append(
            slide("rho", "rho", params.rho, lambda s: chord + s[:, None] * (corner - chord), limits=(0.01, 0.99))
        )
        return (*out, *([move("through", "Corner", corner, normal)] if free else []))
    centre = jets.point[0] + jets.bend[0] / float(jets.bend[0] @ jets.bend[0])
    if params.by == "radius":
        way = jets.point[0] - centre
        out.append(pull("radius", "Radius", params.radius, centre, way, limits=_LENGTHS))
        points: tuple[str, ...] = ("start", "end")
    else:
        points = ("start", "through", "end")
        out += [move("through", "On the way", np.array(params.through), normal)] if free else []
    if all(isinstance(getattr(params, p), tuple) for p in points):
        out.append(move(points[0], "Centre", centre, normal, along=points[1:]))
    return tuple(out)


_LENGTHS = (1e-3, 1e5)


def _centre(given: Place, centre: Array, normal: Point) -> tuple[PartHandle, ...]:
    """A handle at the centre, unless it hangs on something else."""
    return (move("centre", "Centre", centre, np.array(normal)),) if isinstance(given, tuple) else ()


class EllipseParams(Laid):
    """A circle when both radii are one, else an ellipse; an arc of it when it turns less than 360 degrees."""

    POINTS: ClassVar = ("centre",)
    WAYS: ClassVar = ("normal", "toward")

    centre: Place = choice("Centre")
    normal: Point = heading("Turns about", (0.0, 1.0, 0.0), facing=True)
    radius: float = number("Radius", 50.0, "mm", gt=0)
    second: float | None = number("Second radius", None, "mm", gt=0)
    degrees: float = number("Turns by", 360.0, "°", gt=0, le=360)
    toward: Point | None = heading("Starts toward", None)


def ellipse(params: EllipseParams, inputs: Inputs, context: Context) -> Made:
    """Build the circle or ellipse."""
    params = params.standing(inputs)
    toward = None if params.toward is None else np.array(params.toward)
    radii = (params.radius, params.second or params.radius)
    centre = inputs.point(params.centre)
    made = shapes.ellipse(centre, np.array(params.normal), radii, toward, params.degrees)
    x, y = shapes.frame(np.array(params.normal), toward)
    handles = [pull("radius", "Radius", radii[0], centre, x, limits=_LENGTHS)]
    if params.second is not None:
        handles.append(pull("second", "Second radius", radii[1], centre, y, limits=_LENGTHS))
    return made_curves(made, handles=(*handles, *_centre(params.centre, centre, params.normal)))


class RectangleParams(Laid):
    """A rectangle with conic corners. rho 0.414 makes them round. toward: where its width runs."""

    POINTS: ClassVar = ("centre",)
    WAYS: ClassVar = ("normal", "toward")

    centre: Place = choice("Centre")
    normal: Point = heading("Square to", (0.0, 1.0, 0.0), facing=True)
    width: float = number("Width", 100.0, "mm", gt=0)
    height: float = number("Height", 60.0, "mm", gt=0)
    corner: float = number("Corner", 15.0, "mm", gt=0)
    rho: float = number("rho", 0.4142, gt=0, lt=1)
    toward: Point | None = heading("Width runs toward", None)


def rectangle(params: RectangleParams, inputs: Inputs, context: Context) -> Made:
    """Build the rectangle."""
    params = params.standing(inputs)
    size = (params.width, params.height)
    centre, normal = inputs.point(params.centre), np.array(params.normal)
    toward = None if params.toward is None else np.array(params.toward)
    x, y = shapes.frame(normal, toward)
    handles = (
        pull("width", "Width", params.width, centre, x, per_mm=2.0, limits=_LENGTHS),
        pull("height", "Height", params.height, centre, y, per_mm=2.0, limits=_LENGTHS),
        *_centre(params.centre, centre, params.normal),
    )
    made = shapes.rounded_rectangle(centre, normal, size, params.corner, params.rho, toward)
    return made_curves(made, handles=handles)


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
