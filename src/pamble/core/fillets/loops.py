"""Where a crease that is a loop begins."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from pamble.core.curves.measure import LengthMap, curve_length
from pamble.core.fillets.between import Between
from pamble.core.fillets.chain import Run
from pamble.core.spline.kinks import restarted

_BESIDE, _SETTLED, _STEPS, _STILL = 0.2, 1e-8, 12, 1e-13
"""Distance, mm, from where its contact crosses the joint of a face within which a loop begins there; and within which
it does; steps toward it at most, and the share of the loop that is the last.
"""


def before_joint(run: Run, ball: Between) -> float:
    """The share of a loop after which its contact crosses the joint of a closed face beside which it begins, below
    zero where it did so before: of two vertices a hair apart one would lie inside an edge of the other face. 0 where
    none is near, or it begins there.
    """
    c, found = ball.crease, ball.found
    length = curve_length(run.first.space)
    for k in range(4) if c.closed else ():
        if not c.surfaces[k // 2].closed[k % 2]:
            continue

        def off(s: float, k: int = k) -> float:
            low, high = c.surfaces[k // 2].domain[k % 2]
            u = ball.at(np.array([s])).contacts.uv[0, k] if s else found.uv[0, k]
            return float((u - low + 0.5 * (high - low)) % (high - low) - 0.5 * (high - low))

        here, pace = off(0.0), float(found.uv[1, k] - found.uv[0, k]) / float(c.s[1] - c.s[0])
        if abs(here) * length < _BESIDE * abs(pace):
            share = _crossed(off, here, pace)
            if _SETTLED < abs(share) * length < _BESIDE:
                return share
    return 0.0


def begun_at(run: Run, share: float) -> Run:
    """A loop begun after a share of its length."""
    space = run.first.space
    space = restarted(space, float(LengthMap(space).parameters(np.array([share % 1.0]))[0]))
    return replace(run, first=replace(run.first, space=space), second=replace(run.second, space=space))


def _crossed(off: Callable[[float], float], here: float, pace: float) -> float:
    """Where a contact that runs on at a pace from beside a joint crosses it: by secants; 1 where they do not settle."""
    last, value, s = 0.0, here, -here / pace
    for _ in range(_STEPS):
        if abs(s - last) < _STILL:
            return s
        now = off(s)
        if now == value:
            return s
        last, value, s = s, now, s - now * (s - last) / (now - value)
    return 1.0
