"""Fillets with the figures of their seams."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from pamble.core.checks.measured import MeasuredSeam, measure_seams, sample_seams
from pamble.core.checks.seams import Seam
from pamble.core.faces.face import Edge, Face, natural_edge
from pamble.core.fillets.ends import contact_edges
from pamble.core.fillets.strip import Strip
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.ticking import tick

_PIECE, _STRETCH = 0.01, 1e-4
"""Distance, mm, within which a contact lies on a fillet's side; and the least share of it that counts."""


@dataclass(frozen=True)
class FilletFigures:
    """Worst along the seams to the first and second face: gap mm, angle degrees, curvature %; and the error of the
    radius, mm, None where there is none to keep.
    """

    gap: tuple[float, float]
    angle: tuple[float, float]
    curvature: tuple[float, float]
    radius: float | None


@dataclass(frozen=True)
class FilletFace:
    """The fillet along one run of a crease. beside: numbers of the faces on its sides v0 and
    v1; along: names of the edges of both that it rounds; name: of the edges that its contacts cut.
    """

    face: Face
    beside: tuple[int, int]
    along: tuple[tuple[str, ...], tuple[str, ...]]
    name: str
    figures: FilletFigures


def figured(each: Sequence[tuple[Strip, int, Face]], changed: Mapping[int, Face], diagonal: float) -> list[FilletFace]:
    """Fillets of strips, each by its strip and number there, with the figures of their seams, all measured in one go.

    changed: the faces beside them as they were cut back, by number. diagonal: of the part, mm.
    """
    tick()
    sides = [
        [_seams(face, changed[n], side, s.name) for n, side in zip(s.rolls[k].run.numbers, ("v0", "v1"), strict=True)]
        for s, k, face in each
    ]
    measured = iter(measure_seams(sample_seams([seam for two in sides for own in two for seam in own]), diagonal))
    out = []
    for (s, k, face), two in zip(each, sides, strict=True):
        gap, angle, curvature = zip(*(_worst([next(measured) for _ in own]) for own in two), strict=True)
        made = s.rolls[k].made
        # Where the fillet is a thread it has no width over which an angle could be read.
        figures = FilletFigures(gap, (made.angle,) * 2 if s.rolls[k].faded else angle, curvature, made.radius)
        out.append(FilletFace(face, s.rolls[k].run.numbers, s.rolls[k].run.names, s.name, figures))
    return out


def _seams(face: Face, trimmed: Face, side: str, name: str) -> list[Seam]:
    """The seams of a fillet's side with a face that was cut back by its contact."""
    sides = [e for e in face.edges if e.side == side]
    # One that goes round a hole has its side in pieces.
    own = sides[0] if len(sides) == 1 else natural_edge(face.surface, side)
    contact = contact_edges(trimmed, name)
    return [Seam((1, 0), e, own, part) for e in contact for part in _shared(e, own)] or [
        Seam((0, 1), own, contact[0], own.domain)
    ]


def _worst(found: Sequence[MeasuredSeam]) -> tuple[float, float, float]:
    gap, angle, curvature = (max(m.worst[key].value for m in found) for key in ("gap", "angle", "curvature"))
    return gap, angle, curvature


def _shared(contact: Edge, own: Edge) -> list[tuple[float, float]]:
    """The stretches of a contact that lie on a fillet's side: one that crosses the joint of a closed face is in pieces,
    and one along several fillets is longer than each.
    """
    feet = to_curve(contact.space, curve_points(own.space, own.domain))
    low, high = contact.domain
    stops = [low, *sorted(feet.t[feet.distance < _PIECE].tolist()), high]
    parts = [(a, b) for a, b in pairwise(stops) if b - a > _STRETCH * (high - low)]
    middles = curve_points(contact.space, [0.5 * (a + b) for a, b in parts])
    there = to_curve(own.space, middles).distance < _PIECE
    return [part for part, on in zip(parts, there, strict=True) if on]
