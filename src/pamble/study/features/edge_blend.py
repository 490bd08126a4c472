"""Edge blend: a surface between two edges, or from one to a point, G0 to G3 on each side."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, replace
from typing import Literal

import numpy as np
from pydantic import field_validator

from pamble.core.arrays import Array
from pamble.core.errors import BlendError
from pamble.core.faces.edge_chain import alike
from pamble.core.faces.face import Edge, Face
from pamble.core.joining.blend import Blend, build_blend, preview_blend
from pamble.core.joining.crest import Clearance, Limit, clearance
from pamble.core.joining.directions import side_of
from pamble.core.joining.ended import trimmed_ends
from pamble.core.joining.spec import FULLNESS_LIMITS, SPANS_LIMIT, BlendSpec, Ends
from pamble.core.joining.through import blend_through
from pamble.core.joining.tip import Tip, free_tip, tip_on
from pamble.core.joining.verify import Residual
from pamble.core.planes import Plane
from pamble.core.spline.closest import to_curve
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, made_face
from pamble.study.features.blend_handles import SIDES, blend_handles
from pamble.study.features.fields import SOFT_FULLNESS, choice, number, unseen
from pamble.study.features.handles import pull
from pamble.study.features.remedies import CALM, sliding_edges
from pamble.study.inputs import Offered
from pamble.study.references import EdgeRef, FaceRef, Place, PlaneRef
from pamble.study.stored import Stored

_EDGE, _POINT = ("to", "edge"), ("to", "point")


class EdgeBlendParams(Stored):
    """to: whether it runs to a second edge or to a point, which is put on_face if there is one, and meets that there.

    first_on, second_on: edges of other faces in which a side runs on. continuity: 0 to 3 a side. fullness: null for
    the default. spans: null to have them found.

    level: whether the crest is held at one height, crest mm, or as high as it is at the mean when null. limit: a plane
    that the bulge must not pass, or limit_line: a curve; meet: whether the fullness is found with which it just meets
    that. sections: curves along the gap that the blend passes, in any order; guides: curves across it that it contains.
    ends_by: curves over the blend to which its ends are trimmed. begins: where two loops begin, as shares of their
    lengths, null as found.
    """

    first: EdgeRef = choice("First edge")
    to: Literal["edge", "point"] = choice("To", "edge", labels={"edge": "an edge", "point": "a point"})
    second: EdgeRef | None = choice("Second edge", None, _EDGE, placed=True)
    point: Place | None = choice("Point", None, _POINT, placed=True)
    on_face: FaceRef | None = choice("Onto the face", None, _POINT)
    first_on: list[EdgeRef] = choice("The first runs on in", [], waits=True, fold="Over several faces")
    second_on: list[EdgeRef] = choice("The second runs on in", [], _EDGE, waits=True, fold="Over several faces")
    continuity: tuple[int, int] = choice("Continuity", (2, 2), continuity=True, sides=SIDES)
    fullness: tuple[float | None, float | None] = choice(
        "Fullness", (None, None), widget="slider", sides=SIDES, found="fullness", soft=list(SOFT_FULLNESS),
        limits={"minimum": FULLNESS_LIMITS[0], "maximum": FULLNESS_LIMITS[1]},
    )  # fmt: skip
    degree: int = number("Degree along", 5, ge=3, le=9)
    spans: int | None = number("Spans", None, ge=1, le=SPANS_LIMIT, found="spans")
    ends: Ends = choice("Ends", "neighbours", labels={"neighbours": "edges"})
    flip: bool = choice("Flip the second edge", False, _EDGE)
    level: bool = choice("Hold the crest level", False, fold="Crest and limit")
    crest: float | None = number(
        "Height", None, "mm", ("level", "true"), gt=0, le=1e5, found="crest_mean", fold="Crest and limit"
    )
    limit: PlaneRef | None = choice("Limit plane", None, fold="Crest and limit")
    limit_line: EdgeRef | None = choice("Limit line", None, fold="Crest and limit")
    meet: bool = choice("Just meet the limit", False, fold="Crest and limit")
    sections: list[EdgeRef] = choice("Sections", [], waits=True, fold="Sections and guides")
    guides: list[EdgeRef] = choice("Guides", [], waits=True, fold="Sections and guides")
    ends_by: list[EdgeRef] = choice("Trimmed to", [], waits=True, fold="Ends trimmed to curves")
    begins: tuple[float | None, float | None] = unseen((None, None))

    @field_validator("continuity")
    @classmethod
    def _known_continuity(cls, value: tuple[int, int]) -> tuple[int, int]:
        if not all(0 <= g <= 3 for g in value):
            raise ValueError("continuity is G0, G1, G2 or G3")
        return value

    @field_validator("fullness")
    @classmethod
    def _useful_fullness(cls, value: tuple[float | None, float | None]) -> tuple[float | None, float | None]:
        low, high = FULLNESS_LIMITS
        if not all(f is None or low <= f <= high for f in value):
            raise ValueError(f"fullness lies between {low:g} and {high:g}; about 0.6 to 1.3 is useful")
        return value

    def spec(self) -> BlendSpec:
        return BlendSpec(
            self.continuity, self.fullness, self.degree, self.spans, self.ends, self.flip,
            level=self.level, crest=self.crest, begins=self.begins,
        )  # fmt: skip


def run(params: EdgeBlendParams, inputs: Inputs, context: Context) -> Made:
    """Build the blend in full, or its preview on the knots that it was last kept with."""
    rows = _rows(params)
    edges = [[inputs.edge(ref) for ref in row] for row in rows]
    faces = [[inputs.face(FaceRef(feature=ref.feature)) for ref in row] for row in rows]
    if params.to == "edge":
        _offer_whole(rows, faces, edges)
    (a, one), *second = (side_of(list(zip(*pair, strict=True))) for pair in zip(faces, edges, strict=True))
    b, two = second[0] if second else (_tip(params, inputs, a), None)
    spec = params.spec()
    limit = _limit(params, inputs)
    if params.sections or params.guides:
        if isinstance(b, Tip):
            raise BlendError("Through sections and guides a blend runs to an edge; a loft runs to a point.")
        return _through(params, inputs, (a, b), rows, limit, context)
    before = context.kept.shape if context.kept else None
    kept = before.face.surface if before and before.face else None
    if (
        context.preview
        and kept is not None
        and kept.degree_u == params.degree
        and _same_spans(params.spans, kept.spans)
    ):
        made = preview_blend(a, b, spec, kept.knots_u, (one, two), limit, params.meet)
    else:
        made = build_blend(a, b, spec, beyond=(one, two), limit=limit, meet=params.meet)
        if spec.spans is not None and not context.quick:
            # What fewer and more spans would reach stays in sight.
            sought = build_blend(a, b, replace(spec, spans=None), beyond=(one, two), limit=limit, meet=params.meet)
            others = (t for t in sought.trials if t.spans != spec.spans)
            made = replace(made, trials=tuple(sorted((*others, *made.trials), key=lambda t: t.control_points)))
    facts = _facts(made, spec, limit, isinstance(b, Tip))
    if not context.quick and made.surface.control.shape[0] > CALM:
        facts["remedies"] = sliding_edges(inputs, [ref for row in rows for ref in row])
    return made_face(
        _ended(params, inputs, context, Face(made.surface)),
        seams=_seams(made.edges, rows, spec.continuity, bool(params.ends_by)),
        handles=blend_handles(made, spec, (a, b), isinstance(params.point, tuple)),
        warnings=made.warnings,
        **facts,
    )


def _rows(params: EdgeBlendParams) -> list[list[EdgeRef]]:
    """The edges of each side that has some."""
    first = [params.first, *params.first_on]
    if params.to == "point":
        return [first]
    if params.second is None:
        raise BlendError("Pick the second edge, or a point that the blend runs to.")
    return [first, [params.second, *params.second_on]]


def _tip(params: EdgeBlendParams, inputs: Inputs, edge: Edge) -> Tip:
    if params.point is None:
        raise BlendError("Pick the point that the blend runs to.")
    at = inputs.point(params.point)
    if params.on_face is None:
        return free_tip(edge, at, params.continuity[0] > 0)
    return tip_on(inputs.face(params.on_face), at, inputs.name(params.on_face.feature))


def _ended(params: EdgeBlendParams, inputs: Inputs, context: Context, face: Face) -> Face:
    """The blend trimmed to the curves that its ends are to follow: what lies between them stays."""
    if not params.ends_by:
        return face
    named = zip(params.ends_by, inputs.different(params.ends_by), strict=True)
    curves = {
        f"{context.step}:{r.feature}-{r.edge}".replace(".", "-"): (inputs.name(r.feature), curve) for r, curve in named
    }
    return trimmed_ends(face, curves, 0.1 * context.fit * (10.0 if context.preview else 1.0), context.preview)


def _offer_whole(
    rows: Sequence[Sequence[EdgeRef]], faces: Sequence[Sequence[Face]], edges: Sequence[Sequence[Edge]]
) -> None:
    """Where one edge comes round and the other would over edges of its own face, raise the offer to take these too."""
    picked = [[(k, e) for e in row] for k, row in enumerate(edges)]
    for k, whole in enumerate(alike([row[0] for row in faces], picked)):
        more = [e for n, e in whole if n == k and e not in edges[k]]
        if len(edges[k]) == 1 and len(more) + 1 == len(whole) > 1:
            raise Offered(
                "One edge comes round to its start and the other does not.",
                "Take the other one all round",
                {f"{SIDES[k]}_on": [{"feature": rows[k][0].feature, "edge": e.name} for e in more]},
            )


def _through(
    params: EdgeBlendParams, inputs: Inputs, edges: tuple[Edge, Edge], rows: Sequence[Sequence[EdgeRef]],
    limit: Limit | None, context: Context,
) -> Made:  # fmt: skip
    """The blend that passes sections and guides."""
    if params.meet:
        raise BlendError("Sections and guides set the height of a blend: it cannot be filled to just meet a limit.")
    passed = inputs.different([*params.sections, *params.guides])
    count, spec = len(params.sections), params.spec()
    diagonal = max(e.surface.diagonal for e in edges)
    made = blend_through(*edges, spec, diagonal, passed[:count], passed[count:], context.quick)
    away = None if limit is None else clearance(made.surface, limit)
    full = [1.0 if f is None else f for f in spec.fullness]
    handles = tuple(
        replace(
            pull("fullness", "Fullness", full[k], at, arm, index=k, per_mm=1 / _length(arm), limits=FULLNESS_LIMITS),
            side=SIDES[k], unit="",
        )
        for k, (at, arm) in enumerate(made.arms)
        if spec.continuity[k] > 0
    )  # fmt: skip
    return made_face(
        _ended(params, inputs, context, Face(made.surface)),
        seams=_seams(("v0", "v1"), rows, spec.continuity, bool(params.ends_by)),
        handles=handles,
        warnings=made.warnings,
        brief=_brief(spec),
        spans=made.surface.spans[0],
        spans_found=True,
        fullness=full,
        **({"off_sections": max(made.sections)} if made.sections else {}),
        **({"off_guides": max(made.guides)} if made.guides else {}),
        **({} if away is None or limit is None else _clearance(away, limit)),
    )


def _length(way: Array) -> float:
    return max(float(np.linalg.norm(way)), 1e-9)


def _seams(
    sides: tuple[str, str], rows: Sequence[Sequence[EdgeRef]], continuity: tuple[int, int], ended: bool
) -> tuple[DeclaredSeam, ...]:
    return tuple(
        DeclaredSeam(sides[k], ref.feature, ref.edge, continuity[k], part=ended or len(row) > 1)
        for k, row in enumerate(rows)
        for ref in row
    )


def _brief(spec: BlendSpec) -> str:
    return " · ".join(f"G{g}" for g in spec.continuity)


def _limit(params: EdgeBlendParams, inputs: Inputs) -> Limit | None:
    if params.limit is not None and params.limit_line is not None:
        raise BlendError("A blend has one limit: a plane or a line.")
    if params.limit_line is not None:
        return inputs.curve(params.limit_line)
    if params.limit is None and params.meet:
        raise BlendError("There is no limit to meet: pick a plane or a line.")
    return None if params.limit is None else inputs.plane(params.limit)


def _same_spans(asked: int | None, kept: tuple[int, int]) -> bool:
    return asked is None or asked == kept[0]


def _facts(made: Blend, spec: BlendSpec, limit: Limit | None, to_tip: bool) -> dict[str, object]:
    return {
        "brief": _brief(spec),
        "spans": made.spans,
        "spans_found": spec.spans is None,
        "degree_across": spec.across,
        "fullness": [made.factor * made.spec.full(0), made.factor * made.spec.full(1)],
        **({} if made.crest is None else _crest(*made.crest)),
        **(_in_tip(made.residuals[1], spec) if to_tip and made.residuals else {}),
        **({} if made.clearance is None or limit is None else _clearance(made.clearance, limit)),
        "residuals": [asdict(r) for r in made.residuals or ()],
        "trials": [{"spans": t.spans, "cvs": t.control_points, "ratio": t.ratio} for t in made.trials if t.even],
    }


def _in_tip(met: Residual, spec: BlendSpec) -> dict[str, float]:
    figures = {"tip_angle": met.angle, "tip_curvature": met.curvature}
    return dict(list(figures.items())[: spec.continuity[1]])


def _clearance(found: Clearance, limit: Limit) -> dict[str, object]:
    """The clearance, and where it is: marked on the part from the blend to its limit."""
    at = found.point
    foot = (
        at - limit.height(at[None])[0] * limit.normal
        if isinstance(limit, Plane)
        else to_curve(limit, at[None]).point[0]
    )
    marked = {"value": found.value, "unit": "mm", "lines": [[at.tolist(), np.asarray(foot).tolist()]]}
    return {"clearance": found.value, "marked": marked}


def _crest(least: float, most: float) -> dict[str, float]:
    return {"crest_mean": 0.5 * (least + most), "crest_least": least, "crest_most": most}


KIND = FeatureKind(
    "edge_blend",
    "Blend",
    "secondary",
    EdgeBlendParams,
    run,
    "blends",
    "Pick two edges of faces that face each other, or an edge and a point.",
    makes="face",
    key="B",
    doing="Pull the round handles for fullness. Enter keeps the blend, Esc drops it.",
    figures=(
        Figure("crest_least", "Crest, least", "mm"),
        Figure("crest_most", "Crest, most", "mm"),
        Figure("clearance", "Clearance from the limit", "mm"),
        Figure("tip_angle", "In the point, angle", "°"),
        Figure("tip_curvature", "In the point, curvature", "%"),
        Figure("off_sections", "Off the sections", "mm"),
        Figure("off_guides", "Off the guides", "mm"),
        Figure("trials", "Spans against the worst figure over its aim", form="trade-off"),
    ),
)
