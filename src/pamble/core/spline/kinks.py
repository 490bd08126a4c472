"""Kinks: places where a curve or surface turns sharply, and the smooth pieces between them."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve, from_homogeneous
from pamble.core.spline.evaluate import curve_derivatives, surface_derivatives, surface_grid
from pamble.core.spline.knots import curve_part, raise_degree, surface_part
from pamble.core.spline.surface import Surface

KINK = 0.5
"""Angle in degrees between the directions on both sides of a knot from which on it is a kink."""

_ACROSS = 9
_EVEN = 1e-5
"""Relative difference of derivatives up to which they are the same."""


def _loose(knots: Array, degree: int) -> Array:
    """Inner knots at which a spline may turn sharply."""
    inner = basis.breaks(knots, degree)[1:-1]
    return inner[[bool(np.sum(knots == k) >= degree) for k in inner]] if len(inner) else inner


def _turns(before: Array, after: Array) -> Array:
    """Angles (n,) in degrees between directions; 0 where either has hardly any length, as round a pole."""
    a, b = norm(before), norm(after)
    turn = np.degrees(np.arccos(np.clip(dot(before, after) / np.maximum(a * b, 1e-300), -1, 1)))
    return np.where(np.minimum(a, b) > 1e-7 * max(a.max(), b.max()), turn, 0.0)


def kinks(curve: Curve, degrees: float = KINK) -> tuple[Array, Array]:
    """Parameters (k,) of the inner kinks of a curve, and by how many degrees it turns there (k,).

    >>> kinks(chain([Curve.line([0, 0, 0], [4, 0, 0]), Curve.line([4, 0, 0], [4, 4, 0])], [0, 0.5, 1]))
    (array([0.5]), array([90.]))
    """
    at = _loose(curve.knots, curve.degree)
    if not len(at):
        return np.zeros(0), np.zeros(0)
    ways = np.array([curve_derivatives(p, p.domain, 1)[1] for p in smooth_parts(curve, at)])
    turn = _turns(ways[:-1, 1], ways[1:, 0])
    return at[turn > degrees], turn[turn > degrees]


def smooth_parts(curve: Curve, at: Sequence[float] | Array) -> list[Curve]:
    """The pieces of a curve between inner parameters."""
    rim = [curve.domain[0], *at, curve.domain[1]]
    return [curve_part(curve, a, b) for a, b in itertools.pairwise(rim)]


def chain(pieces: Sequence[Curve], breaks: Sequence[float] | Array) -> Curve:
    """One curve of pieces that follow each other, piece j on [breaks[j], breaks[j + 1]]; what kinks stays a kink."""
    p = max(c.degree for c in pieces)
    pieces = [raise_degree(c, p - c.degree) if c.degree < p else c for c in pieces]
    rational = any(c.weights is not None for c in pieces)
    knots, rows = [np.full(p + 1, breaks[0])], [pieces[0].homogeneous.copy()]
    for j, c in enumerate(pieces):
        (a, b), (low, high) = c.domain, breaks[j : j + 2]
        knots += [low + (c.knots[p + 1 : -p - 1] - a) / (b - a) * (high - low), np.full(p, high)]
        if j:
            own = c.homogeneous * (rows[-1][-1, -1] / c.homogeneous[0, -1])
            rows[-1][-1] = 0.5 * (rows[-1][-1] + own[0])
            rows.append(own[1:].copy())
    return from_homogeneous(p, np.concatenate([*knots, breaks[-1:]]), np.vstack(rows), rational)


def restarted(curve: Curve, t: float) -> Curve:
    """A closed curve that begins, and ends, at another of its parameters. Raises `GeometryError` for an open one."""
    start, end = curve.domain
    d = curve_derivatives(curve, [start, end], 0)[0]
    if np.linalg.norm(d[1] - d[0]) > 1e-6 * max(1.0, float(np.abs(curve.control).max())):
        raise GeometryError("Only a closed curve can begin elsewhere.")
    if not start < t < end:
        return curve
    first, second = smooth_parts(curve, [t])
    return chain([second, first], [t, end, end + t - start])


def begun_at_kink(curve: Curve) -> Curve:
    """A closed curve that kinks, but not where it begins, begun at its first kink; any other curve as it is."""
    d = curve_derivatives(curve, curve.domain, 1)
    shut = np.linalg.norm(d[0, 1] - d[0, 0]) < 1e-6 * max(1.0, float(np.abs(curve.control).max()))
    at, _ = kinks(curve)
    if not shut or not len(at) or _turns(d[1, 1:], d[1, :1])[0] > KINK:
        return curve
    return restarted(curve, float(at[0]))


def refuse_kinks(curve: Curve, what: str, instead: str) -> None:
    """Raises `GeometryError` for a curve with a kink, with its size and place."""
    at, turn = kinks(curve)
    if len(at):
        i = int(np.argmax(turn))
        x, y, z = curve_derivatives(curve, at[i : i + 1], 0)[0, 0]
        raise GeometryError(f"{what} has a kink of {turn[i]:.1f}° at ({x:.2f}, {y:.2f}, {z:.2f}) mm: {instead}.")


def surface_kinks(surface: Surface, direction: str, degrees: float = KINK) -> Array:
    """Parameters (k,) of the iso-lines u or v across which a surface turns sharply."""
    along = direction == "u"
    at = _loose(surface.knots_u, surface.degree_u) if along else _loose(surface.knots_v, surface.degree_v)
    if not len(at):
        return at
    low, high = surface.domain[0 if along else 1]
    rim = np.concatenate([[low], at, [high]])
    other = np.linspace(*surface.domain[1 if along else 0], _ACROSS)
    ways = []
    for a, b in itertools.pairwise(rim):
        if along:
            ways.append(surface_grid(surface_part(surface, u=(a, b)), [a, b], other, 1)[1, 0])
        else:
            ways.append(np.swapaxes(surface_grid(surface_part(surface, v=(a, b)), other, [a, b], 1)[0, 1], 0, 1))
    turn = np.array([_turns(ways[i][1], ways[i + 1][0]).max() for i in range(len(at))])
    return at[turn > degrees]


def smooth_pieces(surface: Surface) -> list[Surface]:
    """The surface parted along its kinks, u running slower than v; the surface itself where it has none."""
    u, v = surface_kinks(surface, "u"), surface_kinks(surface, "v")
    if not len(u) and not len(v):
        return [surface]
    rims: list[Array] = [np.concatenate([[d[0]], k, [d[1]]]) for d, k in zip(surface.domain, (u, v), strict=True)]
    return [
        surface_part(surface, (a, b), (c, d))
        for a, b in zip(rims[0][:-1], rims[0][1:], strict=True)
        for c, d in zip(rims[1][:-1], rims[1][1:], strict=True)
    ]


def over_joint(surface: Surface, along: int, most: int = 4) -> int:
    """Continuous derivatives, ``most`` at most, over the joint of a surface that is closed along u (0) or v (1)."""
    (u0, u1), (v0, v1) = surface.domain
    t = np.linspace(0, 1, _ACROSS)
    if along == 0:
        ends = [surface_derivatives(surface, np.full(_ACROSS, u), v0 + t * (v1 - v0), most)[:, 0] for u in (u0, u1)]
    else:
        ends = [surface_derivatives(surface, u0 + t * (u1 - u0), np.full(_ACROSS, v), most)[0] for v in (v0, v1)]
    for order in range(1, most + 1):
        size = max(float(norm(ends[0][order]).max()), 1e-12)
        if norm(ends[0][order] - ends[1][order]).max() > _EVEN * size:
            return order - 1
    return most
