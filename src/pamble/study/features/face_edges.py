"""Edges of a face prepared: split where sides are to end, made one of few CVs where they run on."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array
from pamble.core.curves.measure import curve_length, length_parameters
from pamble.core.errors import GeometryError
from pamble.core.faces.edges import split_edge
from pamble.core.faces.simplify import edges_along, lay_along, simplify_edges
from pamble.core.spline.evaluate import curve_points
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, changed_faces
from pamble.study.features.fields import choice, number
from pamble.study.features.figures import DEVIATION
from pamble.study.features.handles import slide
from pamble.study.references import ChangedEdgeRef, ChangedFaceRef, FaceRef
from pamble.study.stored import Stored

_SHUT = 0.001
"""Distance, mm, up to which a seam counts as shut."""


class SplitEdgeParams(Stored):
    """At shares of the edge's length."""

    edge: ChangedEdgeRef = choice("Edge")
    at: list[float] = Field([0.5], title="At", min_length=1, max_length=40)


def split(params: SplitEdgeParams, inputs: Inputs, context: Context) -> Made:
    """Split the edge; each piece is an edge of its own from here on."""
    id = params.edge.feature
    curve = inputs.edge(params.edge).space
    made = split_edge(inputs.face(FaceRef(feature=id)), params.edge.edge, params.at)

    def places(shares: Array) -> Array:
        return curve_points(curve, length_parameters(curve, shares))

    handles = tuple(slide("at", f"Cut {i + 1}", x, places, index=i) for i, x in enumerate(params.at))
    cuts = np.unique([0.0, *params.at, 1.0])
    lengths = (np.diff(cuts) * curve_length(curve)).tolist()
    return replace(changed_faces({id: made}, lengths=lengths), handles=handles)


class SimplifyEdgesParams(Stored):
    """edges: of one face, one or several that follow each other. faces: those beside, of which the edges go along, so
    that the seam stays shut. spans: the fewest within the tolerance when null.
    """

    edges: list[ChangedEdgeRef] = Field(title="Edges", min_length=1)
    faces: list[ChangedFaceRef] = Field(
        [], title="Faces that go along", json_schema_extra={"once": True, "beside": "edges"}
    )
    tolerance: float = number("Tolerance", 0.01, "mm", gt=0, le=10)
    spans: int | None = number("Spans", None, ge=1, le=60)


def simplify(params: SimplifyEdgesParams, inputs: Inputs, context: Context) -> Made:
    """Make the edges one, and lay the edges beside along it."""
    id = params.edges[0].feature
    for ref in params.edges:
        if ref.feature != id:
            raise GeometryError(
                f"{inputs.name(ref.feature)} is another face: pick edges of one, and the faces that go along."
            )
        inputs.edge(ref)
    face = inputs.face(FaceRef(feature=id))
    names = [ref.edge for ref in params.edges]
    exact = float(np.clip(0.1 * params.tolerance, 0.1 * context.fit, context.fit))
    made = simplify_edges(face, names, params.tolerance, params.spans, exact)
    changed, warnings = {id: made.face}, []
    curve = made.face.edge(made.name).space
    opened: list[float] = []
    for beside in params.faces:
        if beside.feature == id:
            raise GeometryError(f"{inputs.name(id)} is the face itself: it goes along anyway.")
        other = inputs.face(beside)
        theirs = edges_along(other, [face.edge(n) for n in names])
        if not theirs:
            raise GeometryError(f"{inputs.name(beside.feature)} has no edges along these: take it out of the list.")
        try:
            laid = lay_along(other, theirs, curve, exact)
        except GeometryError as error:
            warnings.append(f"{inputs.name(beside.feature)} stays as it is: {error}")
            continue
        changed[beside.feature] = laid.face
        opened.append(laid.deviation)
        if laid.deviation > _SHUT:
            x, y, z = laid.place
            warnings.append(
                f"The seam to {inputs.name(beside.feature)} opens by {laid.deviation:.4f} mm near "
                f"({x:.2f}, {y:.2f}, {z:.2f}) mm: only where both faces cross does an edge lie on both. Allow less."
            )
    facts: dict[str, Any] = {
        "deviation": made.deviation, "deviation_point": made.place.tolist(), "cvs_before": made.before,
        "cvs_after": made.after,
    }  # fmt: skip
    if opened:
        facts["opened"] = max(opened)
    return changed_faces(changed, warnings=tuple(warnings), **facts)


KINDS = (
    FeatureKind(
        "split_edge", "Split edge", "primary", SplitEdgeParams, split, "primaries", "Pick an edge of a face.",
        section="Change a face", makes="change",
        figures=(Figure("lengths", "Lengths", "mm", "list", each="Piece {n}"),),
    ),
    FeatureKind(
        "simplify_edges", "Simplify edges", "primary", SimplifyEdgesParams, simplify, "primaries",
        "Pick a trimmed edge, or several that run on into each other: they become one of few CVs.",
        section="Change a face", makes="change",
        figures=(DEVIATION, Figure("cvs_before", "CVs before"), Figure("cvs_after", "CVs after"),
            Figure("opened", "Seam opens by", "mm")),
    ),
)  # fmt: skip
