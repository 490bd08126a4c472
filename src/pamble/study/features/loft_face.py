"""Loft: a face through sections in order, with guides, that runs on into its neighbours where asked."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array
from pamble.core.curves.measure import length_parameters
from pamble.core.curves.offset import curve_plane
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.patches.around import loft_around
from pamble.core.patches.guided import FREE, LoftEnd
from pamble.core.patches.inside import off
from pamble.core.patches.loft import Between, loft
from pamble.core.patches.paced import found_begins
from pamble.core.patches.sections import is_closed, point_section, senses
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.kinks import kinks, smooth_pieces
from pamble.core.spline.knots import reverse_curve
from pamble.core.spline.surface import Surface
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, made_faces
from pamble.study.features.fields import choice, number, unseen
from pamble.study.features.handles import move, slide, way
from pamble.study.features.swept_faces import turned_about
from pamble.study.objects import PartHandle
from pamble.study.references import EdgeRef, Place
from pamble.study.stored import Stored

Ending = Literal["free", "square", "tangent", "curvature"]
_ORDER = {"free": 0, "square": 0, "tangent": 1, "curvature": 2}
_WORDS = {"square": "square to its plane", "tangent": "G1 to its face", "curvature": "G2 to its face"}
_MEETS = ("tangent", "curvature")


class LoftParams(Stored):
    """Sections in order. turned: numbers of sections that run the other way than was found. magnitudes: how far the
    surface runs as it leaves an end, over the way to the next section. matching: how many points of the sections meet
    each other; matched: where each of them stands on every section, as a share of its length, null where it is left as
    found. from_point, to_point: a point in front of the first section, and one behind the last. around: the axis about
    which the sections stand like spokes.
    """

    sections: list[EdgeRef] = Field(title="Sections", min_length=1)
    guides: list[EdgeRef] = Field([], title="Guides")
    around: Literal["none", "line", "x", "y", "z"] = choice(
        "Round an axis", "none", labels={"none": "no", "line": "a line"}
    )
    axis: EdgeRef | None = choice("Axis", None, ("around", "line"), placed=True)
    from_point: Place | None = choice("From a point", None, ("around", "none"), fold="Points at the ends", unset="none")
    to_point: Place | None = choice("To a point", None, ("around", "none"), fold="Points at the ends", unset="none")
    between: Between = choice("Between sections", "smooth")
    closed: bool = choice("Round to the first", False)
    start: Ending = choice("At the start", "free", ("around", "none"), labels=_WORDS)
    start_magnitude: float = number("Start's magnitude", 1.0, when=("start", "square", *_MEETS), gt=0, le=10)
    end: Ending = choice("At the end", "free", ("around", "none"), labels=_WORDS)
    end_magnitude: float = number("End's magnitude", 1.0, when=("end", "square", *_MEETS), gt=0, le=10)
    turned: list[int] = Field([], title="Turned sections", json_schema_extra={"widget": "numbers"})
    matching: int = number("Matching points", 0, ge=0, le=8)
    matched: list[list[Annotated[float, Field(ge=0, le=1)] | None]] = unseen([])


@dataclass(frozen=True)
class _Built:
    surface: Surface
    off_sections: float
    off_guides: float | None
    warnings: tuple[str, ...] = ()


def run(params: LoftParams, inputs: Inputs, context: Context) -> Made:
    """Build the loft."""
    lines: list[Curve | Edge] = [
        inputs.edge(ref) if inputs.is_edge(ref) else inputs.curve(ref) for ref in params.sections
    ]
    if len(lines) == 1 and (params.around != "none" or (params.from_point is None and params.to_point is None)):
        raise GeometryError("Pick another section, or a point that the loft runs to.")
    curves = [s.space if isinstance(s, Edge) else s for s in lines]
    if any(not 1 <= n <= len(lines) for n in params.turned):
        raise GeometryError(f"Sections are numbered from 1 to {len(lines)}.")
    found = senses(curves) if len(curves) > 1 else [False]
    ways = [t != (i + 1 in params.turned) for i, t in enumerate(found)]
    running = [reverse_curve(c) if way else c for c, way in zip(curves, ways, strict=True)]
    points = _points(params, running)
    if params.around == "none":
        made = _lofted(params, inputs, lines, ways, points, context)
    else:
        made = _around(params, inputs, lines, ways, points)
    seams = []
    for side, ending, ref in (("v0", params.start, params.sections[0]), ("v1", params.end, params.sections[-1])):
        if ending in _MEETS and params.around == "none":
            seams.append(DeclaredSeam(side, ref.feature, ref.edge, _ORDER[ending]))
    facts: dict[str, Any] = {"off_sections": made.off_sections}
    if made.off_guides is not None:
        facts["off_guides"] = made.off_guides
    return made_faces(
        [Face(piece) for piece in smooth_pieces(made.surface)],
        seams=tuple(seams),
        warnings=made.warnings,
        handles=(*_ways(params, running), *_handles(points, running), *_tips(params, running)),
        **facts,
    )


def _lofted(
    params: LoftParams, inputs: Inputs, lines: list[Curve | Edge], ways: list[bool], points: list[list[float]],
    context: Context,
) -> _Built:  # fmt: skip
    ends = (
        _end(params.start, params.start_magnitude, lines[0], inputs.name(params.sections[0].feature)),
        _end(params.end, params.end_magnitude, lines[-1], inputs.name(params.sections[-1].feature)),
    )
    size = max(s.surface.diagonal if isinstance(s, Edge) else _size(s) for s in lines)
    if params.from_point is not None or params.to_point is not None:
        if params.closed:
            raise GeometryError("A loft round to its first section has no ends that could run to a point.")
        lines, ways, points, ends = _with_points(params, inputs, lines, ways, points, ends)
    shown = context.dragged
    made = loft(
        lines, size, between=params.between,
        closed=params.closed, ends=ends, guides=inputs.different(params.guides), turned=ways, matched=points,
        quick=context.quick, before=shown.surface if shown is not None and shown.natural else None,
    )  # fmt: skip
    return _Built(made.surface, max(made.sections), max(made.guides) if made.guides else None, made.warnings)


def _with_points(
    params: LoftParams, inputs: Inputs, lines: list[Curve | Edge], ways: list[bool], points: list[list[float]],
    ends: tuple[LoftEnd, LoftEnd],
) -> tuple[list[Curve | Edge], list[bool], list[list[float]], tuple[LoftEnd, LoftEnd]]:  # fmt: skip
    """Sections, ways, matching points and ends with the points before the first section and behind the last."""
    first, last = params.from_point, params.to_point
    before = [] if first is None else [point_section(inputs.point(first))]
    behind = [] if last is None else [point_section(inputs.point(last))]
    for place, end, words in ((first, ends[0], "starts at"), (last, ends[1], "ends in")):
        if place is not None and end != FREE:
            raise GeometryError(f"The loft {words} a point: leave it free there.")
    return (
        [*before, *lines, *behind],
        [*(False for _ in before), *ways, *(False for _ in behind)],
        [[*(0.0 for _ in before), *row, *(0.0 for _ in behind)] for row in points],
        ends,
    )


def _around(
    params: LoftParams, inputs: Inputs, lines: list[Curve | Edge], ways: list[bool], points: list[list[float]]
) -> _Built:
    if params.guides:
        raise GeometryError("A loft round an axis takes no guides: the way round is its guide.")
    curves = [s.space if isinstance(s, Edge) else s for s in lines]
    point, axis = turned_about(params.around, params.axis, inputs)
    made = loft_around(
        curves, point, axis, closed=params.closed, straight=params.between == "straight", turned=ways, matched=points
    )
    return _Built(made.surface, max(off(made.surface, c) for c in curves), None)


def _points(params: LoftParams, running: list[Curve]) -> list[list[float]]:
    """Matching points with what was left open: evenly along, on closed sections from where they were found to begin."""
    count, n = params.matching, len(running)
    if not count:
        return []
    shut = is_closed(running[0])
    if shut and any(len(kinks(c)[0]) for c in running):
        raise GeometryError("Closed sections with kinks match at their kinks and take no other points.")
    begins = found_begins(running) if shut else np.zeros(n)
    even = np.arange(count) / count if shut else np.arange(1, count + 1) / (count + 1)
    found = (begins + even[:, None]) % 1.0
    own = [[*row, *[None] * n][:n] for row in [*params.matched, *[[] for _ in range(count)]][:count]]
    return [[f if v is None else v for v, f in zip(row, at, strict=True)] for row, at in zip(own, found, strict=True)]


def _ways(params: LoftParams, running: list[Curve]) -> Iterator[PartHandle]:
    for n, curve in enumerate(running, start=1):
        yield way("turned", f"Way of section {n}", n in params.turned, curve, index=n)


def _handles(points: list[list[float]], running: list[Curve]) -> Iterator[PartHandle]:
    for k, row in enumerate(points):
        for i, (value, curve) in enumerate(zip(row, running, strict=True)):

            def along(s: Array, curve: Curve = curve) -> Array:
                return curve_points(curve, length_parameters(curve, s))

            yield slide(f"matched.{k}", f"Point {k + 1} on section {i + 1}", value, along, index=i)


def _tips(params: LoftParams, running: list[Curve]) -> Iterator[PartHandle]:
    """Points at the ends that hang on nothing, moved in the plane square to the section beside them."""
    tips = ("from_point", params.from_point, running[0]), ("to_point", params.to_point, running[-1])
    for name, place, beside in tips:
        if isinstance(place, tuple):
            start, middle = curve_points(beside, [beside.domain[0], 0.5 * sum(beside.domain)])
            yield move(name, "Point", np.array(place), middle - start)


def _size(curve: Curve) -> float:
    return float(((curve.control.max(axis=0) - curve.control.min(axis=0)) ** 2).sum() ** 0.5)


def _end(ending: Ending, magnitude: float, section: Curve | Edge, name: str) -> LoftEnd:
    if ending == "free":
        return FREE
    if ending == "square":
        curve = section.space if isinstance(section, Edge) else section
        return LoftEnd(square=curve_plane(curve)[0], magnitude=magnitude)
    if not isinstance(section, Edge):
        raise GeometryError(f"{name} is no edge of a face: the loft can meet nothing there.")
    return LoftEnd(order=_ORDER[ending], magnitude=magnitude)


KIND = FeatureKind(
    "loft", "Loft", "primary", LoftParams, run, "primaries", "Pick sections in order.", makes="face", section="",
    figures=(Figure("off_sections", "Off the sections", "mm"), Figure("off_guides", "Off the guides", "mm")),
)  # fmt: skip
