"""Measured values that follow what they measure: distance, angle, radius, width."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array
from pamble.core.curves.edit import nearest_ends
from pamble.core.curves.jets import curve_jets, end_jet
from pamble.core.curves.measure import curve_facts, extent, length_parameters
from pamble.core.curves.meet import nearest
from pamble.core.errors import GeometryError
from pamble.core.spline.closest import to_curve
from pamble.study.features.base import Context, FeatureKind, Inputs, Made
from pamble.study.features.fields import choice, heading, number
from pamble.study.references import EdgeRef, Place, Point
from pamble.study.stored import Stored


def _measured(value: float | None, unit: str, lines: list[tuple[Array, Array]], **more: Any) -> Made:
    """value: None for infinity. lines: drawn on the part, the first one carries the figure."""
    drawn = [[a.tolist(), b.tolist()] for a, b in lines]
    return Made(facts={"measured": {"value": value, "unit": unit, "lines": drawn}, **more})


class PointDistanceParams(Stored):
    """From one place to another."""

    start: Place = choice("From")
    end: Place = choice("To")


def between_points(params: PointDistanceParams, inputs: Inputs, context: Context) -> Made:
    """Measure the distance and its parts along the axes."""
    a, b = inputs.point(params.start), inputs.point(params.end)
    return _measured(float(np.linalg.norm(b - a)), "mm", [(a, b)], parts=(b - a).tolist())


class LineDistanceParams(Stored):
    """Where two lines come nearest."""

    first: EdgeRef = choice("First line")
    second: EdgeRef = choice("Second line")


def between_lines(params: LineDistanceParams, inputs: Inputs, context: Context) -> Made:
    """Measure the least distance."""
    found = nearest(*inputs.different([params.first, params.second]))
    a, b = found.points
    return _measured(found.gap, "mm", [(a, b)], parts=(b - a).tolist())


class AngleParams(Stored):
    """Between two lines where they cross, or, if they do not, at the ends that are nearest."""

    first: EdgeRef = choice("First line")
    second: EdgeRef = choice("Second line")


def angle(params: AngleParams, inputs: Inputs, context: Context) -> Made:
    """Measure the angle between the tangents: 180° is straight on at two ends."""
    a, b = inputs.different([params.first, params.second])
    found = nearest(a, b)
    inner = all(
        min(t - c.domain[0], c.domain[1] - t) > 1e-6 * (c.domain[1] - c.domain[0])
        for t, c in zip(found.t, (a, b), strict=True)
    )
    if inner and found.gap < 0.01:
        jets = curve_jets(a, [found.t[0]]), curve_jets(b, [found.t[1]])
    else:
        i, j = nearest_ends(a, b)
        jets = end_jet(a, i).turned(), end_jet(b, j).turned()
    u, v = jets[0].tangent[0], jets[1].tangent[0]
    value = float(np.degrees(np.arctan2(np.linalg.norm(np.cross(u, v)), u @ v)))
    arm = 0.15 * min(curve_facts(c, quick=True).length for c in (a, b))
    p, q = jets[0].point[0], jets[1].point[0]
    return _measured(value, "°", [(p + arm * u, q + arm * v), (p, p + arm * u), (q, q + arm * v)])


class RadiusParams(Stored):
    """Radius of curvature of a line at a fraction of its length; at its least radius when that is left open."""

    curve: EdgeRef = choice("Line")
    at: float | None = number("At", None, ge=0, le=1)


def radius(params: RadiusParams, inputs: Inputs, context: Context) -> Made:
    """Measure the radius; drawn from the line to the centre of curvature."""
    curve = inputs.curve(params.curve)
    if params.at is None:
        facts = curve_facts(curve)
        if facts.least_radius is None:
            return _measured(None, "mm", [(facts.least_point, facts.least_point)])
        t = to_curve(curve, facts.least_point[None]).t
    else:
        t = length_parameters(curve, np.array([params.at]))
    jets = curve_jets(curve, t)
    bend, point, size = jets.bend[0], jets.point[0], float(jets.curvature[0])
    if size < 1e-9:
        return _measured(None, "mm", [(point, point)])
    return _measured(1.0 / size, "mm", [(point, point + bend / size**2)])


class WidthParams(Stored):
    """How far one or several lines reach along a direction."""

    lines: list[EdgeRef] = Field(title="Lines", min_length=1)
    direction: Point = heading("Along", (1.0, 0.0, 0.0))


def width(params: WidthParams, inputs: Inputs, context: Context) -> Made:
    """Measure the reach."""
    d = np.array(params.direction)
    length = float(np.linalg.norm(d))
    if length < 1e-12:
        raise GeometryError("A width needs a direction that is not zero.")
    d = d / length
    ends = np.array([extent(inputs.curve(ref), d) for ref in params.lines]).reshape(-1, 3)
    low, high = ends[int(np.argmin(ends @ d))], ends[int(np.argmax(ends @ d))]
    value = float((high - low) @ d)
    across = low + value * d
    return _measured(value, "mm", [(low, across), (across, high)])


KINDS = (
    FeatureKind(
        "measure_points",
        "Distance",
        "construction",
        PointDistanceParams,
        between_points,
        "check",
        "Click two points.",
        makes="figure",
    ),
    FeatureKind(
        "measure_lines",
        "Least distance",
        "construction",
        LineDistanceParams,
        between_lines,
        "check",
        "Pick two lines.",
        makes="figure",
    ),
    FeatureKind(
        "measure_angle", "Angle", "construction", AngleParams, angle, "check", "Pick two lines.", makes="figure"
    ),
    FeatureKind(
        "measure_radius", "Radius", "construction", RadiusParams, radius, "check", "Pick a line.", makes="figure"
    ),
    FeatureKind(
        "measure_width",
        "Width",
        "construction",
        WidthParams,
        width,
        "check",
        "Pick one or several lines.",
        makes="figure",
    ),
)
