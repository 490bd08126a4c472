"""What the sections of a fillet are asked to be."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from pamble.core.joining.spec import BlendSpec

Section = Literal["ball", "chord", "rho", "g2", "g3"]
"""Round by a rolling ball; round with contacts at a constant distance; or blended between the ball's contacts: tangent,
as full as a conic of that rho, or with G2 or G3.
"""

ROUND: tuple[Section, ...] = ("ball", "chord")
"""Sections that are the ball's own."""

_ORDER: dict[Section, int] = {"rho": 1, "g2": 2, "g3": 3}


@dataclass(frozen=True)
class Shape:
    """width: constant distance of the contacts, mm, of a section of that kind. rho: of the conic, of one of that kind.
    diagonal: of the part, mm, bounds the reference for curvatures.
    """

    section: Section = "ball"
    width: float | None = None
    rho: float = 0.5
    diagonal: float = 0.0

    @property
    def round(self) -> bool:
        """Whether sections are the ball's own."""
        return self.section in ROUND

    @property
    def chord(self) -> float | None:
        """Constant distance of the contacts, mm, where that is asked for."""
        return self.width if self.section == "chord" else None

    @property
    def continuity(self) -> int:
        """The G with which sections meet both faces."""
        return _ORDER.get(self.section, 1)

    @property
    def spec(self) -> BlendSpec:
        """The same as a blend between edges."""
        full = 2.0 * self.rho if self.section == "rho" else None
        return BlendSpec((self.continuity, self.continuity), (full, full))
