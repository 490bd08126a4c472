"""What is told of a patch: how well it meets its sides, and what at its corners no patch can heal."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from pamble.core.faces.face import Face
from pamble.core.patches.loop import CONTRADICTS, Corner
from pamble.core.tolerances import BLEND_AIMS, BLEND_ANGLE

_CONFLICT = 0.02
"""Angle in degrees at a corner from which it is named as what the patch cannot heal."""


@dataclass(frozen=True)
class SideFigures:
    """How well the patch meets a side: its number as it was given; gap mm, angle degrees, curvature % and its change %,
    worst of each.
    """

    number: int
    patch_side: str
    order: int
    gap: float
    angle: float | None = None
    curvature: float | None = None
    square: float | None = None
    rate: float | None = None

    @property
    def ratio(self) -> float:
        """The largest over its aim, of those that are asked for; 1 or less holds."""
        figures = self.gap, self.angle or 0.0, self.curvature or 0.0, self.rate or 0.0
        parts = [x / aim for x, aim in zip(figures, BLEND_AIMS, strict=True)]
        return max(*parts[: self.order + 1], (self.square or 0.0) / BLEND_ANGLE)


@dataclass(frozen=True)
class PatchMade:
    """A patch, whole or trimmed, its figures by side and corner. tried: spans along u and v, and the worst over its
    aim. inside: how far off lies what it was to pass, mm.
    """

    face: Face
    sides: tuple[SideFigures, ...]
    corners: tuple[Corner, ...]
    tried: tuple[tuple[int, int, float], ...]
    warnings: tuple[str, ...] = field(default=())
    inside: tuple[float, ...] = ()


def worst_of(sides: Sequence[SideFigures], found: Sequence[Corner]) -> float:
    """The worst figure of all sides over its aim; without curvatures where those of the neighbours contradict each
    other at a corner, as no patch could have them.
    """
    bent = any(max(c.bends or 0.0, c.twist or 0.0) > CONTRADICTS for c in found)
    return max((replace(s, order=min(s.order, 1) if bent else s.order).ratio for s in sides), default=np.inf)


def contradictions(found: Sequence[Corner], orders: Mapping[int, int]) -> list[str]:
    """Words for corners at which two neighbours ask for different things, and for all together at which a line leaves
    the face beside it. orders: asked for, by number of the side.
    """
    bad = [c for c in found if _contradicts(c, min(orders[i] for i in c.sides if i != c.line))]
    out = [
        f"At {_place(c)} mm sides {c.sides[0] + 1} and {c.sides[1] + 1} contradict each other: their normals by "
        f"{c.angle:.3f}°, curvatures by {c.bends:.1f} %, twist by {c.twist:.1f} %. No patch heals that: mend the "
        "neighbours there."
        for c in bad
        if c.line is None
    ]
    lines = [c for c in bad if c.line is not None]
    if lines:
        c = max(lines, key=lambda c: (c.angle or 0.0, c.bends or 0.0))
        line, beside = sorted((i + 1 for i in c.sides), key=lambda n: n - 1 != c.line)
        most = f", most of {len(lines)} corners," if len(lines) > 1 else ""
        bent = "" if c.bends is None else f", its curvature by {c.bends:.1f} %"
        out.append(
            f"At {_place(c)} mm{most} the line of side {line} leaves the face beside side {beside} by {c.angle:.3f}°"
            f"{bent}. No patch heals that: ask for less there, or bend the line."
        )
    return out


def corner_figures(c: Corner) -> dict[str, Any]:
    """A corner as plain data, its sides counted from one."""
    line = None if c.line is None else c.line + 1
    return {**vars(c), "point": c.point.tolist(), "sides": [s + 1 for s in c.sides], "line": line}


def _contradicts(c: Corner, order: int) -> bool:
    bent = order > 1 and max(c.bends or 0.0, c.twist or 0.0) > CONTRADICTS
    return c.angle is not None and (c.angle > _CONFLICT or bent)


def _place(c: Corner) -> str:
    return f"({', '.join(f'{x:.2f}' for x in c.point)})"


def short_of(figures: Sequence[SideFigures]) -> list[str]:
    """Words for the side that misses its aim the most."""
    worst = max(figures, key=lambda f: f.ratio)
    if worst.ratio <= 1.0:
        return []
    return [f"Side {worst.number + 1} is met no better than {worst.ratio:.1f} times what is aimed at."]
