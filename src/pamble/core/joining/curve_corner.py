"""A corner between two curves: a true-radius arc, or a curvature-continuous blend of the same reach."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.jets import CurveJets, curve_jets
from pamble.core.curves.meet import nearest
from pamble.core.curves.shapes import arc_three_points
from pamble.core.errors import BlendError, TooLarge
from pamble.core.joining.curve_blend import blend_curve
from pamble.core.spline import knots
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives

_MEETING = 0.05
"""Gap in mm up to which two curves are taken to meet."""

_STRAIGHT_ON = 1e-6
"""Sine of the angle between two curves below which there is no corner."""

_STEPS, _SETTLED, _CLOSED = 40, 1e-12, 1e-6
"""Most Newton steps, the last step (of the radius), and what may be left between both centres, mm."""


@dataclass(frozen=True)
class Corner:
    """The corner's curve, what is left of the two curves beside it, centre (3,) and radius (mm) of the arc."""

    curve: Curve
    trimmed: tuple[Curve, Curve]
    centre: Array
    radius: float


@dataclass(frozen=True)
class _Contact:
    """A place on one of the two curves. away: +1 if its parameter rises away from the corner, else -1.

    side: unit (3,), square to the curve, toward the inside of the corner. bend: curvature toward that side, 1/mm.
    """

    curve: Curve
    t: float
    away: float
    jet: CurveJets
    side: Array
    bend: float

    @property
    def direction(self) -> Array:
        """Unit tangent (3,) away from the corner."""
        return np.asarray(self.away * self.jet.tangent[0])

    def centre(self, radius: float) -> Array:
        """Where a circle that touches here has its centre, (3,)."""
        return np.asarray(self.jet.point[0] + radius * self.side)


def corner(
    a: Curve, b: Curve, radius: float, smooth: bool = False, fullness: tuple[float | None, float | None] = (None, None)
) -> Corner:
    """Round the corner where two curves of one plane meet; radius in mm.

    ``smooth`` puts a G2 blend between the same contacts in place of the arc, with ``fullness`` on each side. Raises
    `BlendError` if the curves do not meet or run on into each other, `TooLarge` if the radius does not fit.
    """
    meet = nearest(a, b)
    if meet.gap > _MEETING:
        raise BlendError(f"The curves do not meet, the gap is {meet.gap:.3f} mm: extend them until they do.")
    first, second = _contacts(a, b, meet.t, radius)
    centre = first.centre(radius)
    if smooth:
        toward = [c.jet.turned() if c.away > 0 else c.jet for c in (first, second)]
        made = blend_curve(toward[0], toward[1], (2, 2), fullness).curve
    else:
        start, end = first.jet.point[0], second.jet.point[0]
        middle = 0.5 * (start + end) - centre
        made = arc_three_points(start, centre + radius * middle / np.linalg.norm(middle), end)
    return Corner(made, (_rest(first), _rest(second)), centre, radius)


def _contacts(a: Curve, b: Curve, at: tuple[float, float], radius: float) -> tuple[_Contact, _Contact]:
    """Where a circle touches both curves: Newton on A + R n_a = B + R n_b, both normals on the inner side.

    With s the length along a curve, d(A + R n)/ds = (1 - R k) T on the inner side.
    """
    arms = [_leaving(curve, t) for curve, t in zip((a, b), at, strict=True)]
    across = np.cross(arms[0], arms[1])
    if np.linalg.norm(across) < _STRAIGHT_ON:
        raise BlendError("The curves run on into each other: there is no corner to round.")
    normal = across / np.linalg.norm(across)
    angle = np.arccos(np.clip(arms[0] @ arms[1], -1, 1))
    reach = float(radius / np.tan(angle / 2))
    normals, away = (normal, -normal), [_sense(c, t, arm) for c, t, arm in zip((a, b), at, arms, strict=True)]
    t = [_step(c, t, s * reach) for c, t, s in zip((a, b), at, away, strict=True)]
    for _ in range(_STEPS):
        first, second = (_contact(*given) for given in zip((a, b), t, away, normals, strict=True))
        gap = second.centre(radius) - first.centre(radius)
        system = np.column_stack(
            [(1 - radius * first.bend) * first.direction, -(1 - radius * second.bend) * second.direction]
        )
        step = np.linalg.lstsq(system, gap, rcond=None)[0]
        t = [_step(c.curve, c.t, c.away * by) for c, by in zip((first, second), step, strict=True)]
        if np.abs(step).max() < _SETTLED * max(1.0, radius):
            break
    passed = any((c.t - start) * c.away < 0 for c, start in zip((first, second), at, strict=True))
    if np.linalg.norm(gap) > _CLOSED or passed:
        raise TooLarge(f"Radius {radius:g} mm does not fit between the curves: choose a smaller one.")
    return first, second


def _contact(curve: Curve, t: float, away: float, normal: Array) -> _Contact:
    """normal: of the plane of the corner, turned so that it gives the inner side of this curve."""
    jet = curve_jets(curve, [t])
    side = np.cross(normal, away * jet.tangent[0])
    return _Contact(curve, t, away, jet, side, float(jet.bend[0] @ side))


def _rest(contact: _Contact) -> Curve:
    """What is left of the curve beyond the contact."""
    start, end = contact.curve.domain
    return knots.curve_part(contact.curve, *((contact.t, end) if contact.away > 0 else (start, contact.t)))


def corner_of_chord(
    a: Curve, b: Curve, chord: float, smooth: bool = False, fullness: tuple[float | None, float | None] = (None, None)
) -> Corner:
    """Round a corner so that its contacts are ``chord`` mm apart.

    Secant steps on the radius; exact at once between straight legs, where chord and radius are in proportion.
    Raises `BlendError` if no radius gives that chord.
    """
    radius = chord
    tried: list[tuple[float, float]] = []
    for _ in range(60):
        try:
            made = corner(a, b, radius)
        except TooLarge:
            # Back toward the last radius that fitted.
            radius = 0.5 * (radius + (tried[-1][0] if tried else 0.0))
            continue
        width = float(np.linalg.norm(made.curve.control[-1] - made.curve.control[0]))
        if abs(width - chord) < 1e-10 * max(1.0, chord):
            return corner(a, b, radius, smooth, fullness) if smooth else made
        slope = width / radius if not tried else (width - tried[-1][1]) / (radius - tried[-1][0])
        tried.append((radius, width))
        radius = max(radius + (chord - width) / slope, 0.1 * radius) if slope > 0 else 0.5 * radius
    raise BlendError(f"No radius gives a chord of {chord:g} mm between these curves: choose another chord.")


def _leaving(curve: Curve, t: float) -> Array:
    """Direction from the corner along the longer part of the curve."""
    start, end = curve.domain
    tangent = curve_jets(curve, [t]).tangent[0]
    return np.asarray(tangent if end - t >= t - start else -tangent)


def _sense(curve: Curve, t: float, arm: Array) -> float:
    return 1.0 if float(curve_jets(curve, [t]).tangent[0] @ arm) > 0 else -1.0


def _step(curve: Curve, t: float, length: float) -> float:
    """Parameter about ``length`` mm further on, kept inside the domain."""
    speed = float(norm(curve_derivatives(curve, [t], 1)[1])[0])
    return float(np.clip(t + length / max(speed, 1e-12), *curve.domain))
