"""Balls of creases in a row, each beside faces of its own, over shares of the whole row."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np

from pamble.core.arrays import Array, IntArray
from pamble.core.fillets.between import Between, Narrowing, wide_all_along
from pamble.core.fillets.stations import Contacts

Ends = tuple[float, float]


class RowOfBalls:
    """ends: between which of its own shares each ball counts; lengths: of these stretches, mm; closed: whether the last
    goes on in the first.
    """

    def __init__(self, balls: Sequence[Between], ends: Sequence[Ends], lengths: Sequence[float], closed: bool) -> None:
        self._balls, self._ends, self.closed = balls, ends, closed
        self.length = float(sum(lengths))
        self.starts = np.append(0.0, np.cumsum(lengths)) / self.length
        """Shares of the row at which one goes on in the next, from 0 to 1."""

    @property
    def joints(self) -> Array:
        """Where one goes on in another, (k,): a loop has one at both its ends."""
        return self.starts if self.closed else self.starts[1:-1]

    def of(self, which: int, own: Array) -> Array:
        """Shares of the row at shares (m,) of one of its balls."""
        (a, b), (low, high) = self.starts[which : which + 2], self._ends[which]
        return np.asarray(a + (own - low) * ((b - a) / (high - low)))

    def own(self, which: int, s: Array) -> Array:
        """Shares of one of its balls at shares (m,) of the row."""
        (a, b), (low, high) = self.starts[which : which + 2], self._ends[which]
        return np.asarray(low + (s - a) * ((high - low) / (b - a)))

    def _parts(self, s: Array) -> Iterator[tuple[int, IntArray]]:
        which = np.clip(np.searchsorted(self.starts, s, "right") - 1, 0, len(self._balls) - 1)
        for i in np.unique(which):
            yield int(i), np.flatnonzero(which == i)

    def contacts(self, s: Array) -> Contacts:
        """Exact contacts at shares (m,)."""
        found = [(rows, self._balls[i].at(self.own(i, s[rows])).contacts) for i, rows in self._parts(s)]
        order = np.argsort(np.concatenate([rows for rows, _ in found]))

        def joined(pick: Callable[[Contacts], Array]) -> Array:
            return np.asarray(np.concatenate([pick(own) for _, own in found])[order])

        return Contacts(
            joined(lambda c: c.uv),
            (joined(lambda c: c.points[0]), joined(lambda c: c.points[1])),
            (joined(lambda c: c.normals[0]), joined(lambda c: c.normals[1])),
            joined(lambda c: c.centre),
            joined(lambda c: c.radius),
            joined(lambda c: c.residual),
            joined(lambda c: c.room),
        )

    def narrowing(self, at: Contacts) -> Narrowing:
        """A row has width all along."""
        return wide_all_along(len(at.radius))

    def touched(self, which: int, s: Array, uv: Array, order: int) -> Array:
        """Derivatives of the first or second face of each ball at shares (m,), at parameters (m, 2)."""
        out = np.empty((order + 1, order + 1, len(s), 3))
        for i, rows in self._parts(s):
            out[:, :, rows] = self._balls[i].touched(which, s[rows], uv[rows], order)
        return out

    def foot(self, which: int, s: Array, uv: Array, points: Array) -> Array:
        """Parameters (m, 2) of the feet of points (m, 3) on these faces, near known ones."""
        out = np.empty_like(uv)
        for i, rows in self._parts(s):
            out[rows] = self._balls[i].foot(which, s[rows], uv[rows], points[rows])
        return out
