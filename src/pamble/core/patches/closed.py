"""Sides that close round a hole, and only once: where they leave a gap or touch each other is told with the place."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import norm
from pamble.core.curves.meet import meetings
from pamble.core.errors import GeometryError
from pamble.core.patches.loop import Asked, Chain, chain, refuse_gap

_SAMPLES = 48
"""Places on every side that are compared."""

_TOUCHES = 0.005
"""Distance, mm, at which the rim touches itself."""


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

    Places of the rim that are nearer to each other than their neighbours are, closed in on then.
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
    """Close in on two places of the rim that are near each other; raise where they are one, and not the corner
    between their sides.
    """
    one, two = c.sides[i].side, c.sides[j].side
    t = [side.parameters(np.array([k / _SAMPLES])) for side, k in ((one, at), (two, other))]
    met = meetings(one.curve, two.curve, *t)[0]
    count = len(c.sides)
    corners = [c.sides[m].side.ends[1] for m, n in ((i, j), (j, i)) if (m + 1) % count == n]
    share = abs(met.t[0] - met.t[1]) / (one.curve.domain[1] - one.curve.domain[0])
    place = met.points.mean(axis=0)
    at_corner = any(float(np.linalg.norm(corner - place)) < c.most for corner in corners)
    if met.gap > _TOUCHES or at_corner or (i == j and share < 1 / _SAMPLES):
        return
    x, y, z = place
    numbers = sorted((c.order[i] + 1, c.order[j] + 1))
    if i == j:
        said, helps = f"Side {numbers[0]} crosses itself", "split it there, and fill what it goes round by itself"
    else:
        said = "Sides {} and {} touch each other".format(*numbers)
        helps = "split both there, and fill each part by itself"
    raise GeometryError(f"{said} near ({x:.2f}, {y:.2f}, {z:.2f}) mm: {helps}, or move one of them.")
