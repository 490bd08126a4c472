"""Blend curve between two ends, G0 to G3 at each, with fullness at each."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.curves.jets import CurveJets, JointFigures, end_jet, joint_figures
from pamble.core.curves.measure import inflections
from pamble.core.errors import BlendError
from pamble.core.faces.face import Edge
from pamble.core.faces.frames import frames
from pamble.core.joining.cascade import bezier_end
from pamble.core.joining.spec import DEFAULT_FULLNESS, FULLNESS_LIMITS
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.knots import raise_degree


@dataclass(frozen=True)
class BlendCurve:
    """A blend curve, how it meets each end, the points (2, 3) and arms (2, 3) where fullness is pulled, warnings."""

    curve: Curve
    joints: tuple[JointFigures, JointFigures]
    arms: Array
    warnings: tuple[str, ...]


def square_jet(edge: Edge, t: float) -> CurveJets:
    """Jet that leaves a face square to its edge at a parameter: the normal section of the surface there."""
    f = frames(edge, [t], 3)
    k, rate = f.curvature[:, None], f.curvature_rate[:, None]
    # Along a normal section by arc length: C_sss = -k^2 T + k' n (the torsion is zero in a plane).
    return CurveJets(f.position, f.outward, k * f.normal, rate * f.normal - k**2 * f.outward)


def blend_curve(
    a: CurveJets,
    b: CurveJets,
    continuity: tuple[int, int] = (2, 2),
    fullness: tuple[float | None, float | None] = (None, None),
    degree: int | None = None,
) -> BlendCurve:
    """Curve from jet ``a`` to jet ``b``, both leaving what they belong to. One span, of the least degree or higher.

    The rows are the end conditions of a Bezier curve by arc length: D = sT, E = s^2 C_ss, F = s^3 C_sss with the
    speed s = fullness times the distance. Raises `BlendError`.
    """
    for value in fullness:
        if value is not None and not FULLNESS_LIMITS[0] <= value <= FULLNESS_LIMITS[1]:
            raise BlendError(f"Fullness {value:g} is out of range: {FULLNESS_LIMITS[0]:g} to {FULLNESS_LIMITS[1]:g}.")
    distance = float(norm(b.point - a.point)[0])
    if distance < 1e-6:
        raise BlendError("The two ends are one point: a blend curve needs room between them.")
    q = continuity[0] + continuity[1] + 1
    if degree is not None and degree < q:
        raise BlendError(f"G{continuity[0]} and G{continuity[1]} need degree {q}, not {degree}.")
    halves = []
    for jet, g, full in zip((a, b), continuity, fullness, strict=True):
        s = (DEFAULT_FULLNESS[g] if full is None else full) * distance
        derivatives = [s * jet.tangent, s**2 * jet.bend, s**3 * jet.change][:g]
        halves.append(np.vstack(bezier_end(jet.point, derivatives, q)))
    curve = Curve(q, basis.uniform_knots(q, 1), np.vstack([halves[0], halves[1][::-1]]))
    if degree is not None and degree > q:
        curve = raise_degree(curve, degree - q)
    joints = (
        joint_figures(end_jet(curve, 0), a, distance),
        joint_figures(end_jet(curve, 1), b, distance),
    )
    control = curve.control
    arms = np.stack([control[1] - control[0], control[-2] - control[-1]])
    return BlendCurve(curve, joints, arms, tuple(_warnings(curve, a, b)))


def _warnings(curve: Curve, a: CurveJets, b: CurveJets) -> list[str]:
    """An inflection that the ends do not ask for."""
    chord = b.point - a.point
    side_a, side_b = np.cross(chord, a.tangent)[0], np.cross(chord, -b.tangent)[0]
    asked = 1 if float(np.dot(side_a, side_b)) > 1e-9 * float(dot(chord, chord)[0]) else 0
    found = len(inflections(curve))
    if found > asked:
        return [f"The curve has {found} inflections where its ends ask for {asked}: lower the fullness."]
    return []
