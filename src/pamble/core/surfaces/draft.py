"""Walls with draft: a curve moved along a direction and leaning out of it. Over lines and arcs they are exact."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from pamble.core.arcs import EXACT, arc_of, is_straight
from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve, from_homogeneous
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.kinks import KINK, chain, smooth_parts
from pamble.core.spline.knots import raised_knots
from pamble.core.spline.surface import Surface
from pamble.core.spline.surface import from_homogeneous as surface_of
from pamble.core.surfaces.extrude import sized, unit_way

_ROUNDS = 8
_LEAST_DEGREE = 5
_LEAST_FORWARD = 1e-3
"""Length of a rim's derivative, as a share of the curve's, below which the rim stands still or runs back."""

_EVEN = 1e-6
"""Relative difference of paces and curvatures up to which pieces run on into each other."""

_LOOKED = 33


@dataclass(frozen=True)
class _Lean:
    """way: unit direction of the extrusion (3,). tangent: of the lean's angle. heights: of both rims, mm."""

    way: Array
    tangent: float
    heights: tuple[float, float]

    def side(self, tangent: Array) -> Array:
        """Unit directions (m, 3) to which the wall leans over a curve's tangents (m, 3)."""
        out = cross(unit(tangent), np.tile(self.way, (len(tangent), 1)))
        if norm(out).min() < 1e-6:
            raise GeometryError("The curve runs along the direction somewhere: choose another direction.")
        return np.asarray(unit(out))

    def rim(self, curve: Curve, t: Array, height: float) -> Array:
        """Points and first derivatives of a rim, (2, m, 3)."""
        d = curve_derivatives(curve, t, 2)
        pace, way = norm(d[1])[:, None], np.tile(self.way, (len(t), 1))
        tangent = unit(d[1])
        turn = (d[2] - tangent * dot(tangent, d[2])[:, None]) / pace
        across = cross(tangent, way)
        side, bent = self.side(d[1]), cross(turn, way)
        bend = (bent - side * dot(side, bent)[:, None]) / norm(across)[:, None]
        return np.stack([d[0] + height * (way + self.tangent * side), d[1] + height * self.tangent * bend])


def drafted(
    curve: Curve, direction: Array, start: float, end: float, degrees: float, tolerance: float = 0.001
) -> tuple[Surface, float]:
    """The curve moved along a direction and leaning out of it by an angle: a ruled surface, and how far its rims are
    from the true ones, mm.

    The rulings lean to the side cross(tangent, direction) of the curve, or to the other one for a negative angle. Over
    lines, and arcs square to the direction, the surface is exact (planes and cones, rational as the curve is); over
    other pieces each rim is fitted on their knots, refined until the tolerance holds, its ends and their directions
    exact. Where lines kink in a plane square to the direction the walls meet in a mitre. Raises `GeometryError` where
    a rim would run back, which the angle and the curve's bend do together, at other kinks, and for a curve along the
    direction.

    >>> import numpy as np
    >>> wall, off = drafted(Curve.line([0, 0, 0], [9, 0, 0]), np.array([0, 0, 1.0]), 0, 10, 45)
    >>> wall.control[:, 1].round(9).tolist(), off
    ([[0.0, -10.0, 10.0], [9.0, -10.0, 10.0]], 0.0)
    """
    if not -89 < degrees < 89:
        raise GeometryError(f"A draft lies between -89° and 89°, not at {degrees:g}°.")
    sized(start, end)
    lean = _Lean(unit_way(direction), float(np.tan(np.radians(degrees))), (start, end))
    breaks, pieces = _pieces(curve)
    corners = _corners(pieces, lean)
    made = [_rims(p, lean, c, tolerance) for p, c in zip(pieces, pairwise(corners), strict=True)]
    one, two = (chain([rims[k] for rims, _ in made], breaks) for k in (0, 1))
    net = np.stack([one.homogeneous, two.homogeneous], axis=1)
    knots = one.knots, basis.uniform_knots(1, 1)
    return surface_of((one.degree, 1), knots, net, one.weights is not None), max(off for _, off in made)


