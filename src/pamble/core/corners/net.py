"""Control nets of a layout: patches that share the CVs of their seams, and what they are along an arc."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, IntArray, norm
from pamble.core.corners.layouts import Layout
from pamble.core.patches.space import Patch, Space
from pamble.core.spline import basis
from pamble.core.spline.surface import Surface

_LEAST_PLACES = 16


def beside(net: Array | IntArray, side: int, sense: int = 1) -> Array | IntArray:
    """A patch's net as rows along one of its sides, each leading inward, run through in a sense."""
    view = (net, np.swapaxes(net[::-1], 0, 1), net[::-1, ::-1], np.swapaxes(net[:, ::-1], 0, 1))[side]
    return view if sense > 0 else view[::-1]


class Net:
    """CVs of all patches, each numbered once: vertices first, so that a vertex's number is its CV's.

    knots: of every ladder of the layout, on [0, 1]; a single span for all if None. spaces: of every arc along it.
    index: of every patch its CVs, (nu, nv). uses: of every arc the patches beside it, as (patch, side, sense).
    """

    def __init__(self, layout: Layout, degree: int = 5, knots: Sequence[Array] | None = None) -> None:
        self.layout, self.degree = layout, degree
        self.knots = even(layout, degree, 1) if knots is None else list(knots)
        spaces = {
            (k, sense): Space(degree, own if sense > 0 else 1.0 - own[::-1])
            for k, own in enumerate(self.knots)
            for sense in (1, -1)
        }
        self.spaces = [spaces[ladder] for ladder in layout.ladders]
        self.patches: list[tuple[Space, Space]] = []
        count = len(layout.vertices)
        self.arcs: list[IntArray] = []
        for arc, space in zip(layout.arcs, self.spaces, strict=True):
            n = space.count - 2
            self.arcs.append(np.concatenate([[arc.start], np.arange(count, count + n), [arc.end]]))
            count += n
        self.index: list[IntArray] = []
        self.uses: list[list[tuple[int, int, int]]] = [[] for _ in layout.arcs]
        for p, patch in enumerate(layout.patches):
            u, v = (spaces[layout.ladders[k][0], layout.ladders[k][1] * sense] for k, sense in patch[:2])
            own = np.full((u.count, v.count), -1)
            for side, (k, sense) in enumerate(patch):
                beside(own, side, sense)[:, 0] = self.arcs[k]
                self.uses[k].append((p, side, sense))
            inner = own[1:-1, 1:-1]
            inner[:] = np.arange(count, count + inner.size).reshape(inner.shape)
            count += inner.size
            self.patches.append((u, v))
            self.index.append(own)
        self.count = count
        self._places: dict[int, tuple[Array, Array]] = {}
        self._along: dict[int, Array] = {}

    def rows(self, arc: int, use: int) -> IntArray:
        """Numbers (n, 3) of the CVs on an arc and in the next two rows of the patch beside it, along the arc."""
        p, side, sense = self.uses[arc][use]
        return np.asarray(beside(self.index[p], side, sense)[:, :3])

    def places(self, arc: int) -> tuple[Array, Array]:
        """Shares (m,) of an arc at which conditions are asked, both ends among them, and their weights: as many as lie
        in each span, and of one weight in all.
        """
        space = self.spaces[arc]
        if id(space) not in self._places:
            length = np.diff(space.breaks)
            each = -(-max(_LEAST_PLACES, 3 * space.count) // len(length))
            x, w = np.polynomial.legendre.leggauss(each)
            s = (space.breaks[:-1, None] + 0.5 * length[:, None] * (1 + x)).ravel()
            weight = (0.5 * length[:, None] * w).ravel() * len(s)
            self._places[id(space)] = np.concatenate([[0.0], s, [1.0]]), np.concatenate([[1.0], weight, [1.0]])
        return self._places[id(space)]

    def along(self, arc: int) -> Array:
        """Functions along an arc at its places and their derivatives to the second, (3, m, n)."""
        space = self.spaces[arc]
        if id(space) not in self._along:
            self._along[id(space)] = space.matrix(self.places(arc)[0], 2)
        return self._along[id(space)]

    def inward(self, arc: int, use: int) -> Array:
        """The value and the derivatives on an arc from the first three rows of the patch beside it, (3, 3)."""
        p, side, _ = self.uses[arc][use]
        space = self.patches[p][1 - side % 2]
        if side in (0, 3):
            return space.matrix(np.zeros(1), 2)[:, 0, :3]
        return Space(self.degree, 1.0 - space.knots[::-1]).matrix(np.zeros(1), 2)[:, 0, :3]

    def surfaces(self, control: Array) -> list[Surface]:
        """The patches."""
        p = self.degree
        return [
            Surface(p, p, u.knots, v.knots, control[own]) for (u, v), own in zip(self.patches, self.index, strict=True)
        ]

    def energy(self, control: Array) -> Array:
        """The third-order energy (count, count) of patches like ``control``."""
        total = np.zeros((self.count, self.count))
        for (u, v), own in zip(self.patches, self.index, strict=True):
            flat = own.ravel()
            total[np.ix_(flat, flat)] += Patch(u, v).energy(control[flat])[0]
        return total

    def spacing(self, control: Array) -> float:
        """Mean distance of neighbouring CVs, mm."""
        return float(np.mean([norm(np.diff(control[own], axis=0)).mean() for own in self.index]))


def even(layout: Layout, degree: int, spans: int) -> list[Array]:
    """Knots of as many even spans in every ladder of a layout."""
    return [basis.uniform_knots(degree, spans)] * (1 + max(k for k, _ in layout.ladders))
