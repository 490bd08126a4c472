"""Which face lies between two others as a blend does."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import norm
from pamble.core.checks.seams import Seam
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import positions
from pamble.core.spline.closest import to_curve

_SLENDER = 1.5
"""How many times longer than wide a face is that lies between two others as a blend does."""


@dataclass(frozen=True)
class Strip:
    """A face between two others. sides: its two seams as (its own edge, neighbour, the neighbour's edge)."""

    face: int
    sides: tuple[tuple[Edge, int, Edge, Seam], tuple[Edge, int, Edge, Seam]]
    width: float


def nearest(seams: Sequence[Seam]) -> Seam:
    """Of several seams along an edge the one that gapes least, the longer one where none does."""

    def apart(seam: Seam) -> tuple[float, float]:
        points = positions(seam.a, np.linspace(*seam.t, 17))
        gap = float(np.median(to_curve(seam.b.space, points).distance))
        return round(gap, 2), -float(norm(np.diff(points, axis=0)).sum())

    return min(seams, key=apart)


def strip_between(faces: Sequence[Face], seams: Sequence[Seam], seam: Seam, which: int) -> Strip | None:
    """The face on one side of a seam, if it is a four-sided strip whose far side meets another face."""
    number, own = seam.faces[which], (seam.a, seam.b)[which]
    edges = faces[number].edges
    if len(edges) != 4:
        return None
    # The sides of a whole face stand in pairs, those of a loop in their order round it.
    k = edges.index(own)
    far = edges[k ^ 1] if faces[number].natural else edges[(k + 2) % 4]
    across = [s for s in seams if far in (s.a, s.b) and s is not seam]
    if not across:
        return None
    other = nearest(across)
    sides = tuple(
        (mine, s.faces[1 - i], (s.a, s.b)[1 - i], s)
        for mine, s in ((own, seam), (far, other))
        for i in (0 if s.a is mine else 1,)
    )
    samples = positions(own, np.linspace(*own.domain, 33))
    width = float(np.median(to_curve(far.space, samples).distance))
    length = float(norm(np.diff(samples, axis=0)).sum())
    if number in (sides[0][1], sides[1][1]) or length < _SLENDER * width:
        return None
    return Strip(number, (sides[0], sides[1]), width)
