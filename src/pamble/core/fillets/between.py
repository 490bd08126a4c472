"""A rolling ball between its stations: smooth through them, and exact where it is asked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from scipy.interpolate import make_interp_spline

from pamble.core.arrays import Array, norm, unit
from pamble.core.fillets.crease import BEYOND, Crease
from pamble.core.fillets.feet import derivatives, foot_uv
from pamble.core.fillets.stations import Contacts, contacts, near, touching
from pamble.core.joining.rows import CLOSING

_USED = 0.6
"""Share of what a ball rolls on beyond a crease's end, more than usual, in which its fillet may end."""

_LOST = 0.02
"""Share of the radius by which a place between stations may be off before its foot is looked for anew."""

_NARROW, THREAD = 0.03, 1e-4
"""Share of its greatest width below which a fillet is narrow, and the least that tolerances are made for that."""

_TIP, _BESIDE = 2e-3, 0.02
"""Share of its greatest width up to which a fillet ends in a tip, and how far before it its width tells whether the
crease fades evenly.
"""

Narrowing = tuple[Array, Array, tuple[Array, Array]]
"""Factors (m,) on tolerances beside tips; the shares (k,) of these, and of places at which contacts may kink; and where
both contacts are there, (k, 3) each.
"""


def wide_all_along(m: int) -> Narrowing:
    """The narrowing of a fillet without a tip, at m contacts."""
    return np.ones(m), np.empty(0), (np.empty((0, 3)), np.empty((0, 3)))


class _Smooth:
    """Values at stations, smooth between them but where they are parted, and round the joint of a loop that is not
    parted; what grows by a turn grows evenly.
    """

    def __init__(self, x: Array, values: Array, degree: int, closed: bool, parts: Sequence[int]) -> None:
        self._grown = values[-1] - values[0] if closed and not parts else None
        if self._grown is None:
            self._spline = make_interp_spline(x, values, k=degree, t=_parted(x, degree, parts))
            return
        ring = values - np.multiply.outer(x, self._grown)
        ring[-1] = ring[0]
        self._spline = make_interp_spline(x, ring, k=degree, bc_type="periodic")

    def __call__(self, s: Array, order: int = 0) -> Array:
        if self._grown is None:
            return np.asarray(self._spline(s, order))
        share = np.broadcast_to(self._grown, (*np.shape(s), *self._grown.shape))
        if order == 0:
            share = np.multiply.outer(s, self._grown)
        return np.asarray(self._spline(np.mod(s, 1.0), order) + share)


def _parted(x: Array, degree: int, parts: Sequence[int]) -> Array:
    """Knots of a spline of odd degree through places x (m,), with only its values alike at those of some numbers."""
    edges, half = [0, *parts, len(x) - 1], (degree + 1) // 2
    knots = [np.full(degree + 1, x[0])]
    for a, b in pairwise(edges):
        knots += [x[a + half : b + 1 - half], np.full(degree, x[b])]
    return np.concatenate([*knots, x[-1:]])


@dataclass(frozen=True)
class Rolling:
    """The ball at shares s (m,): the crease there, and where the ball touches."""

    s: Array
    crease: Crease
    contacts: Contacts


