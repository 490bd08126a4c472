"""Faces that go on in each other beside a crease taken as one: a ball passes over the joints between them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from pamble.core.arrays import boxes_meet, dot
from pamble.core.faces.face import Edge, Face, base_name
from pamble.core.faces.frames import frames
from pamble.core.fillets.as_one import AGAINST, One
from pamble.core.fillets.bordered import places_on
from pamble.core.fillets.figured import FilletFace
from pamble.core.fillets.filleted import Fillet
from pamble.core.fillets.strip import Ask
from pamble.core.spline.closest import boxed, to_curve
from pamble.core.spline.evaluate import curve_points

_REACH = 4.0
"""Times the radius beside a crease within which faces are taken as one."""

_NEAR = 1e-3
"""Distance, mm, within which the boxes of edges that are shared meet."""


@dataclass(frozen=True)
class PassedOver:
    """A part in which faces that go on in each other are one. asked: its creases there; ones: the faces, by their new
    numbers, with their old ones.
    """

    part: list[Face]
    asked: list[Ask]
    ones: list[One]

    def back(self, made: Fillet) -> Fillet:
        """What a fillet of it leaves of the part as it was."""
        changed, gone, pieces = dict[int, Face](), set[int](), list[tuple[int, Face]]()
        old, together = list[int](), list[frozenset[int]]()
        for n, one in enumerate(self.ones):
            left = one.left(made.changed.get(n), [f for k, f in made.pieces if k == n], n in made.gone)
            gone |= one.members.keys() - left.keys()
            new = {k: own for k, own in left.items() if own[0] is not one.members[k]}
            changed |= {k: first for k, (first, *_) in new.items()}
            pieces += [(k, f) for k, (_, *others) in new.items() for f in others]
            old.append(next(iter(new or one.members)))
            if len(new) > 1:
                together.append(frozenset(new))
        rows = tuple(_beside(row, old) for row in made.faces)
        return replace(
            made, faces=rows, changed=changed, gone=frozenset(gone), pieces=tuple(pieces), together=tuple(together)
        )


def passed_over(part: Sequence[Face], asked: Sequence[Ask]) -> PassedOver | None:
    """The part with faces near its creases that go on in each other taken as one; None where there are none."""
    pairs = _near(part, asked)
    if not pairs:
        return None
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
    if len(ones) == len(part):
        return None
    numbers = list(ones)
    row = [part[n] if len(ones[n].members) == 1 else ones[n].face for n in numbers]
    new = {n: numbers.index(owner[n]) for n in owner}
    again = [_asked(ask, row, new) for ask in asked]
    return PassedOver(row, again, [ones[n] for n in numbers])


def _near(part: Sequence[Face], asked: Sequence[Ask]) -> list[tuple[int, int]]:
    """Pairs of faces that go on in each other over an edge near a crease."""
    boxes = []
    for ask in asked:
        creases = [ask.edge] if ask.edge is not None else part[ask.number].edges
        boxes.append((np.concatenate([places_on(e.space) for e in creases]), _REACH * max(ask.radius)))
    edges = [(n, e, places_on(e.space)) for n, face in enumerate(part) for e in face.edges]
    close = [(n, e, p) for n, e, p in edges if any(boxes_meet(p, own, by) for own, by in boxes)]
    pairs = [(n, m, e, f) for (n, e, p), (m, f, q) in combinations(close, 2) if n != m and boxes_meet(p, q, _NEAR)]
    return sorted({(min(n, m), max(n, m)) for n, m, e, f in pairs if _goes_on(e, f) or _goes_on(f, e)})


def _goes_on(edge: Edge, other: Edge) -> bool:
    """Whether the middle of an edge lies on another, and the faces of both are left there in opposite ways."""
    middle = np.array([0.5 * sum(edge.domain)])
    place = curve_points(edge.space, middle)
    if not boxed(other.space, place, _NEAR)[0]:
        return False
    foot = to_curve(other.space, place)
    if foot.distance[0] > _NEAR:
        return False
    outward = [frames(e, t, remember=False).outward for e, t in ((edge, middle), (other, foot.t))]
    return bool(dot(*outward)[0] < AGAINST)


def _asked(ask: Ask, row: Sequence[Face], new: dict[int, int]) -> Ask:
    """A crease that is asked for, in the part as it is now."""
    number, other = new[ask.number], None if ask.other is None else new[ask.other]
    edge = ask.edge
    if edge is not None:
        places = places_on(edge.space)
        edge = max(row[number].edges, key=lambda e: int((to_curve(e.space, places).distance < _NEAR).sum()))
    return replace(ask, number=number, edge=edge, other=other)


def _beside(row: FilletFace, old: Sequence[int]) -> FilletFace:
    """A fillet with the numbers of the part as it was, and its names."""
    along = tuple(tuple(dict.fromkeys(base_name(name.rpartition("|")[2]) for name in own)) for own in row.along)
    return replace(row, beside=(old[row.beside[0]], old[row.beside[1]]), along=(along[0], along[1]))
