"""Offset of a curve on a surface: every point walks the same distance along a geodesic square to the curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, BoolArray, IntArray, cross, dot, unit
from pamble.core.curves.fit import Fit, fit_points
from pamble.core.curves.jets import curve_jets
from pamble.core.curves.measure import length_parameters
from pamble.core.curves.stretches import stretches
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import curve_points, surface_derivatives
from pamble.core.spline.surface import Surface

_FINE = 241
_STEPS = 48
_LEAST = 33


@dataclass(frozen=True)
class SurfaceOffset:
    """A fitted piece for every stretch that stays on the face, and how far the curve itself is off the surface, mm."""

    pieces: tuple[Fit, ...]
    off_surface: float
    left: bool


def offset_on_surface(
    curve: Curve,
    face: Face,
    distance: float | tuple[float, float],
    degree: int = 5,
    tolerance: float = 0.005,
    spans: int | None = None,
    hurry: bool = False,
) -> SurfaceOffset:
    """Offset by ``distance`` mm to the side normal x tangent, measured along the surface; two distances vary evenly
    along the length.

    Raises `GeometryError` if the curve is not on the surface or nothing of the offset is.
    """
    surface = face.surface
    t = length_parameters(curve, np.linspace(0, 1, _FINE // 4 if hurry else _FINE), hurry)
    t[[0, -1]] = curve.domain
    ends = (distance, distance) if isinstance(distance, (int, float)) else distance
    along = np.linspace(0, 1, len(t))
    off = float(to_surface(surface, curve_points(curve, t)).distance.max())
    if off > 1.0:
        raise GeometryError(f"The curve is up to {off:.2f} mm off the face: project it onto the face first.")

    def walked(at: Array) -> tuple[Array, Array, BoolArray]:
        jets = curve_jets(curve, at)
        feet = to_surface(surface, jets.point)
        n = normals(surface_derivatives(surface, feet.u, feet.v, 1))
        d = ends[0] + np.interp(at, t, along) * (ends[1] - ends[0])
        side = unit(cross(n, jets.tangent)) * np.sign(d)[:, None]
        u, v, stays = walk(surface, feet.u, feet.v, side, np.abs(d), _STEPS // 2 if hurry else _STEPS)
        return u, v, stays & inside(face, u, v)

    def label(at: Array) -> IntArray:
        return np.where(walked(at)[2], 0, -1)

    runs = [(a, b) for _, a, b in stretches(label, t, 0 if hurry else 3) if b > a]
    if not runs:
        raise GeometryError(f"Nothing of the offset by {ends[0]:g} mm is left on the face: it runs over the edge.")
    pieces = []
    for a, b in runs:
        at = np.concatenate([[a], t[(t > a) & (t < b)], [b]])
        u, v, _ = walked(at if len(at) >= _LEAST else np.linspace(a, b, _LEAST))
        points = surface_derivatives(surface, u, v, 0)[0, 0]
        pieces.append(fit_points(points, degree, tolerance, spans, hurry=hurry))
    return SurfaceOffset(tuple(pieces), off, runs != [(t[0], t[-1])])


def walk(
    surface: Surface, u: Array, v: Array, direction: Array, length: Array | float, steps: int
) -> tuple[Array, Array, BoolArray]:
    """Geodesics from m points, each ``length`` mm (one, or (m,)) in a tangent ``direction`` (m, 3).

    Returns the end parameters and whether the way stays on the face. Runge-Kutta of fourth order on u'', v'' such that
    S_uu u'^2 + 2 S_uv u'v' + S_vv v'^2 + S_u u'' + S_v v'' is square to the surface (do Carmo, section 4-4).
    """
    (u0, u1), (v0, v1) = surface.domain
    d = surface_derivatives(surface, u, v, 1)
    du, dv = _components(d[1, 0], d[0, 1], direction)
    state = np.array([u, v, du, dv])
    h = length / steps
    stays = np.ones(len(u), dtype=bool)
    for _ in range(steps):
        k1 = _rate(surface, state)
        k2 = _rate(surface, state + 0.5 * h * k1)
        k3 = _rate(surface, state + 0.5 * h * k2)
        k4 = _rate(surface, state + h * k3)
        # A way that has left the face waits where it left: beyond, the polynomials run away.
        state = np.where(stays, state + h / 6 * (k1 + 2 * k2 + 2 * k3 + k4), state)
        state = _over_joint(surface, state)
        slack_u, slack_v = 1e-9 * (u1 - u0), 1e-9 * (v1 - v0)
        stays &= (state[0] > u0 - slack_u) & (state[0] < u1 + slack_u)
        stays &= (state[1] > v0 - slack_v) & (state[1] < v1 + slack_v)
    return np.clip(state[0], u0, u1), np.clip(state[1], v0, v1), stays


def _over_joint(surface: Surface, state: Array) -> Array:
    """Ways that ran over the joint of a closed surface brought to its other side, in their direction in space."""
    for along in (0, 1):
        low, high = surface.domain[along]
        over = np.flatnonzero((state[along] < low) | (state[along] > high))
        if not surface.closed[along] or not len(over):
            continue
        corner, far = np.array(surface.domain).T[:, :, None]
        du, dv = state[2:, over]
        u, v = np.clip(state[:2, over], corner, far)
        d = surface_derivatives(surface, u, v, 1)
        way = d[1, 0] * du[:, None] + d[0, 1] * dv[:, None]
        state[along, over] += np.where(state[along, over] < low, high - low, low - high)
        d = surface_derivatives(surface, state[0, over], state[1, over], 1)
        state[2:, over] = _components(d[1, 0], d[0, 1], way)
    return state


def _components(su: Array, sv: Array, w: Array) -> tuple[Array, Array]:
    """Coordinates of tangent vectors in the basis S_u, S_v."""
    e, f, g = dot(su, su), dot(su, sv), dot(sv, sv)
    a, b = dot(w, su), dot(w, sv)
    area = np.maximum(e * g - f * f, 1e-300)
    return (a * g - b * f) / area, (b * e - a * f) / area


def _rate(surface: Surface, state: Array) -> Array:
    u, v, du, dv = state
    d = surface_derivatives(surface, u, v, 2)
    bend = d[2, 0] * (du * du)[:, None] + d[1, 1] * (2 * du * dv)[:, None] + d[0, 2] * (dv * dv)[:, None]
    ddu, ddv = _components(d[1, 0], d[0, 1], bend)
    return np.array([du, dv, -ddu, -ddv])
