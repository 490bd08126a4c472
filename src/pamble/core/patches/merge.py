"""Faces that run on into each other made one: put together at a side that they share, as smooth there as they allow."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.patches.conditions import Contains
from pamble.core.patches.rebuild import farthest
from pamble.core.patches.solve import fit
from pamble.core.patches.space import Patch, Space
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_grid
from pamble.core.spline.extremes import largest
from pamble.core.spline.kinks import KINK
from pamble.core.spline.knots import edge_curve, recast_surface, reverse_surface, swap_directions
from pamble.core.spline.poles import off_poles
from pamble.core.spline.surface import EDGES, Surface, from_homogeneous
from pamble.core.surfaces.extrude import common_knots, on_unit

_ALONG, _GRID = 65, 31
_SAME_PACE, _SAME = 1e-7, 2.0
"""Distance, as a share of the side's length and of the tolerance, within which both sides run at one pace: each gives
way by half of it.
"""

_SPANS = (1, 2, 3, 4, 6, 8, 12, 16)


@dataclass(frozen=True)
class Merged:
    """The one surface, in the parameters of the first. deviation: from all, mm, at ``place`` (3,). gap, angle: worst of
    the joints, mm and degrees. knots: how often a joint's knot is left in at most, 0 where nothing marks them. smooth:
    whether the parameters run on at all of them.
    """

    surface: Surface
    deviation: float
    place: Array
    gap: float
    angle: float
    knots: int
    smooth: bool


def merge(faces: Sequence[Face], names: Sequence[str], tolerance: float = 0.001) -> Merged:
    """Untrimmed faces put together in order, each at a whole side of what is there.

    tolerance: how far, mm, the surface may lie off them so that the joint is smooth; sides may be ten times that apart.
    names: for words. Raises `GeometryError` for a face that is trimmed, one that shares no whole side, and a joint that
    is a crease.
    """
    if len(faces) < 2:
        raise GeometryError("Two faces or more are joined.")
    for face, name in zip(faces, names, strict=True):
        if not face.natural:
            raise GeometryError(f"{name} is trimmed: untrim or shrink it first. Only whole sides are joined.")
    surface, gap, angle, left, smooth = faces[0].surface, 0.0, 0.0, 0, True
    for face, name in zip(faces[1:], names[1:], strict=True):
        surface, g, a, knots, even = _joined(surface, face.surface, name, tolerance)
        gap, angle, left, smooth = max(gap, g), max(angle, a), max(left, knots), smooth and even
    off = [farthest(f.surface, surface) for f in faces]
    deviation, place = max(off, key=lambda o: o[0])
    return Merged(surface, deviation, place, gap, angle, left, smooth)


def _joined(a: Surface, b: Surface, name: str, tolerance: float) -> tuple[Surface, float, float, int, bool]:
    side, other, gap = _shared(a, b, name, 10 * tolerance)
    first, back = _turned(a, side, "u1")
    second, _ = _turned(b, other, "u0")
    if _runs_against(edge_curve(first, "u1"), edge_curve(second, "u0")):
        second = reverse_surface(second, "v")
    second = _at_pace(first, second, tolerance)
    angle = _angle(first, second)
    if angle > KINK:
        raise GeometryError(
            f"{name} turns away by {angle:.2f}° where it would be joined: one face has no crease. Blend or fillet it."
        )
    made, left = _smoothed(*_together(first, second), tolerance)
    return back(made), gap, angle, left, left < made.degree_u


def _shared(a: Surface, b: Surface, name: str, reach: float) -> tuple[str, str, float]:
    """The sides along which both lie together, and how far apart, mm. Of two pairs that do, as the halves of a tube
    have, the one at which the second begins and the first ends.
    """
    curves = [{s: edge_curve(x, s) for s in EDGES if s not in x.poles} for x in (a, b)]
    found = []
    for one, two in product(*curves):
        pair = curves[0][one], curves[1][two]
        points = [curve_points(c, np.linspace(*c.domain, _ALONG)) for c in pair]
        away = max(to_curve(pair[1 - k], points[k]).distance.max() for k in (0, 1))
        found.append((float(away), one[1] < two[1], one, two))
    away, _, one, two = min([f for f in found if f[0] <= reach] or [min(found)], key=lambda f: (f[1], f[0]))
    if away > reach:
        raise GeometryError(
            f"{name} shares no whole side with what it is joined to: the nearest are {away:.3f} mm apart. Match it, or "
            "name the faces in another order."
        )
    return one, two, away


def _turned(surface: Surface, side: str, wanted: str) -> tuple[Surface, Callable[[Surface], Surface]]:
    """The surface with a side where it is wanted, u0 or u1, and the way back."""
    swap, against = side[0] == "v", side[1] != wanted[1]

    def there(s: Surface) -> Surface:
        s = swap_directions(s) if swap else s
        return reverse_surface(s, "u") if against else s

    def back(s: Surface) -> Surface:
        s = reverse_surface(s, "u") if against else s
        return swap_directions(s) if swap else s

    return there(surface), back


def _runs_against(a: Curve, b: Curve) -> bool:
    ends = [curve_points(c, c.domain) for c in (a, b)]
    straight, crossed = norm(ends[0] - ends[1]).max(), norm(ends[0] - ends[1][::-1]).max()
    if abs(straight - crossed) > 1e-9 * max(1.0, straight + crossed):
        return bool(crossed < straight)
    # A closed side ends where it begins: a place on its way tells.
    quarter = [curve_points(c, [c.domain[0] + 0.25 * (c.domain[1] - c.domain[0])]) for c in (a, b)]
    foot = to_curve(b, quarter[0]).t[0]
    return bool((foot - b.domain[0]) / (b.domain[1] - b.domain[0]) > 0.5)


def _at_pace(first: Surface, second: Surface, tolerance: float) -> Surface:
    """The second surface with its side u0 run through as the first's side u1 is; itself where it is already."""
    mine, theirs = edge_curve(first, "u1"), edge_curve(second, "u0")
    s = np.linspace(0, 1, _ALONG)
    (a0, a1), (b0, b1) = mine.domain, theirs.domain
    points = curve_points(mine, a0 + s * (a1 - a0))
    size = float(norm(np.diff(points, axis=0)).sum())
    if norm(curve_points(theirs, b0 + s * (b1 - b0)) - points).max() < _SAME_PACE * size + _SAME * tolerance:
        return second
    (u0, u1) = second.domain[0]
    u_knots = (second.knots_u - u0) / (u1 - u0)
    best: tuple[float, Surface] | None = None
    for spans in _SPANS:
        patch = Patch(Space(second.degree_u, u_knots), Space.even(max(5, second.degree_v), spans))

        def lie(u: Array, v: Array) -> Array:
            own = to_curve(theirs, curve_points(mine, a0 + v * (a1 - a0)), b0 + v * (b1 - b0)).t
            return np.asarray(surface_grid(second, u0 + u * (u1 - u0), own)[0, 0])

        made = patch.surface(patch.interpolate(lie))
        off = farthest(second, made)[0]
        if best is None or off < best[0]:
            best = off, made
        if off < 0.2 * tolerance:
            break
    assert best is not None
    return best[1]


