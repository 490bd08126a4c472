"""A skin led along guides: what it lacks to them is added as the calmest field that leaves its sections alone.

The field is a spline over the skin's parameters, on few columns and on as many rows as the guides ask for. It vanishes
on every section, exactly: only such combinations of its functions are used. At ends that are met or square its slopes
stay within what these allow. Among those that reach the guides it is the one of least second-order energy. So sections
stay as they are to rounding, and one small linear system does what is asked. Own method.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import comb

import numpy as np
from scipy.linalg import null_space, solve

from pamble.core.arrays import TINY, Array, IntArray, norm
from pamble.core.patches.space import Patch, Space
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_points
from pamble.core.spline.knots import raised_knots, recast_surface
from pamble.core.spline.surface import Surface

_TOLERANCE, _ROOM, _FAR = 0.001, 2.0, 80.0
"""How near, mm, guides are to be reached; and times what is missed over that, and at most, that rows are added for."""

_CALM, _STEADY = (1e-5, 1e-3, 0.1, 10.0), 10.0
"""Weights of the energy, 1/mm^2, of a field over the unit square, the next where it runs away: guides lie within next
to nothing for the first; and that of the first order in it: far from guides a field does not grow.
"""

_WILD = 2.0
"""Times what a skin lacks at most from which on a field runs away."""

_ROUNDS, _PARTS = 8, 32
"""How often rows or columns are added where guides are missed, and the most parts between two sections."""

_HELPS = 0.7
"""Share of what was missed before below which more rows have helped: else more columns are tried."""

_A_GUIDE, _LEAST, _MOST = 2, 3, 4
"""Spans along sections for every guide, the fewest, and how many times as many at most."""

_PLACES = 24
"""Places on a guide between two sections, at least."""

_RIM, _SAME = 1e-6, 1e-9
"""Share of the sections within which a guide runs along a side, and parameters within which knots are one."""

_HELD = np.radians(0.002), 0.002, 0.01
"""By how much the direction at an end that is met may change, in radians; its curvature, and the change of this, as
shares.
"""

_STEPS, _AWAY = 6, 0.1
"""Steps toward the feet of guides, and how far from where crossings tell them, as a share of the skin, they count."""


@dataclass(frozen=True)
class Leading:
    """What leads a skin. crossings: places (k,) along each guide, and where these lie on the skin, (k, 2). places: of
    the sections (n,), which stay; held: continuity that stays at the first and the last, beside curvatures of at least
    ``floor``, 1/mm. around: how smoothly the sections come round, None for open ones.
    """

    guides: Sequence[Curve]
    crossings: Sequence[tuple[Array, Array]]
    places: Array
    held: tuple[int, int] = (0, 0)
    floor: float = 1e-3
    around: int | None = None


def led(skin: Surface, leading: Leading, like: Surface | None = None) -> Surface:
    """The polynomial skin led along its guides, on the fewest rows that reach them, or as near as can be.

    like: the surface as it was led before, whose rows it takes at once while something is dragged.
    """
    if like is not None:
        at = basis.breaks(like.knots_v, like.degree_v)
        middles = 0.5 * (at[1:] + at[:-1])
        parts = np.maximum(np.histogram(middles, leading.places)[0], 1)
        tried = [_columns(skin, len(leading.guides), n) for n in (1, 2, _MOST)]
        columns = next((c for c in tried if _joined(skin, c) == len(like.control)), tried[0])
        return _Field(skin, leading, columns, _rows(skin, leading.places, parts)).added()
    parts = np.full(len(leading.places) - 1, 2, dtype=np.intp)
    times, best, before = 1, None, np.inf
    for _ in range(_ROUNDS):
        field = _Field(skin, leading, _columns(skin, len(leading.guides), times), _rows(skin, leading.places, parts))
        missed = field.missed
        worst = float(missed.max())
        if best is None or worst < best[0]:
            best = worst, field
        if worst <= _TOLERANCE:
            break
        if worst > _HELPS * before and times < _MOST:
            times *= 2
        else:
            # The error falls with the fourth power of a part.
            more = np.ceil(parts * np.clip(_ROOM * missed / _TOLERANCE, 1.0, _FAR) ** 0.25).astype(np.intp)
            parts = np.minimum(np.where(missed > _TOLERANCE, np.maximum(more, parts + 1), parts), _PARTS)
        before = worst
    assert best is not None
    return best[1].added()


def _columns(skin: Surface, guides: int, times: int) -> Space:
    """Functions along the sections: on some of the skin's knots, so that it gets none more, or on even ones where the
    guides are more than that.
    """
    wanted = times * max(_LEAST, _A_GUIDE * guides)
    breaks, even = basis.breaks(skin.knots_u, skin.degree_u), np.linspace(0, 1, wanted + 1)
    if len(breaks) > wanted + 1:
        even = breaks[np.unique(np.abs(even[:, None] - breaks).argmin(axis=1))]
    return Space.over(max(3, skin.degree_u), even)


def _joined(skin: Surface, columns: Space) -> int:
    """CVs along sections of a skin with a field on columns."""
    knots = _with(raised_knots(skin.knots_u, skin.degree_u, columns.degree - skin.degree_u), columns.breaks)
    return len(knots) - columns.degree - 1


def _rows(skin: Surface, places: Array, parts: IntArray) -> Space:
    """Functions from section to section: so many parts between two."""
    degree = max(3, skin.degree_v) if skin.spans[1] > 1 else max(5, skin.degree_v)
    ends = zip(places[:-1], places[1:], parts, strict=True)
    breaks = np.append(np.concatenate([np.linspace(a, b, n + 1)[:-1] for a, b, n in ends]), 1.0)
    own = basis.breaks(skin.knots_v, skin.degree_v)
    near = np.abs(breaks[:, None] - own).argmin(axis=1)
    return Space.over(degree, np.where(np.abs(breaks - own[near]) < _SAME, own[near], breaks))


class _Field:
    """What is added to a skin, on columns and rows."""

    def __init__(self, skin: Surface, leading: Leading, columns: Space, rows: Space) -> None:
        self.skin, self.leading, self.patch = skin, leading, Patch(columns, rows)
        along, across = _free_along(columns, leading.around), np.asarray(null_space(rows.matrix(leading.places)[0]))
        uv, lacking = self._lacking()
        self._v, m = uv[:, 1], len(uv)
        at_u, at_v = columns.matrix(uv[:, 0])[0] @ along, rows.matrix(uv[:, 1])[0] @ across
        asked = (at_u[:, :, None] * at_v[:, None, :]).reshape(m, -1)
        pull, energy = asked.T @ asked / (m * _TOLERANCE**2), self._energy(along, across)
        for held in self._held(along, across):
            pull += held.T @ held / len(held)
        most = _WILD * norm(lacking).max()
        for calm in _CALM:
            found = solve(pull + calm * energy, asked.T @ lacking / (m * _TOLERANCE**2), assume_a="sym")
            grid = found.reshape(along.shape[1], across.shape[1], 3)
            self.net = np.einsum("ia,abc,jb->ijc", along, grid, across, optimize=True)
            if norm(self.net).max() <= most:
                break
        self._left = norm(asked @ found - lacking)

    @property
    def missed(self) -> Array:
        """How far the guides are off between two sections each, (n - 1,) mm, over what they miss these by."""
        places = self.leading.places
        out = np.zeros(len(places) - 1)
        np.maximum.at(out, np.clip(np.searchsorted(places, self._v) - 1, 0, len(out) - 1), self._left - self._allowed)
        return out

    def added(self) -> Surface:
        """The skin with the field."""
        skin, patch = self.skin, self.patch
        degrees = patch.u.degree, patch.v.degree
        knots = (
            _with(raised_knots(skin.knots_u, skin.degree_u, degrees[0] - skin.degree_u), patch.u.breaks),
            _with(raised_knots(skin.knots_v, skin.degree_v, degrees[1] - skin.degree_v), patch.v.breaks),
        )
        whole = recast_surface(skin, degrees, knots)
        more = recast_surface(Surface(*degrees, patch.u.knots, patch.v.knots, self.net), degrees, knots)
        net = whole.control + more.control
        if self.leading.around is not None:
            net[-1] = net[0]
        return whole.with_control(net)

    def _lacking(self) -> tuple[Array, Array]:
        """Where guides lie on the skin, (m, 2), and what it lacks to them there, (m, 3) mm."""
        places, skin, around = self.leading.places, self.skin, self.leading.around is not None
        count = max(_PLACES * (len(places) - 1), 5 * self.patch.v.count)
        feet, lacks, allowed = [], [], []
        for guide, (known, crossing) in zip(self.leading.guides, self.leading.crossings, strict=True):
            share, dense = np.linspace(0, 1, len(known)), np.linspace(0, 1, count)
            points = curve_points(guide, np.interp(dense, share, known))
            told = np.column_stack([np.interp(dense, share, column) for column in crossing.T])
            uv = _feet(skin, points, told, around)
            lack = points - surface_points(skin, uv[:, 0], uv[:, 1])
            at = np.abs(uv[:, 1, None] - places).argmin(axis=0)
            feet.append(uv)
            lacks.append(lack)
            allowed.append(np.interp(uv[:, 1], places, norm(lack[at])))
        self._allowed = np.concatenate(allowed)
        return np.concatenate(feet), np.concatenate(lacks)

    def _held(self, along: Array, across: Array) -> list[Array]:
        """What the field does to the derivatives at ends that are held, over what these allow."""
        out, floor, u = [], self.leading.floor, self.patch.u.places
        for end, order in zip((0.0, 1.0), self.leading.held, strict=True):
            d = surface_derivatives(self.skin, u, np.full(len(u), end), 3)
            pace = np.maximum(norm(d[0, 1]), TINY)
            bend = np.maximum(norm(np.cross(d[0, 1], d[0, 2])) / pace**3, floor)
            allowed = (pace, bend * pace**2, np.maximum(norm(d[0, 3]), bend * floor * pace**3))
            slopes = self.patch.v.matrix(np.array([end]), order)[:, 0] @ across
            for k in range(1, order + 1):
                by_u = self.patch.u.matrix(u)[0] @ along / (_HELD[k - 1] * allowed[k - 1])[:, None]
                out.append((by_u[:, :, None] * slopes[k]).reshape(len(u), -1))
        return out

    def _energy(self, along: Array, across: Array) -> Array:
        """Of second order, and a little of first, derivatives scaled by the size of the skin."""
        t = np.linspace(0, 1, 9)
        u, v = (x.ravel() for x in np.meshgrid(t, t, indexing="ij"))
        grid = surface_points(self.skin, u, v).reshape(9, 9, 3)
        ratio = norm(np.diff(grid, axis=0)).sum() / max(float(norm(np.diff(grid, axis=1)).sum()), TINY)
        gram_u = [along.T @ g @ along for g in self.patch.u.gram[:3]]
        gram_v = [across.T @ g @ across for g in self.patch.v.gram[:3]]
        parts = [
            weight * comb(order, k) * ratio ** (order - 2 * k) * np.kron(gram_u[k], gram_v[order - k])
            for order, weight in ((1, _STEADY), (2, 1.0))
            for k in range(order + 1)
        ]
        return np.asarray(sum(parts))


def _free_along(columns: Space, around: int | None) -> Array:
    """Combinations of functions along sections that come round as smoothly as these, (count, free)."""
    if around is None:
        return np.eye(columns.count)
    ends = columns.matrix(np.array([0.0, 1.0]), around)
    scale = np.abs(ends).max(axis=(1, 2))[:, None]
    return np.asarray(null_space((ends[:, 0] - ends[:, 1]) / scale))


def _feet(skin: Surface, points: Array, told: Array, around: bool) -> Array:
    """Feet (m, 2) of a guide's points on a skin, from where the crossings tell them; there, where they run away. A
    guide along a side stays there.
    """
    patch = Patch(Space(skin.degree_u, skin.knots_u), Space(skin.degree_v, skin.knots_v))
    start, beside = told.copy(), [u for u in told[[-1, 0], 0] if min(u, 1 - u) < _RIM]
    if around:
        start[:, 0] %= 1.0
    elif beside:
        start[:, 0] = round(beside[0])
    only = 1 if beside and not around else None
    uv = patch.feet(skin.control.reshape(-1, 3), points, start, only, _STEPS, around)
    uv[[0, -1]] = start[[0, -1]]
    off = uv - start
    off[:, 0] = (off[:, 0] + 0.5) % 1.0 - 0.5 if around else off[:, 0]
    rising = np.diff(uv[:, 1]) * np.sign(told[-1, 1] - told[0, 1])
    return uv if rising.min() > 0 and np.abs(off).max() < _AWAY else start


def _with(knots: Array, breaks: Array) -> Array:
    """Knots with breaks that are not among them."""
    new = breaks[np.abs(breaks[:, None] - knots).min(axis=1) > _SAME]
    return np.sort(np.concatenate([knots, new]))
