"""Join faces: those that run on into each other become one."""

from __future__ import annotations

from pydantic import Field

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.patches.merge import merge
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, Shape
from pamble.study.features.fields import number
from pamble.study.features.figures import DEVIATION
from pamble.study.references import ChangedFaceRef
from pamble.study.stored import Stored


class JoinFacesParams(Stored):
    """faces: in order, each at a whole side of those before it. The first becomes the whole, the others are no more.
    tolerance: how far it may lie off them so that the joint is smooth.
    """

    faces: list[ChangedFaceRef] = Field(title="Faces in order", min_length=2)
    tolerance: float = number("Tolerance", 0.001, "mm", gt=0, le=10)


def run(params: JoinFacesParams, inputs: Inputs, context: Context) -> Made:
    """Put the faces together."""
    first, *others = ids = [ref.feature for ref in params.faces]
    if len(set(ids)) < len(ids):
        raise GeometryError("The same face is named twice.")
    made = merge([inputs.face(ref) for ref in params.faces], [inputs.name(i) for i in ids], params.tolerance)
    facts = {
        "deviation": made.deviation, "gap": made.gap, "angle": made.angle,
        "joint": _words(made.knots, made.smooth),
    }  # fmt: skip
    return Made({}, {first: Shape(Face(made.surface))}, facts=facts, removes=tuple(others))


def _words(knots: int, smooth: bool) -> str:
    if not knots:
        return "gone without a trace"
    return "smooth" if smooth else "left in: the parameters do not run on"


KIND = FeatureKind(
    "join_faces", "Join faces", "primary", JoinFacesParams, run, "primaries",
    "Pick faces that run on into each other, in order.", makes="change", section="Change a face",
    figures=(
        DEVIATION,
        Figure("gap", "Gap at the joint", "mm"),
        Figure("angle", "Angle at the joint", "°"),
        Figure("joint", "The joint is", form="words"),
    ),
)  # fmt: skip
