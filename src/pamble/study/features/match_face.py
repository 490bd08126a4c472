"""Match: faces changed at their sides so that they meet their neighbours there."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pydantic import Field

from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.edge_chain import edge_chain
from pamble.core.faces.face import Edge
from pamble.core.patches.following import overhang
from pamble.core.patches.match import MOST_ADDED, halfway, match_sides
from pamble.core.patches.match_pairs import Pair
from pamble.core.patches.matched import Matched
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, changed_faces
from pamble.study.features.fields import choice, number
from pamble.study.features.figures import MOVED
from pamble.study.references import ChangedEdgeRef, EdgeRef, FaceRef
from pamble.study.stored import Stored

_MUCH = 0.05
"""Share of a side from which it is told that what it meets is shorter."""


class MatchFaceParams(Stored):
    """edge: a whole side of the face that moves. to: the neighbour's edge; on: edges of other faces in which that runs
    on without a corner. sides, edges: others of the same face, and for each, in their order, the edge that it meets.
    spread: the rows behind give way too. most_added: spans that may be put in along a side where it cannot be met
    without.
    """

    edge: ChangedEdgeRef = choice("Side that moves")
    to: EdgeRef = choice("Meets")
    on: list[EdgeRef] = choice("That runs on in", [], waits=True, fold="Over several faces")
    sides: list[ChangedEdgeRef] = Field([], title="Its other sides")
    edges: list[EdgeRef] = Field([], title="They meet")
    continuity: int = choice("Continuity", 2, continuity=True)
    spread: bool = choice("Spread the change", False)
    most_added: int = number("Spans it may add", 8, ge=0, le=MOST_ADDED)


def run(params: MatchFaceParams, inputs: Inputs, context: Context) -> Made:
    """Build the matched face."""
    sides, edges = [params.edge, *params.sides], [params.to, *params.edges]
    id = params.edge.feature
    if any(ref.feature != id for ref in sides):
        raise GeometryError("The sides that are matched at once are of one face.")
    if len(sides) != len(edges):
        raise GeometryError(f"Each side meets an edge: there are {len(sides)} sides and {len(edges)} edges.")
    for ref in sides:
        inputs.edge(ref)
    inputs.different([params.to, *params.on])
    targets = [inputs.edge(ref) for ref in edges]
    targets[0] = edge_chain([targets[0], *map(inputs.edge, params.on)])
    pairs = [Pair(ref.edge, to, params.continuity) for ref, to in zip(sides, targets, strict=True)]
    face = inputs.face(FaceRef(feature=id))
    diagonal = max(face.surface.diagonal, *(p.to.surface.diagonal for p in pairs))
    before, most = context.changed(id), 0 if context.quick else params.most_added
    made = match_sides(face, pairs, diagonal, spread=params.spread, most_added=most, before=before)
    met = [*zip(sides, edges, strict=True), *((params.edge, ref) for ref in params.on)]
    seams = [
        DeclaredSeam(
            a.edge, b.feature, b.edge, params.continuity, part=bool(params.on) and a is params.edge, changed=id
        )
        for a, b in met
    ]
    words = (*_words(made, context), *([] if context.quick else _beyond(sides, targets, inputs)))
    return changed_faces({id: made.face}, warnings=words, seams=tuple(seams), **_facts(made))


def _beyond(sides: Sequence[ChangedEdgeRef], targets: Sequence[Edge], inputs: Inputs) -> list[str]:
    """Sides that are much longer than what they meet."""
    out = []
    for ref, to in zip(sides, targets, strict=True):
        own = inputs.edge(ref)
        more = overhang(own, to)
        if more > _MUCH * curve_length(own.space):
            out.append(
                f"The side is drawn in by {more:.2f} mm to the ends of the edge that it meets: where that runs on in "
                "another face, pick its edge there, too."
            )
    return out


class MatchBothParams(Stored):
    """Two whole sides that meet in the middle."""

    edge: ChangedEdgeRef = choice("One side")
    to: ChangedEdgeRef = choice("The other side")
    continuity: int = choice("Continuity", 2, continuity=True)
    most_added: int = number("Spans it may add", 8, ge=0, le=MOST_ADDED)


def both(params: MatchBothParams, inputs: Inputs, context: Context) -> Made:
    """Build both faces: the second comes half of the way, the first meets it there."""
    ids = params.edge.feature, params.to.feature
    if ids[0] == ids[1]:
        raise GeometryError("Two faces meet in the middle: pick the other side on another one.")
    one, two = (inputs.face(FaceRef(feature=i)) for i in ids)
    mine, theirs = inputs.edge(params.edge), inputs.edge(params.to)
    diagonal = max(one.surface.diagonal, two.surface.diagonal)
    most, before = 0 if context.quick else params.most_added, [context.changed(i) for i in ids]
    near = halfway(two, Pair(theirs.name, mine, params.continuity), diagonal, before=before[1])
    pair = Pair(mine.name, near.edge(theirs.name), params.continuity)
    made = match_sides(one, [pair], diagonal, most_added=most, before=before[0])
    seam = DeclaredSeam(params.edge.edge, ids[1], params.to.edge, params.continuity, changed=ids[0])
    faces = {ids[0]: made.face, ids[1]: near}
    return changed_faces(faces, warnings=_words(made, context), seams=(seam,), **_facts(made))


def _words(made: Matched, context: Context) -> tuple[str, ...]:
    return made.grown if context.quick else (*made.missed, *made.grown)


def _facts(made: Matched) -> dict[str, Any]:
    return {
        "moved": float(made.moved.max()),
        "joints": [
            {"gap": s.gap, "angle": s.angle, "curvature": s.curvature, "rate": s.rate if s.order > 2 else None}
            for s in made.sides
        ],
        "rounds": list(made.rounds),
        "added": made.added,
    }


_FIGURES = (
    Figure(
        "joints",
        "Seam",
        form="parts",
        each="Seam {n}",
        parts=(("gap", "mm"), ("angle", "°"), ("curvature", "%"), ("rate", "%")),
    ),
    MOVED,
    Figure("rounds", "Change of each repetition", "mm", "list", each="Round {n}"),
    Figure("added", "Spans added"),
)

KINDS = (
    FeatureKind(
        "match_face", "Match", "secondary", MatchFaceParams, run, "blends",
        "Pick the side of the face that moves, then its neighbour's edge.", makes="change", figures=_FIGURES,
    ),
    FeatureKind(
        "match_both", "Match both", "secondary", MatchBothParams, both, "blends",
        "Pick sides of two faces: both move half of the way.", makes="change", figures=_FIGURES,
    ),
)  # fmt: skip
