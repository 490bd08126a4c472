"""Net: a face through curves that cross each other in two directions."""

from __future__ import annotations

from pydantic import Field

from pamble.core.faces.face import Face
from pamble.core.patches.net import net_surface
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, made_face
from pamble.study.features.fields import number
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored


class NetParams(Stored):
    """curves: of both directions, in any order. miss: how far crossing curves may pass each other by."""

    curves: list[EdgeRef] = Field(title="Curves", min_length=4)
    miss: float = number("They may miss by", 0.1, "mm", ge=0, le=100)
    degree: int = number("Degree", 5, ge=3, le=9)


def run(params: NetParams, inputs: Inputs, context: Context) -> Made:
    """Build the face; while it is dragged on the spans that it has."""
    shown = context.dragged.surface if context.dragged else None
    same = shown is not None and (shown.degree_u, shown.degree_v) == (params.degree, params.degree)
    spans = shown.spans if shown is not None and same else None
    made = net_surface(inputs.different(params.curves), max(params.miss, 1e-6), degree=params.degree, spans=spans)
    return made_face(
        Face(made.surface),
        warnings=made.warnings,
        off_curves=max(made.off),
        misses=made.misses,
        directions=f"{len(made.along)} along u, {len(made.across)} along v",
    )


KIND = FeatureKind(
    "net", "Net", "primary", NetParams, run, "primaries",
    "Pick the curves of both directions, in any order.", makes="face", section="",
    figures=(
        Figure("off_curves", "Off the curves", "mm"),
        Figure("misses", "They miss by", "mm"),
        Figure("directions", "Curves", form="words"),
    ),
)  # fmt: skip
