"""Feature line: a crease along a line on a smooth face that fades to nothing at its end."""

from __future__ import annotations

import numpy as np

from pamble.core.curves.measure import curve_length
from pamble.core.faces.face import Face, base_name
from pamble.core.fillets.dying import feature_line
from pamble.core.spline.evaluate import surface_points
from pamble.core.spline.knots import reverse_curve
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, Shape
from pamble.study.features.fields import choice, number
from pamble.study.features.handles import pull, way
from pamble.study.references import ChangedFaceRef, EdgeRef
from pamble.study.stored import Stored

_TOLD = 2.0
"""How many times its aim a figure is from which that is said."""


class FeatureLineParams(Stored):
    """line: lies on the face and begins at its border. angle: of the crease at its start, up toward the face's normal,
    down below zero. width: of the strip that bends. turned: the crease dies out at the line's start.
    """

    face: ChangedFaceRef = choice("Face")
    line: EdgeRef = choice("Line on it")
    angle: float = number("Angle at its start", 8.0, "°", ge=-60, le=60)
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
        inputs.face(params.face), line, params.angle, params.width,
        other_side=params.other_side, turned=params.turned, name=name, like=last if before == numbers else None,
    )  # fmt: skip
    seams = [
        DeclaredSeam(side, id, edge, order)
        for side, k, order in (("v0", 0, 0), ("v1", 1, 2), ("u1", 2, 2))
        if (edge := longest(made.rest, f"{name}{k}")) is not None
    ]
    near, far = surface_points(made.strip.surface, [0.5, 0.5], [0.0, 1.0])
    handle = pull("width", "Width", params.width, near, np.asarray(far - near), limits=(1e-3, 1e5))
    facts = {"height": made.height, "law": made.law, "off_surface": made.off}
    return Made(
        {"": Shape(made.strip)},
        {id: Shape(made.rest)},
        tuple(seams),
        (handle, dies),
        facts,
        told_missed(made.missed),
        memory=(numbers, made),
    )


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
        Figure("height", "Height", "mm"),
        Figure("law", "Crease off its law", "°"),
        Figure("off_surface", "Strip off the face", "mm"),
    ),
)  # fmt: skip
