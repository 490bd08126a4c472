"""The surface of a ball fillet: six rows of a degree-5 section that meets both faces with G1 and is round within it.

A circular arc by angle phi is matched by the quintic with P1 = P0 + a R t, P2 = P0 + b R t + 1.25 a^2 R n, whose
curvature at the end is exactly 1 / R. a / phi and b / phi are one smooth even polynomial each: the best values angle by
angle jump between branches, and rows cannot follow a jump. The error over R is 8e-11 at 60 degrees, 5e-9 at 90, 8e-7 at
150.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.fillets.between import Between, Rolling
from pamble.core.fillets.crease import Crease
from pamble.core.fillets.feet import derivatives, step_uv
from pamble.core.fillets.stations import Contacts
from pamble.core.fillets.stops import knots_between, stops
from pamble.core.joining.rows import CLOSING, SLOPE, Condition, RowSpace, row_space, solve_row
from pamble.core.joining.spans import finer
from pamble.core.spline import basis
from pamble.core.spline.evaluate import surface_derivatives, surface_grid
from pamble.core.spline.extremes import largest
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import BLEND_ANGLE, BLEND_GAP

_WIDEST = np.radians(160)
_A = np.array([2.00000068e-01, 9.48052006e-03, 2.93405536e-04, -3.21056932e-06, 5.11822980e-07, -2.65183553e-07])
_B = np.array([4.00000034e-01, 4.74021920e-03, -1.56646754e-03, -1.94012350e-04, -1.15130762e-05, -1.34008546e-06])
"""Coefficients of a / phi and b / phi in powers of (phi / 160 degrees)^2: fitted over all angles at once."""

_SPANS = (1, 2, 3, 4, 6, 8)
"""Even spans that are tried; then lines on which a face is less smooth are looked for, and spans parted."""

_LEAST_CLOSED = 4
_ROUNDS, _MOST = 10, 128
"""Times that spans are made finer, and how many they may become."""

_MARGIN, _HELPS = 0.9, 0.8
"""Share of the aims to reach, as the worst lies between the samples; and of what was reached that counts as a help: two
times without one are the last.
"""

_CHECKS, _IN_SPAN, _ACROSS = 121, 5, 9
_RADIUS = 0.002
"""Aim for the radius, mm."""

_AIMS = np.array([_RADIUS, BLEND_GAP, BLEND_ANGLE])


@dataclass(frozen=True)
class BallSurface:
    """u runs along the crease over its stations' shares, v from the first face to the second. radius, gap: mm, angle:
    degrees, worst along it. tried: spans and the worst over its aim.
    """

    surface: Surface
    radius: float
    gap: float
    angle: float
    tried: tuple[tuple[int, float], ...]

    @property
    def ratio(self) -> float:
        return max(self.radius / _RADIUS, self.gap / BLEND_GAP, self.angle / BLEND_ANGLE)


def ball_surface(c: Crease, found: Contacts, chord: float | None, aim: float = 1.0) -> BallSurface:
    """The surface of the fewest spans that reaches the aims, or the best of those tried; its u is the share of the
    crease from its first station to its last. aim: share of the aims to reach.
    """
    ball = Between(c, found, chord)
    checked = ball.at(np.linspace(*ball.ends, _CHECKS))
    best: BallSurface | None = None
    tried: list[tuple[int, float]] = []

    def look(knots: Array, order: int, rolling: Rolling) -> Array:
        """Try these knots; the worst figure over its aim at every share, (m,)."""
        nonlocal best
        space = row_space(5, knots, c.closed, order)
        surface = _rows(space, ball.at(space.s).contacts, c.closed, aim)
        figures = _rows_of_figures(surface, ball, rolling)
        radius, gap, angle = figures.max(axis=1).tolist()
        made = BallSurface(surface, radius, gap, angle, ())
        tried.append((len(basis.breaks(knots, 5)) - 1, made.ratio))
        if best is None or made.ratio < best.ratio:
            best = made
        return np.asarray((figures / _AIMS[:, None]).max(axis=0))

    for knots, order in _spaces(ball):
        ratios = look(knots, order, checked)
        if ratios.max() <= aim:
            break
    assert best is not None
    rolling, rounds, stalled = checked, 0, 0
    while ratios.max() > (aim if rounds == 0 else _MARGIN * aim) and rounds < _ROUNDS and stalled < 2:
        knots = finer(knots, 5, _by_span(knots, rolling.s, ratios / (_MARGIN * aim)))
        if len(basis.breaks(knots, 5)) - 1 > _MOST:
            break
        before, rounds = best.ratio, rounds + 1
        rolling = ball.at(_checks(knots, ball.ends))
        ratios = look(knots, order, rolling)
        stalled = stalled + 1 if best.ratio > _HELPS * before else 0
    return BallSurface(best.surface, *_closed_in(best.surface, ball, checked), tuple(tried))


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


def _by_span(knots: Array, s: Array, ratios: Array) -> Array:
    """The worst of ratios at shares s, (m,), in every span, (spans,)."""
    at = basis.breaks(knots, 5)
    out = np.zeros(len(at) - 1)
    np.maximum.at(out, np.clip(np.searchsorted(at, s, "right") - 1, 0, len(out) - 1), ratios)
    return out


def _checks(knots: Array, ends: tuple[float, float]) -> Array:
    """Shares at which a fillet on knots is looked at, several in every span."""
    at = basis.breaks(knots, 5)
    inner = at[:-1, None] + np.diff(at)[:, None] * np.linspace(0, 1, _IN_SPAN + 2)[1:-1]
    own = inner.ravel()
    return np.unique(np.concatenate([np.linspace(*ends, _CHECKS), own[(own > ends[0]) & (own < ends[1])]]))


def _section(at: Contacts) -> tuple[Array, Array, Array]:
    """Angle of the arc, and unit tangents at both contacts toward each other."""
    chord = at.points[1] - at.points[0]
    n1, n2 = at.normals
    phi = 2 * np.arcsin(np.clip(0.5 * norm(n1 - n2), 0, 1))
    t1 = chord - dot(chord, n1)[:, None] * n1
    t2 = -chord + dot(chord, n2)[:, None] * n2
    sound = np.flatnonzero(phi > 1e-6)
    if not len(sound):
        raise GeometryError("The faces go on into each other: there is no crease left to fillet.")
    near = sound[np.abs(np.arange(len(phi))[:, None] - sound).argmin(axis=1)]
    return phi, unit(t1[near]), unit(t2[near])


def _rows(space: RowSpace, at: Contacts, closed: bool, slack: float) -> Surface:
    """slack: share of the usual freedom along the crease; a section that two fillets share must not shear."""
    phi, t1, t2 = _section(at)
    powers = (phi[:, None] / _WIDEST) ** (2 * np.arange(len(_A)))
    a, b = phi * (powers @ _A), phi * (powers @ _B)
    r = at.radius
    each = np.ones(len(r))
    half = []
    for p, n, t in zip(at.points, at.normals, (t1, t2), strict=True):
        run = unit(_gradient(p, space.s, closed))
        across = cross(n, run)
        length = float(norm(np.diff(p, axis=0)).sum())
        edge = solve_row(
            space,
            [
                Condition(space.values, n, dot(n, p), 1e-4 * each),
                Condition(space.values, across, dot(across, p), 3e-4 * each),
                Condition(space.values, run, dot(run, p), 2e-3 * slack * each),
                Condition(space.slopes, n, 0 * each, SLOPE * length * each),
            ],
            p[0],
            p[-1],
        )
        reach = 5 * a * r
        size = np.maximum(reach, 2e-3 * reach.max())
        side = cross(n, t)
        wanted = reach[:, None] * t
        first = solve_row(
            space,
            [
                Condition(space.values, n, 0 * each, SLOPE * size),
                Condition(space.values, t, dot(t, wanted), 2e-3 * size),
                Condition(space.values, side, 0 * each, 0.03 * slack * size),
            ],
            None,
            None,
        )
        aim = space.values @ edge + (b * r)[:, None] * t + (1.25 * a * a * r)[:, None] * n
        second = solve_row(
            space,
            [
                Condition(space.values, n, dot(n, aim), 5e-4 * each),
                Condition(space.values, t, dot(t, aim), 2e-3 * each),
                Condition(space.values, side, dot(side, aim), 2e-3 * slack * each),
            ],
            None,
            None,
        )
        half.append([edge, edge + first / 5, second])
    net = np.stack([*half[0], *half[1][::-1]], axis=1)
    return Surface(space.degree, 5, space.knots, basis.uniform_knots(5, 1), net)


def _gradient(points: Array, s: Array, closed: bool) -> Array:
    if not closed:
        return np.asarray(np.gradient(points, s, axis=0))
    wide = np.vstack([points[-3:-1], points, points[1:3]])
    at = np.concatenate([s[-3:-1] - 1.0, s, s[1:3] + 1.0])
    return np.asarray(np.gradient(wide, at, axis=0)[2:-2])


def _closed_in(surface: Surface, ball: Between, checked: Rolling) -> tuple[float, float, float]:
    """Largest error of the radius and gap, mm, and angle, degrees, along both seams, closed in on between samples."""
    values = _rows_of_figures(surface, ball, checked)
    _, most = largest(lambda s: _rows_of_figures(surface, ball, ball.at(s)), checked.s, values)
    return float(most[0]), float(most[1]), float(most[2])


def _rows_of_figures(surface: Surface, ball: Between, rolling: Rolling) -> Array:
    """Error of the radius, gap and angle at shares (m,), the worst across, (3, m)."""
    s, at, c = rolling.s, rolling.contacts, ball.crease
    m = len(s)
    d = surface_grid(surface, s, np.linspace(0, 1, _ACROSS))[0, 0]
    full = cross(*at.normals)
    clear = norm(full) > 1e-4
    tau = np.where(clear[:, None], unit(full), rolling.crease.tangents)
    way = ball.centre(s, 1)
    tau = tau * np.where(dot(tau, way) < 0, -1.0, 1.0)[:, None]
    high_above = np.einsum("mvi,mi->mv", d - at.centre[:, None], tau)
    foot = s[:, None] + high_above / np.maximum(dot(way, tau), 1e-9)[:, None]
    foot = np.mod(foot, 1.0) if c.closed else np.clip(foot, 0, 1)
    off = np.abs(norm(d - ball.centre(foot)) - ball.radius(foot))
    gap, angle = np.zeros(m), np.zeros(m)
    wide = norm(at.points[1] - at.points[0])
    most_wide = float(norm(ball.found.points[1] - ball.found.points[0]).max())
    for k, v in ((0, 0.0), (1, 1.0)):
        e = surface_derivatives(surface, s, np.full(m, v), 1)
        other = c.surfaces[k]
        uv = at.uv[:, 2 * k : 2 * k + 2]
        for _ in range(3):
            x = derivatives(other, uv[:, 0], uv[:, 1], 1)
            uv = uv + step_uv(x, e[0, 0] - x[0, 0])
        x = derivatives(other, uv[:, 0], uv[:, 1], 1)
        gap = np.maximum(gap, norm(e[0, 0] - x[0, 0]))
        own, theirs = unit(cross(e[1, 0], e[0, 1])), unit(cross(x[1, 0], x[0, 1]))
        turn = np.degrees(np.arctan2(norm(cross(own, theirs)), np.abs(dot(own, theirs))))
        # Where the fillet is a thread it has no width over which an angle could be read.
        angle = np.maximum(angle, np.where(wide > 2e-3 * most_wide, turn, 0.0))
    return np.stack([off.max(axis=1), gap, angle])
