"""Replace patch: a face that is not quiet, made anew from its neighbours' edges."""

from __future__ import annotations

from pydantic import Field

from pamble.core.patches.loop import Asked
from pamble.core.patches.replace import replaced
from pamble.core.patches.running import taken_together
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, changed_faces
from pamble.study.features.boundary_face import LAID_OUT, PARTS, patch_facts
from pamble.study.features.fields import choice, number
from pamble.study.features.sides import MOST_EDGES, SidesParams, met_seams
from pamble.study.references import ChangedFaceRef, EdgeRef, FaceRef
from pamble.study.stored import Stored


class _Patch(Stored):
    """face: the one that is replaced."""

    face: ChangedFaceRef = choice("Patch")


class ReplaceParams(SidesParams, _Patch):
    """edges: the neighbours' edges round it; those that run on into each other are one side. spans: along u and v,
    found if null.
    """

    edges: list[EdgeRef] = Field(
        title="Neighbours' edges", min_length=2, max_length=MOST_EDGES, json_schema_extra={"beside": "face"}
    )
    degree: int = number("Degree", 5, ge=3, le=9)
    spans: tuple[int, int] | None = choice("Spans", None, widget="none")


def run(params: ReplaceParams, inputs: Inputs, context: Context) -> Made:
    """Build the patch in place of the face; while the pointer is down on the spans that it was kept with."""
    inputs.different(params.edges)
    face = inputs.face(FaceRef(feature=params.face.feature))
    sources = [inputs.edge(ref) for ref in params.edges]
    asked = [Asked(edge, order) for edge, order in zip(sources, params.orders(), strict=True)]
    diagonal = max(face.surface.diagonal, *(e.surface.diagonal for e in sources))
    sides = taken_together(asked, 4 if face.natural else 2)
    made = replaced(face, sides.asked, diagonal, params.degree, params.spans, context.changed(params.face.feature))
    facts = {**patch_facts(made.patch), "off_old": made.moved}
    id = params.face.feature
    stretches = [(made.face.edge(e), s.number) for s, e in zip(made.patch.sides, made.edges, strict=True)]
    seams = met_seams(params.edges, params.orders(), inputs, sides, stretches, changed=id)
    return changed_faces({id: made.face}, warnings=made.patch.warnings, seams=seams, **facts)


KIND = FeatureKind(
    "replace_patch", "Replace patch", "secondary", ReplaceParams, run, "blends",
    "Pick the patch: the edges of its neighbours are found where they meet it.", makes="change", section="",
    figures=(
        LAID_OUT,
        Figure("sides", "Side", form="parts", each="Side {n}", parts=PARTS),
        Figure("off_old", "Off the old patch by up to", "mm"),
    ),
)  # fmt: skip
