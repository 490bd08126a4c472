"""Kinks of a crease that is followed from edge to edge, and what is left of it where it is parted at them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace

import numpy as np

from pamble.core.arrays import dot, unit
from pamble.core.faces.face import Edge
from pamble.core.fillets.chain import Followed, Run
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points

PARTS = 1.0
"""Angle, degrees, from which a crease may be parted at a kink."""


def kinks(runs: Sequence[Run], loop: bool, least: float = PARTS) -> dict[int, float]:
    """By how many degrees a crease of runs in a row kinks, if by so many at ``least``, by the number of the run behind
    which it does. loop: whether the last goes on in the first.
    """
    ways = [unit(curve_derivatives(r.first.space, r.first.space.domain, 1)[1]) for r in runs]
    ends = enumerate(ways if loop else ways[:-1])
    turns = {i: float(dot(one[1], ways[(i + 1) % len(ways)][0])) for i, one in ends}
    out = {i: float(np.degrees(np.arccos(np.clip(turn, -1.0, 1.0)))) for i, turn in turns.items()}
    return {i: angle for i, angle in out.items() if angle > least}


def rows_between(found: Followed, behind: Collection[int]) -> list[Followed]:
    """A crease in rows, parted behind some of its runs; a loop begins behind one of them."""
    runs = found.runs
    rows, first = list[list[Run]](), min(behind) + 1 if found.loop else 0
    for k in range(len(runs)):
        i = (first + k) % len(runs)
        if k == 0 or (i - 1) % len(runs) in behind:
            rows.append([])
        rows[-1].append(runs[i])
    return [replace(found, runs=tuple(row), loop=False) for row in rows]


def parted(found: Followed, behind: Collection[int], edge: Edge) -> Followed:
    """What is left of a crease on the side of an edge of it where it is parted behind some of its runs."""
    middle = curve_points(edge.space, [0.5 * sum(edge.space.domain)])
    return min(
        rows_between(found, behind),
        key=lambda row: min(float(to_curve(r.first.space, middle).distance[0]) for r in row.runs),
    )