def _angle(first: Surface, second: Surface) -> float:
    """Largest angle in degrees between both along the joint."""

    def turned(s: Array) -> Array:
        normals = []
        for surface, at in ((first, 1), (second, 0)):
            (v0, v1) = surface.domain[1]
            rim = np.column_stack([np.full(len(s), surface.domain[0][at]), v0 + s * (v1 - v0)])
            _, d = off_poles(surface, rim, 1)
            normals.append(unit(cross(d[1, 0], d[0, 1])))
        return np.asarray(np.degrees(np.arccos(np.clip(np.abs(dot(*normals)), -1, 1))))[None]

    s = np.linspace(0, 1, _ALONG)
    return float(largest(turned, s, turned(s))[1][0])


def _together(first: Surface, second: Surface) -> tuple[Surface, float]:
    """Both over one net, u from 0 to 1, the joint a knot as often as the degree, and where it is."""
    p = max(first.degree_u, second.degree_u)
    q = max(first.degree_v, second.degree_v)
    columns = [on_unit(edge_curve(s, side)) for s, side in ((first, "u1"), (second, "u0"))]
    knots_v = common_knots(columns, q)
    parts = []
    for s in (first, second):
        (u0, u1), (v0, v1) = s.domain
        unit_square = Surface(
            s.degree_u, s.degree_v, (s.knots_u - u0) / (u1 - u0), (s.knots_v - v0) / (v1 - v0), s.control, s.weights
        )
        knots_u = common_knots([_row(unit_square)], p)
        parts.append(recast_surface(unit_square, (p, q), (knots_u, knots_v)))
    a, b = (x.homogeneous for x in parts)
    rational = any(x.weights is not None for x in parts)
    if rational:
        ratio = a[-1, :, 3] / b[0, :, 3]
        if np.ptp(ratio) > 1e-9 * ratio.max():
            raise GeometryError("The weights of both sides differ: rebuild the faces as polynomial ones first.")
        b = b * ratio[0]
    # The second runs on at the first's pace.
    steps = [norm(_leg(*x)).mean() for x in ((a[-1], a[-2]), (b[0], b[1]))]
    last, first = 1.0 - parts[0].knots_u[-p - 2], parts[1].knots_u[p + 1]
    pace = float((steps[1] / first) / max(steps[0] / last, 1e-300))
    joint = 0.5 * (a[-1] + b[0])
    net = np.concatenate([a[:-1], joint[None], b[1:]])
    inner = [parts[0].knots_u[p + 1 : -p - 1], np.full(p, 1.0), 1.0 + pace * parts[1].knots_u[p + 1 : -p - 1]]
    knots = np.concatenate([np.zeros(p + 1), *inner, np.full(p + 1, 1.0 + pace)]) / (1.0 + pace)
    return from_homogeneous((p, q), (knots, knots_v), net, rational), float(1.0 / (1.0 + pace))


