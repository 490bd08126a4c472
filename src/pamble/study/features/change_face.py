"""Changes of a whole face: untrim, extend, split, shrink, turn, rebuild."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

import numpy as np
from pydantic import Field

from pamble.core.errors import GeometryError
from pamble.core.faces.change import extended, shrunk, split, untrimmed
from pamble.core.faces.frames import frames
from pamble.core.faces.twins import on_surface, turn_over
from pamble.core.patches.rebuild import rebuild_surface
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, changed_faces
from pamble.study.features.fields import choice, number
from pamble.study.features.figures import DEVIATION
from pamble.study.features.handles import iso_handles, pull
from pamble.study.references import ChangedEdgeRef, ChangedFaceRef, EdgeRef, FaceRef
from pamble.study.stored import Stored


class UntrimParams(Stored):
    """edges: what is given back, an edge or a hole by one of its edges; all of the trim when there are none."""

    face: ChangedFaceRef = choice("Face")
    edges: list[EdgeRef] = Field([], title="Only these edges")


def untrim(params: UntrimParams, inputs: Inputs, context: Context) -> Made:
    """Give a face back what was trimmed away; its surface was never touched."""
    face = inputs.face(params.face)
    if face.natural:
        raise GeometryError(f"{inputs.name(params.face.feature)} is not trimmed: there is nothing to give back.")
    for ref in params.edges:
        if ref.feature != params.face.feature:
            raise GeometryError(f"{inputs.name(ref.feature)} is another face: pick edges of the one that is untrimmed.")
        inputs.edge(ref)
    names = [ref.edge for ref in params.edges]
    return changed_faces({params.face.feature: untrimmed(face, names or None)})


class ExtendFaceParams(Stored):
    """At an edge that lies on a side of the face's surface. shape: by its curvature, or straight, G1."""

    edge: ChangedEdgeRef = choice("At edge")
    length: float = number("By", 20.0, "mm", gt=0, le=100000)
    shape: Literal["curvature", "straight"] = choice("Runs on", "curvature")


def extend(params: ExtendFaceParams, inputs: Inputs, context: Context) -> Made:
    """Build the longer face."""
    id = params.edge.feature
    inputs.edge(params.edge)
    face = inputs.face(FaceRef(feature=id))
    longer = extended(face, params.edge.edge, params.length, params.shape, 0.1 * context.fit)
    middle = frames(inputs.edge(params.edge), [0.5 * sum(inputs.edge(params.edge).domain)])
    handle = pull("length", "Longer by", params.length, middle.position[0], middle.outward[0], limits=(1e-3, 1e5))
    grown = [a - b for a, b in zip(longer.surface.control.shape, face.surface.control.shape, strict=True)][:2]
    return replace(changed_faces({id: longer}, cvs_added=grown), handles=(handle,))


class SplitFaceParams(Stored):
    """At iso-curves, held at fractions of the domain. The face goes on being its first piece."""

    face: ChangedFaceRef = choice("Face")
    held: Literal["u", "v"] = choice("Held parameter", "u")
    at: list[float] = Field([0.5], title="At", min_length=1)


def split_face(params: SplitFaceParams, inputs: Inputs, context: Context) -> Made:
    """Build the pieces."""
    face = inputs.face(params.face)
    pieces = split(face, params.held, params.at, context.step)
    more = {str(n): piece for n, piece in enumerate(pieces[1:], start=2)}
    made = changed_faces({params.face.feature: pieces[0]}, more, pieces=len(pieces))
    return replace(made, handles=iso_handles(face.surface, params.held, params.at))


class OneFaceParams(Stored):
    """One face."""

    face: ChangedFaceRef = choice("Face")


def shrink(params: OneFaceParams, inputs: Inputs, context: Context) -> Made:
    """Cut the surface under a trimmed face back to it."""
    face = inputs.face(params.face)
    small = shrunk(face, 0.1 * context.fit)
    left: dict[str, Any] = {}
    for k, name in enumerate("uv"):
        (a, b), (c, d) = small.surface.domain[k], face.surface.domain[k]
        left[f"left_{name}"] = 100 * (b - a) / (d - c)
    return changed_faces({params.face.feature: small}, **left)


def turn(params: OneFaceParams, inputs: Inputs, context: Context) -> Made:
    """Turn the way a face points."""
    return changed_faces({params.face.feature: turn_over(inputs.face(params.face))})


class RebuildFaceParams(Stored):
    """degree, spans: along u and along v; as they are, or the fewest within the tolerance, when null."""

    face: ChangedFaceRef = choice("Face")
    degree_u: int | None = number("Degree along u", None, ge=1, le=9)
    degree_v: int | None = number("Degree along v", None, ge=1, le=9)
    spans_u: int | None = number("Spans along u", None, ge=1, le=40)
    spans_v: int | None = number("Spans along v", None, ge=1, le=40)
    tolerance: float = number("Tolerance", 0.02, "mm", gt=0, le=100)


def rebuild(params: RebuildFaceParams, inputs: Inputs, context: Context) -> Made:
    """Build the face over other spaces and say how far it moved."""
    face = inputs.face(params.face)
    made = rebuild_surface(
        face.surface, (params.degree_u, params.degree_v), (params.spans_u, params.spans_v), params.tolerance,
        kept_pace=not face.natural,
    )  # fmt: skip
    changed = on_surface(face, made.surface, 0.1 * context.fit)
    before = int(np.prod(face.surface.control.shape[:2]))
    facts: dict[str, Any] = {"deviation": made.deviation, "cvs_before": before}
    if not made.exact:
        facts["deviation_point"] = made.place.tolist()
    return changed_faces({params.face.feature: changed}, **facts)


KINDS = (
    FeatureKind(
        "untrim",
        "Untrim",
        "primary",
        UntrimParams,
        untrim,
        "primaries",
        "Pick a trimmed face; all of its trim goes, or only the edges that you pick.",
        section="Change a face",
        makes="change",
    ),
    FeatureKind(
        "extend_face",
        "Extend",
        "primary",
        ExtendFaceParams,
        extend,
        "primaries",
        "Pick an edge of a face.",
        makes="change",
    ),
    FeatureKind(
        "split_face",
        "Split",
        "primary",
        SplitFaceParams,
        split_face,
        "primaries",
        "Pick a face.",
        section="Change a face",
        makes="change",
        figures=(Figure("pieces", "Pieces"),),
    ),
    FeatureKind(
        "shrink_face",
        "Shrink",
        "primary",
        OneFaceParams,
        shrink,
        "primaries",
        "Pick a trimmed face.",
        section="Change a face",
        makes="change",
        figures=(Figure("left_u", "Left of it along u", "%"), Figure("left_v", "Left of it along v", "%")),
    ),
    FeatureKind(
        "turn_face",
        "Turn",
        "primary",
        OneFaceParams,
        turn,
        "primaries",
        "Pick a face to turn its normal.",
        section="Change a face",
        makes="change",
    ),
    FeatureKind(
        "rebuild_face",
        "Rebuild",
        "primary",
        RebuildFaceParams,
        rebuild,
        "primaries",
        "Pick a face; then its degrees and spans.",
        section="Change a face",
        makes="change",
        figures=(DEVIATION, Figure("cvs_before", "CVs before")),
    ),
)
