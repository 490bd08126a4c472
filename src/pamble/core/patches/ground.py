"""What a trimmed patch is laid out over: the plane that fits its hole best, or a neighbour that runs on through it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array
from pamble.core.faces.face import Edge
from pamble.core.patches.loop import Chain
from pamble.core.patches.space import Patch, Space
from pamble.core.spline.closest import to_surface
from pamble.core.spline.knots import surface_part
from pamble.core.spline.surface import Surface

_MARGIN = 0.06
"""How far the patch reaches beyond the hole, as a share of its size."""

_SAMPLES = 33
"""Places along each side by which the size of a hole is known."""

_OFF = 0.05
"""How far off a neighbour that runs on through a hole the other sides may lie, as a share of the hole's size."""

_MOST_CONTROL = 500
"""CVs from which a neighbour has too many of them to lend."""


@dataclass(frozen=True)
class Ground:
    """The splines of a patch, control points (count, 3) on the ground itself, and where points (m, 3) stand on it, in
    parameters (m, 2). lent: whether it is a neighbour.
    """

    patch: Patch
    control: Array
    place: Callable[[Array], Array]
    lent: bool = False

    @property
    def spans(self) -> tuple[int, int]:
        """Along u and v."""
        return len(self.patch.u.breaks) - 1, len(self.patch.v.breaks) - 1


def _cloud(c: Chain) -> Array:
    s = np.linspace(0, 1, _SAMPLES)
    return np.vstack([p.side.points(s) for p in c.sides])


def _widened(low: Array, high: Array) -> tuple[Array, Array]:
    return low - _MARGIN * (high - low), high + _MARGIN * (high - low)


def over_plane(c: Chain, degree: int, spans: int) -> Ground:
    """Even spans over the plane that fits the sides best."""
    cloud = _cloud(c)
    middle = cloud.mean(axis=0)
    axes = np.linalg.svd(cloud - middle, full_matrices=False)[2]
    flat = (cloud - middle) @ axes[:2].T
    low, high = _widened(flat.min(axis=0), flat.max(axis=0))
    patch = Patch(Space.even(degree, spans), Space.even(degree, spans))

    def plane(u: Array, v: Array) -> Array:
        x, y = low[0] + u * (high[0] - low[0]), low[1] + v * (high[1] - low[1])
        return np.asarray(middle + x[:, None, None] * axes[0] + y[None, :, None] * axes[1])

    return Ground(patch, patch.interpolate(plane), lambda row: ((row - middle) @ axes[:2].T - low) / (high - low))


def over_neighbours(c: Chain) -> Iterator[Ground]:
    """Over each neighbour whose surface runs on through the hole, of its own degrees and knots: what a hole in a face
    was cut out of can be had again, where even spans cannot follow its knots.
    """
    cloud, seen = _cloud(c), list[Surface]()
    size = float(np.linalg.norm(np.ptp(cloud, axis=0)))
    sources = (p.asked.source for p in c.sides if isinstance(p.asked.source, Edge))
    for surface in (own.surface for e in sources for own in ([part.edge for part in e.parts] or [e])):
        if any(_alike(surface, s) for s in seen):
            continue
        seen.append(surface)
        ground = _over(surface, cloud, size)
        if ground is not None:
            yield ground


def _alike(a: Surface, b: Surface) -> bool:
    return a is b or (a.control.shape == b.control.shape and bool(np.array_equal(a.control, b.control)))


def _over(surface: Surface, cloud: Array, size: float) -> Ground | None:
    if surface.weights is not None or any(surface.closed):
        return None
    feet = to_surface(surface, cloud)
    if feet.distance.max() > _OFF * size:
        return None
    uv = np.column_stack([feet.u, feet.v])
    (u0, u1), (v0, v1) = surface.domain
    low, high = _widened(uv.min(axis=0), uv.max(axis=0))
    low, high = np.maximum(low, (u0, v0)), np.minimum(high, (u1, v1))
    part = surface_part(surface, (low[0], high[0]), (low[1], high[1]))
    if part.control.shape[0] * part.control.shape[1] > _MOST_CONTROL:
        return None

    def place(row: Array) -> Array:
        own = to_surface(part, row)
        return (np.column_stack([own.u, own.v]) - low) / (high - low)

    spaces = [
        Space(degree, (knots - at) / (end - at))
        for degree, knots, at, end in zip(
            (part.degree_u, part.degree_v), (part.knots_u, part.knots_v), low, high, strict=True
        )
    ]
    return Ground(Patch(*spaces), part.control.reshape(-1, 3), place, lent=True)
