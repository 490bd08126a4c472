"""Boundary patch: a face between two, three or four edges or curves, G0 to G3 at each, that passes curves inside."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar

from pydantic import Field

from pamble.core.faces.face import Edge
from pamble.core.patches.between import LaidOut, patch_between
from pamble.core.patches.loop import MOST_INFLUENCE, Asked
from pamble.core.patches.running import taken_together
from pamble.core.patches.told import PatchMade
from pamble.core.spline.curve import Curve
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, made_face
from pamble.study.features.fields import choice, number
from pamble.study.features.remedies import remedies_for
from pamble.study.features.sides import MOST_EDGES, SidesParams, continuities, met_seams
from pamble.study.references import EdgeRef, PlaneRef

_ARMS = "Influence of the sides"


class BoundaryParams(SidesParams):
    """edges: of up to four sides, or of more that close; those that run on into each other without a corner, and of
    which the same is asked, are one side. A curve that stands alone among them is contained. inside: curves that the
    patch passes between its sides. influence: length of the patch's arms across its sides, over the way to the other
    side, found if null; influences: each edge's own, in their order; null, or a shorter list, for ``influence``.
    layout: between four sides. square_to: the plane to which curves that lie on it are left square. spans: along u and
    v, found if null.
    """

    most: ClassVar[int] = 3
    edges: list[EdgeRef] = Field(title="Sides", min_length=2, max_length=MOST_EDGES, json_schema_extra={"rounds": True})
    continuity: list[int] = continuities(3)
    inside: list[EdgeRef] = choice("Passes curves", [])
    layout: LaidOut = choice(
        "Laid out", "auto", labels={"auto": "as fits best", "four": "with four sides", "trimmed": "trimmed along them"}
    )
    influence: float | None = number("Influence", None, fold=_ARMS, gt=0, le=MOST_INFLUENCE)
    influences: list[Annotated[float, Field(gt=0, le=MOST_INFLUENCE)] | None] = choice(
        "Own", [], widget="number each", fold=_ARMS, limits={"minimum": 1e-3, "maximum": MOST_INFLUENCE}
    )
    square_to: PlaneRef | None = choice("Square to", None)
    degree: int = number("Degree", 5, ge=3, le=9)
    spans: tuple[int, int] | None = choice("Spans", None, widget="none")


_ON_PLANE = 1e-3
"""How far, mm, a curve may lie off a plane to count as lying on it."""


def run(params: BoundaryParams, inputs: Inputs, context: Context) -> Made:
    """Build the patch; while the pointer is down on the spans that it was kept with."""
    inputs.different(params.edges)
    orders = params.orders()
    arms = [*params.influences, *[None] * len(orders)]
    asked = [
        _asked(params, ref, order, params.influence if arm is None else arm, inputs)
        for ref, order, arm in zip(params.edges, orders, arms[: len(orders)], strict=True)
    ]
    sides = taken_together(asked, 4 if params.layout == "four" else 2)
    diagonal = max(a.source.surface.diagonal if isinstance(a.source, Edge) else _length(a.source) for a in asked)
    through = inputs.different(params.inside)
    made = patch_between(sides.asked, diagonal, params.degree, params.spans, through, context.dragged, params.layout)
    met = [s for s in made.sides if sides.asked[s.number].square is None]
    stretches = [(made.face.edge(s.patch_side), s.number) for s in met]
    seams = met_seams(params.edges, orders, inputs, sides, stretches)
    facts = patch_facts(made)
    if not context.quick:
        bent = [c for c in made.corners if all(sides.asked[i].order > 1 for i in c.sides)]
        facts["remedies"] = remedies_for(inputs, params.edges, sides.members, bent)
    return made_face(made.face, seams=seams, warnings=made.warnings, **facts)


def _asked(params: BoundaryParams, ref: EdgeRef, order: int, influence: float | None, inputs: Inputs) -> Asked:
    source = inputs.edge(ref) if inputs.is_edge(ref) else inputs.curve(ref)
    square = None
    if params.square_to is not None:
        plane = inputs.plane(params.square_to)
        line = source.space if isinstance(source, Edge) else source
        if abs(plane.height(line.control)).max() < _ON_PLANE:
            square = plane.normal
    return Asked(source, order, influence, square)


def _length(curve: Curve) -> float:
    span = curve.control.max(axis=0) - curve.control.min(axis=0)
    return float((span**2).sum() ** 0.5)


def patch_facts(made: PatchMade) -> dict[str, Any]:
    """How a patch is laid out, and its figures by side and corner."""
    return {
        "layout": "four sides" if made.face.natural else "trimmed along its sides",
        "sides": [
            {"gap": s.gap, "angle": s.angle or 0.0, "curvature": s.curvature or 0.0, "rate": s.rate}
            for s in sorted(made.sides, key=lambda s: s.number)
        ],
        "corners": [
            {"gap": c.gap, "angle": c.angle, "curvature": c.bends, "twist": c.twist}
            for c in made.corners
            if c.angle is not None
        ],
        "inside": max(made.inside, default=None),
        "trials": [{"spans": u + v, "cvs": 0, "ratio": r} for u, v, r in made.tried],
    }


LAID_OUT = Figure("layout", "Laid out as", form="words")
PARTS = (("gap", "mm"), ("angle", "°"), ("curvature", "%"))

KIND = FeatureKind(
    "boundary_patch", "Boundary patch", "primary", BoundaryParams, run, "primaries",
    "Pick the edges or curves of two, three or four sides, or click into a hole.", makes="face", section="",
    figures=(
        LAID_OUT,
        Figure("sides", "Side", form="parts", each="Side {n}", parts=(*PARTS, ("rate", "%"))),
        Figure("inside", "Off the curves inside", "mm"),
        Figure("corners", "Corner", form="parts", each="Corner {n}", parts=(*PARTS, ("twist", "%"))),
    ),
)  # fmt: skip
