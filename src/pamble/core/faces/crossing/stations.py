"""Stations along an intersection, all solved at once.

A stretch is a smooth run of an intersection from one held parameter to another, or a closed loop. Unknowns at each
station are uA vA uB vB: three equations say that both surfaces are at one point, the fourth keeps the station in the
plane through its old place square to the run, slid along evenly with the ends. An end holds one parameter instead, at
the border of a surface or at a knot where it is not smooth.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.interpolate import CubicSpline

from pamble.core.arrays import TINY, Array, cross, dot, norm, unit
from pamble.core.spline.power import surface_form
from pamble.core.spline.surface import Surface

COUNT = 60
"""Stations of a stretch."""

EXACT = 1e-10
"""Distance in mm between both surfaces at which a station is settled."""

_GIVEN_UP = 1e-8
_ROUNDS = 14
_STEP = 0.15
"""Longest step of a parameter, as a fraction of its domain."""

_FLAT = 0.02
"""Sine of the angle between the surfaces below which stations lose their hold."""

_SPREAD = 4.0
"""Longest leg between stations over the shortest."""

_BENT = 0.7
"""Cosine of the turn between neighbouring legs."""

_INWARD = 1e-7

End = tuple[int, float]
"""Number of the held parameter (0 to 3 for uA vA uB vB) and its value."""


class Lost(Exception):
    """Stations that cannot be settled from where they began; the text says why."""


@dataclass(frozen=True)
class Stretch:
    """q: (m, 4) uA vA uB vB; point, tangent: (m, 3). ends: what both ends hold, None for a loop. sine: of the angle
    between the surfaces. a, b: derivatives of both surfaces, (2, m, 3).
    """

    q: Array
    point: Array
    tangent: Array
    ends: tuple[End, End] | None
    sine: Array
    a: Array
    b: Array

    @property
    def loop(self) -> bool:
        return self.ends is None


def bounds(a: Surface, b: Surface) -> tuple[Array, Array]:
    """Lowest and highest values of the four parameters."""
    low, high = np.array([*a.domain, *b.domain]).T
    return low, high


def tangents(p: Array, loop: bool) -> Array:
    """Unit tangents of a row of points by differences."""
    if loop:
        return unit(np.roll(p, -1, 0) - np.roll(p, 1, 0))
    if len(p) < 3:
        return unit(np.repeat(p[-1:] - p[:1], len(p), axis=0))
    d = np.empty_like(p)
    d[1:-1] = p[2:] - p[:-2]
    d[0], d[-1] = -3 * p[0] + 4 * p[1] - p[2], 3 * p[-1] - 4 * p[-2] + p[-3]
    return unit(d)


def solve(a: Surface, b: Surface, q: Array, point: Array, tangent: Array, ends: tuple[End, End] | None) -> Stretch:
    """Settle stations that begin at ``q``. Raises `Lost`."""
    q = q.copy()
    form_a, form_b = surface_form(a), surface_form(b)
    low, high = bounds(a, b)
    most = _STEP * (high - low)
    share = np.linspace(0, 1, len(q))
    jacobian, residual = np.zeros((len(q), 4, 4)), np.empty((len(q), 4, 1))
    pa, au, av = form_a.at(q[:, 0], q[:, 1])
    pb, bu, bv = form_b.at(q[:, 2], q[:, 3])
    for _ in range(_ROUNDS):
        residual[:, :3, 0] = pa - pb
        along = np.vecdot(tangent, pa - point)
        for k, column in enumerate((au, av, -bu, -bv)):
            jacobian[:, :3, k] = column
        jacobian[:, 3, 0], jacobian[:, 3, 1] = np.vecdot(tangent, au), np.vecdot(tangent, av)
        jacobian[:, 3, 2:] = 0
        if ends is None:
            residual[:, 3, 0] = along
        else:
            residual[:, 3, 0] = along - (along[0] * (1 - share) + along[-1] * share)
            for row, (k, value) in zip((0, -1), ends, strict=True):
                jacobian[row, 3] = 0
                jacobian[row, 3, k] = 1.0
                residual[row, 3, 0] = q[row, k] - value
        try:
            step = np.linalg.solve(jacobian, residual)[:, :, 0]
        except np.linalg.LinAlgError as error:
            raise Lost("the surfaces touch there") from error
        step = np.clip(step, -most, most)
        q -= step
        pa, au, av = form_a.at(q[:, 0], q[:, 1])
        pb, bu, bv = form_b.at(q[:, 2], q[:, 3])
        rest = float(np.abs(pa - pb).max())
        if not np.isfinite(rest) or np.abs((q - low) / (high - low) - 0.5).max() > 3:
            raise Lost("it ran away")
        if rest < EXACT and (ends is None or np.abs(step).max() < 1e-3):
            break
    else:
        if rest > _GIVEN_UP:
            raise Lost("it does not settle")
    for row, (k, value) in zip((0, -1), ends or (), strict=False):
        if abs(q[row, k] - value) > 1e-9 * (high - low)[k]:
            raise Lost("an end left its border")
        q[row, k] = value
    if ends is not None:
        # An end may lie on a knot: its derivatives are those of the side on which the stretch lies.
        rows = q[[0, -1]] + _INWARD * (q[[1, -2]] - q[[0, -1]])
        for form, pair, k in ((form_a, (au, av), 0), (form_b, (bu, bv), 2)):
            inner = form.at(rows[:, k], rows[:, k + 1])
            pair[0][[0, -1]], pair[1][[0, -1]] = inner[1], inner[2]
    na, nb = cross(au, av), cross(bu, bv)
    way = cross(na, nb)
    length = norm(way)
    middle = 0.5 * (pa + pb)
    way = way / np.maximum(length, TINY)[:, None]
    way *= np.where(np.vecdot(way, tangents(middle, ends is None)) < 0, -1.0, 1.0)[:, None]
    sine = length / np.maximum(norm(na) * norm(nb), TINY)
    return Stretch(q, middle, way, ends, sine, np.stack([au, av]), np.stack([bu, bv]))


def legs(s: Stretch) -> Array:
    """Vectors from each station to the next, round to the first on a loop."""
    return np.diff(s.point, axis=0) if not s.loop else np.roll(s.point, -1, 0) - s.point


def refuse_bad(a: Surface, b: Surface, s: Stretch) -> None:
    """Raise `Lost` unless the stretch is one smooth run inside both domains."""
    low, high = bounds(a, b)
    slack = 1e-9 * (high - low)
    if np.any((s.q < low - slack) | (s.q > high + slack)):
        raise Lost("it leaves a surface")
    if s.sine.min() < _FLAT:
        raise Lost("the surfaces nearly touch there")
    leg = legs(s)
    length = norm(leg)
    if length.min() <= 0 or length.max() > _SPREAD * length.min():
        raise Lost("its stations bunch")
    way = leg / length[:, None]
    after = np.roll(s.tangent, -1, 0)[: len(way)]
    turns = [dot(way[1:], way[:-1]), dot(way, s.tangent[: len(way)]), dot(way, after)]
    if min(float(t.min(initial=1.0)) for t in turns) < _BENT:
        raise Lost("it turns back")
    jump = np.abs(np.diff(s.q, axis=0)).max(axis=0, initial=0.0) / (high - low)
    if jump.max() > 0.3:
        raise Lost("it runs over a pole")


def spread(s: Stretch, count: int = COUNT, first: int = 0, last: int | None = None) -> Stretch:
    """Stations evenly by length between rows ``first`` and ``last``, interpolated: where the next solve begins."""
    p, q = s.point, s.q
    if s.loop:
        p, q = np.vstack([p, p[:1]]), np.vstack([q, q[:1]])
    along = np.append(0.0, np.cumsum(norm(np.diff(p, axis=0))))
    last = len(p) if last is None else last
    at = np.linspace(along[first], along[last - 1], count + 1 if s.loop else count)
    rows = np.column_stack([p, q])
    law = CubicSpline(along, rows, bc_type="periodic") if s.loop else CubicSpline(along, rows)
    both = law(at[:-1] if s.loop else at)
    return replace(s, q=both[:, 3:], point=both[:, :3], tangent=tangents(both[:, :3], s.loop))


def settled(a: Surface, b: Surface, s: Stretch, count: int = COUNT) -> Stretch:
    """The stretch with ``count`` even stations, solved and judged. Raises `Lost`."""
    even = spread(s, count)
    made = solve(a, b, even.q, even.point, even.tangent, s.ends)
    length = norm(legs(made))
    if length.max() > 2 * length.min():
        even = spread(made, count)
        made = solve(a, b, even.q, even.point, even.tangent, s.ends)
    refuse_bad(a, b, made)
    return made
