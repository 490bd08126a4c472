"""Trim curves of faces whose surface was written as a B-spline: the boundary model leaves some of them in the old
parameters, where angles are not those of the spline, and makes waves of others beside a pole.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.fitted import fitted_like, rough_places
from pamble.core.faces.regions.sources import plane_scale
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_points
from pamble.core.spline.knots import iso_curve
from pamble.core.spline.surface import Surface

_GOOD = 1e-4
"""Distance, mm, of an edge from its trim curve's image, place for place, up to which that is taken as it is."""

_OUT = 1e-4
"""Share of its domain by which a trim curve may leave a surface."""

_WRONG = 0.05
"""Distance, mm, from which an edge without a true trim curve is refused."""

_FIT = 1e-6
_SHARP, _TRUE = 0.2, 2.0
"""Shares of the last decimal of a rounded file within which a trim curve is fitted to its edge, and of which its image
may lie off it, as the surface is rounded too.
"""
_SAMPLES = 65
_POLE = 1e-6
"""Share of a surface's size that a parameter moves over its whole range where it says nothing: at a pole."""

_STILL = 1e-6
"""Share of a turn within which a parameter stands still."""

_STEP = 1e-4
"""Share of an edge by which a place beside a pole lies from it."""


Guide = Callable[[Array], Array]
"""Parameters (m, 2), right to half a turn of a closed surface, at shares (m,) of an edge."""


def on_spline(surface: Surface, pcurve: Curve, space: Curve, old: Curve) -> Curve:
    """The trim curve of an edge ``space`` on the spline: ``pcurve`` where that is true to it, and else one from the
    feet of the edge, over its parameters.

    old: the trim curve before, in parameters that differ from those of the spline by less than half a turn: it tells on
    which side of a joint the edge runs. Raises `GeometryError` where no trim curve is true to the edge.
    """

    def guide(share: Array) -> Array:
        return curve_points(old, _at(old, share))

    before, wavy = _off(surface, pcurve, space), _waves(surface, pcurve, guide)
    if before <= _GOOD and not wavy:
        return pcurve
    made = foot_curve(surface, space, guide)
    after = _off(surface, made, space)
    if wavy and after <= _GOOD:
        return made
    if min(before, after) > _WRONG:
        x, y, z = curve_points(space, _at(space, np.array([0.5])))[0]
        raise GeometryError(f"no trim curve on its surface is true to the edge at ({x:.2f}, {y:.2f}, {z:.2f}) mm")
    return made if after < before else pcurve


def _waves(surface: Surface, pcurve: Curve, guide: Guide) -> bool:
    """Whether a trim curve swings though the edge is a meridian: near a pole that hardly shows in space."""
    share = np.linspace(0, 1, _SAMPLES)
    there, here = guide(share), curve_points(pcurve, _at(pcurve, share))
    turns = [(k, _STILL * float(np.ptp(surface.domain[k]))) for k in (0, 1) if surface.closed[k]]
    return any(np.ptp(there[:, k]) <= hair < np.ptp(here[:, k]) for k, hair in turns)


def foot_curve(surface: Surface, space: Curve, guide: Guide, tolerance: float = _FIT) -> Curve:
    """A trim curve through the feet of an edge within a tolerance, mm, over its parameters."""
    scale, held = plane_scale(surface), _held(surface, space, guide)

    def feet(t: Array) -> Array:
        return _feet(surface, space, guide, t, held)

    made = fitted_like(space, lambda t: feet(t) * scale, tolerance, rough_places(surface, space.domain, feet))
    return Curve(made.degree, made.knots, made.control / scale)


def _held(surface: Surface, space: Curve, guide: Guide) -> dict[int, float]:
    """Parameters in which an edge stands still, as on a meridian: at a pole its feet would not tell them."""
    share = np.linspace(0, 1, _SAMPLES)[1:-1]
    there = guide(share)
    out: dict[int, float] = {}
    for k in (k for k in (0, 1) if surface.closed[k]):
        (low, high), turn = surface.domain[k], float(np.ptp(surface.domain[k]))
        if np.ptp(there[:, k]) > _STILL * turn:
            continue
        feet = _near(surface, space, guide, share)[:, k]
        at = float(np.median(feet))
        if float(np.median(np.abs(feet - at))) < _STILL * turn:
            out[k] = next((border for border in (low, high) if abs(border - at) < _STILL * turn), at)
    return out


def calm_on_spline(surface: Surface, calm: Curve, stored: Curve, old: Curve, unit: float) -> Curve | None:
    """The trim curve of the calm curve that an edge ``stored`` means; None where none is true to it within ``unit`` mm,
    as beside a pole. old: of the stored one, as in `on_spline`.
    """

    def guide(share: Array) -> Array:
        low, high = stored.domain
        there = (to_curve(stored, curve_points(calm, _at(calm, share))).t - low) / (high - low)
        # The start and the end of a loop are one place.
        return curve_points(old, _at(old, np.where(np.abs(there - share) < 0.5, there, share)))

    made = foot_curve(surface, calm, guide, _SHARP * unit)
    return made if _off(surface, made, calm) < _TRUE * unit else None


def _off(surface: Surface, pcurve: Curve, space: Curve) -> float:
    """Largest distance, mm, of the edge from its trim curve's image; infinite where that leaves an open surface."""
    s = np.linspace(0, 1, _SAMPLES)
    uv = curve_points(pcurve, _at(pcurve, s))
    for k in (k for k in (0, 1) if not surface.closed[k]):
        low, high = surface.domain[k]
        if max(low - uv[:, k].min(), uv[:, k].max() - high) > _OUT * (high - low):
            return np.inf
    return float(norm(surface_points(surface, uv[:, 0], uv[:, 1]) - curve_points(space, _at(space, s))).max())


def _at(curve: Curve, share: Array) -> Array:
    low, high = curve.domain
    return low + share * (high - low)


def _feet(surface: Surface, space: Curve, guide: Guide, t: Array, held: dict[int, float]) -> Array:
    """Parameters (m, 2) of the edge's places, on the side of a joint on which it runs. held: see `_held`."""
    low, high = space.domain
    share = (t - low) / (high - low)
    uv = _near(surface, space, guide, share)
    d = surface_derivatives(surface, uv[:, 0], uv[:, 1], 1)
    beside = _near(surface, space, guide, share + np.where(share < 0.5, _STEP, -_STEP))
    for k, pace in enumerate((norm(d[1, 0]), norm(d[0, 1]))):
        pole = pace * np.ptp(surface.domain[k]) < _POLE * surface.diagonal
        uv[:, k] = np.where(pole, beside[:, k], uv[:, k])
    for k, at in held.items():
        uv[:, k] = at
        uv[:, 1 - k] = to_curve(iso_curve(surface, "uv"[k], at), curve_points(space, t)).t
    return uv


def _near(surface: Surface, space: Curve, guide: Guide, share: Array) -> Array:
    feet = to_surface(surface, curve_points(space, _at(space, share)))
    uv = np.column_stack([feet.u, feet.v])
    there = guide(share)
    for k in (0, 1):
        if surface.closed[k]:
            turn = np.ptp(surface.domain[k])
            uv[:, k] += turn * np.round((there[:, k] - uv[:, k]) / turn)
    return uv
