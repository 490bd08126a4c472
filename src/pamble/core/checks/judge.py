"""Judgement of a seam's figures against limits: the one place for it."""

from __future__ import annotations

from pamble.core.tolerances import DEFAULT, Tolerances

_CLOSE = 0.8
"""Share of a limit from which on a figure is close to it."""

CREASE = 5.0
"""Angle in degrees above which a seam that was found is taken for a crease: its proposed target is G0."""


def proposed_target(angle: float) -> int:
    """Target of a seam that nobody gave one, from its largest angle in degrees."""
    return 0 if angle > CREASE else 1


def judged(
    target: int, gap: float, angle: float, curvature: float, rate: float | None, limits: Tolerances = DEFAULT
) -> tuple[str, float]:
    """The words holds, close (within a fifth of a limit) or over, and the largest figure over its limit.

    Of gap mm, angle degrees, curvature mismatch % and mismatch of its change % those count that a target G0 to G3 asks
    for; the last is None where it was not measured.
    """
    ratios = [gap / limits.gap, angle / limits.angle, curvature / limits.curvature]
    if rate is not None:
        ratios.append(rate / limits.rate)
    worst = max(ratios[: target + 1])
    return "over" if worst > 1 else "close" if worst > _CLOSE else "holds", worst


def reached_continuity(gap: float, angle: float, curvature: float, limits: Tolerances = DEFAULT) -> str | None:
    """The highest of G0, G1, G2 that the figures reach within the limits, or None."""
    reached = None
    for name, value, limit in (
        ("G0", gap, limits.gap),
        ("G1", angle, limits.angle),
        ("G2", curvature, limits.curvature),
    ):
        if value > limit:
            return reached
        reached = name
    return reached
