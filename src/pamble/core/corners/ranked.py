"""Layouts of a hole tried one by one, each with the spans that do best, and ranked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array
from pamble.core.corners.calm import unrest
from pamble.core.corners.fit import FittedNet, fit_net
from pamble.core.corners.layouts import Layout
from pamble.core.corners.leads import Inside
from pamble.core.corners.net import Net, even
from pamble.core.corners.reference import laid_on, network, reference
from pamble.core.corners.rim import Rim
from pamble.core.errors import GeometryError, PambleError
from pamble.core.joining.spans import finer
from pamble.core.patches.folds import folded
from pamble.core.spline.surface import Surface
from pamble.core.ticking import tick

_IDLE, _HELPS, _MOST_CVS = 2, 0.8, 700
"""Rounds of closer knots that do not help are the last, what a round must bring, and CVs in all."""

_LIMITS = {True: (8, 8), False: (4, 3)}
"""Rounds, and layouts after which no further ones are tried for one that holds: where one can, and where the neighbours
contradict each other.
"""

_UNREST = 4.0
"""Unrest of light against the calmest from which more of it counts no further: what lies open is no better for calm."""

_ALONE = 0.75
"""Worst figure over its aim at its samples that is enough for one patch, whose further spans cost little: between the
samples it is somewhat more.
"""

_CALM = 1e-12
"""Unrest of what is calm throughout, as a plane is."""

_HOPELESS = 5.0
"""Worst figure over its aim from which more spans are not worth a try on a layout that is not the first."""


@dataclass(frozen=True)
class Tried:
    """A layout that was tried: the knots of its ladders, its CVs, the worst figure over its aim, the unrest of light on
    it, and its score, the lower the better; None for one that folds. surfaces: None where it folds, or was built
    elsewhere.
    """

    layout: Layout
    inside: Inside
    knots: tuple[Array, ...]
    cvs: int
    worst: float
    unrest: float
    surfaces: tuple[Surface, ...] | None
    score: float | None = None

    @property
    def sound(self) -> bool:
        """Whether it does not fold."""
        return bool(np.isfinite(self.unrest))

    @property
    def spans(self) -> int:
        """The most of any ladder."""
        return max(len(np.unique(k)) - 1 for k in self.knots)


def ranked(
    rim: Rim,
    layouts: Sequence[tuple[Layout, Inside]],
    until_one_holds: bool,
    degree: int,
    spans: int | None,
    ground: Surface | None,
    sound: bool = True,
) -> list[Tried]:
    """Layouts with the spans that do best on each, the best first. ground: a surface over the whole hole that they are
    laid on first. sound: whether something can hold; else less is tried. Raises `GeometryError` where none has a
    solution.
    """
    out: list[Tried] = []
    rounds, most = _LIMITS[sound]
    for layout, inside in layouts[:most] if until_one_holds else layouts:
        best = _Search(rim, layout, inside, degree, ground).best(spans, not out, rounds)
        if best is not None:
            out.append(best)
        if until_one_holds and best is not None and best.surfaces is not None and best.worst <= 1.0:
            break
    if not out:
        raise GeometryError("No layout has a stable solution over this hole.")
    return scored(out)


def scored(tried: Sequence[Tried]) -> list[Tried]:
    """With their scores, the best first: the worst figure over its aim, times the unrest of light and the fourth root
    of the CVs, both against the best of all.
    """
    sound = [t for t in tried if t.sound]
    calmest = max(min((t.unrest for t in sound), default=1.0), _CALM)
    fewest = min((t.cvs for t in sound), default=1)
    out = [replace(t, score=score(t.worst, t.unrest / calmest, t.cvs / fewest)) if t.sound else t for t in tried]
    return sorted(out, key=lambda t: (t.score is None, t.score or 0.0))


def score(worst: float, unrest: float, cvs: float) -> float:
    """What ways to fill a hole are ranked by, the lower the better. worst: figure over its aim; unrest of light and
    CVs: against the least of all.
    """
    return float(max(worst, 1.0) * min(unrest, _UNREST) * cvs**0.25)


def _rank(t: Tried) -> tuple[bool, float]:
    return t.surfaces is None, t.worst


class _Search:
    """The knots of a layout's ladders: single spans, then closer ones in those that miss, where they miss."""

    def __init__(self, rim: Rim, layout: Layout, inside: Inside, degree: int, ground: Surface | None) -> None:
        self.rim, self.layout, self.inside, self.degree, self.ground = rim, layout, inside, degree, ground
        # One patch begins at the rim's own Coons patch: with fewer spans, and on a long strip at all.
        alone = len(layout.patches) == 1
        self.enough = _ALONE if alone else 1.0
        self.ways = [*(["coons"] if alone else []), *([] if ground is None else ["ground"]), "calm"]

    def best(self, spans: int | None, first: bool, rounds: int) -> Tried | None:
        """The layout with the knots that do best; None where none has a solution. spans: of every ladder, found if
        None; first: whether no other layout has been found yet. rounds: of closer knots at most.
        """
        best: Tried | None = None
        idle, knots = 0, even(self.layout, self.degree, spans or 1)
        for n in range(rounds):
            tick()
            one, over = self._try(knots)
            if one is not None and (best is None or _rank(one) < _rank(best)):
                idle = 0 if best is None or one.worst < _HELPS * best.worst else idle + 1
                best = one
            else:
                idle += 1
            held = best is not None and best.surfaces is not None and best.worst <= self.enough
            if spans or held or idle == _IDLE or (best is not None and not first and best.worst > _HOPELESS):
                break
            knots = even(self.layout, self.degree, n + 2) if over is None else self._closer(knots, over)
            if Net(self.layout, self.degree, knots).count > _MOST_CVS:
                break
        return best

    def _closer(self, knots: Sequence[Array], over: Sequence[Array]) -> list[Array]:
        """Knots that lie closer where rows miss. over: of every arc, at its places, by how much."""
        net = Net(self.layout, self.degree, knots)
        ratios = [np.zeros(len(np.unique(k)) - 1) for k in knots]
        for arc, (ladder, sense) in enumerate(self.layout.ladders):
            s = net.places(arc)[0]
            at = np.clip(np.searchsorted(net.spaces[arc].breaks, s, side="right") - 1, 0, len(ratios[ladder]) - 1)
            worst = np.zeros(len(ratios[ladder]))
            np.maximum.at(worst, at, over[arc])
            ratios[ladder] = np.maximum(ratios[ladder], worst[::sense])
        return [finer(k, self.degree, r) if r.max() > self.enough else k for k, r in zip(knots, ratios, strict=True)]

    def _try(self, knots: Sequence[Array]) -> tuple[Tried | None, tuple[Array, ...] | None]:
        """The layout on such knots, and by how much the arcs miss their aims along them; None where it has none."""
        net = Net(self.layout, self.degree, knots)
        try:
            made = self._made(net)
        except (PambleError, np.linalg.LinAlgError):
            return None, None
        surfaces = tuple(net.surfaces(made.control))
        sound = not any(folded(s) for s in surfaces)
        cvs = sum(own.size for own in net.index)
        calm = unrest(surfaces) if sound else float("inf")
        tried = Tried(self.layout, self.inside, tuple(knots), cvs, made.worst, calm, surfaces if sound else None)
        return tried, made.over

    def _made(self, net: Net) -> FittedNet:
        """The fit from the start that does best: with closer knots from the one that did before."""
        made: list[tuple[FittedNet, str]] = []
        for way in self.ways:
            made.append((fit_net(self.rim, net, self._start(net, way), self.inside, self._near(way)), way))
            if made[-1][0].worst <= self.enough:
                break
        best, way = min(made, key=lambda m: m[0].worst)
        # More spans follow what is asked more closely, and drift farther where nothing is: then the ground holds them.
        self.ways = [way] if self.ground is None else ["ground", *([] if way == "ground" else [way])]
        return best

    def _start(self, net: Net, way: str) -> Array:
        if way == "coons":
            return network(self.rim, net, self.inside)
        start = reference(self.rim, net, self.inside)
        return start if way == "calm" or self.ground is None else laid_on(net, start, self.ground)

    def _near(self, way: str) -> Surface | None:
        return self.ground if way == "ground" else None
