"""What a fillet leaves: its faces, and those of the part that it changed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from pamble.core.arrays import Array
from pamble.core.faces.face import Face
from pamble.core.faces.sound import told_unsound
from pamble.core.fillets.figured import FilletFace
from pamble.core.fillets.opened import told_open


@dataclass(frozen=True)
class Fillet:
    """faces: the fillets, those of a crease in a row. corners: pieces of balls where three of them meet; left: corners
    (3,) that are left open. changed: faces of the part that were cut back, by their number: those beside the creases,
    and those that stand across their ends; gone: numbers of those of which nothing is left. radii: least and largest,
    mm. pieces: what else is left of faces of which a neck went, with their numbers. together: numbers of faces that go
    on in each other and were cut back as one. mitres: pairs of fillets that end in each other beside an edge that stays
    sharp, each by its number and its start (0) or end (-1).
    """

    faces: tuple[FilletFace, ...]
    corners: tuple[Face, ...]
    left: tuple[Array, ...]
    changed: Mapping[int, Face]
    radii: tuple[float, float]
    warnings: tuple[str, ...]
    gone: frozenset[int] = frozenset()
    pieces: tuple[tuple[int, Face], ...] = ()
    together: tuple[frozenset[int], ...] = ()
    mitres: tuple[tuple[tuple[int, int], ...], ...] = ()

    def unsound(self) -> list[str]:
        """Words about faces, new or cut, that other programs may not take."""
        return told_unsound([*self._new(), *self._cut().values()])

    def opened(self, part: Sequence[Face]) -> list[str]:
        """Words about edges that meet nothing where the part closed before."""
        return [] if self.left or not self.faces else told_open(part, self._cut(), self.gone, self._new())

    def _cut(self) -> dict[int, Face]:
        return {n: face for n, face in self.changed.items() if n not in self.gone}

    def _new(self) -> list[Face]:
        return [*(f.face for f in self.faces), *self.corners, *(f for _, f in self.pieces)]
