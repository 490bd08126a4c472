"""Cut back: faces round a hole of five to eight sides trimmed so that four sides stay, which one patch fills."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import Field

from pamble.core.corners.four import border, chosen, cut_to
from pamble.core.corners.outline import Outline, corners_of, outlines, picture, words
from pamble.core.faces.face import Face
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, Shape
from pamble.study.features.fields import choice, unseen
from pamble.study.features.handles import pull
from pamble.study.references import ChangedEdgeRef, ChangedFaceRef, FaceRef
from pamble.study.stored import Stored

_WIDE = 145.0
"""Angle of a corner that stays, degrees, from which it is told: patches get restless there."""


class CutBackParams(Stored):
    """edges: those round the hole, in any order. faces: further ones that touch its corners. corners: those that go, by
    the best outline that is left, or as ``way`` names them. depths: by how much the line over each corner of the hole
    passes it, mm; null, or a shorter list, for the calmest.
    """

    edges: list[ChangedEdgeRef] = Field(title="Sides", min_length=5, max_length=24, json_schema_extra={"rounds": True})
    faces: list[ChangedFaceRef] = Field([], title="Other faces", json_schema_extra={"once": True})
    corners: Literal["best", "picked"] = choice(
        "Corners that go", "best", labels={"best": "as proposed", "picked": "as picked below"}
    )
    way: str | None = unseen(None, max_length=80)
    depths: list[Annotated[float, Field(gt=0, le=1e5)] | None] = choice(
        "Beyond corner", [], widget="number each", unit="mm", limits={"minimum": 1e-3}, found="beyond"
    )


def run(params: CutBackParams, inputs: Inputs, context: Context) -> Made:
    """Trim the faces beside the corners that go."""
    inputs.different(params.edges)
    ids = list(dict.fromkeys(ref.feature for ref in (*params.edges, *params.faces)))
    part = {n: inputs.face(FaceRef(feature=id)) for n, id in enumerate(ids)}
    hole = border(part, [(ids.index(ref.feature), inputs.edge(ref)) for ref in params.edges])
    count = len(hole.sides)
    # While the pointer is down, what is proposed stays.
    before = context.memory
    found = before[1] if before and before[0] == params.edges else outlines(hole.sides)
    gone = found[0].corners if params.corners == "best" else corners_of(params.way, count)
    depths = [*params.depths, *[None] * count]
    outline = chosen(hole, gone, [depths[k] for k in gone])
    beyond = {x.corner: x.depth for x in outline.lines}
    changed: dict[int, Face] = cut_to(part, hole, outline, f"{context.step}:corner")
    return Made(
        {},
        {ids[n]: Shape(face) for n, face in changed.items()},
        handles=tuple(
            pull("depths", f"Beyond corner {k + 1}", x.depth, x.place, x.outward, index=k, limits=x.limits)
            for k, x in zip(gone, outline.lines, strict=True)
        ),
        facts={
            "corners": words(gone),
            "beyond": [beyond.get(k) for k in range(count)],
            "angles": list(outline.angles),
            "ways": _ways(found, count, gone),
        },
        warnings=_told(outline),
        memory=(params.edges, found),
    )


def _ways(found: Sequence[Outline], count: int, gone: tuple[int, ...]) -> list[dict[str, Any]]:
    """All that go, the best first, each with a sketch of its lines and the widest corner that it leaves."""
    rows: list[dict[str, Any]] = []
    for o in found:
        row = {
            "name": words(o.corners),
            "sides": count,
            "sketch": picture(o.corners, count),
            "chosen": o.corners == gone,
        }
        widest = f"{max(o.angles):.0f}°"
        rows.append(row | {"said": widest, "about": f"the widest corner left has {widest}"})
    return rows


def _told(outline: Outline) -> tuple[str, ...]:
    widest = max(outline.angles)
    if widest < _WIDE:
        return ()
    return (f"A corner of {widest:.0f}° is left: a patch over it is less calm than where corners are near 90°.",)


KIND = FeatureKind(
    "cut_back", "Cut back", "tertiary", CutBackParams, run, "corners",
    "Click into the hole, or pick an edge of it, then all round it.", makes="change",
    doing="Choose the corners that go; pull the lines over them. Enter keeps it, then Fill takes the four sides.",
    figures=(
        Figure("corners", "Goes", form="words"),
        Figure("ways", "Ways to leave four sides", form="sketches", fills=("corners", "picked", "way")),
        Figure("angles", "Corner left", "°", "list", each="Corner left {n}"),
    ),
)  # fmt: skip
