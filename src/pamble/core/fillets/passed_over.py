"""Faces that go on in each other beside a crease taken as one: a ball passes over the joints between them."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face, base_name
from pamble.core.fillets.as_one import MARK, One
from pamble.core.fillets.bordered import places_on
from pamble.core.fillets.figured import FilletFace
from pamble.core.fillets.filleted import Fillet
from pamble.core.fillets.shared_edges import MEET, goes_on
from pamble.core.fillets.strip import Ask, followed
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve

_REACH = 4.0
"""Times the radius beside a crease within which faces are taken as one."""


@dataclass(frozen=True)
class PassedOver:
    """A part in which faces that go on in each other are one. ones: the faces, by their new numbers, with their old
    ones.
    """

    part: list[Face]
    ones: list[One]

    def asked(self, asked: Sequence[Ask]) -> list[Ask]:
        """Creases that are asked for, in the part as it is now."""
        new = {n: k for k, one in enumerate(self.ones) for n in one.members}
        return [_asked(ask, self.part, new) for ask in asked]

    def back(self, made: Fillet) -> Fillet:
        """What a fillet of it leaves of the part as it was."""
        changed, gone, pieces = dict[int, Face](), set[int](), list[tuple[int, Face]]()
        beside, together = list[dict[int, Face]](), list[frozenset[int]]()
        for n, one in enumerate(self.ones):
            left = one.left(made.changed.get(n), [f for k, f in made.pieces if k == n], n in made.gone)
            gone |= one.members.keys() - left.keys()
            if n in made.gone and n in made.changed:
                changed |= dict.fromkeys(one.members, made.changed[n])
            new = {k: own for k, own in left.items() if own[0] is not one.members[k]}
            changed |= {k: first for k, (first, *_) in new.items()}
            pieces += [(k, f) for k, (_, *others) in new.items() for f in others]
            beside.append({k: first for k, (first, *_) in new.items()} or one.members)
            if len(new) > 1:
                together.append(frozenset(new))
        rows = tuple(_beside(row, beside) for row in made.faces)
        return replace(
            made, faces=rows, changed=changed, gone=frozenset(gone), pieces=tuple(pieces), together=tuple(together)
        )


def passed_over(part: Sequence[Face], asked: Sequence[Ask]) -> PassedOver | None:
    """The part with faces near its creases that go on in each other taken as one; None where there are none."""
    pairs = going_on(part, asked)
    if not pairs:
        return None
    made = _together(tuple(part), pairs)
    return made if len(made.part) < len(part) else None


@lru_cache(maxsize=4)
def _together(part: tuple[Face, ...], pairs: tuple[tuple[int, int], ...]) -> PassedOver:
    """The part with those of pairs of faces as one that are of one surface; the same while a radius is changed."""
    ones = {n: One.of(n, face) for n, face in enumerate(part)}
    owner = {n: n for n in ones}
    before = -1
    while len(ones) != before:
        before = len(ones)
        for one, two in dict.fromkeys((owner[a], owner[b]) for a, b in pairs):
            if one in ones and two in ones and one != two and (made := ones[one].joined(ones[two])) is not None:
                ones[one] = made
                del ones[two]
                owner = {n: one if k == two else k for n, k in owner.items()}
    row = [part[n] if len(one.members) == 1 else one.face for n, one in ones.items()]
    return PassedOver(row, list(ones.values()))


def going_on(part: Sequence[Face], asked: Sequence[Ask]) -> tuple[tuple[int, int], ...]:
    """Pairs of faces that go on in each other over an edge near a crease."""
    edges = [(n, e) for n, face in enumerate(part) for e in face.edges]
    low, high = (np.array([end(places_on(e.space), axis=0) for _, e in edges]) for end in (np.min, np.max))
    close = np.zeros(len(edges), dtype=bool)
    for ask in asked:
        for crease in _creases(part, ask):
            along, by = places_on(crease), _REACH * max(ask.radius)
            close |= ((low <= along.max(axis=0) + by) & (high >= along.min(axis=0) - by)).all(axis=1)
    rows = np.flatnonzero(close)
    meet = ((low[rows, None] <= high[rows] + MEET) & (high[rows, None] >= low[rows] - MEET)).all(axis=2)
    found = set[tuple[int, int]]()
    for i, k in rows[np.argwhere(np.triu(meet, 1))].tolist():
        (n, one), (m, two) = edges[i], edges[k]
        if n != m and (goes_on(one, two) or goes_on(two, one)):
            found.add((min(n, m), max(n, m)))
    return tuple(sorted(found))


def _creases(part: Sequence[Face], ask: Ask) -> list[Curve]:
    """The curves along which a fillet lies, as far as they can be followed."""
    with suppress(GeometryError):
        return [run.first.space for run in followed(part, ask).runs]
    return [e.space for e in ([ask.edge] if ask.edge is not None else part[ask.number].edges)]


def _asked(ask: Ask, row: Sequence[Face], new: dict[int, int]) -> Ask:
    """A crease that is asked for, in the part as it is now."""
    number, other = new[ask.number], None if ask.other is None else new[ask.other]
    edge = ask.edge
    if edge is not None:
        places = places_on(edge.space)
        edge = max(row[number].edges, key=lambda e: int((to_curve(e.space, places).distance < MEET).sum()))
    return replace(ask, number=number, edge=edge, other=other)


def _beside(row: FilletFace, faces: Sequence[dict[int, Face]]) -> FilletFace:
    """A fillet with the numbers of the part as it was, and its names. faces: what is left beside it, by new number and
    old: that is meant which its contact cut.
    """

    def meant(new: int) -> int:
        own = faces[new]
        return next((k for k, f in own.items() if any(base_name(e.name) == row.name for e in f.edges)), next(iter(own)))

    one, two = (tuple(dict.fromkeys(_own_name(name) for name in own)) for own in row.along)
    return replace(row, beside=(meant(row.beside[0]), meant(row.beside[1])), along=(one, two))


def _own_name(edge: str) -> str:
    """The name that its face gave an edge, without the number of that."""
    _, mark, name = edge.rpartition(MARK)
    return base_name(name) if mark else edge
