"""Knots and degree: insert, raise, split, reverse, extract. Nothing here moves a point of the shape.

Every change is one change of basis: the shape is evaluated at the Greville points of the new space and
interpolated there. When the new space holds the old one the result is exact (Schoenberg-Whitney), for any mix of
insertion, raising and restriction, and the collocation matrix is well conditioned for the degrees of the trade.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from scipy.linalg import solve

from pamble.core.arrays import Array, floats
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.curve import from_homogeneous as curve_of
from pamble.core.spline.surface import Surface
from pamble.core.spline.surface import from_homogeneous as surface_of
from pamble.core.tolerances import PARAMETER


def transfer(knots: Array, degree: int, new_knots: Array, new_degree: int) -> Array:
    """Matrix (new n, n) that turns control points of one space into those of a space that holds it."""
    return _transfer(floats(knots).tobytes(), degree, floats(new_knots).tobytes(), new_degree)


@lru_cache(maxsize=128)
def _transfer(key: bytes, degree: int, new_key: bytes, new_degree: int) -> Array:
    knots, new_knots = np.frombuffer(key), np.frombuffer(new_key)
    nodes = basis.greville(new_knots, new_degree)
    target = basis.matrix(new_knots, new_degree, nodes)[0]
    out = np.asarray(solve(target, basis.matrix(knots, degree, nodes)[0]))
    out.setflags(write=False)
    return out


def recast_curve(curve: Curve, degree: int, knots: Array) -> Curve:
    """The curve written in another spline space; exact if that space holds it."""
    points = transfer(curve.knots, curve.degree, knots, degree) @ curve.homogeneous
    return curve_of(degree, knots, points, curve.weights is not None)


def recast_surface(surface: Surface, degrees: tuple[int, int], knots: tuple[Array, Array]) -> Surface:
    """The surface written in another tensor-product space; exact if that space holds it."""
    a = transfer(surface.knots_u, surface.degree_u, knots[0], degrees[0])
    b = transfer(surface.knots_v, surface.degree_v, knots[1], degrees[1])
    points = np.einsum("in,nmc,jm->ijc", a, surface.homogeneous, b, optimize=True)
    return surface_of(degrees, knots, points, surface.weights is not None)


def raised_knots(knots: Array, degree: int, by: int) -> Array:
    """Knots of the space raised by ``by`` degrees: every distinct knot gains that multiplicity."""
    values, counts = np.unique(knots[degree : len(knots) - degree], return_counts=True)
    counts = counts + by
    counts[[0, -1]] = degree + by + 1
    return np.asarray(np.repeat(values, counts))


def inserted_knots(knots: Array, degree: int, new: Array) -> Array:
    """Knots with ``new`` merged in. Raises `GeometryError` outside the domain or above full multiplicity."""
    new = floats(np.atleast_1d(new))
    start, end = knots[degree], knots[-degree - 1]
    if np.any(new <= start) or np.any(new >= end):
        raise GeometryError(f"A knot can be inserted only inside the domain, between {start:g} and {end:g}.")
    return np.sort(np.concatenate([knots, new]))


def insert_knots(curve: Curve, new: Array) -> Curve:
    """Insert knots into a curve.

    >>> line = insert_knots(Curve.line([0, 0, 0], [4, 0, 0]), np.array([0.25]))
    >>> line.control[:, 0].tolist()
    [0.0, 1.0, 4.0]
    """
    return recast_curve(curve, curve.degree, inserted_knots(curve.knots, curve.degree, new))


def raise_degree(curve: Curve, by: int = 1) -> Curve:
    """Raise the degree of a curve.

    >>> raise_degree(Curve.line([0, 0, 0], [6, 0, 0]), 2).control[:, 0].round(9).tolist()
    [0.0, 2.0, 4.0, 6.0]
    """
    return recast_curve(curve, curve.degree + by, raised_knots(curve.knots, curve.degree, by))


def insert_surface_knots(surface: Surface, new_u: Array | None = None, new_v: Array | None = None) -> Surface:
    """Insert knots along u, v or both."""
    ku = surface.knots_u if new_u is None else inserted_knots(surface.knots_u, surface.degree_u, new_u)
    kv = surface.knots_v if new_v is None else inserted_knots(surface.knots_v, surface.degree_v, new_v)
    return recast_surface(surface, (surface.degree_u, surface.degree_v), (ku, kv))


def raise_surface_degree(surface: Surface, by_u: int = 0, by_v: int = 0) -> Surface:
    """Raise the degrees of a surface."""
    ku = raised_knots(surface.knots_u, surface.degree_u, by_u)
    kv = raised_knots(surface.knots_v, surface.degree_v, by_v)
    return recast_surface(surface, (surface.degree_u + by_u, surface.degree_v + by_v), (ku, kv))


def _part_knots(knots: Array, degree: int, start: float, end: float) -> Array:
    if not start < end:
        raise GeometryError(f"A piece from {start:g} to {end:g} has no length.")
    least = PARAMETER * (end - start)
    low, high = max(start, knots[degree]), min(end, knots[-degree - 1])
    inner = knots[(knots > low + least) & (knots < high - least)]
    return np.concatenate([np.full(degree + 1, start), inner, np.full(degree + 1, end)])


def curve_part(curve: Curve, start: float, end: float) -> Curve:
    """The piece between two parameters; beyond the domain the end span continues.

    >>> curve_part(Curve.line([0, 0, 0], [8, 0, 0]), 0.25, 0.75).control[:, 0].tolist()
    [2.0, 6.0]
    """
    return recast_curve(curve, curve.degree, _part_knots(curve.knots, curve.degree, start, end))


def surface_part(
    surface: Surface, u: tuple[float, float] | None = None, v: tuple[float, float] | None = None
) -> Surface:
    """The piece between two iso-curves in each direction; beyond the domain the end span continues."""
    (u0, u1), (v0, v1) = (u or surface.domain[0]), (v or surface.domain[1])
    knots = (
        _part_knots(surface.knots_u, surface.degree_u, u0, u1),
        _part_knots(surface.knots_v, surface.degree_v, v0, v1),
    )
    return recast_surface(surface, (surface.degree_u, surface.degree_v), knots)


def begun_at(surface: Surface, along: int, at: float) -> Surface:
    """A closed surface that begins, and ends, at a parameter ``at`` between its ends, its knots moved as little as can
    be. along: 0 for u, 1 for v. Its former joint becomes a knot of full multiplicity.

    >>> square = Surface(1, 1, [0, 0, 1, 2, 3, 3], [0, 0, 1, 1], [[[x, y, z] for z in (0, 1)] for x, y in
    ...                  ((0, 0), (1, 0), (0, 1), (0, 0))])
    >>> begun_at(square, 0, 2.5).knots_u.tolist()
    [-0.5, -0.5, 0.0, 1.0, 2.0, 2.5, 2.5]
    """
    start, end = surface.domain[along]
    degree = surface.degree_v if along else surface.degree_u
    parts = [surface_part(surface, *((None, p) if along else (p, None))) for p in ((at, end), (start, at))]
    by = (0.0, end - start) if at - start < end - at else (start - end, 0.0)
    rows = [(p.knots_v if along else p.knots_u) + x for p, x in zip(parts, by, strict=True)]
    nets = [np.moveaxis(p.homogeneous, along, 0) for p in parts]
    net = np.moveaxis(np.concatenate([nets[0], nets[1][1:]]), 0, along)
    row = np.concatenate([rows[0][:-1], rows[1][degree + 1 :]])
    both = (surface.knots_u, row) if along else (row, surface.knots_v)
    return surface_of((surface.degree_u, surface.degree_v), both, net, surface.weights is not None)


def split_curve(curve: Curve, t: float) -> tuple[Curve, Curve]:
    """Two halves that meet at ``t``."""
    start, end = curve.domain
    if not start < t < end:
        raise GeometryError(f"A curve can be split between {start:g} and {end:g}, not at {t:g}.")
    return curve_part(curve, start, t), curve_part(curve, t, end)


def split_surface(surface: Surface, direction: str, t: float) -> tuple[Surface, Surface]:
    """Two halves that meet at an iso-curve; ``direction`` is the parameter held fixed, "u" or "v"."""
    start, end = surface.domain[0 if direction == "u" else 1]
    if not start < t < end:
        raise GeometryError(f"A surface can be split between {start:g} and {end:g}, not at {t:g}.")
    if direction == "u":
        return surface_part(surface, u=(start, t)), surface_part(surface, u=(t, end))
    return surface_part(surface, v=(start, t)), surface_part(surface, v=(t, end))


def mirrored(knots: Array) -> Array:
    """The knots (n,) of a spline that is run through the other way, on the same domain."""
    return np.asarray((knots[0] + knots[-1]) - knots[::-1])


def reverse_curve(curve: Curve) -> Curve:
    """The same curve run through the other way, on the same domain."""
    weights = None if curve.weights is None else curve.weights[::-1]
    return Curve(curve.degree, mirrored(curve.knots), curve.control[::-1], weights)


def reverse_surface(surface: Surface, direction: str) -> Surface:
    """The same surface with u or v run through the other way; its normal turns over."""
    axis = 0 if direction == "u" else 1
    weights = None if surface.weights is None else np.flip(surface.weights, axis)
    return Surface(
        surface.degree_u,
        surface.degree_v,
        mirrored(surface.knots_u) if axis == 0 else surface.knots_u,
        mirrored(surface.knots_v) if axis == 1 else surface.knots_v,
        np.flip(surface.control, axis),
        weights,
    )


def swap_directions(surface: Surface) -> Surface:
    """The same surface with u and v exchanged; its normal turns over."""
    weights = None if surface.weights is None else surface.weights.T
    control = surface.control.transpose(1, 0, 2)
    return Surface(surface.degree_v, surface.degree_u, surface.knots_v, surface.knots_u, control, weights)


def iso_curve(surface: Surface, fixed: str, value: float) -> Curve:
    """Iso-parameter curve: ``fixed`` is the parameter held at ``value``, "u" or "v"."""
    rational = surface.weights is not None
    if fixed == "u":
        row = basis.matrix(surface.knots_u, surface.degree_u, floats([value]))[0, 0]
        return curve_of(surface.degree_v, surface.knots_v, np.tensordot(row, surface.homogeneous, (0, 0)), rational)
    row = basis.matrix(surface.knots_v, surface.degree_v, floats([value]))[0, 0]
    return curve_of(surface.degree_u, surface.knots_u, np.tensordot(surface.homogeneous, row, (1, 0)), rational)


def edge_curve(surface: Surface, edge: str) -> Curve:
    """The natural edge ``u0``, ``u1``, ``v0`` or ``v1`` as a curve, run along the rising parameter."""
    end = int(edge[1])
    along_u = edge[0] == "v"
    k, p = (surface.knots_v, surface.degree_v) if along_u else (surface.knots_u, surface.degree_u)
    if k[0] != k[p] or k[-1] != k[-p - 1]:
        return iso_curve(surface, edge[0], surface.domain[0 if edge[0] == "u" else 1][end])
    # Clamped: the outermost row of control points is the edge.
    row = (slice(None), -end) if along_u else (-end, slice(None))
    weights = None if surface.weights is None else surface.weights[row]
    if along_u:
        return Curve(surface.degree_u, surface.knots_u, surface.control[row], weights)
    return Curve(surface.degree_v, surface.knots_v, surface.control[row], weights)
