"""The surface of a fillet: rows over the ball's stations, on the fewest spans that reach the aims."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from pamble.core.arrays import Array
from pamble.core.fillets.between import Between, Rolling
from pamble.core.fillets.blended import Blended
from pamble.core.fillets.crease import Crease
from pamble.core.fillets.section import Round
from pamble.core.fillets.shape import Shape
from pamble.core.fillets.stations import Contacts
from pamble.core.fillets.stops import knots_between, stops
from pamble.core.joining.rows import CLOSING, NARROW, RowSpace, row_space
from pamble.core.joining.spans import finer
from pamble.core.spline import basis
from pamble.core.spline.extremes import largest
from pamble.core.spline.surface import Surface

_SPANS = (1, 2, 3, 4, 6, 8)
"""Even spans that are tried; then lines on which a face is less smooth are looked for, and spans parted."""

_LEAST_CLOSED = 4
_ROUNDS, _MOST = 10, 128
"""Times that spans are made finer, and how many they may become."""

ANGLE = 1
"""Place of the angle among the figures of every kind."""

_MARGIN, _HELPS = 0.9, 0.8
"""Share of the aims to reach, as the worst lies between the samples; and of what was reached that counts as a help: two
times without one are the last.
"""

_FIRST = 1e3
"""Weight of gap, angle and curvature before that of the rest."""

_CHECKS, _IN_SPAN = 121, 5
"""Places at which a fillet is looked at, at least, and in each span; less wide ones only lead from one to the next.
"""


class Sections(Protocol):
    """A kind of section. aims: of its figures, (k,)."""

    aims: Array

    def rows(self, space: RowSpace, at: Contacts, slack: float) -> Surface:
        """The surface on a space of rows. at: contacts at its samples; slack: share of the usual freedom along the
        crease, as a section that two fillets share must not shear.
        """

    def figures(self, surface: Surface, rolling: Rolling) -> Array:
        """How far a surface is off at shares of the crease, (k, m)."""


@dataclass(frozen=True)
class FilletSurface:
    """u runs along the crease over its stations' shares, v from the first face to the second. angle: the worst along
    it, degrees. radius: error of round sections, mm, else None. ratio: of the worst figure over its aim. tried: spans
    and that ratio.
    """

    surface: Surface
    angle: float
    radius: float | None
    ratio: float
    tried: tuple[tuple[int, float], ...]


def fillet_surface(c: Crease, found: Contacts, shape: Shape, aim: float = 1.0) -> FilletSurface:
    """The surface of the fewest spans that reaches the aims, or the best of those tried; its u is the share of the
    crease from its first station to its last. aim: share of the aims to reach.
    """
    ball = Between(c, found, shape.chord)
    kind: Sections = Round(ball) if shape.round else Blended(ball, shape)
    # A blended section may not be had beyond the crease, where the faces' curvature jumps: that is not bought there.
    within = ball.used if shape.round else ball.ends
    checked = ball.about(np.linspace(*within, _CHECKS))
    best: tuple[float, Surface, Rolling, Array] | None = None
    tried: list[tuple[int, float]] = []

    def look(knots: Array, order: int, rolling: Rolling) -> Array:
        """Try these knots; the worst figure over its aim at every share, (m,)."""
        nonlocal best
        space = row_space(5, knots, c.closed, order)
        surface = kind.rows(space, ball.at(space.s).contacts, aim)
        figures = kind.figures(surface, rolling)
        ratios = figures / kind.aims[:, None]
        worst = ratios.max(axis=1)
        tried.append((len(basis.breaks(knots, 5)) - 1, float(worst.max())))
        # A change of curvature that the faces do not allow is not bought with the rest.
        score = _FIRST * max(worst[:3].max(), 1.0) + worst.max()
        if best is None or score < best[0]:
            best = score, surface, rolling, figures
        return np.asarray(ratios.max(axis=0))

    for knots, order in _spaces(ball):
        ratios = look(knots, order, checked)
        if ratios.max() <= aim:
            break
    assert best is not None
    rolling, rounds, stalled = checked, 0, 0
    while ratios.max() > (aim if rounds == 0 else _MARGIN * aim) and rounds < _ROUNDS and stalled < 2:
        knots = finer(knots, 5, by_span(knots, rolling.s, ratios / (_MARGIN * aim)))
        if len(basis.breaks(knots, 5)) - 1 > _MOST:
            break
        before, rounds = min(r for _, r in tried), rounds + 1
        rolling = ball.about(_checks(knots, within))
        ratios = look(knots, order, rolling)
        stalled = stalled + 1 if tried[-1][1] > _HELPS * before else 0
    _, surface, rolling, figures = best
    if within != ball.ends:
        rolling = ball.about(_checks(surface.knots_u, ball.ends))
        figures = kind.figures(surface, rolling)
    _, most = largest(lambda s: kind.figures(surface, ball.about(s)), rolling.s, figures)
    radius = float(most[Round.RADIUS]) if shape.round else None
    return FilletSurface(surface, float(most[ANGLE]), radius, float((most / kind.aims).max()), tuple(tried))


def _spaces(ball: Between) -> Iterator[tuple[Array, int]]:
    """Knots to try first, the fewest at the start, and the derivatives that are alike where a loop closes. Even ones;
    where the ball passes lines on which the faces are less smooth, knots there once few even ones have not served.
    """
    least = _LEAST_CLOSED if ball.crease.closed else 1
    for n in _SPANS:
        if n >= least:
            yield basis.uniform_knots(5, n), CLOSING
    order = ball.crease.closing if ball.crease.closed else CLOSING
    found = stops(ball)
    if found or order < CLOSING:
        yield knots_between(found, 1), order


def by_span(knots: Array, s: Array, ratios: Array) -> Array:
    """The worst of ratios at shares s, (m,), in every span, (spans,)."""
    at = basis.breaks(knots, 5)
    out = np.zeros(len(at) - 1)
    np.maximum.at(out, np.clip(np.searchsorted(at, s, "right") - 1, 0, len(out) - 1), ratios)
    return out


def _checks(knots: Array, ends: tuple[float, float]) -> Array:
    """Shares at which a fillet on knots is looked at, several in every span."""
    at = basis.breaks(knots, 5)
    wide = np.diff(at) > NARROW
    inner = at[:-1][wide, None] + np.diff(at)[wide, None] * np.linspace(0, 1, _IN_SPAN + 2)[1:-1]
    places = np.concatenate([np.linspace(*ends, _CHECKS), inner.ravel()])
    span = np.clip(np.searchsorted(at, places, "right") - 1, 0, len(wide) - 1)
    return np.unique(places[wide[span] & (places >= ends[0]) & (places <= ends[1])])
