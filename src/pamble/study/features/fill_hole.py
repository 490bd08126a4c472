"""Fill: a hole closed by one trimmed patch at once, or laid out in four-sided patches that meet with G2, hub
included."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array
from pamble.core.corners.corner import LaidOut, lay_out
from pamble.core.corners.layouts import SIDED, Layout, of_kind, stepped
from pamble.core.faces.face import Edge
from pamble.core.patches.between import one_patch
from pamble.core.patches.loop import Asked, Corner
from pamble.core.patches.running import Sides, taken_together
from pamble.core.patches.told import SideFigures
from pamble.core.patches.yielding import Yielding, yielding
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_grid
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, PartHandle, Shape
from pamble.study.features.fields import choice, number, unseen
from pamble.study.features.handles import move, slide
from pamble.study.features.remedies import remedies_for, simpler_edges
from pamble.study.features.sides import MOST, MOST_EDGES, SidesParams, continuities, met_seams
from pamble.study.features.ways import Given, Ways
from pamble.study.references import EdgeRef, Place

_RUNS_ALONG = 0.01
"""By how much, mm, a seam misses its curve when it is told."""

_KINDS = {"spokes": "spokes", "corners": "corners", "two": "two", "strip": "strip", "best": "all"}
"""Layouts of the choice by the core's words; one trimmed patch is none."""


class FillParams(SidesParams):
    """edges: those round the hole, in any order. continuity: where nothing is said G2, but see `yielding`. layout:
    one trimmed patch, or patches round a hub whose spokes begin in the middles of the sides, or also at corners;
    two patches; a strip and what is beside it; the best of all; or the one that ``way`` names. chains: whether
    edges that follow each other without a corner are one side. feet: where on each side a spoke begins, as a share
    of it, null for its middle. inside: curves that one trimmed patch passes. along: curves that seams run along,
    from the rim to the hub or across. hub: where the spokes meet, found if null. spans: of every patch in both
    directions, found if null.
    """

    edges: list[EdgeRef] = Field(title="Sides", min_length=1, max_length=MOST_EDGES, json_schema_extra={"rounds": True})
    continuity: list[int] = continuities(MOST, "orders")
    layout: Literal["single", "spokes", "corners", "two", "strip", "best", "picked"] = choice(
        "Layout", "single",
        labels={
            "single": "one patch", "spokes": "spokes, middles", "corners": "spokes, corners",
            "two": "two patches", "strip": "a strip across", "best": "the best of all", "picked": "as picked below",
        },
    )  # fmt: skip
    chains: Literal["one", "each"] = choice(
        "Edges that run on", "one", labels={"one": "as one side", "each": "each a side"}
    )
    way: str | None = unseen(None, max_length=80)
    feet: list[Annotated[float, Field(ge=0.05, le=0.95)] | None] = unseen([])
    inside: list[EdgeRef] = choice("Passes curves", [], when=("layout", "single"))
    along: list[EdgeRef] = choice("Seams along curves", [], when=("layout", *_KINDS, "picked"))
    hub: Place | None = choice("Hub", None, when=("layout", "spokes", "corners", "best", "picked"))
    degree: int = number("Degree", 5, ge=5, le=9)
    spans: int | None = number("Spans", None, found="spans", ge=1, le=6)


def run(params: FillParams, inputs: Inputs, context: Context) -> Made:
    """Fill the hole."""
    inputs.different(params.edges)
    diagonal = max(inputs.edge(ref).surface.diagonal for ref in params.edges)
    given = _asked(params, inputs, diagonal)
    orders = [a.order for a in given.asked]
    sides = taken_together(given.asked) if params.chains == "one" else taken_together(given.asked, len(orders))
    count = len(sides.asked)
    ways = _ways(params, inputs, sides, diagonal)
    if params.layout == "single":
        through = inputs.different(params.inside)
        made = one_patch(sides.asked, diagonal, params.degree, params.spans, through, context.dragged)
        facts = _facts(
            "one patch" if made.face.natural else "one patch, trimmed",
            made.sides,
            made.corners,
            made.face.surface.spans[0],
        )
        facts |= {"layouts": [] if ways is None else ways.rows(), "orders": orders}
        met = met_seams(
            params.edges, orders, inputs, sides, [(made.face.edge(s.patch_side), s.number) for s in made.sides]
        )
        told = (*given.words, *made.warnings, *_mended(params, inputs, sides, made.corners, facts, context))
        return Made({"": Shape(made.face)}, seams=met, facts=facts, warnings=told, ways=ways)
    hub = None if params.hub is None else inputs.point(params.hub)
    laid = lay_out(
        sides.asked,
        diagonal,
        _wanted(params, count),
        params.degree,
        params.spans,
        hub,
        not context.quick,
        inputs.different(params.along),
    )
    facts = _facts(laid.layout.name, laid.sides, laid.corners, laid.tried[0].spans)
    facts["inside"] = [{"angle": s.angle, "curvature": s.curvature} for s in laid.inside]
    ways = None if ways is None else ways.showing(laid.tried)
    facts |= {"layouts": [] if ways is None else ways.rows(), "orders": orders}
    facts["missed"] = laid.missed
    slots = ["", *(f"{i}" for i in range(2, len(laid.faces) + 1))]
    shapes = {slot: Shape(face) for slot, face in zip(slots, laid.faces, strict=True)}
    inside = tuple(
        DeclaredSeam(s.edges[0], _object(context.step, slots[s.patches[1]]), s.edges[1], MOST, slots[s.patches[0]])
        for s in laid.inside
    )
    stretches = [(laid.faces[p].edge(s.patch_side), s.number) for s, p in zip(laid.sides, laid.patch_of, strict=True)]
    met = met_seams(params.edges, orders, inputs, sides, stretches, [slots[p] for p in laid.patch_of])
    told = (*given.words, *_told(laid), *_mended(params, inputs, sides, laid.corners, facts, context))
    return Made(shapes, seams=(*met, *inside), handles=_handles(laid), facts=facts, warnings=told, ways=ways)


