"""Sides that close round a hole, and only once: where they leave a gap or touch each other is told with the place."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.errors import GeometryError
from pamble.core.patches.loop import Asked, Chain, chain, refuse_gap

_SAMPLES, _STEPS = 48, 6
"""Places on every side that are compared, and steps by which two near ones are closed in on."""

_TOUCHES, _END = 0.005, 1e-3
"""Distance, mm, at which the rim touches itself; share of a side from its end that counts as its corner."""

_SHARE = 1e-4
"""Share of a side over which its direction is taken."""


def closed(asked: Sequence[Asked], once: bool = True) -> Chain:
    """Sides head to tail round a hole. Raises `GeometryError` where they leave a gap; where they touch or cross each
    other only if they are to go round ``once``.
    """
    c = chain(asked)
    for i, meets in enumerate(c.joined):
        if not meets:
            refuse_gap(c, i)
    if once:
        refuse_touching(c)
    return c


def refuse_touching(c: Chain) -> None:
    """Raise `GeometryError` with the place at which a closed chain of sides touches itself.

    Places of the rim that are nearer to each other than their neighbours are, closed in on by Newton steps.
    """
    s = np.arange(_SAMPLES) / _SAMPLES
    rim = np.vstack([p.side.points(s) for p in c.sides])
    steps = norm(rim - np.roll(rim, -1, axis=0))
    away = norm(rim[:, None] - rim[None])
    around = [np.roll(away, (i, j), (0, 1)) for i in (-1, 0, 1) for j in (-1, 0, 1) if (i, j) != (0, 0)]
    reach = np.maximum(steps, np.roll(steps, 1))
    near = (away <= np.min(around, axis=0)) & (away < reach[:, None] + reach[None, :])
    count = len(rim)
    apart = np.abs(np.arange(count)[:, None] - np.arange(count))
    near &= np.minimum(apart, count - apart) > 2
    for a, b in np.argwhere(np.triu(near)):
        _refuse(c, *divmod(int(a), _SAMPLES), *divmod(int(b), _SAMPLES))


def _refuse(c: Chain, i: int, at: int, j: int, other: int) -> None:
    """Close in on two places of the rim that are near each other; raise where they are one."""
    t = np.array([at, other]) / _SAMPLES
    sides = c.sides[i].side, c.sides[j].side

    def points(t: Array) -> Array:
        return np.vstack([side.points(np.array([x])) for side, x in zip(sides, t, strict=True)])

    for _ in range(_STEPS):
        p = points(t)
        ahead = np.where(t + _SHARE <= 1.0, _SHARE, -_SHARE)
        d = (points(t + ahead) - p) / ahead[:, None]
        gap, a, b, ab = p[1] - p[0], dot(d[0], d[0]), dot(d[1], d[1]), dot(d[0], d[1])
        safe = np.array([[a * (1 + 1e-9), -ab], [-ab, b * (1 + 1e-9)]])
        step = np.linalg.solve(safe, [dot(d[0], gap), -dot(d[1], gap)])
        t = np.clip(t + np.clip(step, -1 / _SAMPLES, 1 / _SAMPLES), 0.0, 1.0)
    p = points(t)
    count = len(c.sides)
    follows = any((m + 1) % count == n and t[e] > 1 - _END and t[1 - e] < _END for m, n, e in ((i, j, 0), (j, i, 1)))
    same = i == j and abs(t[0] - t[1]) < 1 / _SAMPLES
    if follows or same or float(norm(p[1] - p[0])) > _TOUCHES:
        return
    x, y, z = p.mean(axis=0)
    one, two = sorted((c.order[i] + 1, c.order[j] + 1))
    if one == two:
        said, helps = f"Side {one} crosses itself", "split it there, and fill what it goes round by itself"
    else:
        said, helps = f"Sides {one} and {two} touch each other", "split both there, and fill each part by itself"
    raise GeometryError(f"{said} near ({x:.2f}, {y:.2f}, {z:.2f}) mm: {helps}, or move one of them.")
