"""Mend a corner of a hole: one of two faces that ask for different curvatures there gives way."""

from __future__ import annotations

from pamble.core.errors import GeometryError
from pamble.core.patches.mend import mend_corner
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, changed_faces
from pamble.study.features.fields import choice, number
from pamble.study.features.figures import MOVED
from pamble.study.references import ChangedEdgeRef, EdgeRef, FaceRef
from pamble.study.stored import Stored

_STAYS = 2.0
"""Mismatch, %, along the edge itself from which it is told that rows beside it cannot mend it."""


class MendCornerParams(Stored):
    """edge: a whole side of the face that gives way. to: the side of the hole that follows it, of another face. reach:
    the part of the side, in %, over which it does."""

    edge: ChangedEdgeRef = choice("Side that gives way")
    to: EdgeRef = choice("Side that stays")
    reach: float = number("Over", 60.0, "%", ge=20, le=100)


def run(params: MendCornerParams, inputs: Inputs, context: Context) -> Made:
    """Build the mended face."""
    id = params.edge.feature
    if id == params.to.feature:
        raise GeometryError("A corner is mended between two faces: pick a side of another one.")
    inputs.edge(params.edge)
    to = inputs.edge(params.to)
    face = inputs.face(FaceRef(feature=id))
    diagonal = max(face.surface.diagonal, to.surface.diagonal)
    made = mend_corner(face, params.edge.edge, to, diagonal, params.reach / 100)
    words: tuple[str, ...] = ()
    if made.after[0] > _STAYS:
        words = (
            f"Along the edge itself the curvatures differ by {made.after[0]:.1f} %: that is the edge's own. Draw the "
            "edge so that it runs out calmly, or match the other face.",
        )
    names = ("along", "across", "twist")
    corners = [dict(zip(names, row, strict=True)) for row in (made.before, made.after)]
    return changed_faces({id: made.face}, warnings=words, moved=made.moved, mismatch=corners)


KIND = FeatureKind(
    "mend_corner", "Mend a corner", "primary", MendCornerParams, run, "corners",
    "Pick the side of the hole that gives way at the corner, then the one that stays.", makes="change",
    figures=(
        Figure("mismatch", "Mismatch", form="parts", each="Before and after, {n}",
            parts=(("along", "%"), ("across", "%"), ("twist", "%"))),
        MOVED,
    ),
)  # fmt: skip
