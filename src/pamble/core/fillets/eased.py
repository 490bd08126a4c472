"""Radii of balls along creases in a row, eased over the joints: where the rate at which they change along the way of
the ball jumps, fillets meet in a kink.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.interpolate import CubicHermiteSpline, CubicSpline

from pamble.core.arrays import Array, norm
from pamble.core.fillets.stations import Contacts

_HALF = 0.45
"""Share of a crease that is eased beside a joint at most."""


def eased(balls: Sequence[tuple[Array, Contacts]], reach: float, loop: bool) -> list[Array]:
    """The radii (m,) at stations of each crease, with a cubic over each joint in place of what lies beside it.

    balls: stations of each crease, in shares of it from below 0 to above 1, and the balls there; reach: how far beside
    a joint, mm. loop: whether the last goes on in the first.
    """
    ways, ends = [], []
    for s, c in balls:
        way = np.append(0.0, np.cumsum(norm(np.diff(c.centre, axis=0))))
        ways.append(way - np.interp(0.0, s, way))
        ends.append(float(np.interp(1.0, s, ways[-1])))
    own = [CubicSpline(way, c.radius) for way, (_, c) in zip(ways, balls, strict=True)]
    out = [c.radius.copy() for _, c in balls]
    for i in range(len(balls) if loop else len(balls) - 1):
        k = (i + 1) % len(balls)
        before, after = (min(reach, _HALF * ends[n]) for n in (i, k))
        at = ends[i] - before
        cubic = CubicHermiteSpline([-before, after], [own[i](at), own[k](after)], [own[i](at, 1), own[k](after, 1)])
        out[i] = np.where(ways[i] > at, cubic(np.minimum(ways[i] - ends[i], after)), out[i])
        out[k] = np.where(ways[k] < after, cubic(np.maximum(ways[k], -before)), out[k])
    return out
