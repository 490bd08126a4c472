"""The line in which two fillets meet, and that in which one meets a face: exact at stations across it, then as splines
on few spans.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import TINY, Array, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.fit import ends_kept
from pamble.core.fillets.ends import End
from pamble.core.fillets.rolled import Rolled
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.knots import reverse_curve
from pamble.core.spline.surface import Surface

STATIONS, DEGREE = 65, 5
_SPANS = (1, 2, 3, 4, 6, 8, 12)
_FIT = 1e-5
"""Distance, mm, within which a line lies on what meets in it."""

_STEPS, _SOLVED = 40, 1e-9
_ALONG, _NEARLY = 0.03, 5e-4
"""Sine of an angle at which fillets hardly cross: the errors of their surfaces would lead the line away along them; and
how far apart, mm, they may be in the line then.
"""


@dataclass(frozen=True)
class Arm:
    """A fillet at the corner. side: 0 or 1, of its side on the face that both share; other: number of its own face.
    shared, own: its contacts with them.
    """

    key: tuple[int, int]
    roll: Rolled
    name: str
    side: int
    other: int

    @property
    def surface(self) -> Surface:
        return self.roll.made.surface

    @property
    def shared(self) -> Curve:
        return self.roll.lines[self.side]

    @property
    def own(self) -> Curve:
        return self.roll.lines[1 - self.side]

    @property
    def station(self) -> int:
        """The crease's station at the corner."""
        return int(np.argmin(np.abs(self.roll.crease.s + self.key[1])))

    @property
    def turn(self) -> float:
        """Angle of its arc at the corner, radians."""
        return float(abs(self.roll.crease.turn[self.station]))

    @property
    def radius(self) -> float:
        return float(self.roll.found.radius[self.station])

    def across(self, w: Array) -> Array:
        """Parameters v at shares of the way from the shared face to its own one."""
        return w if self.side == 0 else 1.0 - w

    def derivatives(self, u: Array, w: Array) -> tuple[Array, Array, Array]:
        """Point and derivatives along u and w, (m, 3) each."""
        d = surface_derivatives(self.surface, u, self.across(w), 1)
        return d[0, 0], d[1, 0], d[0, 1] if self.side == 0 else -d[0, 1]

    def end(self, lines: Sequence[tuple[Array, Array, Curve]], at: tuple[float, float]) -> End:
        """lines: u and w of control points and the curve in space, from the shared face on; at: u there and at its
        own.
        """
        made = [(Curve(DEGREE, space.knots, np.column_stack([u, self.across(w)])), space) for u, w, space in lines]
        if self.side == 0:
            return End(at, tuple(made))
        return End(at[::-1], tuple((reverse_curve(flat), reverse_curve(space)) for flat, space in made[::-1]))


def met(one: Arm, two: Arm, start: tuple[float, float], ends: tuple[float, float], near: str) -> tuple[Array, Array]:
    """Shares w (m,) across the second fillet, and u and w on the first and u on the second (m, 3), where both meet.

    They touch where they begin, on the face that both share: from there on Newton's steps are sound.
    """
    w = np.linspace(0, 1, STATIONS)[1:]
    angle = two.turn * w
    # Over the shared face both rise by the same height: r (1 - cos) of each arc.
    rise = np.clip(1.0 - two.radius / one.radius * (1.0 - np.cos(angle)), -1.0, 1.0)
    share = np.clip(np.arccos(rise) / max(one.turn, 1e-6), 0.0, 1.0)
    way = np.sin(np.minimum(angle, np.pi / 2)) / np.sin(min(two.turn, np.pi / 2))
    x = np.column_stack([start[0] + way * (ends[0] - start[0]), share, start[1] + way * (ends[1] - start[1])])
    for least, most in ((1e-12, _SOLVED), (_ALONG, _NEARLY)):
        found = _newton(one, two, x, w, least)
        p, q = one.derivatives(found[:, 0], found[:, 1])[0], two.derivatives(found[:, 2], w)[0]
        within = (found > -1e-3).all() and (found < 1.0 + 1e-3).all()
        if np.isfinite(found).all() and norm(q - p).max() <= most and within:
            return w, found
    raise GeometryError(f"{near} two fillets do not meet in one line: take radii that are nearer to each other.")


