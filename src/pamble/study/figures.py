"""Figures that are asked for by hand: exact places, and how far a change moved a curve."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.measure import curve_length, deviation
from pamble.core.errors import StudyError
from pamble.core.spline.closest import to_curve, to_surface
from pamble.study.evaluate import State
from pamble.study.features import Made

_NOTHING = 1e-9
"""Movement in mm below which a curve counts as not moved: rounding."""


def place_on(made: Made, edge: str | None, point: Array) -> dict[str, Any]:
    """The place on a line or on the face nearest to ``point`` (3,); at: fraction of the line's length, or null."""
    if edge is None:
        if made.face is not None:
            return {"point": to_surface(made.face.surface, point[None]).point[0].tolist(), "at": None}
        if made.plane is not None:
            foot = point - made.plane.height(point[None])[0] * made.plane.normal
            return {"point": foot.tolist(), "at": None}
        raise StudyError("This object has no surface to place a point on.")
    if edge not in made.lines:
        raise StudyError(f"The line {edge} is no longer there.")
    curve = made.lines[edge]
    feet = to_curve(curve, point[None])
    a, b = curve.domain
    t = float(feet.t[0])
    at = 0.0 if t <= a else 1.0 if t >= b else curve_length(curve, a, t) / curve_length(curve)
    return {"point": feet.point[0].tolist(), "at": at}


def moved_by(before: Mapping[str, State], after: Mapping[str, State], id: str) -> str | None:
    """How far a curve was moved by a change of its make, in words."""
    pair = [s[id].made for s in (before, after) if id in s]
    curves = [m.curves[0] for m in pair if m is not None and m.curves]
    if len(curves) != 2:
        return None
    new = curves[1]
    make = f"Degree {new.degree}, {new.spans} span{'s' if new.spans > 1 else ''}, {len(new.control)} CVs"
    found = deviation(curves[0], new)
    if found.distance < _NOTHING:
        return f"{make}: nothing moved."
    x, y, z = np.round(found.point, 1)
    return f"{make}: moved by up to {found.distance:.3g} mm, near ({x:g}, {y:g}, {z:g}) mm."
