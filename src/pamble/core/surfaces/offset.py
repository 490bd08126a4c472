"""Offset of a surface along its normal: exact along lines and arcs, else fitted on the surface's own knots, refined
where the tolerance asks for it.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import curvatures
from pamble.core.spline.evaluate import curve_derivatives, surface_grid
from pamble.core.spline.surface import EDGES, Surface
from pamble.core.surfaces.fitted_rows import smooth_joints, smooth_order
from pamble.core.surfaces.offset_rows import Rows
from pamble.core.surfaces.offset_turned import offset_turned

_INWARD = 1e-6
_ROUNDS = 7
_SAME_PLACE = 1e-3


def offset_surface(surface: Surface, distance: float, tolerance: float = 0.001) -> tuple[Surface, float]:
    """The surface moved by a distance (mm) along its normal, and how far it is from the true offset, mm.

    Raises `GeometryError` where the distance is beyond the least radius on that side, with the radius and the place.
    """
    turned = offset_turned(surface, distance, tolerance, _fitted)
    if turned is not None and turned[1] <= tolerance:
        return turned
    own = (surface.knots_u, surface.degree_u), (surface.knots_v, surface.degree_v)
    # An offset is one order less smooth than what it is offset from.
    rows = [Rows.beginning(k, d, order > 1) for (k, d), order in zip(own, smooth_joints(surface), strict=True)]
    for _ in range(_ROUNDS):
        u, v = (r.places() for r in rows)
        wanted, normal = _true(surface, distance, u, v)
        a, b = (r.matrix(t) for r, t in zip(rows, (u, v), strict=True))
        control = np.swapaxes(rows[1].fit(v, np.swapaxes(rows[0].fit(u, wanted), 0, 1)), 0, 1)
        miss = np.einsum("in,nmc,jm->ijc", a, control, b, optimize=True) - wanted
        # What slides within the surface lies on it still, and what slides along a rim on that.
        off = np.abs(dot(miss, normal))
        for rim, along in ((np.s_[[0, -1]], 1), (np.s_[:, [0, -1]], 0)):
            way = unit(np.gradient(wanted, axis=along))[rim]
            off[rim] = norm(miss[rim] - dot(miss[rim], way)[..., None] * way)
        made = Surface(rows[0].degree, rows[1].degree, rows[0].knots, rows[1].knots, control), float(off.max())
        if made[1] <= tolerance or any(r.full for r in rows):
            break
        worst = (off.max(axis=1), off.max(axis=0))
        rows = [r.finer(t, w, tolerance) for r, t, w in zip(rows, (u, v), worst, strict=True)]
    return made


def _fitted(profile: Curve, places: Callable[[Array], Array], tolerance: float) -> tuple[Curve, float]:
    """A curve of a profile's pace through places at its parameters, and how far it is off, mm."""
    ends = curve_derivatives(profile, profile.domain, 2)
    rows = Rows.beginning(profile.knots, profile.degree, smooth_order(ends[:, :1], ends[:, 1:]) > 1)
    for _ in range(_ROUNDS):
        t = rows.places()
        wanted = places(t)
        control = rows.fit(t, wanted)
        miss, way = rows.matrix(t) @ control - wanted, unit(np.gradient(wanted, axis=0))
        off = norm(miss - dot(miss, way)[:, None] * way)
        if off.max() <= tolerance or rows.full:
            break
        rows = rows.finer(t, off, tolerance)
    return Curve(rows.degree, rows.knots, control), float(off.max())


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
    points = np.asarray(d[0, 0] + distance * n)
    for side in surface.poles:
        row = np.moveaxis(points, EDGES.index(side) // 2, 0)[-int(side[1])]
        # An apex parts; what is smooth there stays one point.
        if np.ptp(row, axis=0).max() < _SAME_PLACE * abs(distance):
            row[:] = row.mean(axis=0)
    return points, n


def _off_poles(surface: Surface, u: Array, v: Array) -> tuple[Array, Array]:
    """Parameters of a grid, those of sides without length moved slightly inward to have a normal."""
    out = []
    for t, axis in ((u, "u"), (v, "v")):
        low, high = surface.domain[0 if axis == "u" else 1]
        step = _INWARD * (high - low)
        least = low + step if f"{axis}0" in surface.poles else low
        most = high - step if f"{axis}1" in surface.poles else high
        out.append(np.clip(t, least, most))
    return out[0], out[1]
