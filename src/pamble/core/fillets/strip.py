"""One crease among those that are filleted together: the ball along it, and its contacts on the faces beside it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial, reduce
from itertools import pairwise

import numpy as np
from scipy.interpolate import CubicSpline, PchipInterpolator

from pamble.core.arrays import Array, norm
from pamble.core.curves.edit import run_on
from pamble.core.errors import GeometryError
from pamble.core.faces.cut_back import Cut, NotParted, cut_back
from pamble.core.faces.face import Edge, Face
from pamble.core.fillets.apart import crease_apart
from pamble.core.fillets.chain import Followed, Run, follow
from pamble.core.fillets.ends import SQUARE, Ends, Reach, ended, reach
from pamble.core.fillets.in_row import in_row
from pamble.core.fillets.joints import with_shared_ends
from pamble.core.fillets.rolled import Rolled, rolled
from pamble.core.fillets.shape import Shape
from pamble.core.spline.curve import Curve
from pamble.core.spline.ends import with_end
from pamble.core.spline.evaluate import curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part
from pamble.core.tolerances import SEAM_SEARCH

_JOINT, _BENT = 0.005, 0.05
"""How far apart, mm, two fillets may end where one face beside the crease gives way to the next; and before those of
blended sections are made one there.
"""


class NotJoined(NotParted):
    """A contact that does not reach a joint of a row, or its end."""


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
    """The ball along a crease with all edges that run on from it. number: of the face on its first side; name: of the
    edges that its contacts cut; line: the contact with the first face in one piece. apart: whether the faces need not
    touch.
    """

    number: int
    rolls: tuple[Rolled, ...]
    loop: bool
    name: str
    line: Curve
    apart: bool = False

    @property
    def closed(self) -> bool:
        """Whether it comes back to its start."""
        return self.loop or self.rolls[0].crease.closed

    @property
    def faces(self) -> tuple[int, ...]:
        """Numbers of all faces beside it."""
        return tuple(dict.fromkeys([self.number, *(r.run.number for r in self.rolls)]))

    def cut(self, number: int) -> Cut | None:
        """What it cuts from the face of a number."""
        if self.apart:
            own = 0 if number == self.number else 1
            r = self.rolls[0]
            away = r.found.points[own], r.crease.into[own]
            return Cut(self.name, (), (r.lines[own],), away) if number in self.faces else None
        if number == self.number:
            return Cut(self.name, tuple(e for r in self.rolls for e in r.run.first.edges), (self.line,))
        return _second_cut(self.rolls, self.name, number)

    def end(self, at: int) -> tuple[Array, tuple[int, int]]:
        """Where the crease starts (0) or ends (-1), (3,), and the numbers of both faces there."""
        roll = self.rolls[at]
        return roll.run.first.ends[at], (self.number, roll.run.number)

    def trimmed(self, changed: dict[int, Face], balls: tuple[bool, bool], mitred: Ends) -> list[Face]:
        """The fillets between the borders of the faces that were cut back; in a joint of two they end in the section
        that both share. balls: whether a ball lies in the corner at its start and end, on which it ends in a section;
        mitred: how it ends in a mitre there; beside other corners the ends run on as the contacts of the others do, so
        that a patch can be tangent there.
        """
        if self.rolls[0].crease.closed:
            return [Face(self.rolls[0].made.surface)]
        out = []
        for i, r in enumerate(self.rolls):
            inner = self.loop or i > 0, self.loop or i < len(self.rolls) - 1
            far = reach(r.made.surface, 1, changed[r.run.number], self.name)
            near = far if all(inner) else reach(r.made.surface, 0, changed[self.number], self.name)
            at = [far.at[k] if joint else near.at[k] for k, joint in enumerate(inner)]
            straight = inner[0] or balls[0], inner[1] or balls[1]
            one, two = (tuple(SQUARE if s else m for s, m in zip(straight, x.ways, strict=True)) for x in (near, far))
            sides = Reach((at[0], at[1]), (one[0], one[1])), Reach(far.at, (two[0], two[1]))
            out.append(ended(r.made.surface, sides, (None if inner[0] else mitred[0], None if inner[1] else mitred[1])))
        return with_shared_ends(out, self.loop)


def followed(part: Sequence[Face], ask: Ask) -> Followed:
    """The crease that is asked for. Raises `GeometryError` where there is none."""
    if ask.edge is not None:
        return follow(part, ask.number, ask.edge, SEAM_SEARCH)
    if ask.other is None or ask.other == ask.number:
        raise GeometryError("A fillet lies along an edge, or between two different faces.")
    return crease_apart(part, ask.number, ask.other)


def strip(part: Sequence[Face], ask: Ask, shape: Shape, more: tuple[float, float] = (0.0, 0.0)) -> Strip:
    """Roll the ball along the whole crease through an edge of one face of a part.

    more: by how many mm the ball rolls on over its ends, and over the joints of a row, besides. Raises `GeometryError`,
    before anything is built, with what is wrong, where, and the largest radius that works.
    """
    found = followed(part, ask)
    own = ask.turned() if found.turned else ask
    _check(found.runs, found.loop, own)
    least = min(*own.radius, *(r for _, r in own.between))
    law = partial(own.law, loop=found.loop or found.runs[0].first.closed)
    rolls = rolled(found.runs, law, least, shape, more, found.loop)
    if len(rolls) > 1:
        far = _far(part, rolls, ask.name, found.loop)
        if shape.chord is not None and _apart(rolls, far, found.loop)[0] > _JOINT:
            rolls = rolled(found.runs, law, least, shape, more, found.loop, ease=False)
            far = _far(part, rolls, ask.name, found.loop)
        if not shape.round:
            _check_joints(rolls, far, found.loop, _BENT)
            rolls = in_row(rolls, far, found.loop, shape)
            far = _far(part, rolls, ask.name, found.loop)
        _check_joints(rolls, far, found.loop, _JOINT)
        line = _line(rolls, far, found.loop)
    else:
        line = rolls[0].lines[0]
    return Strip(found.number, tuple(rolls), found.loop, ask.name, line, ask.edge is None)


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


def _second_cut(rolls: Sequence[Rolled], name: str, number: int) -> Cut | None:
    own = [r for r in rolls if r.run.number == number]
    edges = tuple(e for r in own for e in r.run.second.edges)
    return Cut(name, edges, tuple(r.lines[1] for r in own)) if own else None


def _far(part: Sequence[Face], rolls: Sequence[Rolled], name: str, loop: bool) -> list[Reach]:
    """How far each of several fillets in a row reaches on the face of its own; at the ends of the row that is open."""
    cut: dict[int, Face] = {}
    for n in dict.fromkeys(r.run.number for r in rolls):
        own = _second_cut(rolls, name, n)
        assert own is not None
        try:
            cut[n] = cut_back(part[n], [own])
        except NotParted as short:
            # Past the end of the crease the contact ends in its face: a line to that end parts this.
            ways = [] if loop else [_to_end(rolls[at], at) for at in (0, -1) if rolls[at].run.number == n]
            if not ways:
                raise NotJoined(*short.args) from None
            try:
                cut[n] = cut_back(part[n], [replace(own, lines=(*own.lines, *ways))])
            except NotParted as error:
                raise NotJoined(*error.args) from None
    return [reach(r.made.surface, 1, cut[r.run.number], name) for r in rolls]


def _to_end(roll: Rolled, at: int) -> Curve:
    """The straight line from where the second contact ends to where the crease does, at the start (0) or end (-1)."""
    line = roll.lines[1]
    return Curve.line(curve_points(line, [line.domain[at]])[0], roll.run.first.ends[at])


def _line(rolls: Sequence[Rolled], far: Sequence[Reach], loop: bool) -> Curve:
    """The contact with the first face in one piece: between joints as far as the other contacts reach."""
    parts = []
    for i, (r, end) in enumerate(zip(rolls, far, strict=True)):
        low, high = r.lines[0].domain
        start = end.at[0] if loop or i > 0 else low
        parts.append(curve_part(r.lines[0], start, end.at[1] if loop or i < len(rolls) - 1 else high))
    line = reduce(run_on, parts)
    if loop:
        middle = 0.5 * (line.control[0] + line.control[-1])
        line = with_end(with_end(line, 0, middle), -1, middle)
    return line


def _apart(rolls: Sequence[Rolled], far: Sequence[Reach], loop: bool) -> tuple[float, int]:
    """How far fillets in a row end apart in the section that two should share, mm, and after which that is most."""
    v, worst = np.linspace(0, 1, 9), (0.0, 0)
    for i in range(len(rolls) if loop else len(rolls) - 1):
        k = (i + 1) % len(rolls)
        one, two = (
            surface_derivatives(rolls[n].made.surface, np.full(9, t), v)[0, 0]
            for n, t in ((i, far[i].at[1]), (k, far[k].at[0]))
        )
        worst = max(worst, (float(norm(one - two).max()), i))
    return worst


def _check_joints(rolls: Sequence[Rolled], far: Sequence[Reach], loop: bool, most: float) -> None:
    """Raises `GeometryError` where two fillets in a row end more than ``most`` mm apart in the section they share."""
    away, i = _apart(rolls, far, loop)
    if away <= most:
        return
    beyond = rolls[(i + 1) % len(rolls)]
    x, y, z = beyond.run.first.ends[0]
    if away > min(beyond.radii):
        raise GeometryError(
            f"Near ({x:.2f}, {y:.2f}, {z:.2f}) mm the contact of the ball leaves its face beside where the next goes "
            "on: a smaller radius is needed."
        )
    raise GeometryError(
        f"Near ({x:.2f}, {y:.2f}, {z:.2f}) mm the faces beside the crease do not run on into each other: the fillets "
        f"would end {away:.3f} mm apart."
    )
