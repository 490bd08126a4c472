"""Match: a face changed at a side so that it meets its neighbour there."""

from __future__ import annotations

from pamble.core.patches.match import match_side
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, changed_faces
from pamble.study.features.fields import choice, number
from pamble.study.features.figures import MOVED
from pamble.study.references import ChangedEdgeRef, EdgeRef, FaceRef
from pamble.study.stored import Stored


class MatchFaceParams(Stored):
    """edge: a whole side of the face that moves. to: the neighbour's edge. spread: the rows behind give way too.
    most_added: spans that may be put in along the side where it cannot be met without.
    """

    edge: ChangedEdgeRef = choice("Side that moves")
    to: EdgeRef = choice("Meets")
    continuity: int = choice("Continuity", 2, continuity=True, limits={"maximum": 2})
    spread: bool = choice("Spread the change", False)
    most_added: int = number("Spans it may add", 2, ge=0, le=12)


def run(params: MatchFaceParams, inputs: Inputs, context: Context) -> Made:
    """Build the matched face."""
    id = params.edge.feature
    inputs.edge(params.edge)
    to = inputs.edge(params.to)
    face = inputs.face(FaceRef(feature=id))
    diagonal = max(face.surface.diagonal, to.surface.diagonal)
    most = 0 if context.preview else params.most_added
    made = match_side(face, params.edge.edge, to, params.continuity, diagonal, spread=params.spread, most_added=most)
    warnings = []
    if made.ratio(params.continuity) > 1.0 and not context.preview:
        warnings.append(
            f"The side is met no better than {made.ratio(params.continuity):.1f} times what is aimed at: "
            "let it add more spans, or calm the neighbour's edge."
        )
    if made.raised:
        warnings.append(f"The degree across was raised by {made.raised}: there were too few rows.")
    return changed_faces(
        {id: made.face},
        warnings=tuple(warnings),
        moved=float(made.moved.max()),
        joints=[{"gap": made.gap, "angle": made.angle, "curvature": made.curvature}],
        rounds=list(made.rounds),
        added=made.added,
    )


KIND = FeatureKind(
    "match_face", "Match", "secondary", MatchFaceParams, run, "blends",
    "Pick the side of the face that moves, then its neighbour's edge.", makes="change",
    figures=(
        Figure("joints", "Seam", form="parts", each="Seam", parts=(("gap", "mm"), ("angle", "°"), ("curvature", "%"))),
        MOVED,
        Figure("rounds", "Change of each repetition", "mm", "list", each="Round {n}"),
        Figure("added", "Spans added"),
    ),
)  # fmt: skip
