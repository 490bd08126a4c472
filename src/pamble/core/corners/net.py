"""Control nets of a layout: patches that share the CVs of their seams, and what they are along an arc."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from pamble.core.arrays import Array, IntArray, norm
from pamble.core.corners.layouts import Layout
from pamble.core.patches.space import Patch, Space
from pamble.core.spline.surface import Surface

_LEAST_PLACES = 16


def beside(net: Array | IntArray, side: int, sense: int = 1) -> Array | IntArray:
    """A patch's net as rows along one of its sides, each leading inward, run through in a sense."""
    view = (net, np.swapaxes(net[::-1], 0, 1), net[::-1, ::-1], np.swapaxes(net[:, ::-1], 0, 1))[side]
    return view if sense > 0 else view[::-1]


class Net:
    """CVs of all patches, each numbered once: vertices first, so that a vertex's number is its CV's.

    index: of every patch its CVs, (n, n). uses: of every arc the patches beside it, as (patch, side, sense).
    """

    def __init__(self, layout: Layout, degree: int = 5, spans: int = 1) -> None:
        self.layout = layout
        self.space = Space.even(degree, spans)
        n = self.n = self.space.count
        count = len(layout.vertices)
        self.arcs: list[IntArray] = []
        for arc in layout.arcs:
            self.arcs.append(np.concatenate([[arc.start], np.arange(count, count + n - 2), [arc.end]]))
            count += n - 2
        self.index: list[IntArray] = []
        self.uses: list[list[tuple[int, int, int]]] = [[] for _ in layout.arcs]
        for p, patch in enumerate(layout.patches):
            own = np.full((n, n), -1)
            for side, (arc_number, sense) in enumerate(patch):
                beside(own, side, sense)[:, 0] = self.arcs[arc_number]
                self.uses[arc_number].append((p, side, sense))
            own[1:-1, 1:-1] = np.arange(count, count + (n - 2) ** 2).reshape(n - 2, n - 2)
            count += (n - 2) ** 2
            self.index.append(own)
        self.count = count

    def rows(self, arc: int, use: int) -> IntArray:
        """Numbers (n, 3) of the CVs on an arc and in the next two rows of the patch beside it, along the arc."""
        p, side, sense = self.uses[arc][use]
        return np.asarray(beside(self.index[p], side, sense)[:, :3])

    @cached_property
    def places(self) -> tuple[Array, Array]:
        """Shares (m,) of an arc at which conditions are asked, both ends among them, and their weights."""
        m = max(_LEAST_PLACES, 3 * self.n)
        x, w = np.polynomial.legendre.leggauss(m)
        return np.concatenate([[0.0], 0.5 * (1 + x), [1.0]]), np.concatenate([[1.0], 0.5 * w * m, [1.0]])

    @cached_property
    def along(self) -> Array:
        """Functions along an arc at the places and their derivatives to the second, (3, m, n)."""
        return self.space.matrix(self.places[0], 2)

    @cached_property
    def inward(self) -> Array:
        """The value and the derivatives at the rim from the first three rows, (3, 3)."""
        return self.space.matrix(np.zeros(1), 2)[:, 0, :3]

    def surfaces(self, control: Array) -> list[Surface]:
        """The patches."""
        k, p = self.space.knots, self.space.degree
        return [Surface(p, p, k, k, control[own]) for own in self.index]

    def energy(self, control: Array) -> Array:
        """The third-order energy (count, count) of patches like ``control``."""
        patch = Patch(self.space, self.space)
        total = np.zeros((self.count, self.count))
        for own in self.index:
            flat = own.ravel()
            total[np.ix_(flat, flat)] += patch.energy(control[flat])[0]
        return total

    def spacing(self, control: Array) -> float:
        """Mean distance of neighbouring CVs, mm."""
        return float(np.mean([norm(np.diff(control[own], axis=0)).mean() for own in self.index]))
