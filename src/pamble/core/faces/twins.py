"""Trim loops on a surface that has changed: their parameter curves stay, their twins in space are made anew."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from itertools import pairwise

import numpy as np
from scipy.optimize import brentq

from pamble.core.arrays import Array, norm
from pamble.core.curves.transform import Affine
from pamble.core.faces.face import Edge, Face
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import curve_part, edge_curve, reverse_curve, reverse_surface, swap_directions
from pamble.core.spline.surface import Surface

_DEGREE = 5
_SPANS = (1, 2, 3, 4, 6, 8, 12, 16, 24, 32, 48, 64)
_COARSE, _FINER, _MOST = 8, 24, 400
"""Spans from which those are halved in which even ones do not reach, so often at most, up to so many."""

_EACH = 24
"""Samples for each span of a fit."""

_ROUGH = 2
"""Orders of derivatives that run on over a knot, below which a line across it is fitted with a break."""

_LOOKED, _HAIR = 257, 1e-6
"""Places at which crossings are looked for, and the share of a line within which two breaks are one."""

Places = Callable[[Array], Array]
"""Points (m, d) over parameters (m,)."""


def on_surface(face: Face, surface: Surface, tolerance: float) -> Face:
    """The face with another surface of the same parameters under its trim loops.

    Edges along sides stay exact, the others lie on the new surface within ``tolerance`` (mm).
    """
    if face.natural:
        return Face(surface, (), face.names)
    loops = tuple(tuple(_moved(e, surface, tolerance) for e in loop) for loop in face.loops)
    return Face(surface, loops, face.names)


def moved_face(face: Face, change: Affine) -> Face:
    """The face moved, turned, mirrored or scaled with its trims; exact. Its outside stays outside."""
    surface = change.apply(face.surface)
    loops = tuple(
        tuple(Edge(surface, e.name, e.pcurve, e.inward, change.apply(e.space), e.at) for e in loop)
        for loop in face.loops
    )
    made = Face(surface, loops, face.names)
    return turn_over(made) if np.linalg.det(change.matrix) < 0 else made


def turn_over(face: Face) -> Face:
    """The same face with its normal on the other side; its edges keep their names."""
    surface = swap_directions(face.surface)
    u0, u1, v0, v1 = face.names
    return Face(
        surface, tuple(tuple(_turned(e, surface) for e in reversed(loop)) for loop in face.loops), (v0, v1, u0, u1)
    )


def run_back(face: Face) -> Face:
    """The same face with u run through the other way, its normal on the other side; its edges keep their names."""
    surface, ends = reverse_surface(face.surface, "u"), sum(face.surface.domain[0])
    u0, u1, v0, v1 = face.names
    loops = tuple(tuple(_back(e, surface, ends) for e in reversed(loop)) for loop in face.loops)
    return Face(surface, loops, (u1, u0, v0, v1))


def _back(e: Edge, surface: Surface, ends: float) -> Edge:
    """An edge where u runs the other way. A whole side is run as its surface runs it. ends: sum of the limits of u."""
    control = np.column_stack([ends - e.pcurve.control[:, 0], e.pcurve.control[:, 1]])
    pcurve, inward = replace(e.pcurve, control=control), -e.inward
    side = e.side
    if e.natural and side is not None and side[0] == "v":
        pcurve, inward = reverse_curve(pcurve), e.inward
    at = {"u0": "u1", "u1": "u0"}.get(side, side) if side is not None else None
    return Edge(surface, e.name, pcurve, inward, e.curve, at, e.whole)


def _turned(e: Edge, surface: Surface) -> Edge:
    p = Curve(e.pcurve.degree, e.pcurve.knots, e.pcurve.control[:, ::-1], e.pcurve.weights)
    at = None if e.side is None else {"u": "v", "v": "u"}[e.side[0]] + e.side[1]
    return Edge(surface, e.name, p, -e.inward, e.curve, at, e.whole)


def _moved(edge: Edge, surface: Surface, tolerance: float) -> Edge:
    if edge.side is not None and surface.domain == edge.surface.domain:
        whole = edge_curve(surface, edge.side)
        space = whole if edge.domain == whole.domain else curve_part(whole, *edge.domain)
    else:
        space = twin(surface, edge.pcurve, tolerance)
    return Edge(surface, edge.name, edge.pcurve, edge.inward, space, edge.at)


def twin(surface: Surface, pcurve: Curve, tolerance: float) -> Curve:
    """The curve in space over a curve of the parameter plane, on its parameters, within ``tolerance`` (mm)."""

    def place(t: Array) -> Array:
        uv = curve_points(pcurve, t)
        return surface_points(surface, uv[:, 0], uv[:, 1])

    return fitted_like(
        pcurve, place, tolerance, rough_places(surface, pcurve.domain, lambda t: curve_points(pcurve, t))
    )


def fitted_like(curve: Curve, places: Places, tolerance: float, rough: Mapping[float, int] | None = None) -> Curve:
    """A curve through the places (m, d) over parameters (m,) of another, within ``tolerance`` of them.

    Degree 5, the fewest spans that reach, each break of the other curve kept with what smoothness it has there; the
    best found if none does. rough: parameters of further breaks, with their smoothness. Both ends are exact.
    """
    start, end = curve.domain
    best: tuple[float, Curve] | None = None
    knots = np.zeros(0)
    for step in range(len(_SPANS) + _FINER):
        if step < len(_SPANS):
            knots = _knots(curve, _SPANS[step], rough or {})
        elif step == len(_SPANS):
            knots = _knots(curve, _COARSE, rough or {})
        breaks = basis.breaks(knots, _DEGREE)
        t = np.linspace(breaks[:-1], breaks[1:], _EACH + 1, axis=1)
        made = _fit(knots, np.unique(t), places(np.unique(t)))
        between = 0.5 * (t[:, 1:] + t[:, :-1])
        off = norm(curve_points(made, between.ravel()) - places(between.ravel())).reshape(between.shape).max(axis=1)
        if best is None or off.max() < best[0]:
            best = float(off.max()), made
        if off.max() <= tolerance or len(breaks) > _MOST:
            break
        if step >= len(_SPANS):
            # Spans as short everywhere as one place asks for, where a line passes a pole, would be too many.
            knots = np.sort(np.append(knots, (0.5 * (breaks[1:] + breaks[:-1]))[off > tolerance]))
    assert best is not None
    return best[1] if best[1].domain == (start, end) else curve_part(best[1], start, end)


def rough_places(surface: Surface, domain: tuple[float, float], uv: Places) -> dict[float, int]:
    """Where a line (m, 2) over parameters (m,) crosses a knot at which a surface's derivatives jump, those of second
    order or lower, as between the quarters of a circle; and how many orders run on there.
    """
    out: dict[float, int] = {}
    t = np.linspace(*domain, _LOOKED)
    for k, (knots, degree) in enumerate(((surface.knots_u, surface.degree_u), (surface.knots_v, surface.degree_v))):
        for value in basis.breaks(knots, degree)[1:-1].tolist():
            smooth = degree - int(np.sum(knots == value))
            over = uv(t)[:, k] > value if smooth < _ROUGH else np.zeros(len(t), dtype=bool)
            for i in np.flatnonzero(over[1:] != over[:-1]):
                ends = t[i : i + 2]
                # What jumps beside a pole crosses nothing.
                if (uv(ends[:1])[0, k] > value) != (uv(ends[1:])[0, k] > value):
                    at = float(brentq(lambda x, k=k, value=value: uv(np.array([x]))[0, k] - value, *ends))
                    out[at] = min(out.get(at, smooth), max(0, smooth))
    return out


def _knots(curve: Curve, spans: int, rough: Mapping[float, int]) -> Array:
    """Even knots between a curve's own breaks and others, these as smooth as it is there."""
    p = curve.degree
    own = basis.breaks(curve.knots, p)
    inner = curve.knots[p + 1 : len(curve.knots) - p - 1]
    smooth = {b: max(0, p - int(np.sum(inner == b))) for b in own.tolist()[1:-1]}
    hair = _HAIR * (own[-1] - own[0])
    for at, orders in rough.items():
        near = own[np.abs(own - at).argmin()]
        if abs(near - at) > hair:
            smooth[at] = orders
        elif float(near) in smooth:
            smooth[float(near)] = min(smooth[float(near)], orders)
    breaks = [float(own[0]), *sorted(smooth), float(own[-1])]
    parts = [np.full(_DEGREE + 1, breaks[0])]
    each = max(1, round(spans / (len(breaks) - 1)))
    for a, b in pairwise(breaks):
        parts.append(np.linspace(a, b, each + 1)[1:-1])
        if b in smooth:
            parts.append(np.full(max(1, _DEGREE - smooth[b]), b))
    return np.concatenate([*parts, np.full(_DEGREE + 1, breaks[-1])])


def _fit(knots: Array, t: Array, points: Array) -> Curve:
    values = basis.matrix(knots, _DEGREE, t)[0]
    control = np.zeros((values.shape[1], points.shape[1]))
    control[0], control[-1] = points[0], points[-1]
    rest = points - values[:, :1] * points[0] - values[:, -1:] * points[-1]
    inner = values[:, 1:-1]
    control[1:-1] = np.linalg.solve(inner.T @ inner, inner.T @ rest)
    return Curve(_DEGREE, knots, control)
