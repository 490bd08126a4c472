"""Triangles that are kept while trim loops move: only the loops' points go along."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array
from pamble.core.faces.meshing.constrain import twice_area
from pamble.core.faces.meshing.trimmed import FlatMesh, mesh_loops

_CHANGE = (0.15, 3.0)
"""Area of a triangle beside a loop over its first one, between which the triangles still do."""


class MovingMesh:
    """The mesh of one face from one update to the next."""

    def __init__(self) -> None:
        self._kept: FlatMesh | None = None
        self._lines: tuple[Array, Array] | None = None
        self._counts: list[int] = []
        self._areas: Array = np.zeros(0)

    def mesh(self, us: Array, vs: Array, loops: Sequence[Array], scale: Array) -> FlatMesh:
        """The mesh of these loops: the triangles of before where they still do, else made anew."""
        kept = self._kept
        if kept is not None and self._fits(us, vs, loops):
            uv = np.concatenate([*loops, kept.uv[kept.loop_points :]])
            rim = kept.triangles[len(kept.triangles) - kept.rim :]
            change = twice_area(uv * scale, *rim.T) / self._areas
            if change.min() > _CHANGE[0] and change.max() < _CHANGE[1]:
                return FlatMesh(uv, kept.triangles, kept.loop_points, kept.rim, kept.nodes)
        made = mesh_loops(us, vs, loops, scale)
        self._kept, self._lines, self._counts = made, (us, vs), [len(l) for l in loops]
        areas = twice_area(made.uv * scale, *made.triangles[len(made.triangles) - made.rim :].T)
        self._areas = np.maximum(areas, 1e-12 * float(areas.max(initial=1e-12)))
        return made

    def _fits(self, us: Array, vs: Array, loops: Sequence[Array]) -> bool:
        return (
            self._lines is not None
            and self._counts == [len(l) for l in loops]
            and np.array_equal(self._lines[0], us)
            and np.array_equal(self._lines[1], vs)
        )
