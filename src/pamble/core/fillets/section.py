"""Round sections of a fillet: six rows of degree 5 that meet both faces with G1 and are round within it.

A circular arc by angle phi is matched by the quintic with P1 = P0 + a R t, P2 = P0 + b R t + 1.25 a^2 R n, whose
curvature at the end is exactly 1 / R. a / phi and b / phi are one smooth even polynomial each: the best values angle by
angle jump between branches, and rows cannot follow a jump. The error over R is 8e-11 at 60 degrees, 5e-9 at 90, 8e-7 at
150.
"""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.fillets.between import THREAD, Between, Rolling
from pamble.core.fillets.feet import derivatives, foot_uv
from pamble.core.fillets.stations import Contacts
from pamble.core.joining.rows import SLOPE, Condition, RowSpace, solve_row
from pamble.core.spline import basis
from pamble.core.spline.evaluate import surface_derivatives, surface_grid
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import BLEND_ANGLE, BLEND_GAP

_WIDEST = np.radians(160)
_A = np.array([2.00000068e-01, 9.48052006e-03, 2.93405536e-04, -3.21056932e-06, 5.11822980e-07, -2.65183553e-07])
_B = np.array([4.00000034e-01, 4.74021920e-03, -1.56646754e-03, -1.94012350e-04, -1.15130762e-05, -1.34008546e-06])
"""Coefficients of a / phi and b / phi in powers of (phi / 160 degrees)^2: fitted over all angles at once."""

_ACROSS = 9
"""Places across a section at which it is looked at."""

_RADIUS, _THROUGH = 0.002, 1e-6
"""Aim for the radius, and distance from a place that a contact is to pass, mm."""


class Round:
    """The ball's own sections. Figures: gap, mm, and angle, degrees, the worse of both seams; error of the radius, mm,
    the worst across.
    """

    RADIUS = 2
    aims = np.array([BLEND_GAP, BLEND_ANGLE, _RADIUS])

    def __init__(self, ball: Between) -> None:
        self.ball = ball

    def rows(self, space: RowSpace, at: Contacts, slack: float) -> Surface:
        """See `Sections`."""
        phi, t1, t2 = arc(at)
        powers = (phi[:, None] / _WIDEST) ** (2 * np.arange(len(_A)))
        a, b = phi * (powers @ _A), phi * (powers @ _B)
        r = at.radius
        each, (thin, tips, ends) = np.ones(len(r)), self.ball.narrowing(at)
        half = []
        for k, (p, n, t) in enumerate(zip(at.points, at.normals, (t1, t2), strict=True)):
            edge = contact_row(space, p, n, self.ball.crease.closed, slack, (tips, ends[k]), thin)
            reach = 5 * a * r
            size = np.maximum(reach, THREAD * reach.max())
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
                    Condition(space.values, n, dot(n, aim), 5e-4 * thin),
                    Condition(space.values, t, dot(t, aim), 2e-3 * thin),
                    Condition(space.values, side, dot(side, aim), 2e-3 * slack * thin),
                ],
                None,
                None,
            )
            half.append([edge, edge + first / 5, second])
        net = np.stack([*half[0], *half[1][::-1]], axis=1)
        return Surface(space.degree, 5, space.knots, basis.uniform_knots(5, 1), net)

    def figures(self, surface: Surface, rolling: Rolling) -> Array:
        """See `Sections`."""
        s, at, c = rolling.s, rolling.contacts, self.ball.crease
        m = len(s)
        d = surface_grid(surface, s, np.linspace(0, 1, _ACROSS))[0, 0]
        full = cross(*at.normals)
        clear = norm(full) > 1e-4
        tau = np.where(clear[:, None], unit(full), rolling.crease.tangents)
        way = self.ball.centre(s, 1)
        tau = tau * np.where(dot(tau, way) < 0, -1.0, 1.0)[:, None]
        high_above = np.einsum("mvi,mi->mv", d - at.centre[:, None], tau)
        foot = s[:, None] + high_above / np.maximum(dot(way, tau), 1e-9)[:, None]
        foot = np.mod(foot, 1.0) if c.closed else np.clip(foot, 0, 1)
        off = np.abs(norm(d - self.ball.centre(foot)) - self.ball.radius(foot))
        gap, angle = np.zeros(m), np.zeros(m)
        wide = norm(at.points[1] - at.points[0])
        most_wide = float(norm(self.ball.found.points[1] - self.ball.found.points[0]).max())
        for k, v in ((0, 0.0), (1, 1.0)):
            e = surface_derivatives(surface, s, np.full(m, v), 1)
            other = c.surfaces[k]
            uv = foot_uv(other, at.uv[:, 2 * k : 2 * k + 2], e[0, 0])
            x = derivatives(other, uv[:, 0], uv[:, 1], 1)
            gap = np.maximum(gap, norm(e[0, 0] - x[0, 0]))
            own, theirs = unit(cross(e[1, 0], e[0, 1])), unit(cross(x[1, 0], x[0, 1]))
            turn = np.degrees(np.arctan2(norm(cross(own, theirs)), np.abs(dot(own, theirs))))
            # Where the fillet is a thread it has no width over which an angle could be read.
            angle = np.maximum(angle, np.where(wide > 2e-3 * most_wide, turn, 0.0))
        return np.stack([gap, angle, off.max(axis=1)])


def arc(at: Contacts) -> tuple[Array, Array, Array]:
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


def contact_row(
    space: RowSpace, points: Array, normals: Array, closed: bool, slack: float | Array,
    through: tuple[Array, Array] | None = None, thin: Array | None = None,
) -> Array:  # fmt: skip
    """Control points of a contact (m, 3) on a face with normals (m, 3). slack: see `Sections.rows`, one or (m,); above
    one the contact may leave the ball's across, too. through: shares (k,) at which it passes points (k, 3). thin:
    factors (m,) on its tolerances.
    """
    each = np.ones(len(points)) if thin is None else thin
    run = unit(gradient(points, space.s, closed))
    across = cross(normals, run)
    length = float(norm(np.diff(points, axis=0)).sum())
    conditions = [
        Condition(space.values, normals, dot(normals, points), 1e-4 * each),
        Condition(space.values, across, dot(across, points), 3e-4 * np.sqrt(np.maximum(slack, 1.0)) * each),
        Condition(space.values, run, dot(run, points), 2e-3 * slack * each),
        Condition(space.slopes, normals, 0 * each, SLOPE * length * np.ones(len(points))),
    ]
    if through is not None and len(through[0]):
        values, own = basis.matrix(space.knots, space.degree, through[0])[0], np.ones(len(through[0]))
        for k, axis in enumerate(np.eye(3)):
            conditions.append(Condition(values, own[:, None] * axis, through[1][:, k], _THROUGH * own))
    return solve_row(space, conditions, points[0], points[-1])


def gradient(points: Array, s: Array, closed: bool) -> Array:
    """Derivatives of places (m, 3) at shares s (m,), over the joint of a loop too."""
    if not closed:
        return np.asarray(np.gradient(points, s, axis=0))
    wide = np.vstack([points[-3:-1], points, points[1:3]])
    at = np.concatenate([s[-3:-1] - 1.0, s, s[1:3] + 1.0])
    return np.asarray(np.gradient(wide, at, axis=0)[2:-2])
