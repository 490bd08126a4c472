"""Drafted step: one along a line on a smooth face, that fades to nothing at its end."""

from __future__ import annotations

import numpy as np

from pamble.core.fillets.drafted_step import drafted_step
from pamble.core.spline.evaluate import surface_points
from pamble.core.spline.knots import reverse_curve
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, Shape
from pamble.study.features.feature_line import longest, told_missed, upright
from pamble.study.features.fields import choice, number
from pamble.study.features.handles import pull, way
from pamble.study.references import ChangedFaceRef, EdgeRef
from pamble.study.stored import Stored


class StepParams(Stored):
    """line: lies on the face and begins at its border. height: at its start, up toward the face's normal, down below
    zero. angle: of the wall to the face where it is steepest. back: the width over which the upper face comes back.
    turned: the step dies out at the line's start.
    """

    face: ChangedFaceRef = choice("Face")
    line: EdgeRef = choice("Line on it")
    height: float = number("Height at its start", 4.0, "mm", ge=-1e4, le=1e4)
    angle: float = number("Steepest angle", 20.0, "°", ge=1, le=80)
    back: float = number("Upper face back within", 30.0, "mm", gt=0, le=1e5)
    other_side: bool = choice("On the other side", False)
    turned: bool = choice("Dies at its start", False)


def run(params: StepParams, inputs: Inputs, context: Context) -> Made:
    """Build the wall and the upper face, and the face without them."""
    id, name = params.face.feature, f"{context.step}:step"
    face = inputs.face(params.face)
    line = inputs.curve(params.line)
    dies = way("turned", "Way of the line", params.turned, reverse_curve(line) if params.turned else line)
    numbers = (params.height, params.angle, params.back, params.other_side, params.turned)
    before, last = context.memory or (None, None)
    made = drafted_step(
        face, line, params.height, params.angle, params.back,
        other_side=params.other_side, turned=params.turned, name=name, like=last if before == numbers else None,
    )  # fmt: skip
    upper = f"{context.step}/2"
    seams = [DeclaredSeam("v1", upper, "v0", 2)]
    for slot, side, k in (("", "v0", 0), ("2", "v1", 1), ("", "u1", 2), ("2", "u1", 2)):
        edge = longest(made.rest, f"{name}{k}")
        if edge is not None:
            seams.append(DeclaredSeam(side, id, edge, 2, slot))
    upper_face = made.upper.surface
    low, high = upper_face.domain[1]
    top, middle, far = surface_points(upper_face, [0.0, 0.5, 0.5], [low, low, high])
    foot, normal = upright(face, top)
    handles = (
        pull("height", "Height", params.height, foot, normal, limits=(-1e4, 1e4)),
        pull("back", "Back", params.back, middle, np.asarray(far - middle), limits=(1e-3, 1e5)),
        dies,
    )
    facts = {"width": made.width, "steepest": made.steepest, "radius": made.radius, "off_surface": made.off}
    shapes = {"": Shape(made.wall), "2": Shape(made.upper)}
    told = told_missed(made.missed)
    return Made(shapes, {id: Shape(made.rest)}, tuple(seams), handles, facts, told, memory=(numbers, made))


KIND = FeatureKind(
    "drafted_step", "Drafted step", "secondary", StepParams, run, "blends",
    "Pick a face, then a line on it that begins at its border.", makes="face",
    figures=(
        Figure("width", "Width of the wall", "mm"),
        Figure("steepest", "Steepest angle", "°"),
        Figure("radius", "Least radius", "mm"),
        Figure("off_surface", "Strips off the face", "mm"),
    ),
)  # fmt: skip
