"""A hole laid out in four-sided patches: layouts tried, ranked, and the best one measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.checks.measured import measure_seams, sample_seam
from pamble.core.checks.seams import Seam
from pamble.core.corners.calm import unrest
from pamble.core.corners.fit import fit_net
from pamble.core.corners.layouts import WIDEST, Layout, of_kind, suited
from pamble.core.corners.net import Net
from pamble.core.corners.reference import laid_on, reference
from pamble.core.corners.rim import Rim
from pamble.core.errors import GeometryError, PambleError
from pamble.core.faces.face import Edge, Face, natural_edge
from pamble.core.patches.boundary import folded
from pamble.core.patches.loop import Asked, Chain, Corner, chain, corners, eased, refuse_gap
from pamble.core.patches.told import SideFigures, contradictions
from pamble.core.patches.trimmed import carried_over
from pamble.core.spline.surface import Surface
from pamble.core.ticking import tick

SIDES = ("v0", "u1", "v1", "u0")
"""The sides of a patch in their order round it."""

_MOST_SPANS, _MOST_ALONE = 3, 6
"""Most spans of patches that are tried, and of one that fills the hole alone."""

_MEETS = 20.0
"""Worst figure over its aim up to which one surface over the hole shows the shape that its sides ask for."""

_MOST_TRIED = 8
"""Layouts after which no further ones are tried for one that holds."""

_HOPELESS = 5.0
"""Worst figure over its aim from which more spans are not worth a try on a layout that is not the first."""


@dataclass(frozen=True)
class Tried:
    """A layout that was tried: its CVs, the worst figure over its aim, the unrest of light on it, and its score, the
    lower the better; None for one that folds.
    """

    layout: Layout
    spans: int
    cvs: int
    worst: float
    unrest: float
    surfaces: tuple[Surface, ...] | None
    score: float | None = None


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
    in their order round the hole; order: of each its number as given.
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


def lay_out(
    asked: Sequence[Asked],
    diagonal: float,
    layouts: Sequence[Layout] | None = None,
    degree: int = 5,
    spans: int | None = None,
    centre: Array | None = None,
    exact: bool = True,
) -> LaidOut:
    """Fill a closed loop of three to eight sides by patches that meet it as each side asks, and each other with G2.

    layouts: those to try, but for those that do not suit the corners; None for what is proposed until one holds.
    spans: of every patch in both directions, found if None. centre: where the hub is held, (3,). ``diagonal`` of the
    part, mm. exact: whether the worst figures are closed in on between the samples. Raises `GeometryError` for sides
    that do not close, and where every layout folds.
    """
    c = chain(asked)
    for i, meets in enumerate(c.joined):
        if not meets:
            refuse_gap(c, i)
    if not all(isinstance(p.asked.source, Edge) for p in c.sides):
        raise GeometryError("Laid out in patches, every side of a hole is an edge of a face, not a lone curve.")
    found = corners(c, diagonal)
    c = eased(c, found)
    rim = Rim(c.sides)
    ways = suited(of_kind(len(asked), "all") if layouts is None else layouts, rim.angles().tolist())
    # A hub that is put somewhere makes a shape of its own.
    ground = _ground(c, diagonal) if centre is None else None
    tried = _tried(rim, ways, layouts is None, degree, spans, centre, ground)
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
    net = Net(best.layout, degree, best.spans)
    sides, patch_of, inside = _measured(c, net, faces, diagonal, exact)
    warnings = contradictions(found, {n: p.asked.order for p, n in zip(c.sides, c.order, strict=True)})
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
    )


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


def _tried(
    rim: Rim,
    layouts: Sequence[Layout],
    until_one_holds: bool,
    degree: int,
    spans: int | None,
    centre: Array | None,
    ground: Surface | None,
) -> list[Tried]:
    """Layouts with the spans that do best on each, ranked."""
    out: list[Tried] = []
    for layout in layouts[:_MOST_TRIED] if until_one_holds else layouts:
        best: Tried | None = None
        most = _MOST_SPANS if len(layout.patches) > 1 else _MOST_ALONE
        for k in [spans] if spans else range(1, most + 1):
            tick()
            one = _try(rim, layout, degree, k, centre, ground)
            if one is not None and (best is None or _rank(one) < _rank(best)):
                best = one
            if one is not None and (one.worst <= 1.0 or (out and one.worst > _HOPELESS)):
                break
        if best is not None:
            out.append(best)
        if until_one_holds and best is not None and best.surfaces is not None and best.worst <= 1.0:
            break
    if not out:
        raise GeometryError("No layout has a stable solution over this hole.")
    sound = [t for t in out if t.surfaces is not None]
    calmest = min((t.unrest for t in sound), default=1.0)
    fewest = min((t.cvs for t in sound), default=1)
    scored = [
        replace(t, score=max(t.worst, 1.0) * (t.unrest / max(calmest, 1e-12)) * (t.cvs / fewest) ** 0.25)
        if t.surfaces is not None
        else t
        for t in out
    ]
    return sorted(scored, key=lambda t: (t.score is None, t.score or 0.0))


def _rank(t: Tried) -> tuple[bool, float]:
    return t.surfaces is None, t.worst


def _try(
    rim: Rim, layout: Layout, degree: int, spans: int, centre: Array | None, ground: Surface | None
) -> Tried | None:
    net = Net(layout, degree, spans)
    try:
        start = reference(rim, net, centre)
        made = None if ground is None else fit_net(rim, net, laid_on(net, start, ground), centre=centre, ground=ground)
        if made is None or made.worst > 1.0:
            free = fit_net(rim, net, start, centre=centre)
            made = free if made is None or free.worst < made.worst else made
    except (PambleError, np.linalg.LinAlgError):
        return None
    surfaces = tuple(net.surfaces(made.control))
    cvs = len(surfaces) * net.n**2
    if any(folded(s) for s in surfaces):
        return Tried(layout, spans, cvs, made.worst, float("inf"), None)
    return Tried(layout, spans, cvs, made.worst, unrest(surfaces), surfaces)


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
    sampled = [sample_seam(Seam((0, 1), a, b, a.domain), exact=exact) for a, b in pairs]
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
