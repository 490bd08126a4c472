"""Seam figures: gap, angle and curvature mismatch between two edges, sample by sample.

The angle is that between the two normals, both turned to the same side as seen by someone who walks along the seam
and crosses it: it does not depend on which way either normal points, and a fold back onto itself reads 180 degrees.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.faces.frames import EdgeFrames
from pamble.core.tolerances import BLEND_GAP

RATE_FLOOR = 4.0
"""Least change of curvature that a mismatch is taken against: so many times the curvature over the part's diagonal."""

_BENDS = 10.0
"""Gaps that count, so many side by side, above which a face is wide enough to have a curvature across; and so many
times as wide for its change.
"""


@dataclass(frozen=True)
class SeamFigures:
    """Figures along a seam; every array is (m,).

    gap in mm; angle in degrees; curvature mismatch in % and in 1/mm; rate: mismatch of the change of curvature
    across the seam, 1/mm^2, and rate_percent: in %; facing: 1 where the two normals point to one side, else -1.
    """

    gap: Array
    angle: Array
    curvature: Array
    curvature_abs: Array
    rate: Array
    rate_percent: Array
    facing: Array

    @property
    def opposed(self) -> bool:
        """Whether the two normals point to different sides along most of the seam."""
        return bool(self.facing.sum() < 0)

    def part(self, which: slice) -> SeamFigures:
        """The figures of some of the samples."""
        return SeamFigures(
            self.gap[which], self.angle[which], self.curvature[which], self.curvature_abs[which], self.rate[which],
            self.rate_percent[which], self.facing[which],
        )  # fmt: skip


def seam_figures(a: EdgeFrames, b: EdgeFrames, diagonal: float) -> SeamFigures:
    """Compare two edges at paired samples. ``diagonal`` of the part in mm bounds the curvature reference from below.

    Curvature mismatch: |k1 - k2| / max(|k1|, |k2|, 1/diagonal), normal curvature in the direction across the seam.
    Where a face is narrower than a gap that counts, as at a fillet's tip, it has no normal, and its gap alone is told;
    where it is hardly wider, it has no curvature.
    """
    along = a.tangent
    other = b.tangent * np.where(dot(along, b.tangent) < 0, -1.0, 1.0)[:, None]
    leave_a, leave_b = a.outward, -b.outward
    up_a, up_b = cross(along, leave_a), cross(unit(other), leave_b)
    sign_a = np.where(dot(up_a, a.normal) < 0, -1.0, 1.0)
    sign_b = np.where(dot(up_b, b.normal) < 0, -1.0, 1.0)
    n_a, n_b = sign_a[:, None] * a.normal, sign_b[:, None] * b.normal
    angle = np.degrees(np.arctan2(norm(cross(n_a, n_b)), dot(n_a, n_b)))
    k_a, k_b = sign_a * a.curvature, sign_b * b.curvature
    difference = np.abs(k_a - k_b)
    reference = np.maximum(np.maximum(np.abs(k_a), np.abs(k_b)), 1.0 / max(diagonal, 1e-9))
    rate = percent = np.zeros_like(difference)
    if a.jet.derivatives.shape[0] > 3 and b.jet.derivatives.shape[0] > 3:
        # Leaving one face is entering the other: the change of curvature keeps its sign only after turning b's way.
        rate = np.abs(sign_a * a.curvature_rate + sign_b * b.curvature_rate)
        least = RATE_FLOOR * np.maximum(np.abs(k_b), 1.0 / max(diagonal, 1e-9)) / max(diagonal, 1e-9)
        percent = 100 * rate / np.maximum(np.maximum(np.abs(a.curvature_rate), np.abs(b.curvature_rate)), least)
    width = np.minimum(a.width, b.width) / BLEND_GAP
    angle = np.where(width > 1.0, angle, 0.0)
    share, difference = (np.where(width > _BENDS, x, 0.0) for x in (100 * difference / reference, difference))
    rate, percent = (np.where(width > _BENDS**2, x, 0.0) for x in (rate, percent))
    return SeamFigures(norm(a.position - b.position), angle, share, difference, rate, percent, sign_a * sign_b)
