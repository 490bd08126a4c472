"""Feature line: a crease along a line on a smooth face that fades to nothing at its end."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pamble.core.arrays import Array, cross, unit
from pamble.core.curves.measure import curve_length
from pamble.core.faces.face import Face, base_name
from pamble.core.fillets.dying import feature_line
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import surface_derivatives, surface_points
from pamble.core.spline.knots import reverse_curve
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, Shape
from pamble.study.features.fields import choice, number
from pamble.study.features.handles import pull, way
from pamble.study.references import ChangedFaceRef, EdgeRef
from pamble.study.stored import Stored

_IN_REACH = 0.98
"""Share of the height that the steepest crease reaches up to which it is pulled: down it may be a little less."""

_TOLD = 2.0
"""How many times its aim a figure is from which that is said."""


class FeatureLineParams(Stored):
    """line: lies on the face and begins at its border. angle: of the crease at its start, up toward the face's normal,
    down below zero; or height: of the strip where it is lifted farthest. width: of the strip that bends. turned: the
    crease dies out at the line's start.
    """

    face: ChangedFaceRef = choice("Face")
    line: EdgeRef = choice("Line on it")
    given: Literal["angle", "height"] = choice("Given by", "angle")
    angle: float = number("Angle at its start", 8.0, "°", when=("given", "angle"), ge=-60, le=60)
    height: float = number("Height", 1.0, "mm", when=("given", "height"), ge=-1e4, le=1e4)
    width: float = number("Width of the strip", 30.0, "mm", gt=0, le=1e5)
    other_side: bool = choice("On the other side", False)
    turned: bool = choice("Dies at its start", False)


def run(params: FeatureLineParams, inputs: Inputs, context: Context) -> Made:
    """Build the strip, and the face without it."""
    id, name = params.face.feature, f"{context.step}:strip"
    line = inputs.curve(params.line)
    dies = way("turned", "Way of the line", params.turned, reverse_curve(line) if params.turned else line)
    numbers = (params.width, params.other_side, params.turned)
    before, last = context.memory or (None, None)
    made = feature_line(
        inputs.face(params.face), line, None if params.given == "height" else params.angle, params.width,
        height=params.height, other_side=params.other_side, turned=params.turned, name=name,
        like=last if before == numbers else None,
    )  # fmt: skip
    seams = [
        DeclaredSeam(side, id, edge, order)
        for side, k, order in (("v0", 0, 0), ("v1", 1, 2), ("u1", 2, 2))
        if (edge := longest(made.rest, f"{name}{k}")) is not None
    ]
    near, far = surface_points(made.strip.surface, [0.5, 0.5], [0.0, 1.0])
    handle = pull("width", "Width", params.width, near, np.asarray(far - near), limits=(1e-3, 1e5))
    handles = [handle, dies]
    if made.most is not None:
        foot, up = upright(inputs.face(params.face), made.foot)
        limits = (-_IN_REACH * made.most, _IN_REACH * made.most)
        handles.insert(0, pull("height", "Height", params.height, foot, up, limits=limits))
    facts = {"angle": made.angle, "height": made.height, "law": made.law, "off_surface": made.off}
    return Made(
        {"": Shape(made.strip)},
        {id: Shape(made.rest)},
        tuple(seams),
        tuple(handles),
        facts,
        told_missed(made.missed),
        memory=(numbers, made),
    )


def upright(face: Face, point: Array) -> tuple[Array, Array]:
    """The point of a face below a point (3,), and its normal there."""
    foot = to_surface(face.surface, point[None])
    d = surface_derivatives(face.surface, foot.u, foot.v, 1)
    return foot.point[0], unit(cross(d[1, 0], d[0, 1]))[0]


def told_missed(missed: float) -> tuple[str, ...]:
    """Words where a strip does not go on into its face as closely as is aimed at."""
    if missed <= _TOLD:
        return ()
    return (
        f"It goes on into the face no better than {missed:.0f} times what is aimed at: the face's curvature bends "
        "sharply below it. Rebuild the face with degree 5 and few spans first, or make the strip narrower.",
    )


def longest(face: Face, name: str) -> str | None:
    """Name of the longest piece of an edge; None if nothing of it is left."""
    own = [e for e in face.edges if base_name(e.name) == name]
    return max(own, key=lambda e: curve_length(e.space)).name if own else None


KIND = FeatureKind(
    "feature_line", "Feature line", "secondary", FeatureLineParams, run, "blends",
    "Pick a face, then a line on it that begins at its border.", makes="face",
    figures=(
        Figure("angle", "Angle at its start", "°"),
        Figure("height", "Height", "mm"),
        Figure("law", "Crease off its law", "°"),
        Figure("off_surface", "Strip off the face", "mm"),
    ),
)  # fmt: skip
