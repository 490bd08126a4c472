"""Every tolerance of the core by name, in one home. Lengths in mm, angles in degrees."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Tolerances:
    """Limits a seam is judged by: gap mm, angle degrees, curvature mismatch and mismatch of its change in %; and the
    accuracy of fits, mm. One set for each study.
    """

    gap: float = 0.01
    angle: float = 0.1
    curvature: float = 5.0
    fit: float = 0.001
    rate: float = 10.0


DEFAULT = Tolerances()

COINCIDENT = 1e-7
"""Points closer than this are one point; the modelling precision common to boundary models."""

PARAMETER = 1e-10
"""Parameters closer than this fraction of the domain are one parameter."""

SEAM_SEARCH = 0.25
"""Edges that run closer to each other than this are taken to meet."""

BLEND_GAP = 0.002
"""Gap that the span search of a blend aims at."""

BLEND_ANGLE = 0.005
"""Angle that the span search of a blend aims at."""

BLEND_CURVATURE = 0.5
"""Curvature mismatch in % that the span search of a blend aims at."""

BLEND_RATE = 3.0
"""Mismatch, in %, of the change of curvature that a seam of G3 aims at; common practice, no published source."""

BLEND_AIMS = (BLEND_GAP, BLEND_ANGLE, BLEND_CURVATURE, BLEND_RATE)
"""The same, in the order of the continuities that ask for them, G0 to G3."""
