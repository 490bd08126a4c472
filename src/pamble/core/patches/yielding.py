"""Sides of a hole that can only be met: their faces stand at an angle to those beside them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.curves.measure import curve_length
from pamble.core.patches.loop import Asked, chain, corners
from pamble.core.patches.running import taken_together

_STANDS = 20.0
"""Angle between two neighbours' normals at a corner, degrees, from which no mending makes them agree."""


@dataclass(frozen=True)
class Yielding:
    """Sides of which some are only met. numbers: of those; angle: the largest by which the normals of two neighbours
    contradict each other, degrees.
    """

    asked: tuple[Asked, ...]
    numbers: tuple[int, ...] = ()
    angle: float = 0.0

    @property
    def words(self) -> list[str]:
        """What is told of it."""
        if not self.numbers:
            return []
        *most, last = (str(n + 1) for n in self.numbers)
        sides = f"Sides {', '.join(most)} and {last} are" if most else f"Side {last} is"
        return [f"{sides} met without tangents: faces that follow each other there stand at {self.angle:.0f}°."]


def yielding(asked: Sequence[Asked], diagonal: float) -> Yielding:
    """Sides with those asked to be met, no more, that keep others from what is asked of them. ``diagonal`` of the part,
    mm.

    A patch has one normal at a corner: where those of the neighbours stand at an angle one of the two sides gives way;
    of all choices the one of the least length in all (a cover of a cycle, by dynamic programming). Edges that run on
    into each other give way together. None do where the sides do not close.
    """
    sides = taken_together(asked)
    c = chain(sides.asked)
    if len(c.sides) < 2 or not all(c.joined):
        return Yielding(tuple(asked))
    angle = [
        k.angle if k.angle is not None and all(sides.asked[i].order > 0 for i in k.sides) else 0.0
        for k in corners(c, diagonal)
    ]
    if max(angle) < _STANDS:
        return Yielding(tuple(asked))
    lengths = [curve_length(p.side.curve) for p in c.sides]
    taken = {n for i in _cover(lengths, [a >= _STANDS for a in angle]) for n in sides.members[c.order[i]]}
    out = tuple(replace(a, order=0) if n in taken else a for n, a in enumerate(asked))
    return Yielding(out, tuple(sorted(taken)), max(angle))


def _cover(weights: Sequence[float], tied: Sequence[bool]) -> list[int]:
    """Places on a cycle, of the least weight in all, of which one is at either end of every tie (from each place to
    the next)."""
    count = len(weights)
    best: tuple[float, list[int]] = (np.inf, [])
    for first in (False, True):
        # Of both states of the last place: the weight so far, and the places taken.
        ways = {first: (weights[0] if first else 0.0, [0] if first else [])}
        for i in range(1, count):
            ways = {
                now: min(
                    (w + (weights[i] if now else 0.0), [*taken, i] if now else taken)
                    for before, (w, taken) in ways.items()
                    if before or now or not tied[i - 1]
                )
                for now in (False, True)
                if now or True in ways or not tied[i - 1]
            }
        best = min([best, *(way for last, way in ways.items() if first or last or not tied[-1])])
    return best[1]