def _leg(end: Array, beside: Array) -> Array:
    """Legs (m, 3) of a net (m, 4) at a side, as long as its points move with the parameter."""
    return np.asarray((beside[:, :3] / beside[:, 3:] - end[:, :3] / end[:, 3:]) * beside[:, 3:] / end[:, 3:])


def _row(surface: Surface) -> Curve:
    """A curve over the surface's knots along u."""
    return Curve(surface.degree_u, surface.knots_u, surface.control[:, 0])


def _smoothed(sharp: Surface, at: float, tolerance: float) -> tuple[Surface, int]:
    """The surface with the joint's knot taken out as often as the tolerance allows, and how often it is left.

    Where the parameters do not run on evenly though the faces do, the surface is laid through them anew.
    """
    p = sharp.degree_u
    rest = sharp.knots_u[np.abs(sharp.knots_u - at) > 1e-9]
    for left in range(p):
        knots = np.sort(np.append(rest, [at] * left))
        places = basis.greville(knots, p)
        rows = basis.combined(sharp.knots_u, p, places, 0, sharp.homogeneous.reshape(len(sharp.control), -1))[0]
        net = np.linalg.solve(basis.matrix(knots, p, places)[0], rows).reshape(-1, *sharp.homogeneous.shape[1:])
        made = from_homogeneous((p, sharp.degree_v), (knots, sharp.knots_v), net, sharp.weights is not None)
        if farthest(sharp, made, alike=True)[0] < tolerance:
            return made, left
    if sharp.weights is not None:
        return sharp, p
    for more in (0, 1, 3):
        made = _laid_anew(sharp, at, more, tolerance)
        if farthest(sharp, made)[0] < tolerance:
            return made, 1
    return sharp, p


def _laid_anew(sharp: Surface, at: float, more: int, tolerance: float) -> Surface:
    """A surface through the points of another, free in how its parameters run; as smooth as its degree at the joint.

    more: spans that are put in on each side of the joint.
    """
    p, q = max(5, sharp.degree_u), max(5, sharp.degree_v)
    breaks = np.unique(np.concatenate([basis.breaks(sharp.knots_u, sharp.degree_u), np.linspace(0, at, more + 2),
                                       np.linspace(at, 1, more + 2)]))  # fmt: skip
    breaks = breaks[np.append(True, np.diff(breaks) > 1e-9)]
    patch = Patch(Space.over(p, breaks), Space.over(q, basis.breaks(sharp.knots_v, sharp.degree_v)))
    start = patch.interpolate(lambda u, v: np.asarray(surface_grid(sharp, u, v)[0, 0]))
    u, v = np.linspace(0, 1, 2 * _GRID), np.linspace(0, 1, _GRID)
    inner = np.stack(np.meshgrid(u[1:-1], v[1:-1], indexing="ij"), axis=2).reshape(-1, 2)
    points = surface_grid(sharp, u[1:-1], v[1:-1])[0, 0].reshape(-1, 3)
    conditions = [Contains(points, inner, tolerance=0.3 * tolerance, name="inside")]
    for k, s in ((0, u), (1, v)):
        for level in (0.0, 1.0):
            uv = np.full((len(s), 2), level)
            uv[:, k] = s
            d = surface_derivatives(sharp, uv[:, 0], uv[:, 1], 1)
            rim, way = d[0, 0], unit(d[1, 0] if k == 0 else d[0, 1])
            conditions.append(Contains(rim, uv, way, k, 0.3 * tolerance, name="side"))
    return patch.surface(fit(patch, conditions, start, tau=3.0, steps=8).control)
