"""Offsets of what a profile sweeps along lines and arcs, as it turns or is moved: along these they are exact, on the
surface's own rows; the profile alone is fitted where it is neither line nor arc.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pamble.core.arcs import ways
from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_grid
from pamble.core.spline.knots import swap_directions
from pamble.core.spline.surface import Surface, from_homogeneous

_EXACT = 1e-9
"""Share of the surface's size by which it may leave what is swept."""

_GRID = 25

Fitted = Callable[[Curve, Callable[[Array], Array], float], tuple[Curve, float]]
"""What fits a curve of the same pace to places at parameters, within a tolerance: the curve, and how far it is off."""


def offset_turned(surface: Surface, distance: float, tolerance: float, fitted: Fitted) -> tuple[Surface, float] | None:
    """The surface moved by a distance (mm) along its normal, and how far it is from the true offset, mm; None where it
    is not swept along lines and arcs in either direction, or where its offset folds. The same parameters as before.

    >>> from pamble.core.surfaces.revolve import revolve
    >>> post = revolve(Curve.line([5, 0, 0], [5, 0, 8]), np.zeros(3), np.array([0, 0, 1.0]), 0, 90)
    >>> made, off = offset_turned(post, 2.0, 0.001, lambda profile, places, tolerance: (profile, 0.0))
    >>> made.control[0, 0].round(9).tolist(), off
    ([7.0, 0.0, 0.0], 0.0)
    """
    found = []
    for turned in (False, True):
        s = swap_directions(surface) if turned else surface
        made = _along_u(s, -distance if turned else distance, tolerance, fitted)
        if made is not None and _unfolded(s, made[0]):
            found.append((swap_directions(made[0]) if turned else made[0], made[1]))
    return min(found, key=lambda m: (m[1] > tolerance, m[0].control.size), default=None)


def _along_u(s: Surface, distance: float, tolerance: float, fitted: Fitted) -> tuple[Surface, float] | None:
    """The offset of a surface whose rows along u are lines and arcs that all turn together."""
    weights = np.ones(s.control.shape[:2]) if s.weights is None else s.weights
    across, along = weights[0] / weights[0, 0], weights[:, 0]
    if np.abs(weights - np.outer(along, across)).max() > _EXACT * weights.max():
        return None
    rational = bool(np.ptp(along) > _EXACT * along.max())
    reach = norm(np.ptp(s.control, axis=0))
    rail = Curve(s.degree_u, s.knots_u, s.control[:, int(np.argmax(reach))], along if rational else None)
    profile = Curve(s.degree_v, s.knots_v, s.control[0], across if np.ptp(across) > _EXACT else None)
    start = s.domain[0][0]
    net = ways(s.control[0], rail, start)
    if net is None or np.abs(net.transpose(1, 0, 2) - s.control).max() > _EXACT * s.diagonal:
        return None
    z = unit(curve_derivatives(rail, [start], 1)[1])[0]
    if np.ptp(s.control[0] @ z) > _EXACT * s.diagonal:
        return None

    def moved(t: Array) -> Array:
        d = curve_derivatives(profile, t, 1)
        return np.asarray(d[0] + distance * unit(cross(np.broadcast_to(z, d[1].shape), d[1])))

    exact = _exact(profile, moved)
    made, off = (exact, 0.0) if exact is not None else fitted(profile, moved, tolerance)
    rows = ways(made.control, rail, start)
    if rows is None:
        return None
    if np.array_equal(s.control[0], s.control[-1]):
        rows[:, -1] = rows[:, 0]
    own = np.ones(len(made.control)) if made.weights is None else made.weights
    w = np.outer(along, own)[..., None]
    points = np.concatenate([rows.transpose(1, 0, 2) * w, w], axis=2)
    knots = (s.knots_u, made.knots)
    return from_homogeneous((s.degree_u, made.degree), knots, points, rational or made.weights is not None), off


def _exact(profile: Curve, moved: Callable[[Array], Array]) -> Curve | None:
    """The offset of a profile of lines and arcs without kinks, on its own knots; None of another."""
    t = np.linspace(*profile.domain, _GRID)
    net = ways(moved(t[:1]), profile, t[0])
    if net is None:
        return None
    made = Curve(profile.degree, profile.knots, net[0], profile.weights)
    off = norm(curve_points(made, t) - moved(t)).max()
    return made if off <= _EXACT * norm(np.ptp(made.control, axis=0)) else None


def _unfolded(s: Surface, made: Surface) -> bool:
    """Whether an offset runs everywhere as the surface does, both ways."""
    u, v = (np.linspace(*domain, _GRID) for domain in s.domain)
    before, after = surface_grid(s, u, v, 1), surface_grid(made, u, v, 1)
    return all(
        bool((dot(before[way], after[way])[norm(before[way]) > _EXACT * s.diagonal] > 0.0).all())
        for way in ((1, 0), (0, 1))
    )