class Between:
    """The ball of a crease at any share of the way from its first station to its last.

    chord: constant distance of the contacts, mm, or None for a law of radii.
    """

    def __init__(self, c: Crease, found: Contacts, chord: float | None) -> None:
        self.crease, self.found, self.chord = c, found, chord
        x = (c.s - c.s[0]) / (c.s[-1] - c.s[0]) if c.parts else np.linspace(0, 1, len(c.s))
        self._x = x

        def smooth(values: Array, degree: int) -> _Smooth:
            return _Smooth(x, values, degree, c.closed and c.closing == CLOSING, c.parts)

        self._points, self._uv = smooth(c.points, 5), smooth(c.uv, 5)
        self._into = smooth(c.into[0], 3), smooth(c.into[1], 3)
        self._turn, self._touched = smooth(c.turn, 3), smooth(found.uv, 5)
        self._contacts = smooth(found.points[0], 5), smooth(found.points[1], 5)
        self.radius, self.centre = smooth(found.radius, 3), smooth(found.centre, 5)

    @property
    def ends(self) -> tuple[float, float]:
        """The shares at which the crease itself begins and ends."""
        low, high = (float(np.interp(x, self.crease.s, self._x)) for x in (0.0, 1.0))
        return low, high

    @property
    def used(self) -> tuple[float, float]:
        """The shares between which a fillet may end: where the ball was to roll on far, it does beyond the crease."""
        reach = [_USED * max(over - BEYOND, 0.0) for over in (-self.crease.s[0], self.crease.s[-1] - 1.0)]
        low, high = (float(np.interp(x, self.crease.s, self._x)) for x in (-reach[0], 1.0 + reach[1]))
        return low, high

    def share(self, station: int) -> float:
        """The share at which a station lies."""
        return float(self._x[station])

    @property
    def closed(self) -> bool:
        """Whether the crease is a loop."""
        return self.crease.closed

    @property
    def joints(self) -> Array:
        """Shares at which it goes on in another: none."""
        return np.empty(0)

    def contacts(self, s: Array) -> Contacts:
        """Exact contacts at shares (m,)."""
        return self.at(s).contacts

    def narrowing(self, at: Contacts) -> Narrowing:
        """How narrow a fillet is at contacts (m,) beside ends at which the crease fades evenly to nothing: what rows
        miss there counts against its width. And where a face's curvature jumps: a contact that kinks there does so on
        that line. And where a loop begins.
        """
        found, ends, parts = self.found.points, np.array(self.ends), list(self.crease.parts)
        if self.closed:
            # A loop begins where it does: its vertex is to lie on those of the faces.
            parts = [0, *parts]
        kinks = found[0][parts], found[1][parts]
        wide_all = np.ones(len(at.radius)), self._x[parts], kinks
        if self.closed:
            return wide_all
        most = float(norm(found[1] - found[0]).max())
        tips, before = (self.at(s).contacts.points for s in (ends, ends + _BESIDE * np.array([1.0, -1.0])))
        faded = (norm(tips[1] - tips[0]) < _TIP * most) & (norm(before[1] - before[0]) > _NARROW * _BESIDE * most)
        if not faded.any():
            return wide_all
        wide = norm(at.points[1] - at.points[0])
        places = np.append(ends[faded], self._x[parts])
        one, two = (np.vstack([t[faded], k]) for t, k in zip(tips, kinks, strict=True))
        return np.clip(wide / (_NARROW * most), THREAD, 1.0), places, (one, two)

    def touched(self, which: int, s: Array, uv: Array, order: int) -> Array:
        """Derivatives of the first or second face, at parameters (m, 2); they are those of all shares s."""
        return derivatives(self.crease.surfaces[which], uv[:, 0], uv[:, 1], order)

    def foot(self, which: int, s: Array, uv: Array, points: Array) -> Array:
        """Parameters (m, 2) of the feet of points (m, 3) on the first or second face, near known ones."""
        return foot_uv(self.crease.surfaces[which], uv, points)

    def at(self, s: Array) -> Rolling:
        """Exact contacts at shares (m,), warm from those beside them."""
        there = self._crease(s)
        return Rolling(s, there, contacts(there, self.radius(s), self.chord, self._start(s)))

    def about(self, s: Array) -> Rolling:
        """Contacts at shares (m,) as they lie between those of the stations, on both faces: what a surface is looked at
        from, in one go.
        """
        there = self._crease(s)
        return Rolling(s, there, touching(there, self._start(s), self.radius(s)))

    def _crease(self, s: Array) -> Crease:
        c = self.crease
        into = unit(self._into[0](s)), unit(self._into[1](s))
        at = np.interp(s, self._x, c.s)
        points, tangents = self._points(s), unit(self._points(s, 1))
        return Crease(c.surfaces, at, points, tangents, self._uv(s), into, self._turn(s), c.signs, c.closed)

    def _start(self, s: Array) -> Array:
        """Parameters near the contacts at shares (m,), (m, 4)."""
        uv, most = self._touched(s), _LOST * self.radius(s)
        sides = [
            near(surface, uv[:, 2 * k : 2 * k + 2], self._contacts[k](s), most)
            for k, surface in enumerate(self.crease.surfaces)
        ]
        return np.hstack(sides)
