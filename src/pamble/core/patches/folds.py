"""Where a surface turns over."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pamble.core.arrays import Array, BoolArray, dot, norm
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.kinks import smooth_pieces
from pamble.core.spline.surface import Surface

_BESIDE_POLES = 2e-3
"""Share of its domain by which a surface is looked at inside its sides: in a pole there is no normal."""

_CLOSER, _ROUNDS = 8, 4
"""A step in which the normal turns over is divided so often: a fold stays one, a small radius does not."""


def folded(surface: Surface, inside: Callable[[Array, Array], BoolArray] | None = None) -> bool:
    """Whether a surface turns over or shrinks to nothing somewhere. inside: tells which places (m,), (m,) count."""
    (u0, u1), (v0, v1) = surface.domain
    count = 17 if inside is None else 33
    u, v = np.linspace(u0, u1, count), np.linspace(v0, v1, count)
    d = surface_grid(surface, u, v, 1)
    n = normals(d)
    stretch = norm(np.cross(d[1, 0], d[0, 1]))
    counts = np.ones((count, count), dtype=bool)
    if inside is not None:
        counts = inside(np.repeat(u, count), np.tile(v, count)).reshape(counts.shape)
    turned = [
        dot(a, b)[both].min(initial=1.0)
        for a, b, both in (
            (n[1:], n[:-1], counts[1:] & counts[:-1]),
            (n[:, 1:], n[:, :-1], counts[:, 1:] & counts[:, :-1]),
        )
    ]
    return bool(min(turned) < 0 or stretch[counts].min(initial=np.inf) < 1e-4 * stretch.mean())


def told_folds(surface: Surface) -> tuple[str, ...]:
    """Words about the place where a surface turns over within next to no way; a kink is none."""
    place = next((p for p in map(_turns_over, smooth_pieces(surface)) if p is not None), None)
    if place is None:
        return ()
    x, y, z = place
    return (f"The face folds over itself near ({x:.2f}, {y:.2f}, {z:.2f}) mm: calm the curves beside that place.",)


def _turns_over(surface: Surface) -> Array | None:
    """Where a smooth surface turns over (3,), closed in on; None where it does not."""
    low, high = np.array(surface.domain).T
    inside = _BESIDE_POLES * (high - low)
    counts = [4 * max(n, 4) + 1 for n in surface.spans]
    u, v = (np.linspace(a, b, n) for a, b, n in zip(low + inside, high - inside, counts, strict=True))
    at = np.zeros(3)
    for _ in range(_ROUNDS):
        d = surface_grid(surface, u, v, 1)
        n = normals(d)
        turns = dot(n[1:], n[:-1]), dot(n[:, 1:], n[:, :-1])
        least = [t.min(initial=1.0) for t in turns]
        way = int(least[1] < least[0])
        if least[way] >= 0.0:
            return None
        i, j = np.unravel_index(int(np.argmin(turns[way])), turns[way].shape)
        at = d[0, 0][i, j]
        u, v = (
            np.linspace(t[k], t[k + 1], _CLOSER + 1) if way == along else t[k : k + 1]
            for along, t, k in ((0, u, i), (1, v, j))
        )
    return np.asarray(at)
