"""A hole laid out in four-sided patches: layouts tried, ranked, and the best one measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.checks.measured import measure_seams, sample_seams
from pamble.core.checks.seams import Seam
from pamble.core.corners.layouts import WIDEST, Layout, of_kind, suited
from pamble.core.corners.leads import Inside, hub_of, lead, led, off
from pamble.core.corners.net import Net
from pamble.core.corners.ranked import Tried, ranked
from pamble.core.corners.rim import Rim
from pamble.core.errors import GeometryError, PambleError
from pamble.core.faces.face import Edge, Face, natural_edge
from pamble.core.patches.closed import closed
from pamble.core.patches.loop import Asked, Chain, Corner, corners, eased
from pamble.core.patches.told import SideFigures, contradictions, short_of
from pamble.core.patches.trimmed import carried_over
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface

SIDES = ("v0", "u1", "v1", "u0")
"""The sides of a patch in their order round it."""

_MEETS = 20.0
"""Worst figure over its aim up to which one surface over the hole shows the shape that its sides ask for."""


@dataclass(frozen=True)
class SeamInside:
    """A seam between two patches, by their numbers, and their sides: gap mm, angle degrees, curvature %, the worst of
    each.
    """

    patches: tuple[int, int]
    edges: tuple[str, str]
    gap: float
    angle: float
    curvature: float


@dataclass(frozen=True)
class LaidOut:
    """Patches over a hole. sides: how they meet the neighbours, a row for every stretch of the rim; inside: how they
    meet each other. patch_of: of every row of ``sides`` the patch. tried: all layouts, the best first. rim: the sides
    in their order round the hole; order: of each its number as given. missed: by how much seams miss the curves that
    they run along, mm, None where there are none.
    """

    layout: Layout
    faces: tuple[Face, ...]
    sides: tuple[SideFigures, ...]
    patch_of: tuple[int, ...]
    inside: tuple[SeamInside, ...]
    corners: tuple[Corner, ...]
    tried: tuple[Tried, ...]
    warnings: tuple[str, ...]
    rim: Rim
    order: tuple[int, ...]
    missed: float | None = None


def lay_out(
    asked: Sequence[Asked],
    diagonal: float,
    layouts: Sequence[Layout] | None = None,
    degree: int = 5,
    spans: int | None = None,
    centre: Array | None = None,
    exact: bool = True,
    along: Sequence[Curve] = (),
) -> LaidOut:
    """Fill a closed loop of three to eight sides by patches that meet it as each side asks, and each other with G2.

    layouts: those to try, but for those that do not suit the corners; None for what is proposed until one holds.
    spans: of every patch in both directions, found if None. centre: where the hub is held, (3,). along: curves that
    seams run along, from the rim to the hub or across. ``diagonal`` of the part, mm. exact: whether the worst figures
    are closed in on between the samples. Raises `GeometryError` for sides that do not close, and where every layout
    folds.
    """
    c = closed(asked)
    if not all(isinstance(p.asked.source, Edge) for p in c.sides):
        raise GeometryError("Laid out in patches, every side of a hole is an edge of a face, not a lone curve.")
    found = corners(c, diagonal)
    c = eased(c, found)
    rim = Rim(c.sides)
    ways = suited(of_kind(len(asked), "all") if layouts is None else layouts, rim.angles().tolist())
    asked_for = _inside(rim, ways, centre, along)
    # A hub that is put somewhere, and curves to run along, make a shape of their own.
    ground = _ground(c, diagonal) if all(i.free for _, i in asked_for) else None
    tried = ranked(rim, asked_for, layouts is None, degree, spans, ground, not c.eased)
    best = tried[0]
    if best.surfaces is None and centre is not None:
        away = float(norm(centre - rim.middle))
        raise GeometryError(
            f"With the hub there, {away:.1f} mm from the middle of the hole, the patches fold: put it nearer to "
            f"({', '.join(f'{x:.1f}' for x in rim.middle)}) mm."
        )
    if best.surfaces is None:
        raise GeometryError(_folds(rim))
    faces = tuple(Face(s) for s in best.surfaces)
    net = Net(best.layout, degree, best.knots)
    sides, patch_of, inside = _measured(c, net, faces, diagonal, exact)
    missed = {k: off(_edge(faces, net.uses[k][0]).space, line) for k, line in best.inside.leads.items()}
    warnings = contradictions(found, {n: p.asked.order for p, n in zip(c.sides, c.order, strict=True)})
    warnings += short_of(sides) if exact and spans is None else []
    return LaidOut(
        best.layout,
        faces,
        tuple(sides),
        tuple(patch_of),
        tuple(inside),
        tuple(found),
        tuple(tried),
        tuple(warnings),
        rim,
        tuple(c.order),
        max(missed.values(), default=None),
    )


def _inside(
    rim: Rim, layouts: Sequence[Layout], centre: Array | None, along: Sequence[Curve]
) -> list[tuple[Layout, Inside]]:
    """Layouts with what is asked inside each."""
    if not along:
        return [(layout, Inside(centre)) for layout in layouts]
    leads = [lead(rim, line, f"Curve {k + 1}") for k, line in enumerate(along)]
    hub = hub_of(leads)
    return [(way, Inside(centre if hub is None else hub, found)) for way, found in led(layouts, len(rim.sides), leads)]


def _folds(rim: Rim) -> str:
    wide = int(np.argmax(rim.angles()))
    angle = float(rim.angles()[wide])
    if angle < WIDEST:
        helps = "take the best of all, one trimmed patch, or split its sides"
    else:
        at = ", ".join(f"{x:.1f}" for x in rim.at(wide, np.array([0.0])).point[0])
        helps = (
            f"its corner near ({at}) mm has {angle:.0f}°, and a spoke has to begin there: take the best of all, or one "
            "trimmed patch"
        )
    return f"Every layout that was tried folds over this hole: {helps}."


def _ground(c: Chain, diagonal: float) -> Surface | None:
    """One surface over the whole hole that the patches are laid on; None where there is none that meets the sides."""
    try:
        return carried_over(c, diagonal, _MEETS)
    except PambleError:
        return None


def _edge(faces: Sequence[Face], use: tuple[int, int, int]) -> Edge:
    return natural_edge(faces[use[0]].surface, SIDES[use[1]])


def _measured(
    c: Chain, net: Net, faces: Sequence[Face], diagonal: float, exact: bool
) -> tuple[list[SideFigures], list[int], list[SeamInside]]:
    """Figures of every stretch of the rim, by the numbers of the sides as they were given, with its patch; and of every
    seam inside.
    """
    pairs = []
    for k, arc in enumerate(net.layout.arcs):
        own = _edge(faces, net.uses[k][0])
        source = _edge(faces, net.uses[k][1]) if arc.inner else c.sides[arc.side].asked.source
        assert isinstance(source, Edge)
        pairs.append((own, source))
    sampled = sample_seams([Seam((0, 1), a, b, a.domain) for a, b in pairs], exact=exact)
    sides: list[SideFigures] = []
    patch_of: list[int] = []
    inside: list[SeamInside] = []
    for k, ((a, b), m) in enumerate(zip(pairs, measure_seams(sampled, diagonal, exact), strict=True)):
        arc, uses = net.layout.arcs[k], net.uses[k]
        figures = (m.worst["gap"].value, m.worst["angle"].value, m.worst["curvature"].value)
        if arc.inner:
            inside.append(SeamInside((uses[0][0], uses[1][0]), (a.name, b.name), *figures))
        else:
            sides.append(SideFigures(c.order[arc.side], a.name, c.sides[arc.side].asked.order, *figures))
            patch_of.append(uses[0][0])
    return sides, patch_of, inside
