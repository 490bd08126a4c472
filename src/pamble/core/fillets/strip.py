"""One crease among those that are filleted together: the ball along it, and its contacts on the faces beside it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise

import numpy as np
from scipy.interpolate import CubicSpline, PchipInterpolator

from pamble.core.arrays import Array, norm
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.cut_back import Cut
from pamble.core.faces.face import Edge, Face, base_name
from pamble.core.fillets.apart import crease_apart
from pamble.core.fillets.chain import Followed, Run, follow
from pamble.core.fillets.ends import SQUARE, Ends, Reach, ended, reach
from pamble.core.fillets.in_row import in_row
from pamble.core.fillets.joints import with_shared_ends
from pamble.core.fillets.kinked import kinks, parted, rows_between
from pamble.core.fillets.rolled import Rolled, rolled
from pamble.core.fillets.row_ends import (
    EndsApart,
    apart,
    both_change,
    check_joints,
    cut_from,
    joints,
    row_ends,
    with_end_of,
)
from pamble.core.fillets.shape import Shape
from pamble.core.spline.curve import Curve
from pamble.core.tolerances import SEAM_SEARCH

_JOINT, _BENT = 0.005, 0.05
"""How far apart, mm, two fillets may end where one face beside the crease gives way to the next; and before those of
blended sections are made one there, unless the crease kinks.
"""

Law = Callable[[Array], Array]
"""Radius, mm, at shares (m,) of a crease."""

_STOPS = (
    "The crease kinks by {:.1f}° at ({:.2f}, {:.2f}, {:.2f}) mm, and the fillet does not run on over it: what lies "
    "behind is filleted by itself."
)


@dataclass(frozen=True)
class Ask:
    """A crease to be filleted: an edge of the face of that number, and the radius, mm, at its start and end; or, with
    no edge, the crease where that face and the ``other`` one would meet. name: of the edges that the contacts cut, of
    each crease its own. between: shares of the crease's length, rising between 0 and 1, with the radius there.
    """

    number: int
    edge: Edge | None
    radius: tuple[float, float]
    name: str = "fillet"
    between: tuple[tuple[float, float], ...] = ()
    other: int | None = None

    def turned(self) -> Ask:
        """The same along the crease the other way."""
        return replace(self, radius=self.radius[::-1], between=tuple((1.0 - s, r) for s, r in self.between[::-1]))

    def law(self, share: Array, loop: bool = False) -> Array:
        """The radius at shares (m,) of the crease, beyond its ends too: linear between start and end; through points
        between them smooth, and calm rather than curved. loop: whether it ends where it starts, and as it starts.
        """
        points = np.array([(0.0, self.radius[0]), *self.between, (1.0, self.radius[1])])
        if len(points) == 2:
            return np.asarray(self.radius[0] + share * (self.radius[1] - self.radius[0]))
        smooth = CubicSpline(points[:, 0], points[:, 1], bc_type="periodic" if loop else "natural")
        dense = smooth(np.linspace(0, 1, 201))
        room = 0.1 * np.ptp(points[:, 1])
        calm = dense.min() > points[:, 1].min() - room and dense.max() < points[:, 1].max() + room
        if loop:
            turn = np.array([1.0, 0.0])
            turns = np.vstack([points[:-1] - turn, points[:-1], points + turn])
            law = smooth if calm else PchipInterpolator(turns[:, 0], turns[:, 1])
            return np.asarray(law(np.mod(share, 1.0)))
        law = smooth if calm else PchipInterpolator(points[:, 0], points[:, 1])
        inside = np.clip(share, 0.0, 1.0)
        return np.asarray(law(inside) + (share - inside) * law(inside, 1))


@dataclass(frozen=True)
class Strip:
    """The ball along a crease with all edges that run on from it. name: of the edges that its contacts cut; lines: the
    contacts with the faces on its first side, in one piece on each, by number. apart: whether the faces need not touch.
    words: what is told of it; parted: why it ends where its crease runs on.
    """

    rolls: tuple[Rolled, ...]
    loop: bool
    name: str
    lines: tuple[tuple[int, Curve], ...]
    apart: bool = False
    words: tuple[str, ...] = ()
    parted: GeometryError | None = None

    @property
    def closed(self) -> bool:
        """Whether it comes back to its start."""
        return self.loop or self.rolls[0].crease.closed

    @property
    def faces(self) -> tuple[int, ...]:
        """Numbers of all faces beside it."""
        return tuple(dict.fromkeys(r.run.numbers[side] for side in (0, 1) for r in self.rolls))

    def cut(self, number: int) -> Cut | None:
        """What it cuts from the face of a number."""
        if not self.apart:
            return cut_from(self.rolls, self.name, number, self.lines)
        r = self.rolls[0]
        if number not in self.faces:
            return None
        own = r.run.numbers.index(number)
        return Cut(self.name, (), (r.lines[own],), (r.found.points[own], r.crease.into[own]))

    def end(self, at: int) -> tuple[Array, tuple[int, int]]:
        """Where the crease starts (0) or ends (-1), (3,), and the numbers of both faces there."""
        run = self.rolls[at].run
        return run.first.ends[at], run.numbers

    def trimmed(self, changed: dict[int, Face], balls: tuple[bool, bool], mitred: Ends) -> list[Face]:
        """The fillets between the borders of the faces that were cut back; in a joint of two they end in the section
        that both share, or aslant. balls: whether a ball lies in the corner at its start and end, on which it ends in a
        section; mitred: how it ends in a mitre there; beside other corners the ends run on as the contacts of the
        others do, so that a patch can be tangent there.
        """
        if self.rolls[0].crease.closed:
            return [Face(self.rolls[0].made.surface)]
        out, inner, both = [], [[False, False] for _ in self.rolls], [[False, False] for _ in self.rolls]
        for i, k in joints(self.rolls, self.loop):
            for n, at in ((i, 1), (k, 0)):
                inner[n][at], both[n][at] = True, both_change(self.rolls, i, k)
        for r, joint, own in zip(self.rolls, inner, both, strict=True):
            one, two = r.run.numbers
            far = reach(r.made.surface, 1, changed[two], self.name)
            near = far if all(joint) and not any(own) else reach(r.made.surface, 0, changed[one], self.name)
            ends = tuple((far if j and not b else near).at[k] for k, (j, b) in enumerate(zip(joint, own, strict=True)))
            sides = (ends[0], ends[1]), far.at
            for k in (k for k in (0, 1) if own[k]):
                sides = with_end_of(r, sides, near.at, k)
            straight = joint[0] or balls[0], joint[1] or balls[1]
            ways = [tuple(SQUARE if s else m for s, m in zip(straight, x.ways, strict=True)) for x in (near, far)]
            reaches = [Reach(at, (way[0], way[1])) for at, way in zip(sides, ways, strict=True)]
            known = None if joint[0] else mitred[0], None if joint[1] else mitred[1]
            out.append(ended(r.made.surface, (reaches[0], reaches[1]), known))
        return with_shared_ends(out, self.loop)


def followed(part: Sequence[Face], ask: Ask) -> Followed:
    """The crease that is asked for. Raises `GeometryError` where there is none."""
    if ask.edge is not None:
        return follow(part, ask.number, ask.edge, SEAM_SEARCH)
    if ask.other is None or ask.other == ask.number:
        raise GeometryError("A fillet lies along an edge, or between two different faces.")
    return crease_apart(part, ask.number, ask.other)


def strips(
    part: Sequence[Face], ask: Ask, shape: Shape, more: tuple[float, float] = (0.0, 0.0), stops: bool = False
) -> list[Strip]:
    """Roll the ball along the whole crease through an edge of one face of a part: in one strip, or in several that end
    in each other where the faces beside it meet at a small angle.

    more: by how many mm the ball rolls on over its ends, and over the joints of a row, besides. stops: end at a kink
    over which the ball does not run on. Raises `GeometryError`, before anything is built, with what is wrong, where,
    and the largest radius that works.
    """
    found = followed(part, ask)
    _check(found.runs, found.loop, ask)
    try:
        return [_along(part, ask, found, shape, more, _law(found, ask))]
    except GeometryError as error:
        after = error.after if isinstance(error, EndsApart) else None
        if stops:
            return [_stopped(part, ask, found, shape, more, after, error)]
        if after is None:
            raise
        return [replace(s, parted=error) for s in _mitred(part, ask, found, shape, more, _law(found, ask), after)]


def _stopped(
    part: Sequence[Face], ask: Ask, found: Followed, shape: Shape, more: tuple[float, float], after: int | None,
    error: GeometryError,
) -> Strip:  # fmt: skip
    """The ball along the edge that was asked for, as far as the next kinks; behind that run alone where one is known.
    Raises the error that led here where there are none, or none helps.
    """
    turns = kinks(found.runs, found.loop)
    if ask.edge is None or not turns or (after is not None and after not in turns):
        raise error
    ends = [after] if after is not None and not found.loop else list(turns)
    left = parted(found, ends, ask.edge)
    try:
        _check(left.runs, left.loop, ask)
        own = _along(part, ask, left, shape, more, _law(left, ask))
    except GeometryError:
        raise error from None
    return replace(own, words=tuple(_STOPS.format(turns[i], *found.runs[i].first.ends[1]) for i in ends))


def _law(found: Followed, ask: Ask) -> Law:
    """The radius at shares of what was followed."""
    own = ask.turned() if found.turned else ask
    return partial(own.law, loop=found.loop or found.runs[0].first.closed)


def _mitred(
    part: Sequence[Face], ask: Ask, found: Followed, shape: Shape, more: tuple[float, float], law: Law, behind: int
) -> list[Strip]:
    """The ball along what was followed, parted behind a run, and wherever else the fillets of a row do not meet."""
    rows, out = rows_between(found, [behind]), list[Strip]()
    lengths = [curve_length(r.first.space) for r in found.runs]
    at = sum(lengths[: behind + 1]) / sum(lengths)
    shares = [(at, 1.0 + at)] if found.loop else [(0.0, at), (at, 1.0)]
    for k, (row, (start, end)) in enumerate(zip(rows, shares, strict=True)):
        name = ask.name if not k else f"{ask.name}_{base_name(row.runs[0].names[0][0]).replace(':', '_')}"
        named = replace(ask, name=name)

        def own(share: Array, start: float = start, end: float = end) -> Array:
            return law(start + share * (end - start))

        try:
            out.append(_along(part, named, row, shape, more, own))
        except EndsApart as error:
            out += _mitred(part, named, row, shape, more, own, error.after)
    return out


def _along(part: Sequence[Face], ask: Ask, found: Followed, shape: Shape, more: tuple[float, float], law: Law) -> Strip:
    """One strip along what was followed. Raises `EndsApart` where the fillets of a row do not meet."""
    least = min(*ask.radius, *(r for _, r in ask.between))
    rolls = rolled(found.runs, law, least, shape, more, found.loop)
    lines: tuple[tuple[int, Curve], ...] = ((rolls[0].run.numbers[0], rolls[0].lines[0]),)
    if len(rolls) > 1:
        row = row_ends(part, rolls, ask.name, found.loop)
        if shape.chord is not None and apart(rolls, row, found.loop)[0] > _JOINT:
            rolls = rolled(found.runs, law, least, shape, more, found.loop, ease=False)
            row = row_ends(part, rolls, ask.name, found.loop)
        if not shape.round and not row.aslant:
            check_joints(rolls, row, found.loop, _JOINT if kinks(found.runs, found.loop) else _BENT)
            rolls = in_row(rolls, row.sections, found.loop, shape)
            row = row_ends(part, rolls, ask.name, found.loop)
        check_joints(rolls, row, found.loop, _JOINT)
        lines = row.lines
    return Strip(tuple(rolls), found.loop, ask.name, lines, ask.edge is None)


def _check(runs: Sequence[Run], loop: bool, ask: Ask) -> None:
    """Raises `GeometryError` for what cannot be asked of such a crease."""
    shares = [0.0, *(s for s, _ in ask.between), 1.0]
    if any(b - a < 1e-3 for a, b in pairwise(shares)):
        raise GeometryError("Radii along a crease stand at rising shares of its length, between 0 and 1.")
    if (loop or runs[0].first.closed) and ask.radius[0] != ask.radius[1]:
        raise GeometryError(
            "This crease is a loop: it ends with the radius with which it starts. Points along it may have others."
        )
    start, end = runs[0].first.ends[0], runs[-1].first.ends[1]
    if not loop and norm((end - start)[None])[0] < SEAM_SEARCH:
        x, y, z = start
        raise GeometryError(
            f"The crease comes back to its start at a corner, near ({x:.2f}, {y:.2f}, {z:.2f}) mm: one fillet does not "
            "meet itself in a corner."
        )
