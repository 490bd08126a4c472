"""Intersections that a step needs: shared by both faces, and followed while the pointer is down."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from pamble.core.faces.crossing.branches import Branch, find_branches, follow
from pamble.core.faces.crossing.fit import FittedBranch
from pamble.core.faces.crossing.search import count_chains
from pamble.core.faces.crossing.stations import Lost
from pamble.core.faces.trim import fitted
from pamble.core.spline.surface import Surface
from pamble.core.ticking import tick

_LOOK_EVERY = 8
"""How many followed updates pass until it is looked for branches that have appeared."""


@dataclass(frozen=True)
class Followed:
    """Branches of one pair of surfaces as they were last, spans of their fits, and updates since the last search."""

    branches: tuple[Branch, ...]
    spans: tuple[tuple[int, ...], ...]
    age: int = 0


@dataclass
class Meetings:
    """Intersections of one run. before: what the run before left, by place in the order in which they are asked for;
    after: what this run leaves. quick: whether they may follow from there.
    """

    tolerance: float
    quick: bool
    before: Sequence[Followed] = ()
    after: list[Followed] = field(default_factory=list)
    _made: list[tuple[Surface, Surface, list[FittedBranch]]] = field(default_factory=list)

    def meet(self, a: Surface, b: Surface) -> list[tuple[FittedBranch, bool]]:
        """Fitted branches; the flag says that ``on_b`` belongs to the surface asked for first."""
        for x, y, fits in self._made:
            if (x is a and y is b) or (x is b and y is a):
                return [(f, x is not a) for f in fits]
        tick()
        place = len(self._made)
        old = self.before[place] if self.quick and place < len(self.before) else None
        branches, spans, age = self._branches(a, b, old)
        fits = fitted(a, b, branches, self.tolerance, spans, self.quick)
        if self.quick and old is not None:
            # Spans only rise while the pointer is down: an edge that changes its make flickers.
            spans = tuple(f.spans for f in fits)
        self.after.append(Followed(tuple(branches), spans or tuple(f.spans for f in fits), age))
        self._made.append((a, b, fits))
        return [(f, False) for f in fits]

    def _branches(
        self, a: Surface, b: Surface, old: Followed | None
    ) -> tuple[Sequence[Branch], tuple[tuple[int, ...], ...], int]:
        if old is not None and old.branches:
            try:
                now = follow(a, b, old.branches)
                if old.age + 1 < _LOOK_EVERY:
                    return now, old.spans, old.age + 1
                if count_chains(a, b) == len(now):
                    return now, old.spans, 0
            except Lost:
                pass
        return find_branches(a, b), (), 0
