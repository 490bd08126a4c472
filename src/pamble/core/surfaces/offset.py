"""Offset of a surface along its normal: exact along lines and arcs, else fitted on the surface's own knots, refined
where the tolerance asks for it.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import curvatures
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import raised_knots
from pamble.core.spline.poles import is_pole
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.offset_turned import offset_turned

_EACH = 8
_INWARD = 1e-6
_ROUNDS = 7
_MOST = 60
"""Spans in one direction up to which knots are put in."""


def offset_surface(surface: Surface, distance: float, tolerance: float = 0.001) -> tuple[Surface, float]:
    """The surface moved by a distance (mm) along its normal, and how far it is from the true offset, mm.

    Raises `GeometryError` where the distance is beyond the least radius on that side, with the radius and the place.
    """
    turned = offset_turned(surface, distance, tolerance, _fitted)
    if turned is not None and turned[1] <= tolerance:
        return turned
    degrees = (max(3, surface.degree_u), max(3, surface.degree_v))
    own = ((surface.knots_u, surface.degree_u), (surface.knots_v, surface.degree_v))
    knots = [_raised(k, d) for k, d in own]
    for _ in range(_ROUNDS):
        u, v = (_places(k, d) for k, d in zip(knots, degrees, strict=True))
        wanted, normal = _true(surface, distance, u, v)
        a, b = (basis.matrix(k, d, t)[0] for k, d, t in zip(knots, degrees, (u, v), strict=True))
        control = np.swapaxes(_solve(b, np.swapaxes(_solve(a, wanted), 0, 1)), 0, 1)
        miss = np.einsum("in,nmc,jm->ijc", a, control, b, optimize=True) - wanted
        # What slides within the surface lies on it still, and what slides along a rim on that.
        off = np.abs(dot(miss, normal))
        for rim, along in ((np.s_[[0, -1]], 1), (np.s_[:, [0, -1]], 0)):
            way = unit(np.gradient(wanted, axis=along))[rim]
            off[rim] = norm(miss[rim] - dot(miss[rim], way)[..., None] * way)
        made = Surface(*degrees, knots[0], knots[1], control), float(off.max())
        if made[1] <= tolerance:
            break
        worst = (off.max(axis=1), off.max(axis=0))
        knots = [_finer(k, d, t, w, tolerance) for k, d, t, w in zip(knots, degrees, (u, v), worst, strict=True)]
        if max(basis.span_count(k, d) for k, d in zip(knots, degrees, strict=True)) > _MOST:
            break
    return made


def _fitted(profile: Curve, places: Callable[[Array], Array], tolerance: float) -> tuple[Curve, float]:
    """A curve of a profile's pace through places at its parameters, and how far it is off, mm."""
    degree, knots = max(3, profile.degree), _raised(profile.knots, profile.degree)
    for _ in range(_ROUNDS):
        t = _places(knots, degree)
        wanted = places(t)
        a = basis.matrix(knots, degree, t)[0]
        control = _solve(a, wanted)
        miss, way = a @ control - wanted, unit(np.gradient(wanted, axis=0))
        off = norm(miss - dot(miss, way)[:, None] * way)
        if off.max() <= tolerance or basis.span_count(knots, degree) > _MOST:
            break
        knots = _finer(knots, degree, t, off, tolerance)
    return Curve(degree, knots, control), float(off.max())


def _raised(knots: Array, degree: int) -> Array:
    """Knots of a direction for degree 3 at least."""
    return raised_knots(knots, degree, 3 - degree) if degree < 3 else knots


def _places(knots: Array, degree: int) -> Array:
    breaks = basis.breaks(knots, degree)
    inner = breaks[:-1, None] + np.diff(breaks)[:, None] * np.arange(_EACH) / _EACH
    return np.append(inner.ravel(), breaks[-1])


def _true(surface: Surface, distance: float, u: Array, v: Array) -> tuple[Array, Array]:
    """Points of the true offset on a grid, and the unit normals there, (m, n, 3) each."""
    d = surface_grid(surface, u, v, 2)
    n, k = curvatures(surface_grid(surface, *_off_poles(surface, u, v), 2))
    tightest = 1.0 - distance * np.stack([k.largest, k.smallest])
    if tightest.min() <= 1e-6:
        which = np.unravel_index(int(np.argmin(tightest)), tightest.shape)
        x, y, z = d[0, 0][which[1:]]
        radius = abs(distance / (1.0 - float(tightest[which])))
        raise GeometryError(
            f"An offset by {distance:g} mm folds: the least radius on that side is {radius:.2f} mm, near "
            f"({x:.2f}, {y:.2f}, {z:.2f}) mm."
        )
    return np.asarray(d[0, 0] + distance * n), n


def _off_poles(surface: Surface, u: Array, v: Array) -> tuple[Array, Array]:
    """Parameters of a grid, those of sides without length moved slightly inward to have a normal."""
    out = []
    for t, axis in ((u, "u"), (v, "v")):
        low, high = surface.domain[0 if axis == "u" else 1]
        step = _INWARD * (high - low)
        least = low + step if is_pole(surface, f"{axis}0") else low
        most = high - step if is_pole(surface, f"{axis}1") else high
        out.append(np.clip(t, least, most))
    return out[0], out[1]


def _solve(a: Array, values: Array) -> Array:
    """Least squares along the first axis, both ends met exactly."""
    out = np.zeros((a.shape[1], *values.shape[1:]))
    out[0], out[-1] = values[0], values[-1]
    rest = values - np.tensordot(a[:, [0, -1]], out[[0, -1]], 1)
    inner = np.linalg.lstsq(a[:, 1:-1], rest.reshape(len(rest), -1), rcond=None)[0]
    out[1:-1] = inner.reshape(-1, *values.shape[1:])
    return out


def _finer(knots: Array, degree: int, t: Array, off: Array, tolerance: float) -> Array:
    """Knots put in the middle of the spans at fault."""
    breaks = basis.breaks(knots, degree)
    span = np.clip(np.searchsorted(breaks, t, side="right") - 1, 0, len(breaks) - 2)
    worst = np.zeros(len(breaks) - 1)
    np.maximum.at(worst, span, off)
    new = (0.5 * (breaks[1:] + breaks[:-1]))[worst > tolerance]
    return np.sort(np.concatenate([knots, new]))
