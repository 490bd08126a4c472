"""The crest of a blend: how high its sections bulge, held at one height, or kept from passing a limit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import TINY, Array, dot, norm, unit
from pamble.core.errors import BlendError
from pamble.core.joining.spec import FULLNESS_LIMITS
from pamble.core.planes import Plane
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_grid, surface_points
from pamble.core.spline.extremes import largest
from pamble.core.spline.surface import Surface

LEVEL = 0.5
"""Aim, in % of its height, within which a crest that is held stays level."""

Limit = Plane | Curve
"""What a bulge must not pass."""

_ACROSS = np.linspace(0, 1, 33)
_ALONG = np.linspace(0, 1, 65)
_PLACES = 129
"""Places along a limit line."""

_ROUNDS, _SETTLED = 12, 1e-4
_TOUCH = 1e-4
"""Clearance, mm, with which a blend just meets its limit."""

_SOLVE_STEPS = 40


@dataclass(frozen=True)
class Clearance:
    """How far a blend stays from its limit, mm, negative where it passes it, and the place (3,) on the blend."""

    value: float
    point: Array


def crest_heights(surface: Surface, s: Array = _ALONG) -> Array:
    """How far the sections (m,) at parameters ``s`` stand off the straight lines between their ends, mm."""
    p = surface_grid(surface, s, _ACROSS)[0, 0]
    way = unit(p[:, -1] - p[:, 0])
    rise = p - p[:, :1]
    return _tops(norm(rise - dot(rise, way[:, None])[..., None] * way[:, None]))


def _tops(values: Array) -> Array:
    """The largest value of each row (m, n): between its samples the top of the parabola through those beside it."""
    k = values.argmax(axis=1)
    inner = np.clip(k, 1, values.shape[1] - 2)
    a, b, c = np.take_along_axis(values, inner[:, None] + np.arange(-1, 2), axis=1).T
    bow = np.minimum(a - 2 * b + c, -TINY)
    return np.asarray(np.where(k == inner, b - (a - c) ** 2 / (8 * bow), values.max(axis=1)))


def crest_range(surface: Surface) -> tuple[float, float]:
    """Least and largest height of the crest, mm, closed in on between the sections that are looked at."""

    def both(t: Array) -> Array:
        h = crest_heights(surface, t)
        return np.stack([-h, h])

    _, most = largest(both, _ALONG, both(_ALONG))
    return -float(most[0]), float(most[1])


def levelled(shape: Callable[[Array], Surface], s: Array, height: float, fullness: tuple[float, float]) -> Surface:
    """The blend whose crest is ``height`` mm all along, or as near to that as its fullness can go.

    shape: the blend with factors on its fullness at parameters s (m,). fullness: of both sides, for the limits of
    factors. Raises `BlendError` for a blend that lies flat.
    """
    gains = np.ones(len(s))
    surface = shape(gains)
    heights = crest_heights(surface, s)
    if height <= 0 or heights.max() < _SETTLED:
        raise BlendError("The blend lies flat between its edges: it has no crest to hold.")
    low, high = FULLNESS_LIMITS[0] / min(fullness), FULLNESS_LIMITS[1] / max(fullness)
    for _ in range(_ROUNDS):
        gains = np.clip(gains * height / np.maximum(heights, 1e-3 * height), low, high)
        surface = shape(gains)
        heights = crest_heights(surface, s)
        if np.abs(heights - height).max() < _SETTLED * height:
            break
    return surface


def clearance(surface: Surface, limit: Limit) -> Clearance:
    """How far a blend stays from a plane, on the side on which its edges lie, or from a curve in front of its bulge;
    the least is closed in on between what is looked at.

    Raises `BlendError` where its edges lie on both sides of the plane, or the curve runs beside the blend.
    """
    return _from_plane(surface, limit) if isinstance(limit, Plane) else _from_curve(surface, limit)


def _from_plane(surface: Surface, plane: Plane) -> Clearance:
    rims = plane.height(surface_grid(surface, _ALONG, _ACROSS[[0, -1]])[0, 0])
    side = np.sign(rims.mean()) or 1.0
    if (side * rims).min() < 0:
        by = -(side * rims).min()
        raise BlendError(f"The limit passes through the blend's edges, by {by:.3f} mm: no fullness keeps to it.")

    def nearness(u: Array) -> Array:
        return _tops(-side * plane.height(surface_grid(surface, u, _ACROSS)[0, 0]))[None]

    at, most = largest(nearness, _ALONG, nearness(_ALONG))
    section = surface_grid(surface, at, _ACROSS)[0, 0, 0]
    return Clearance(-float(most[0]), section[int((side * plane.height(section)).argmin())])


def _from_curve(surface: Surface, curve: Curve) -> Clearance:
    def nearness(t: Array) -> Array:
        points = curve_points(curve, t)
        feet = to_surface(surface, points)
        ends = surface_grid(surface, feet.u, np.array([0.0, 0.5, 1.0]))[0, 0]
        bulge = ends[:, 1] - 0.5 * (ends[:, 0] + ends[:, 2])
        before = np.where(dot(points - surface_points(surface, feet.u, feet.v), bulge) < 0, -1.0, 1.0)
        over = (feet.u > 0) & (feet.u < 1) & (feet.v > 0) & (feet.v < 1)
        return np.where(over, -before * feet.distance, -np.inf)[None]

    t = np.linspace(*curve.domain, _PLACES)
    at, most = largest(nearness, t, nearness(t))
    if not np.isfinite(most[0]):
        raise BlendError("The limit line runs beside the blend: lay it in front of the bulge.")
    foot = to_surface(surface, curve_points(curve, at))
    return Clearance(-float(most[0]), surface_points(surface, foot.u, foot.v)[0])


def just_meeting(shape: Callable[[float], Surface], limit: Limit, bounds: tuple[float, float], start: float) -> float:
    """The factor on the fullness with which a blend just meets its limit. bounds: of the factor; start: near it.

    Raises `BlendError` with what is left, where no fullness meets it.
    """
    low, high = bounds

    def off(factor: float) -> float:
        return clearance(shape(factor), limit).value

    a, fa = low, off(low)
    if fa < -_TOUCH:
        raise BlendError(f"Even the flattest blend passes the limit, by {-fa:.3f} mm: move the limit, or the edges.")
    b, fb = high, off(high)
    if fb > _TOUCH:
        raise BlendError(f"Even the fullest blend stays {fb:.3f} mm short of the limit: move the limit nearer.")
    x = float(np.clip(start, low, high))
    for _ in range(_SOLVE_STEPS):
        fx = off(x)
        if abs(fx) < _TOUCH:
            break
        a, fa, b, fb = (x, fx, b, fb) if fx > 0 else (a, fa, x, fx)
        # Regula falsi, and by halves where it would crawl.
        step = a + (b - a) * fa / max(fa - fb, TINY)
        x = step if min(step - a, b - step) > 0.02 * (b - a) else 0.5 * (a + b)
    return x