def _asked(params: FillParams, inputs: Inputs, diagonal: float) -> Yielding:
    """What is asked of the sides; where nothing is said of them some give way, see `yielding`."""
    asked = tuple(Asked(inputs.edge(ref), order) for ref, order in zip(params.edges, params.orders(), strict=True))
    return Yielding(asked) if params.continuity else yielding(asked, diagonal)


def _mended(
    params: FillParams,
    inputs: Inputs,
    sides: Sides,
    corners: Sequence[Corner],
    facts: dict[str, Any],
    context: Context,
) -> list[str]:
    """Put steps that would help into the facts; what is told of edges that are more complex than they need be."""
    if context.quick:
        return []
    words, simpler = simpler_edges(inputs, params.edges)
    bent = [c for c in corners if all(sides.asked[i].order > 1 for i in c.sides)]
    facts["remedies"] = [*remedies_for(inputs, params.edges, sides.members, bent), *simpler]
    return words


def _told(laid: LaidOut) -> tuple[str, ...]:
    if laid.missed is None or laid.missed < _RUNS_ALONG:
        return laid.warnings
    return (
        *laid.warnings,
        f"A seam misses its curve by {laid.missed:.3f} mm: where it meets the rim the curve does not lie on the "
        "neighbour's surface carried on.",
    )


def _wanted(params: FillParams, count: int) -> list[Layout]:
    """The layouts to be tried, their feet where they were put."""
    return _footed(params, count, (params.way or "") if params.layout == "picked" else _KINDS[params.layout])


def _footed(params: FillParams, count: int, kind: str) -> list[Layout]:
    feet = {k: v for k, v in enumerate(params.feet[:count]) if v is not None}
    ways = of_kind(count, kind)
    return [stepped(w, count, feet) for w in ways] if feet else ways


def _ways(params: FillParams, inputs: Inputs, sides: Sides, diagonal: float) -> Ways | None:
    """All ways to lay the hole out; None where it cannot be."""
    count = len(sides.asked)
    if count not in SIDED or not all(isinstance(a.source, Edge) for a in sides.asked):
        return None
    hub = None if params.hub is None else inputs.point(params.hub)
    along = tuple(inputs.different(params.along))
    given = Given(tuple(sides.asked), diagonal, params.degree, params.spans, hub, along)
    return Ways.of(given, _footed(params, count, "all"))


def _object(step: str, slot: str) -> str:
    return f"{step}/{slot}" if slot else step


def _facts(layout: str, sides: Sequence[SideFigures], corners: Sequence[Corner], spans: int) -> dict[str, Any]:
    """Figures of the sides, the worst stretch of each, and of what disagrees at the corners."""
    rows: dict[int, list[SideFigures]] = {}
    for s in sides:
        rows.setdefault(s.number, []).append(s)
    return {
        "layout": layout,
        "spans": spans,
        "sides": [
            {k: max(getattr(s, k) or 0.0 for s in rows[n]) for k in ("gap", "angle", "curvature")} for n in sorted(rows)
        ],
        "corners": [
            {"gap": c.gap, "angle": c.angle, "curvature": c.bends, "twist": c.twist}
            for c in corners
            if c.angle is not None
        ],
    }


def _handles(laid: LaidOut) -> tuple[PartHandle, ...]:
    """The hub, to be moved in its tangent plane, and the spokes' feet along their sides."""
    lead = laid.tried[0].inside
    led = {v for k in lead.leads for v in (laid.layout.arcs[k].start, laid.layout.arcs[k].end)}
    feet = tuple(
        slide(
            "feet", f"Spoke's foot on side {laid.order[v.side] + 1}", v.t, laid.rim.sides[v.side].points,
            index=v.side, limits=(0.05, 0.95),
        )
        for k, v in enumerate(laid.layout.vertices)
        if v.kind == "foot" and k not in led
    )  # fmt: skip
    if laid.layout.hub is None or (lead.centre is not None and lead.leads):
        return feet
    surface = laid.faces[0].surface
    end = surface.domain
    d = surface_grid(surface, np.array([end[0][0]]), np.array([end[1][1]]), 1)
    n: Array = normals(d)[0, 0]
    return (move("hub", "Hub", d[0, 0][0, 0], n), *feet)


_PARTS = (("gap", "mm"), ("angle", "°"), ("curvature", "%"))

KIND = FeatureKind(
    "fill_hole", "Fill", "tertiary", FillParams, run, "corners",
    "Click into the hole, or pick an edge of it, then all round it.", makes="face",
    doing="Choose a layout; drag its hub on the part. Enter keeps it, Esc drops it.",
    figures=(
        Figure("layout", "Laid out as", form="words"),
        Figure("layouts", "Ways to lay it out", form="sketches", fills=("layout", "picked", "way")),
        Figure("sides", "Side", form="parts", each="Side {n}", parts=_PARTS),
        Figure("missed", "Seams keep to curves within", "mm"),
        Figure("inside", "Seam inside", form="parts", each="Seam inside {n}", parts=_PARTS[1:]),
        Figure("corners", "Corner", form="parts", each="Corner {n}", parts=(*_PARTS, ("twist", "%"))),
    ),
)  # fmt: skip
