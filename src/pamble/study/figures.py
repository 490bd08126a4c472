"""Figures that are asked for by hand: exact places, and how far a change moved a curve."""

from __future__ import annotations

from typing import Any

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.measure import curve_length, deviation
from pamble.core.errors import StudyError
from pamble.core.spline.closest import to_curve, to_surface
from pamble.study.objects import Shape
from pamble.study.states import Evaluation

_NOTHING = 1e-9
"""Movement in mm below which a curve counts as not moved: rounding."""


def place_on(shape: Shape, edge: str | None, point: Array) -> dict[str, Any]:
    """The place on a line or on the face nearest to ``point`` (3,); at: fraction of the line's length, or null."""
    if edge is None:
        if shape.face is not None:
            return {"point": to_surface(shape.face.surface, point[None]).point[0].tolist(), "at": None}
        if shape.plane is not None:
            foot = point - shape.plane.height(point[None])[0] * shape.plane.normal
            return {"point": foot.tolist(), "at": None}
        raise StudyError("This object has no surface to place a point on.")
    if edge not in shape.lines:
        raise StudyError(f"The line {edge} is no longer there.")
    curve = shape.lines[edge]
    feet = to_curve(curve, point[None])
    a, b = curve.domain
    t = float(feet.t[0])
    at = 0.0 if t <= a else 1.0 if t >= b else curve_length(curve, a, t) / curve_length(curve)
    return {"point": feet.point[0].tolist(), "at": at}


def moved_by(before: Evaluation, after: Evaluation, id: str) -> str | None:
    """How far a curve was moved by a change of its make, in words."""
    pair = [e.world[id].shape for e in (before, after) if id in e.world]
    curves = [s.curves[0] for s in pair if s.curves]
    if len(curves) != 2:
        return None
    new = curves[1]
    make = f"Degree {new.degree}, {new.spans} span{'s' if new.spans > 1 else ''}, {len(new.control)} CVs"
    found = deviation(curves[0], new)
    if found.distance < _NOTHING:
        return f"{make}: nothing moved."
    x, y, z = np.round(found.point, 1)
    return f"{make}: moved by up to {found.distance:.3g} mm, near ({x:g}, {y:g}, {z:g}) mm."
