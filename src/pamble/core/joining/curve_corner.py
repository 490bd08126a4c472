"""A corner between two curves: a true-radius arc, or a curvature-continuous blend of the same reach."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.jets import curve_jets
from pamble.core.curves.meet import nearest
from pamble.core.curves.shapes import arc_three_points
from pamble.core.errors import BlendError, TooLarge
from pamble.core.joining.curve_blend import blend_curve
from pamble.core.spline import knots
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives


@dataclass(frozen=True)
class Corner:
    """The corner's curve, what is left of the two curves beside it, centre (3,) and radius (mm) of the arc."""

    curve: Curve
    trimmed: tuple[Curve, Curve]
    centre: Array
    radius: float


def corner(
    a: Curve, b: Curve, radius: float, smooth: bool = False, fullness: tuple[float | None, float | None] = (None, None)
) -> Corner:
    """Round the corner where two curves of one plane meet.

    Contacts by Newton on A + R n_a = B + R n_b with both normals on the inner side. ``smooth`` puts a G2 blend between
    the same contacts in place of the arc. Raises `BlendError` if the curves do not meet or the radius does not fit.
    """
    meet = nearest(a, b)
    if meet.gap > 0.05:
        raise BlendError(f"The curves do not meet, the gap is {meet.gap:.3f} mm: extend them until they do.")
    x, y = meet.t
    arms = [_leaving(a, x), _leaving(b, y)]
    normal = np.cross(arms[0], arms[1])
    if np.linalg.norm(normal) < 1e-6:
        raise BlendError("The curves run on into each other: there is no corner to round.")
    normal = normal / np.linalg.norm(normal)
    angle = np.arccos(np.clip(arms[0] @ arms[1], -1, 1))
    reach = float(radius / np.tan(angle / 2))
    signs = [_sense(a, x, arms[0]), _sense(b, y, arms[1])]
    ta, tb = _step(a, x, signs[0] * reach), _step(b, y, signs[1] * reach)
    for _ in range(40):
        ja, jb = curve_jets(a, [ta]), curve_jets(b, [tb])
        da, db = signs[0] * ja.tangent[0], signs[1] * jb.tangent[0]
        na, nb = np.cross(normal, da), np.cross(db, normal)
        gap = (jb.point[0] + radius * nb) - (ja.point[0] + radius * na)
        # d(A + R n)/ds = (1 - R k) T on the inner side.
        ka, kb = float(ja.bend[0] @ na), float(jb.bend[0] @ nb)
        system = np.column_stack([(1 - radius * ka) * da, -(1 - radius * kb) * db])
        step = np.linalg.lstsq(system, gap, rcond=None)[0]
        ta, tb = _step(a, ta, signs[0] * step[0]), _step(b, tb, signs[1] * step[1])
        if np.abs(step).max() < 1e-12 * max(1.0, radius):
            break
    centre = ja.point[0] + radius * na
    inside = a.domain[0] - 1e-9 <= ta <= a.domain[1] + 1e-9 and b.domain[0] - 1e-9 <= tb <= b.domain[1] + 1e-9
    if np.linalg.norm(gap) > 1e-6 or not inside or (ta - x) * signs[0] < 0 or (tb - y) * signs[1] < 0:
        raise TooLarge(f"Radius {radius:g} mm does not fit between the curves: choose a smaller one.")
    ja, jb = curve_jets(a, [ta]), curve_jets(b, [tb])
    if smooth:
        toward_a = ja.turned() if signs[0] > 0 else ja
        toward_b = jb.turned() if signs[1] > 0 else jb
        made = blend_curve(toward_a, toward_b, (2, 2), fullness).curve
    else:
        middle = 0.5 * (ja.point[0] + jb.point[0]) - centre
        made = arc_three_points(ja.point[0], centre + radius * middle / np.linalg.norm(middle), jb.point[0])
    kept = tuple(
        knots.curve_part(c, t, c.domain[1]) if s > 0 else knots.curve_part(c, c.domain[0], t)
        for c, t, s in ((a, ta, signs[0]), (b, tb, signs[1]))
    )
    return Corner(made, (kept[0], kept[1]), centre, radius)


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
