"""Copies of a curve: moved, turned, mirrored, scaled; straight and round arrays."""

from __future__ import annotations

from typing import Literal, Protocol

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.transform import Affine, mirror, rotation, scaling, translation
from pamble.core.spline.evaluate import curve_points
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, made_curves
from pamble.study.features.fields import choice, heading, number
from pamble.study.features.handles import turn
from pamble.study.references import EdgeRef, Place, Point
from pamble.study.stored import Stored


class CopyParams(Stored):
    """One change, done once or several times over. shift in mm; axis of a turn; normal of the mirror's plane; factors
    of a scale along x, y and z. pivot: the point that stays, or that the mirror goes through.
    """

    curve: EdgeRef = choice("Curve")
    how: Literal["move", "turn", "mirror", "scale"] = choice("Change", "move")
    shift: Point = choice("By", (0.0, 20.0, 0.0), when=("how", "move"))
    axis: Point = heading("About the axis", (0.0, 0.0, 1.0), when=("how", "turn"))
    degrees: float = number("Turn", 30.0, "°", when=("how", "turn"))
    normal: Point = heading("Mirror square to", (0.0, 1.0, 0.0), when=("how", "mirror"))
    factors: Point = choice("Factors", (1.0, 1.0, 1.0), when=("how", "scale"))
    pivot: Place = choice("Pivot", (0.0, 0.0, 0.0), when=("how", "turn", "mirror", "scale"))
    copies: int = number("Copies", 1, when=("how", "move", "turn", "scale"), ge=1, le=100)


class Copying(Protocol):
    """What says how something is copied."""

    how: Literal["move", "turn", "mirror", "scale"]
    shift: Point
    axis: Point
    degrees: float
    normal: Point
    factors: Point


def change_of(params: Copying, pivot: Array, times: int) -> Affine:
    """The change done so many times over."""
    match params.how:
        case "move":
            return translation(times * np.array(params.shift))
        case "turn":
            return rotation(np.array(params.axis), times * params.degrees, pivot)
        case "mirror":
            return mirror(np.array(params.normal), pivot)
        case "scale":
            x, y, z = (float(f**times) for f in params.factors)
            return scaling((x, y, z), pivot)


def run(params: CopyParams, inputs: Inputs, context: Context) -> Made:
    """Build the copies."""
    curve = inputs.curve(params.curve)
    pivot = inputs.point(params.pivot)
    count = 1 if params.how == "mirror" else params.copies
    copies = [change_of(params, pivot, k + 1).apply(curve) for k in range(count)]
    middle = curve_points(copies[0], [0.5 * sum(copies[0].domain)])[0]
    handles = (turn("degrees", "Turn", params.degrees, pivot, np.array(params.axis), middle),)
    return made_curves(*copies, handles=handles if params.how == "turn" else ())


KIND = FeatureKind(
    "copy_curve", "Copy, array", "theoretical", CopyParams, run, "curves", "Pick a curve.", section="Change"
)