def _pieces(curve: Curve) -> tuple[Array, list[Curve]]:
    """The pieces of a curve between places at which its direction, pace or curvature jumps, and where they begin and
    end; without those of no length.
    """
    inner = basis.breaks(curve.knots, curve.degree)[1:-1]
    loose = inner[[bool(np.sum(curve.knots == k) >= curve.degree - 1) for k in inner]] if len(inner) else inner
    parts = smooth_parts(curve, loose)
    ends = [curve_derivatives(p, p.domain, 2) for p in parts]
    joints = [float(t) for t, a, b in zip(loose, ends[:-1], ends[1:], strict=True) if _jumps(a[1:, 1], b[1:, 0])]
    found = smooth_parts(curve, joints)
    size = float(np.ptp(curve.control, axis=0).max())
    kept = [p for p in found if np.ptp(p.control, axis=0).max() > EXACT * size]
    if not kept:
        raise GeometryError("The curve has no length.")
    return np.array([*(p.domain[0] for p in kept), curve.domain[1]]), kept


def _jumps(before: Array, after: Array) -> bool:
    """Whether the derivatives (2, 3) of pieces on both sides of a knot differ by more than rounding."""
    scale = np.maximum(norm(before), norm(after))
    scale[1:] = np.maximum(scale[1:], scale[0])
    return bool((norm(before - after) > _EVEN * scale).any())


def _corners(pieces: Sequence[Curve], lean: _Lean) -> list[Array | None]:
    """The way a mitre leans at the beginning of each piece and the end of the last; None where there is none."""
    sides = [lean.side(curve_derivatives(p, p.domain, 1)[1]) for p in pieces]
    first, last = pieces[0], pieces[-1]
    shut = np.linalg.norm(_end(last, 1) - _end(first, 0)) < 1e-6 * max(1.0, float(np.abs(first.control).max()))
    out: list[Array | None] = [None]
    for k in range(len(pieces)):
        if k + 1 == len(pieces) and not shut:
            return [*out, None]
        after = (k + 1) % len(pieces)
        a, b = sides[k][1], sides[after][0]
        turn = float(np.degrees(np.arccos(np.clip(a @ b, -1.0, 1.0))))
        if turn <= KINK:
            out.append(None)
            continue
        if not all(is_straight(p) and _square(p, lean.way) for p in (pieces[k], pieces[after])):
            x, y, z = _end(pieces[k], 1)
            raise GeometryError(
                f"The curve has a kink of {turn:.1f}° at ({x:.2f}, {y:.2f}, {z:.2f}) mm: only lines in a plane square "
                "to the direction are mitred. Where other walls with draft meet they are trimmed by each other: "
                "extrude the pieces."
            )
        out.append((a + b) / (1.0 + a @ b))
    out[0] = out[-1]
    return out


def _end(piece: Curve, which: int) -> Array:
    return np.asarray(curve_points(piece, [piece.domain[which]])[0])


def _rims(
    piece: Curve, lean: _Lean, corners: tuple[Array | None, Array | None], tolerance: float
) -> tuple[list[Curve], float]:
    """Both rims over a piece, on the same knots, and how far they are off. corners: mitres at its ends."""
    found = _over_line(piece, lean, corners) if is_straight(piece) else _over_arc(piece, lean)
    rims, off = (found, 0.0) if found is not None else _fits(piece, lean, tolerance)
    t = _dense(piece.knots, piece.degree)
    d = curve_derivatives(piece, t, 1)
    for rim, height in zip(rims, lean.heights, strict=True):
        run = curve_derivatives(rim, t, 1)[1] if found is not None else lean.rim(piece, t, height)[1]
        back = dot(run, d[1])
        if (back < _LEAST_FORWARD * dot(d[1], d[1])).any():
            x, y, z = d[0, int(np.argmin(back))]
            raise GeometryError(
                f"The draft folds the rim at {height:g} mm, where the curve bends near ({x:.2f}, {y:.2f}, {z:.2f}) mm: "
                "lean less, go less far, or open the curve there."
            )
    return rims, off


def _square(piece: Curve, way: Array) -> bool:
    """Whether a line lies square to a direction."""
    a, b = _end(piece, 0), _end(piece, 1)
    return bool(abs((b - a) @ way) <= EXACT * np.linalg.norm(b - a))


