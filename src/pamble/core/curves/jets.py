"""Curves seen by their length: point, tangent, curvature vector and its change, whatever the parametrisation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from pamble.core.arrays import TINY, Array, dot, floats, norm
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives


@dataclass(frozen=True)
class CurveJets:
    """Derivatives by arc length at m samples, each (m, 3): point, unit tangent, bend (1/mm, the curvature vector), and
    change (1/mm^2, the third derivative).
    """

    point: Array
    tangent: Array
    bend: Array
    change: Array

    @property
    def curvature(self) -> Array:
        """Curvature, 1/mm, (m,)."""
        return norm(self.bend)

    @property
    def rate(self) -> Array:
        """Change of the curvature along the curve, 1/mm^2, (m,); zero where the curvature is."""
        return dot(self.bend, self.change) / np.maximum(self.curvature, TINY)

    def turned(self) -> CurveJets:
        """The same samples run through the other way."""
        return CurveJets(self.point, -self.tangent, self.bend, -self.change)


def curve_jets(curve: Curve, t: ArrayLike) -> CurveJets:
    """Jets at parameters ``t``. Raises `GeometryError` where the curve stands still.

    With s' = |C'|, s'' = C''.T and s''' = C'''.T + s'^3 k^2:  C_ss = (C'' - s'' T) / s'^2 and
    C_sss = (C''' - s''' T - 3 s' s'' C_ss) / s'^3 (own derivation, by the chain rule).
    """
    d = curve_derivatives(curve, t, 3)
    if d.shape[-1] == 2:
        d = np.concatenate([d, np.zeros((*d.shape[:-1], 1))], axis=-1)
    speed = norm(d[1])
    if np.any(speed < 1e-12):
        x, y, z = d[0][int(np.argmin(speed))]
        raise GeometryError(
            f"The curve stands still at ({x:.2f}, {y:.2f}, {z:.2f}) mm: coincident CVs. Move them apart."
        )
    tangent = d[1] / speed[:, None]
    s2 = dot(d[2], tangent)
    bend = (d[2] - s2[:, None] * tangent) / (speed**2)[:, None]
    s3 = dot(d[3], tangent) + speed**3 * dot(bend, bend)
    change = (d[3] - s3[:, None] * tangent - (3 * speed * s2)[:, None] * bend) / (speed**3)[:, None]
    return CurveJets(d[0], tangent, bend, change)


def end_jet(curve: Curve, end: int) -> CurveJets:
    """Jet (one sample) at the start (0) or end (1) of a curve, its tangent leaving the curve there."""
    jets = curve_jets(curve, floats([curve.domain[end]]))
    return jets if end == 1 else jets.turned()


@dataclass(frozen=True)
class JointFigures:
    """How two curve ends meet: gap mm, angle degrees, curvature mismatch % and 1/mm, rate mismatch 1/mm^2."""

    gap: float
    angle: float
    curvature: float
    curvature_abs: float
    rate_abs: float


def joint_figures(a: CurveJets, b: CurveJets, size: float) -> JointFigures:
    """Compare two jets that leave their curves toward each other. ``size`` (mm) bounds the curvature reference.

    Mismatch of curvature is that of the curvature vectors, so a turn of the osculating plane counts too.
    """
    other = b.turned()
    sine, cosine = norm(np.cross(a.tangent, other.tangent))[0], float(dot(a.tangent, other.tangent)[0])
    difference = float(norm(a.bend - other.bend)[0])
    reference = max(float(a.curvature[0]), float(b.curvature[0]), 1.0 / max(size, 1e-9))
    return JointFigures(
        float(norm(a.point - b.point)[0]),
        float(np.degrees(np.arctan2(sine, cosine))),
        100 * difference / reference,
        difference,
        float(norm(a.change - other.change)[0]),
    )
