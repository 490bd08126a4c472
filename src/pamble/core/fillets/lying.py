"""A patch that lies on a face beside a line in its parameters, as closely as a seam with curvature asks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.curves.few_cvs import open_fit
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.inside import inside
from pamble.core.faces.regions.sources import plane_scale
from pamble.core.patches.side import neighbour
from pamble.core.patches.space import Patch, Space
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives, surface_grid
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.extend import grown

_SLANT = 0.3
"""Sine of the least angle between the line and the border at which it begins."""

_AIMS = 3e-4, np.radians(0.003), 0.004
"""How far off the face the strip may lie, mm; and at the sides where it goes on into it, its normal, radians, and its
curvature across, as a share.
"""

_ALONG, _ACROSS = (1, 2, 3, 4, 6, 8, 12, 16, 24), (1, 2, 3, 4, 6)
"""Even spans that are tried."""

_PLACES, _BEYOND = 81, 0.3
"""Places along the line at which the far side is sought, and by how much of its size the face is carried on there."""

_NEAR, _FAR = 5e-4, 0.01
"""How far the strip's near side may lie from the line, mm, and its far side from where it is sought, as a share of the
width.
"""

_OUT = 1e-3
"""How far, mm, the far side may lie beyond the border where it begins on it."""

_CUT_AWAY = 9
"""Rows between both sides in which a cut face is looked at."""

_DEGREE = 5
_WORTH = 0.75
"""Share of the worst figure to which more spans have to bring it to be worth their CVs."""


@dataclass(frozen=True)
class Strip:
    """surface: v0 lies on the line, u1 is where this ends. off: how far it lies off the face, mm. ratio: its worst
    figure over its aim.
    """

    surface: Surface
    off: float
    ratio: float

    @property
    def spans(self) -> tuple[int, int]:
        return self.surface.spans


def strip_beside(
    face: Face, line: Curve, width: float, spans: tuple[int, int] | None = None, start: tuple[int, int] = (1, 1)
) -> Strip:
    """The strip of a face beside a line in its parameters. It begins along the face's border, and ends square to the
    line. width: mm, on the right of the line if negative, seen from the normal. spans: along and across, found if None,
    from ``start`` on. Raises `GeometryError` for a strip that reaches beyond the face.
    """
    points = _laid(face, line, width)
    tried: list[Strip] = []

    def look(along: int, across: int) -> Strip:
        patch = Patch(Space.even(_DEGREE, along), Space.even(_DEGREE, across))
        made = patch.surface(patch.interpolate(points))
        tried.append(Strip(made, *_figures(face.surface, made)))
        return tried[-1]

    if spans is not None:
        return look(*spans)
    for along in (n for n in _ALONG if n >= start[0]):
        # More spans across are of no use while there are too few along: two steps that bring little are enough.
        best, idle = np.inf, 0
        for across in (n for n in _ACROSS if n >= start[1]):
            ratio = look(along, across).ratio
            idle = idle + 1 if ratio > _WORTH * best else 0
            best = min(best, ratio)
            if ratio <= 1.0 or idle > 1:
                break
        if ratio <= 1.0:
            break
    least = min(s.ratio for s in tried)
    good = [s for s in tried if s.ratio <= max(1.0, least / _WORTH)]
    return min(good, key=lambda s: s.surface.control.size)


def _figures(surface: Surface, made: Surface) -> tuple[float, float]:
    """How far a strip lies off the face, mm, and its worst figure over its aim: inside that, at v1 and u1 the angle and
    the curvature across as well.
    """
    s = np.linspace(0, 1, 61)
    grid = surface_grid(made, s, np.linspace(0, 1, 13))[0, 0].reshape(-1, 3)
    off = float(to_surface(surface, grid).distance.max())
    ends = np.ones_like(s)
    uv = np.vstack([np.column_stack([s, ends]), np.column_stack([ends, s])])
    mine = neighbour(made, uv)
    d = surface_derivatives(made, uv[:, 0], uv[:, 1], 1)
    foot = to_surface(surface, mine.point)
    theirs = neighbour(surface, np.column_stack([foot.u, foot.v]))
    sign = np.sign(dot(mine.normal, theirs.normal))
    angle = norm(cross(mine.normal, theirs.normal)).max()
    along = unit(np.vstack([d[1, 0, : len(s)], d[0, 1, len(s) :]]))
    across = cross(theirs.normal, along)
    one, other = (np.einsum("mi,mij,mj->m", across, x.bend, across) for x in (mine, theirs))
    floor = 1.0 / surface.diagonal
    bend = (np.abs(one * sign - other) / np.maximum(np.abs(other), floor)).max()
    return off, float(max(x / aim for x, aim in zip((off, angle, bend), _AIMS, strict=True)))


def _laid(face: Face, line: Curve, width: float) -> Callable[[Array, Array], Array]:
    """Points (a, b, 3) of the face at shares along the line (a,), and of the way from it to the strip's far side (b,).

    Both rims are curves of few CVs in the face's parameters: what a line laid onto the face has of small waves its
    direction has much more of, and the far side most. Raises `GeometryError`.
    """
    surface = face.surface
    scale = plane_scale(surface)
    t = np.linspace(0, 1, _PLACES)
    near = _few(curve_points(line, t), t, scale, _NEAR)
    p = curve_derivatives(near, t, 1)
    d = surface_derivatives(surface, p[0, :, 0], p[0, :, 1], 1)
    run = unit(d[1, 0] * p[1, :, :1] + d[0, 1] * p[1, :, 1:])
    side = np.sign(width) * cross(unit(cross(d[1, 0], d[0, 1])), run)
    border, way = _border(face, d[0, 0, 0], side[0])
    turn = (way @ run[0] / (way @ side[0]) * (1 - t) ** 2)[:, None]
    wide = grown(surface, _BEYOND)
    foot = to_surface(wide, d[0, 0] + abs(width) * (side + turn * run), (p[0, :, 0], p[0, :, 1]))
    uv = np.column_stack([foot.u, foot.v])
    # The far side begins on the border too, wherever that bends to.
    begin = to_curve(border.space, foot.point[:1])
    end = to_surface(surface, begin.point)
    uv += np.outer((1 - t) ** 3, np.array([end.u[0], end.v[0]]) - uv[0])
    far = _few(uv, t, scale, _FAR * abs(width))
    if far.spans % near.spans and near.spans % far.spans:
        far = _few(uv, t, scale, _FAR * abs(width), near.spans)
    _refuse(face, p[0], curve_points(far, t), abs(width), scale)

    def points(s: Array, v: Array) -> Array:
        a, b = curve_points(near, s), curve_points(far, s)
        at = a[:, None] + v[None, :, None] * (b - a)[:, None]
        flat = surface_derivatives(surface, at[..., 0].ravel(), at[..., 1].ravel(), 0)[0, 0]
        return np.asarray(flat.reshape(len(s), len(v), 3))

    return points


def _few(uv: Array, share: Array, scale: Array, tolerance: float, least: int = 1) -> Curve:
    """A curve of few even spans within a tolerance, mm, of places (m, 2) in the face's parameters; of so many, or a
    multiple of that, at ``least``.
    """
    flat = np.column_stack([uv * scale, np.zeros(len(uv))])
    for spans in (n for n in _ALONG if n % least == 0):
        made = open_fit(flat, share, tolerance, spans)
        if to_curve(made, flat).distance.max() <= tolerance:
            break
    return Curve(made.degree, made.knots, made.control[:, :2] / scale)


def _refuse(face: Face, near: Array, far: Array, width: float, scale: Array) -> None:
    """Raise `GeometryError` where the far side (m, 2) of a strip leaves the face or turns back against its line (m, 2),
    or where the face was cut away between them.
    """
    surface = face.surface
    (u0, u1), (v0, v1) = surface.domain
    low, high = np.array([u0, v0]), np.array([u1, v1])
    held = np.clip(far, low, high)
    points, beyond = (surface_derivatives(surface, uv[:, 0], uv[:, 1], 0)[0, 0] for uv in (near, held))
    out = np.maximum(low - far, far - high) * scale
    if norm(beyond - points).min() < 0.7 * width or out.max() > _OUT or out[_PLACES // 10 :].max() >= 0:
        raise GeometryError(
            "The strip beside the line reaches beyond the face: make it narrower, or take the other side."
        )
    if not face.natural:
        across = np.linspace(0.1, 0.9, _CUT_AWAY)[:, None, None]
        between = (near + across * (held - near))[:, _PLACES // 20 :].reshape(-1, 2)
        lost = between[~inside(face, between[:, 0], between[:, 1])]
        if len(lost):
            x, y, z = surface_derivatives(surface, lost[:1, 0], lost[:1, 1], 0)[0, 0, 0]
            raise GeometryError(
                f"The face was cut away below the strip near ({x:.2f}, {y:.2f}, {z:.2f}) mm: make the strip narrower, "
                "take the other side, or lead the line elsewhere."
            )
    if (dot(np.diff(beyond, axis=0), np.diff(points, axis=0)) <= 0).any():
        raise GeometryError(
            "The strip beside the line turns back on itself: begin the line more squarely to the border, or make the "
            "strip narrower."
        )


def _border(face: Face, start: Array, side: Array) -> tuple[Edge, Array]:
    """The border at which a line starts (3,), and its direction there, on the strip's side."""
    feet = [(to_curve(e.space, start[None]), e) for e in face.edges]
    foot, border = min(feet, key=lambda f: float(f[0].distance[0]))
    way = unit(curve_derivatives(border.space, foot.t, 1)[1])[0]
    way = way if way @ side > 0 else -way
    if way @ side < _SLANT:
        raise GeometryError("The line runs along the border where it begins: lead it away from there.")
    return border, np.asarray(way)
