"""A hole cut back until four sides remain: which corners go is proposed by the outline that is left."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise

import numpy as np

from pamble.core.arrays import cross, dot, norm, unit
from pamble.core.corners.layouts import regular
from pamble.core.corners.over_corner import Bordering, OverCorner, line_over
from pamble.core.errors import GeometryError
from pamble.core.spline.evaluate import curve_derivatives, curve_points

_STEP = 65

_OUTSIDE = 1.15
"""How far a line over a corner is drawn from the middle, the corner at 1."""

_STRAIGHT = 170.0
"""Angle of a corner, degrees, from which it is hardly one: a patch does not meet both its sides."""


@dataclass(frozen=True)
class Outline:
    """What is left of a hole. lines: over the corners that go. angles: at the four that stay, degrees. unlike: the
    larger ratio of the lengths of opposite sides. score: the lower the better.
    """

    lines: tuple[OverCorner, ...]
    angles: tuple[float, ...]
    unlike: float
    score: float

    @property
    def corners(self) -> tuple[int, ...]:
        """Those that go, rising."""
        return tuple(x.corner for x in self.lines)


def ways(count: int) -> list[tuple[int, ...]]:
    """Sets of corners of a hole of five to eight sides that may go so that four sides stay. Raises `GeometryError`.

    >>> ways(5)
    [(0,), (1,), (2,), (3,), (4,)]
    >>> len(ways(6)), ways(8)
    (9, [(0, 2, 4, 6), (1, 3, 5, 7)])
    """
    if count not in range(5, 9):
        raise GeometryError(f"The hole has {count} sides: one of five to eight is cut back to four.")
    sets = combinations(range(count), count - 4)
    return [c for c in sets if all((b - a) % count > 1 for a, b in zip(c, [*c[1:], c[0]], strict=True) if len(c) > 1)]


def words(corners: Sequence[int]) -> str:
    """Corners that go, in words.

    >>> words((0, 3))
    'corners 1, 4'
    """
    return ("corner " if len(corners) == 1 else "corners ") + ", ".join(f"{k + 1}" for k in corners)


def corners_of(said: str | None, count: int) -> tuple[int, ...]:
    """The corners that go by their words, one of `ways`. Raises `GeometryError` with those there are."""
    known = {words(w): w for w in ways(count)}
    found = known.get(said or "") or known.get((said or "").replace("corners", "corner"))
    if found is None:
        raise GeometryError(f"A hole of {count} sides is not cut back at {said}: there are {', '.join(known)}.")
    return found


def outlines(sides: Sequence[Bordering]) -> list[Outline]:
    """All ways to cut a hole back to four sides, the best first: its corners near 90 degrees, opposite sides alike, and
    no side that turns far.

    sides: head to tail. Raises `GeometryError` where there is none.
    """
    count, found, wrong = len(sides), [], ""
    over: dict[int, OverCorner] = {}
    for k in sorted({k for way in ways(count) for k in way}):
        try:
            over[k] = line_over(sides, k)
        except GeometryError as error:
            wrong = wrong or str(error)
    for way in ways(count):
        if all(k in over for k in way):
            found.append(left_by(sides, [over[k] for k in way]))
    if not found:
        raise GeometryError(wrong)
    found = [o for o in found if max(o.angles) < _STRAIGHT]
    if not found:
        raise GeometryError(
            f"However it is cut, one of the four corners left has more than {_STRAIGHT:g}°: lay the hole out instead."
        )
    return sorted(found, key=lambda o: o.score)


def left_by(sides: Sequence[Bordering], lines: Sequence[OverCorner]) -> Outline:
    """The outline of a hole that lines over corners leave."""
    count, s = len(sides), np.linspace(0, 1, _STEP)
    gone = {x.corner: x for x in lines}
    lengths, turns, tangents, normals = [], [], [], []
    for k in range(count):
        if k in gone:
            continue
        over = gone.get((k + 1) % count)
        points = sides[k].side.points(s) if over is None else curve_points(over.line, s)
        chords = np.diff(points, axis=0)
        lengths.append(float(norm(chords).sum()))
        turns.append(float(np.arccos(np.clip(dot(unit(chords[:-1]), unit(chords[1:])), -1, 1)).sum()))
        ends = s[[0, -1]]
        directions = sides[k].side.tangents(ends) if over is None else unit(curve_derivatives(over.line, ends, 1)[1])
        tangents.append(directions)
        normals.append(cross(directions, sides[k].side.outward(s[:1])[[0, 0]]))
    angles = []
    for k in range(len(tangents)):
        back, on, n = -tangents[k - 1][1], tangents[k][0], normals[k][0]
        angles.append(float(np.degrees(np.arctan2(n @ np.cross(on, back), on @ back)) % 360.0))
    unlike = max(max(a, b) / min(a, b) for a, b in zip(lengths[:2], lengths[2:], strict=True))
    score = float(np.sum((np.array(angles) / 90 - 1) ** 2) + np.log(unlike) ** 2 + 0.25 * np.sum(np.square(turns)))
    return Outline(tuple(lines), tuple(angles), unlike, score)


def picture(corners: Sequence[int], count: int) -> list[tuple[float, float, float, float]]:
    """The lines over corners as chords (x, y, x, y) beside the regular polygon whose corners lie on the circle of
    radius 1."""
    corner = regular(count)
    s = np.linspace(0, 1, 7)[:, None]
    out: list[tuple[float, float, float, float]] = []
    for k in corners:
        a, b = corner[k - 1], corner[(k + 1) % count]
        tip = 2 * _OUTSIDE * corner[k] - 0.5 * (a + b)
        row = (1 - s) ** 2 * a + 2 * s * (1 - s) * tip + s**2 * b
        out += [(*map(float, p), *map(float, q)) for p, q in pairwise(row)]  # type: ignore[misc]
    return out