def _newton(one: Arm, two: Arm, x: Array, w: Array, least: float) -> Array:
    """Where two fillets meet, from places (m, 3) nearby. least: sine of the angle at which they cross, below which no
    step is taken along the line.
    """
    for _ in range(_STEPS):
        p, pu, pw = one.derivatives(x[:, 0], x[:, 1])
        q, qu, _ = two.derivatives(x[:, 2], w)
        system = np.stack([pu, pw, -qu], axis=2)
        size = np.maximum(np.linalg.norm(system, axis=1), TINY)
        step = _solved(system / size[:, None, :], q - p, least) / size
        x = x + step * np.minimum(1.0, 0.1 / np.maximum(np.abs(step).max(axis=1, keepdims=True), TINY))
        if np.abs(step).max() < 1e-14:
            break
    return x


def _solved(system: Array, gap: Array, least: float = 1e-12) -> Array:
    return np.asarray((np.linalg.pinv(system, rcond=least) @ gap[..., None])[..., 0])


def fitted(table: Array, one: Arm, two: Arm) -> tuple[Array, Curve]:
    """Control points of both parameter curves (n, 4), and the curve in space, on the fewest spans that lie on both."""
    points = 0.5 * (one.derivatives(table[:, 0], table[:, 1])[0] + two.derivatives(table[:, 2], table[:, 3])[0])

    def off(at: Array) -> float:
        ours = one.derivatives(at[:, 0], at[:, 1])[0], two.derivatives(at[:, 2], at[:, 3])[0]
        return max(float(norm(p - at[:, 4:]).max()) for p in ours)

    control, knots = lean(np.column_stack([table, points]), off)
    return control[:, :4], Curve(DEGREE, knots, control[:, 4:])


def lean(rows: Array, off: Callable[[Array], float]) -> tuple[Array, Array]:
    """Control points and knots for even rows, the first and last kept, on the fewest spans. off: distance in mm."""
    between = np.linspace(0, 1, 4 * len(rows))
    best: tuple[float, Array, Array] | None = None
    for spans in _SPANS:
        knots = basis.uniform_knots(DEGREE, spans)
        control = ends_kept(knots, len(rows)) @ rows
        miss = off(basis.matrix(knots, DEGREE, between)[0] @ control)
        if best is None or miss < best[0]:
            best = miss, control, knots
        if miss <= _FIT:
            break
    assert best is not None
    return best[1], best[2]


def on_face(one: Arm, surface: Surface, begins: tuple[float, float], ends: tuple[float, float]) -> tuple[Array, Array]:
    """Where a fillet meets a surface between two places (u, w): rows of u, w and the point, (m, 5), and their feet; not
    a number where they do not meet.
    """
    u, w = (np.linspace(a, b, STATIONS) for a, b in zip(begins, ends, strict=True))
    foot = to_surface(surface, one.derivatives(u, w)[0])
    x = np.column_stack([u, foot.u, foot.v])
    for _ in range(_STEPS):
        p, pu, _ = one.derivatives(x[:, 0], w)
        d = surface_derivatives(surface, x[:, 1], x[:, 2], 1)
        step = _solved(np.stack([pu, -d[1, 0], -d[0, 1]], axis=2), d[0, 0] - p)
        x = x + step
        if np.abs(step).max() < 1e-14:
            break
    p = one.derivatives(x[:, 0], w)[0]
    if norm(p - surface_derivatives(surface, x[:, 1], x[:, 2], 0)[0, 0]).max() > _SOLVED:
        p = np.full_like(p, np.nan)
    return np.column_stack([x[:, 0], w, p]), x[:, 1:]
