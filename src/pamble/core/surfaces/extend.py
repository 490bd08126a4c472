"""Surfaces made larger at a side: carried on as the polynomials they are, or straight."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import reverse_surface, surface_part, swap_directions
from pamble.core.spline.surface import EDGES, Surface, from_homogeneous

_STATIONS = 33

_MOST = 3.0
"""Times its domain by which a surface that is not straight there is carried on at most."""


def grown(surface: Surface, share: float) -> Surface:
    """The surface carried on by its own polynomials over ``share`` of its domain on every side that is open.

    Rational surfaces are carried on only where their weights stay positive.
    """
    for along, names in enumerate((("u0", "u1"), ("v0", "v1"))):
        if surface.closed[along] or any(n in surface.poles for n in names):
            continue
        low, high = surface.domain[along]
        reach = (low - share * (high - low), high + share * (high - low))
        with suppress(GeometryError):
            longer = surface_part(surface, u=reach) if along == 0 else surface_part(surface, v=reach)
            if not _over_its_point(surface, longer, along):
                surface = longer
    return surface


def extend_surface(surface: Surface, side: str, length: float, shape: str = "curvature") -> Surface:
    """A surface longer by ``length`` mm, on the average, beyond the side ``u0``, ``u1``, ``v0`` or ``v1``.

    shape: "curvature" carries the end spans on as the polynomials they are: nothing of the surface changes, and the
    joint is as smooth as the span itself; "straight" adds a strip along the tangents across the side, G1.
    Raises `GeometryError` for a side that is a point, a closed surface, one that would run over the point in which it
    ends (a ball, a cone), or weights that would not stay positive.
    """
    if side not in EDGES:
        raise GeometryError(f"A four-sided surface has the sides {', '.join(EDGES)}, not {side}.")
    if length <= 0:
        raise GeometryError(f"An extension is longer than zero, not {length:g} mm.")
    if surface.closed[0 if side[0] == "u" else 1]:
        raise GeometryError("The surface closes on itself there: it has no end to be extended.")
    if side in surface.poles:
        raise GeometryError("This side is a point (a pole): it cannot be extended.")
    turned = _to_end(surface, side)
    long = _by_curvature(turned, length) if shape == "curvature" else _straight(turned, length)
    made = _from_end(long, side)
    along = 0 if side[0] == "u" else 1
    if _over_its_point(surface, made, along):
        raise GeometryError(f"{length:g} mm are more than there is to the point in which the surface ends.")
    by = 0.0 if side[1] == "1" else surface.domain[along][1] - made.domain[along][1]
    return _shifted(made, along, by)


def _over_its_point(before: Surface, after: Surface, along: int) -> bool:
    """Whether a surface that is closed across a direction was carried on over a pole: behind it, it turns the other
    way round.
    """
    if not before.closed[1 - along]:
        return False
    ways = list[Array]()
    for s in (before, after):
        s = s if along == 0 else swap_directions(s)
        ways.append(surface_grid(s, s.domain[0], np.linspace(*s.domain[1], _STATIONS), 1)[0, 1])
    return bool((dot(*ways).max(axis=1) < 0).any())


def _shifted(surface: Surface, along: int, by: float) -> Surface:
    """The surface with its parameters shifted: what was there before keeps its own."""
    if by == 0:
        return surface
    ku, kv = (surface.knots_u + by, surface.knots_v) if along == 0 else (surface.knots_u, surface.knots_v + by)
    return Surface(surface.degree_u, surface.degree_v, ku, kv, surface.control, surface.weights)


def _to_end(surface: Surface, side: str) -> Surface:
    """The surface turned so that the side is u1."""
    s = surface if side[0] == "u" else swap_directions(surface)
    return s if side[1] == "1" else reverse_surface(s, "u")


def _from_end(surface: Surface, side: str) -> Surface:
    s = surface if side[1] == "1" else reverse_surface(surface, "u")
    return s if side[0] == "u" else swap_directions(s)


def _by_curvature(surface: Surface, length: float) -> Surface:
    low, high = surface.domain[0]
    vs = np.linspace(*surface.domain[1], _STATIONS)
    step = 0.0
    for _ in range(20):
        got = _mean_length(surface, high, high + step, vs) if step else 0.0
        speed = float(norm(surface_grid(surface, [high + step], vs, 1)[1, 0]).mean())
        step += (length - got) / max(speed, 1e-12)
        if step <= 0 or (step > _MOST * (high - low) and surface.degree_u > 1):
            raise GeometryError(f"{length:g} mm are more than the surface can be carried on: extend it straight.")
        if abs(got - length) < 1e-9 * max(1.0, length):
            break
    return surface_part(surface, u=(low, high + step))


def _mean_length(surface: Surface, a: float, b: float, vs: Array) -> float:
    x, w = np.polynomial.legendre.leggauss(12)
    us = 0.5 * (a + b) + 0.5 * (b - a) * x
    return float((norm(surface_grid(surface, us, vs, 1)[1, 0]).mean(axis=1) @ w) * 0.5 * (b - a))


def _straight(surface: Surface, length: float) -> Surface:
    """One more span along the tangents, its control rows evenly spaced: the end row and its leg, carried on."""
    low, high = surface.domain[0]
    p = surface.degree_u
    whole = surface_part(surface, u=(low, high))
    vs = np.linspace(*surface.domain[1], _STATIONS)
    speed = float(norm(surface_grid(surface, [high], vs, 1)[1, 0]).mean())
    step = length / max(speed, 1e-12)
    rows = whole.homogeneous
    last = basis.breaks(whole.knots_u, p)
    leg = (rows[-1] - rows[-2]) * (step / (last[-1] - last[-2]))
    added = rows[-1] + np.arange(1, p + 1)[:, None, None] * leg
    if np.any(added[..., 3] <= 0):
        raise GeometryError("The weights of this surface do not let it be carried on straight so far.")
    knots = np.concatenate([whole.knots_u[:-1], np.full(p + 1, high + step)])
    points = np.concatenate([rows, added])
    return from_homogeneous((p, whole.degree_v), (knots, whole.knots_v), points, surface.weights is not None)
