"""Cap: a flat face inside closed edges or curves that lie in one plane."""

from __future__ import annotations

from pydantic import Field

from pamble.core.faces.cap import cap
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, made_face
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored


class CapParams(Stored):
    """edges: closed, or chains that close; those inside others are holes."""

    edges: list[EdgeRef] = Field(title="Edges", min_length=1, json_schema_extra={"rounds": True})


def run(params: CapParams, inputs: Inputs, context: Context) -> Made:
    """Build the face."""
    curves = inputs.different(params.edges)
    names = [f"{context.step}:{ref.feature}_{ref.edge.replace(':', '_')}" for ref in params.edges]
    return made_face(cap(curves, names))


KIND = FeatureKind(
    "cap", "Cap", "primary", CapParams, run, "primaries",
    "Pick a closed edge, or all edges round a flat opening.", makes="face", section="From curves",
)  # fmt: skip
