"""Copies of a curve: moved, turned, mirrored, scaled; straight and round arrays."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pamble.build.data import EdgeRef, Point, Stored
from pamble.build.features.base import Context, FeatureKind, Inputs, Made, made_curves
from pamble.build.features.fields import choice, number
from pamble.core.curves.transform import Affine, mirror, rotation, scaling, translation


class CopyParams(Stored):
    """One change, done once or several times over. by: the shift in mm, the axis of a turn, the normal of a mirror, or
    the factors of a scale. pivot: the point that stays.
    """

    curve: EdgeRef = choice("Curve")
    how: Literal["move", "turn", "mirror", "scale"] = choice("Change", "move")
    by: Point = choice("By, axis, normal or factors", (0.0, 20.0, 0.0))
    degrees: float = number("Turn", 30.0, "°")
    pivot: Point = choice("Pivot", (0.0, 0.0, 0.0))
    copies: int = number("Copies", 1, ge=1, le=100)


def _change(params: CopyParams, times: int) -> Affine:
    by, pivot = np.array(params.by), np.array(params.pivot)
    match params.how:
        case "move":
            return translation(times * by)
        case "turn":
            return rotation(by, times * params.degrees, pivot)
        case "mirror":
            return mirror(by, pivot)
        case "scale":
            x, y, z = (float(f**times) for f in by)
            return scaling((x, y, z), pivot)


def run(params: CopyParams, inputs: Inputs, context: Context) -> Made:
    """Build the copies."""
    curve = inputs.curve(params.curve)
    count = 1 if params.how == "mirror" else params.copies
    return made_curves(*(_change(params, k + 1).apply(curve) for k in range(count)))


KIND = FeatureKind("copy_curve", "Copy, array", "theoretical", CopyParams, run, "curves", "Pick a curve.")
