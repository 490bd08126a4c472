"""Layouts of a hole tried one by one, each with the spans that do best, and ranked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.corners.calm import unrest
from pamble.core.corners.fit import fit_net
from pamble.core.corners.layouts import Layout
from pamble.core.corners.leads import Inside
from pamble.core.corners.net import Net
from pamble.core.corners.reference import laid_on, network, reference
from pamble.core.corners.rim import Rim
from pamble.core.errors import GeometryError, PambleError
from pamble.core.patches.boundary import folded
from pamble.core.spline.surface import Surface
from pamble.core.ticking import tick

_MOST_SPANS, _MOST_ALONE = 3, 6
"""Most spans of patches that are tried, and of one that fills the hole alone."""

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
    inside: Inside
    spans: int
    cvs: int
    worst: float
    unrest: float
    surfaces: tuple[Surface, ...] | None
    score: float | None = None


def ranked(
    rim: Rim,
    layouts: Sequence[tuple[Layout, Inside]],
    until_one_holds: bool,
    degree: int,
    spans: int | None,
    ground: Surface | None,
) -> list[Tried]:
    """Layouts with the spans that do best on each, the best first. ground: a surface over the whole hole that they are
    laid on first. Raises `GeometryError` where none has a solution.
    """
    out: list[Tried] = []
    for layout, inside in layouts[:_MOST_TRIED] if until_one_holds else layouts:
        best: Tried | None = None
        most = _MOST_SPANS if len(layout.patches) > 1 else _MOST_ALONE
        for k in [spans] if spans else range(1, most + 1):
            tick()
            one = _try(rim, layout, inside, degree, k, ground)
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


def _try(rim: Rim, layout: Layout, inside: Inside, degree: int, spans: int, ground: Surface | None) -> Tried | None:
    net = Net(layout, degree, spans)
    try:
        made = None
        if len(layout.patches) == 1:
            # One patch begins at the rim's own Coons patch: with fewer spans, and on a long strip at all.
            made = fit_net(rim, net, network(rim, net, inside), inside)
        if made is None or made.worst > 1.0:
            start = reference(rim, net, inside)
            others = [] if ground is None else [fit_net(rim, net, laid_on(net, start, ground), inside, ground)]
            if not others or others[0].worst > 1.0:
                others.append(fit_net(rim, net, start, inside))
            made = min([*([] if made is None else [made]), *others], key=lambda m: m.worst)
    except (PambleError, np.linalg.LinAlgError):
        return None
    surfaces = tuple(net.surfaces(made.control))
    cvs = len(surfaces) * net.n**2
    if any(folded(s) for s in surfaces):
        return Tried(layout, inside, spans, cvs, made.worst, float("inf"), None)
    return Tried(layout, inside, spans, cvs, made.worst, unrest(surfaces), surfaces)