def _over_line(piece: Curve, lean: _Lean, corners: tuple[Array | None, Array | None]) -> list[Curve]:
    """The rims over a line: lines with its paces."""
    a, b = _end(piece, 0), _end(piece, 1)
    side = lean.side((b - a)[None])[0]
    leaning = [side if c is None else c for c in corners]
    share = (piece.control - a) @ (b - a) / ((b - a) @ (b - a))
    out = []
    for height in lean.heights:
        first, last = (p + height * (lean.way + lean.tangent * c) for p, c in zip((a, b), leaning, strict=True))
        control = (1 - share)[:, None] * first + share[:, None] * last
        out.append(Curve(piece.degree, piece.knots, control, piece.weights))
    return out


def _over_arc(piece: Curve, lean: _Lean) -> list[Curve] | None:
    """The rims over an arc square to the direction: arcs about its axis. None for a piece that is no such arc."""
    arc = arc_of(piece)
    if arc is None or np.linalg.norm(np.cross(arc.axis, lean.way)) > EXACT:
        return None
    middle, radius = arc.centre, arc.radius
    side = lean.side(curve_derivatives(piece, piece.domain[:1], 1)[1])[0]
    outward = 1.0 if side @ arc.spoke > 0 else -1.0
    points = piece.homogeneous
    weight, out = points[:, -1:], []
    for height in lean.heights:
        grown = 1.0 + height * lean.tangent * outward / radius
        moved = grown * points[:, :-1] + weight * ((1 - grown) * middle + height * lean.way)
        rational = piece.weights is not None
        out.append(from_homogeneous(piece.degree, piece.knots, np.hstack([moved, weight]), rational))
    return out


def _fits(piece: Curve, lean: _Lean, tolerance: float) -> tuple[list[Curve], float]:
    """Both rims over any piece, fitted on its knots, which are halved where they miss."""
    degree, own = _space(piece)
    for _ in range(_ROUNDS):
        dense = _dense(own, degree)
        fits = [_fitted(own, degree, dense, lean.rim(piece, dense, height)) for height in lean.heights]
        off = np.maximum(fits[0][1], fits[1][1])
        if off.max() <= tolerance:
            break
        breaks = basis.breaks(own, degree)
        worst = np.zeros(len(breaks) - 1)
        np.maximum.at(worst, np.clip(np.searchsorted(breaks, dense, side="right") - 1, 0, len(worst) - 1), off)
        finer = np.sort(np.concatenate([own, (0.5 * (breaks[1:] + breaks[:-1]))[worst > tolerance]]))
        last, own = own, finer
    else:
        own = last
    return [Curve(degree, own, f[0]) for f in fits], float(off.max())


def _space(piece: Curve) -> tuple[int, Array]:
    """Degree and knots of a polynomial space for the rims of a piece, C1 at the least."""
    if piece.weights is None and piece.degree > 2:
        return piece.degree, piece.knots
    degree = max(piece.degree, _LEAST_DEGREE)
    values, counts = np.unique(raised_knots(piece.knots, piece.degree, degree - piece.degree), return_counts=True)
    counts[1:-1] = np.minimum(counts[1:-1], degree - 1)
    return degree, np.repeat(values, counts)


def _dense(knots: Array, degree: int) -> Array:
    breaks = basis.breaks(knots, degree)
    parts = breaks[:-1, None] + np.diff(breaks)[:, None] * np.linspace(0, 1, _LOOKED)
    return np.unique(parts.ravel())


def _fitted(knots: Array, degree: int, t: Array, wanted: Array) -> tuple[Array, Array]:
    """Control points on knots that meet a line given by points and derivatives (2, m, 3) at parameters best, its ends
    and their derivatives exactly; and how far they lie off that line, (m,).
    """
    b = basis.matrix(knots, degree, t)[0]
    control = np.zeros((b.shape[1], 3))
    control[0], control[-1] = wanted[0, 0], wanted[0, -1]
    control[1] = control[0] + wanted[1, 0] * (knots[degree + 1] - knots[1]) / degree
    control[-2] = control[-1] - wanted[1, -1] * (knots[-2] - knots[-degree - 2]) / degree
    held = [0, 1, -2, -1]
    if b.shape[1] > len(held):
        rest = wanted[0] - b[:, held] @ control[held]
        control[2:-2] = np.linalg.lstsq(b[:, 2:-2], rest, rcond=None)[0]
    miss, along = b @ control - wanted[0], unit(wanted[1])
    return control, norm(miss - dot(miss, along)[:, None] * along)
