"""Sides of a patch, with a continuity for each: what the tools that build one have in common."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar

import numpy as np
from pydantic import Field, field_validator

from pamble.core.faces.face import Edge
from pamble.core.patches.running import Sides
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.tolerances import SEAM_SEARCH
from pamble.study.features.base import DeclaredSeam, Inputs
from pamble.study.features.fields import choice
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored

MOST = 2
"""Continuity of a patch at a side of which nothing is said."""

_PLACES = 11
"""Places of an edge at which it is looked whether it lies on another."""

MOST_EDGES = 24
"""Edges that can be picked round a patch."""


def continuities(most: int, found: str = "") -> Any:
    """The field of a continuity for each side, up to G``most``. found: name in the facts of what they are where nothing
    is said.
    """
    return choice("Continuity of each side", [], widget="continuities", limits={"maximum": most}, found=found)


class SidesParams(Stored):
    """edges: in any order. continuity: of each, 2 where the list is shorter."""

    most: ClassVar[int] = MOST
    edges: list[EdgeRef] = Field(title="Sides", min_length=2)
    continuity: list[int] = continuities(MOST)

    @field_validator("continuity")
    @classmethod
    def _known(cls, value: list[int]) -> list[int]:
        if not all(0 <= g <= cls.most for g in value):
            raise ValueError(f"continuity is {', '.join(f'G{g}' for g in range(cls.most))} or G{cls.most}")
        return value

    def orders(self) -> list[int]:
        """The continuity of every side."""
        return [*self.continuity, *[MOST] * len(self.edges)][: len(self.edges)]


def met_seams(
    edges: Sequence[EdgeRef],
    orders: Sequence[int],
    inputs: Inputs,
    sides: Sides,
    stretches: Sequence[tuple[Edge, int]],
    slots: Sequence[str] = (),
    changed: str = "",
) -> tuple[DeclaredSeam, ...]:
    """Seams that a patch promises with its neighbours. orders: of each of the ``edges`` that the ``sides`` consist of.

    stretches: edges of what was made, each with the number of its side; slots: of the patch that it is of. changed: the
    face in whose place the patch is. Curves that stand alone promise none.
    """
    out = []
    for k, (own, number) in enumerate(stretches):
        members = sides.members[number]
        partly = len(members) > 1
        for n in members:
            ref = edges[n]
            if inputs.is_edge(ref) and (not partly or _along(own, inputs.edge(ref))):
                slot = slots[k] if slots else ""
                out.append(DeclaredSeam(own.name, ref.feature, ref.edge, orders[n], slot, partly, changed=changed))
    return tuple(out)


def _along(own: Edge, other: Edge) -> bool:
    """Whether a part of one edge lies on the other."""
    near = [
        to_curve(a.space, curve_points(b.space, np.linspace(*b.space.domain, _PLACES)[1:-1])).distance < SEAM_SEARCH
        for a, b in ((own, other), (other, own))
    ]
    return bool(near[0].any() or near[1].any())
