"""Where fillets in a row end in their joints: at the border of the face that gives way to the next, or aslant between
those of both; and their contacts in one piece on every face.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import reduce
from itertools import groupby

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.edit import run_on
from pamble.core.errors import GeometryError
from pamble.core.faces.cut_back import Cut, NotParted, cut_back
from pamble.core.faces.face import Face
from pamble.core.fillets.ends import SQUARE, Unreached, end_line, reach
from pamble.core.fillets.rolled import Rolled
from pamble.core.spline.curve import Curve
from pamble.core.spline.ends import with_end
from pamble.core.spline.evaluate import curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import Surface

_ONE, _ACROSS = 5e-4, 9
"""Distance, mm, within which both sides of a fillet end in one section; places looked at across it."""

Pair = tuple[float, float]


class NotJoined(NotParted):
    """A contact that does not reach a joint of a row, or its end."""


class EndsApart(GeometryError):
    """Fillets of a row that end apart. after: the number of the run behind which they do."""

    def __init__(self, words: str, after: int) -> None:
        super().__init__(words)
        self.after = after


@dataclass(frozen=True)
class RowEnds:
    """ends: parameters at which each fillet of a row starts and ends, on its first and its second side; at the row's
    own ends they are those of the second contact. lines: the contacts with the faces on the first side, in one piece
    on each, by the number of the face.
    """

    ends: tuple[tuple[Pair, Pair], ...]
    lines: tuple[tuple[int, Curve], ...]

    @property
    def sections(self) -> list[Pair]:
        """Parameters at which each starts and ends, halfway between its sides."""
        return [(0.5 * (one[0] + two[0]), 0.5 * (one[1] + two[1])) for one, two in self.ends]

    @property
    def aslant(self) -> bool:
        """Whether any of them ends aslant."""
        return any(one != two for one, two in self.ends)


def joints(rolls: Sequence[Rolled], loop: bool) -> list[tuple[int, int]]:
    """Numbers of the fillets in a row that go on in each other."""
    count = len(rolls)
    return [(i, (i + 1) % count) for i in range(count if loop else count - 1)]


def both_change(rolls: Sequence[Rolled], i: int, k: int) -> bool:
    """Whether both faces give way to others from one fillet to the next."""
    return rolls[i].run.numbers[0] != rolls[k].run.numbers[0]


def row_ends(part: Sequence[Face], rolls: Sequence[Rolled], name: str, loop: bool) -> RowEnds:
    """Where the fillets of a row of several end. Raises `NotJoined` where a contact does not reach so far."""
    try:
        cut_far = _far(part, rolls, name, loop)
        far = [reach(r.made.surface, 1, face, name) for r, face in zip(rolls, cut_far, strict=True)]
    except Unreached as error:
        raise NotJoined(*error.args) from None
    ends = [(f.at, f.at) for f in far]
    lines = _lines(rolls, ends, loop)
    cut = _near(part, rolls, name, lines) if len(lines) > 1 else {}
    for i, k in joints(rolls, loop) if cut else ():
        for n, at in ((i, 1), (k, 0)) if both_change(rolls, i, k) else ():
            near = reach(rolls[n].made.surface, 0, cut[rolls[n].run.numbers[0]], name)
            ends[n] = with_end_of(rolls[n], ends[n], near.at, at)
    return RowEnds(tuple(ends), tuple(lines))


def with_end_of(roll: Rolled, ends: tuple[Pair, Pair], near: Pair, at: int) -> tuple[Pair, Pair]:
    """Ends of a fillet on both sides, its start (0) or end (1) on the first where the contact there has it; in one
    section if they are as good as one.
    """
    one, two = [list(pair) for pair in ends]
    here, there = curve_points(roll.lines[0], [near[at], two[at]])
    one[at] = near[at]
    if float(np.linalg.norm(here - there)) < _ONE:
        one[at] = two[at] = 0.5 * (near[at] + two[at])
    return (one[0], one[1]), (two[0], two[1])


def cut_from(rolls: Sequence[Rolled], name: str, number: int, lines: Sequence[tuple[int, Curve]] = ()) -> Cut | None:
    """What the contacts of a row cut from the face of a number. lines: see `RowEnds`."""
    own = [line for n, line in lines if n == number]
    edges = [e for r in rolls for e in r.run.first.edges if own and r.run.numbers[0] == number]
    for r in rolls:
        if r.run.numbers[1] == number:
            own.append(r.lines[1])
            edges += r.run.second.edges
    return Cut(name, tuple(edges), tuple(own)) if own else None


def _far(part: Sequence[Face], rolls: Sequence[Rolled], name: str, loop: bool) -> list[Face]:
    """The faces on the second side of fillets in a row, cut back; at the ends of the row that is open."""
    cut: dict[int, Face] = {}
    for n in dict.fromkeys(r.run.numbers[1] for r in rolls):
        own = cut_from(rolls, name, n)
        assert own is not None
        try:
            cut[n] = cut_back(part[n], [own])
        except NotParted as short:
            # Past the end of the crease the contact ends in its face: a line to that end parts this.
            ways = [] if loop else [_to_end(rolls[at], at) for at in (0, -1) if rolls[at].run.numbers[1] == n]
            if not ways:
                raise NotJoined(*short.args) from None
            try:
                cut[n] = cut_back(part[n], [replace(own, lines=(*own.lines, *ways))])
            except NotParted as error:
                raise NotJoined(*error.args) from None
    return [cut[r.run.numbers[1]] for r in rolls]


def _near(
    part: Sequence[Face], rolls: Sequence[Rolled], name: str, lines: Sequence[tuple[int, Curve]]
) -> dict[int, Face]:
    """The faces on the first side, where several give way to each other, cut back, by number."""
    cut: dict[int, Face] = {}
    for n, _ in lines:
        own = cut_from(rolls, name, n, lines)
        assert own is not None
        try:
            cut[n] = cut_back(part[n], [own])
        except NotParted as error:
            raise NotJoined(*error.args) from None
    return cut


def _to_end(roll: Rolled, at: int) -> Curve:
    """The straight line from where the second contact ends to where the crease does, at the start (0) or end (-1)."""
    line = roll.lines[1]
    return Curve.line(curve_points(line, [line.domain[at]])[0], roll.run.first.ends[at])


def _lines(rolls: Sequence[Rolled], ends: Sequence[tuple[Pair, Pair]], loop: bool) -> list[tuple[int, Curve]]:
    """The contacts with the faces on the first side: on each in one piece, between joints as far as the other contacts
    reach.
    """
    closed, out = loop and len({r.run.numbers[0] for r in rolls}) == 1, list[tuple[int, Curve]]()
    for number, group in groupby(range(len(rolls)), key=lambda i: rolls[i].run.numbers[0]):
        own, parts = list(group), list[Curve]()
        for i in own:
            line, (start, end) = rolls[i].lines[0], ends[i][1]
            low, high = line.domain
            parts.append(
                curve_part(line, start if closed or i > own[0] else low, end if closed or i < own[-1] else high)
            )
        out.append((number, reduce(run_on, parts)))
    if closed:
        number, line = out[0]
        middle = 0.5 * (line.control[0] + line.control[-1])
        out[0] = number, with_end(with_end(line, 0, middle), -1, middle)
    return out


def apart(rolls: Sequence[Rolled], row: RowEnds, loop: bool) -> tuple[float, int]:
    """How far fillets in a row end apart in the line that two should share, mm, and after which that is most."""
    worst = (0.0, 0)
    for i, k in joints(rolls, loop):
        one, two = (_across(rolls[n].made.surface, row.ends[n], at) for n, at in ((i, 1), (k, 0)))
        worst = max(worst, (float(norm(one - two).max()), i))
    return worst


def _across(surface: Surface, ends: tuple[Pair, Pair], at: int) -> Array:
    """Places along the line in which a fillet starts (0) or ends (1), from its first side to its second, (m, 3)."""
    line = end_line(surface, (ends[0][at], ends[1][at]), (SQUARE, SQUARE))
    u, v = curve_points(line, np.linspace(0, 1, _ACROSS)).T
    return np.asarray(surface_derivatives(surface, u, v)[0, 0])


def check_joints(rolls: Sequence[Rolled], row: RowEnds, loop: bool, most: float) -> None:
    """Raises `GeometryError`, or `EndsApart`, where two fillets in a row end more than ``most`` mm apart in the line
    they share.
    """
    away, i = apart(rolls, row, loop)
    if away <= most:
        return
    beyond = rolls[(i + 1) % len(rolls)]
    x, y, z = beyond.run.first.ends[0]
    if away > min(beyond.radii):
        raise GeometryError(
            f"Near ({x:.2f}, {y:.2f}, {z:.2f}) mm the contact of the ball leaves its face beside where the next goes "
            "on: a smaller radius is needed."
        )
    raise EndsApart(
        f"Near ({x:.2f}, {y:.2f}, {z:.2f}) mm the faces beside the crease do not run on into each other: the fillets "
        f"would end {away:.3f} mm apart.",
        i,
    )
