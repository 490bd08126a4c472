"""Sweep: sections moved along one rail or between two; the section stays exact, the rows along the rail are the
fewest."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.interpolate import CubicSpline

from pamble.core.arrays import TINY, Array, cross, dot, floats, norm, unit
from pamble.core.curves.measure import curve_length, length_parameters
from pamble.core.curves.meet import nearest
from pamble.core.errors import GeometryError
from pamble.core.patches.sections import alike
from pamble.core.patches.space import Space
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, surface_derivatives
from pamble.core.spline.kinks import refuse_kinks
from pamble.core.spline.surface import Surface

Way = Literal["turning", "fixed", "held", "face"]
"""How the section goes along: turning with the path with least twist, keeping its own direction, with its side held as
near to a direction as can be, or to the normal of a face beside the rail."""

_STATIONS = 401
_FEW_ROWS = 8
_MOST_SPANS = 40
_UNEVEN = 4.0
_MOST_OFF = 1.0
"""How far, mm or a tenth of a per cent of its length, a rail may pass the section by."""


@dataclass(frozen=True)
class Frames:
    """Where the section goes: share of length (m,), origins and axes (m, 3), and the rail's curvature vectors (m, 3).
    t: the same places as shares of the rail's own parameter, (m,).
    """

    s: Array
    origin: Array
    x: Array
    y: Array
    z: Array
    bend: Array
    t: Array


@dataclass(frozen=True)
class Swept:
    """u runs along the section, v along the rail at the pace that takes the fewest rows. deviation: from the true
    sweep, mm.
    """

    surface: Surface
    deviation: float
    turned: tuple[bool, ...]


def path_frames(rail: Curve, way: Way = "turning", held: Array | None = None, face: Surface | None = None) -> Frames:
    """Frames along a rail. Least twist by double reflection (Wang, Juettler, Zheng, Liu, ACM Transactions on Graphics
    27, 2008). Raises `GeometryError` where the held direction runs along the rail.
    """
    refuse_kinks(rail, "The rail", "sweep along its pieces one by one, or round it")
    s = np.linspace(0, 1, _STATIONS)
    at = length_parameters(rail, s)
    t = _shares(at)
    d = curve_derivatives(rail, at, 2)
    origin, z = d[0], unit(d[1])
    bend = (d[2] - dot(d[2], z)[:, None] * z) / np.maximum(dot(d[1], d[1]), TINY)[:, None]
    first = np.cross(z[0], np.eye(3)[int(np.argmin(np.abs(z[0])))])
    if way == "fixed":
        x, y, up = (np.tile(a, (len(s), 1)) for a in np.eye(3))
        return Frames(s, origin, x, y, up, bend, t)
    if way == "turning":
        x = _least_twist(origin, z, first / np.linalg.norm(first))
        return Frames(s, origin, x, cross(z, x), z, bend, t)
    if way == "held":
        up = np.tile(floats(held if held is not None else (0, 0, 1)), (len(s), 1))
    else:
        if face is None:
            raise GeometryError("A sweep that is held to a face needs the face.")
        feet = to_surface(face, origin)
        n = surface_derivatives(face, feet.u, feet.v, 1)
        up = unit(cross(n[1, 0], n[0, 1]))
    side = cross(up, z)
    if (norm(side) < 1e-3 * norm(up)).any():
        p = origin[int(np.argmin(norm(side)))]
        raise GeometryError(
            f"The held direction runs along the rail near ({p[0]:.2f}, {p[1]:.2f}, {p[2]:.2f}) mm: choose another."
        )
    x = unit(side)
    return Frames(s, origin, x, cross(z, x), z, bend, t)


def _shares(at: Array) -> Array:
    return np.asarray((at - at[0]) / (at[-1] - at[0]))


def rail_frames(first: Curve, second: Curve, keep_height: bool = False) -> Frames:
    """Frames between two rails at equal shares of length; the section grows with their distance, in height too unless
    it is kept.
    """
    for name, rail in (("The rail", first), ("The second rail", second)):
        refuse_kinks(rail, name, "sweep along its pieces one by one, or round it")
    s = np.linspace(0, 1, _STATIONS)
    at = [length_parameters(c, s) for c in (first, second)]
    a, b = (curve_derivatives(c, t, 2) for c, t in zip((first, second), at, strict=True))
    chord = b[0] - a[0]
    width = norm(chord)
    if width.min() < 1e-6 * max(float(width.max()), 1e-6):
        p = a[0][int(np.argmin(width))]
        raise GeometryError(
            f"The rails touch near ({p[0]:.2f}, {p[1]:.2f}, {p[2]:.2f}) mm: a section needs room there."
        )
    z = unit(unit(a[1]) + unit(b[1]))
    x = unit(chord)
    y = unit(cross(z, x))
    z = cross(x, y)
    grown = width / width[0]
    high = np.ones(len(s)) if keep_height else grown
    bend = 0.5 * (_bend(a, z) + _bend(b, z))
    t = 0.5 * (_shares(at[0]) + _shares(at[1]))
    return Frames(s, a[0], x * grown[:, None], y * high[:, None], z, bend, t)


def _bend(d: Array, z: Array) -> Array:
    return np.asarray((d[2] - dot(d[2], z)[:, None] * z) / np.maximum(dot(d[1], d[1]), TINY)[:, None])


def _least_twist(points: Array, tangents: Array, start: Array) -> Array:
    """Reflections of the frame from each station to the next: twice a station, one after the other by their nature."""
    v1 = np.diff(points, axis=0)
    c1 = np.maximum(dot(v1, v1), TINY)
    left = tangents[:-1] - (2 / c1 * dot(v1, tangents[:-1]))[:, None] * v1
    v2 = tangents[1:] - left
    c2 = np.maximum(dot(v2, v2), TINY)
    out = np.empty_like(points)
    out[0] = start
    for i in range(len(v1)):
        r = out[i] - 2 / c1[i] * (v1[i] @ out[i]) * v1[i]
        out[i + 1] = r - 2 / c2[i] * (v2[i] @ r) * v2[i]
    return out


def sweep(
    sections: Sequence[Curve], rail: Curve, frames: Frames, *, places: Sequence[float] | None = None,
    straight: bool = False, tolerance: float = 0.002, degree: int = 5,
) -> Swept:  # fmt: skip
    """The surface that sections make on their way along frames.

    places: where the sections stand, as shares of the rail's length; found where the rail comes nearest to them if
    None. Between several sections their shapes pass smoothly or straight into each other. Raises `GeometryError` for a
    rail that misses a section, and for a sweep that crosses itself, with the radius of the path and the reach there.

    >>> rail = Curve.line([0, 0, 0], [100, 0, 0])
    >>> section = Curve.bezier([[0, 0, 0], [0, 3, 8], [0, 8, 0]])
    >>> sweep([section], rail, path_frames(rail)).surface.control.shape[:2]
    (3, 6)
    """
    size = curve_length(rail)
    at = []
    for i, c in enumerate(sections):
        m = nearest(rail, c)
        if places is None and m.gap > max(_MOST_OFF, 1e-3 * size):
            x, y, z = m.points[1]
            raise GeometryError(
                f"The rail misses section {i + 1} by {m.gap:.2f} mm, near ({x:.2f}, {y:.2f}, {z:.2f}) mm: "
                "move the section onto it."
            )
        start, _ = rail.domain
        at.append(curve_length(rail, start, m.t[0]) / size if places is None and m.t[0] > start else 0.0)
    stand = np.array(at if places is None else places, dtype=float)
    order = np.argsort(stand)
    if len(stand) > 1 and np.diff(stand[order]).min() < 1e-6:
        raise GeometryError("Two sections stand at one place of the rail: move one along it.")
    same = alike([sections[i] for i in order], tolerance=tolerance) if len(sections) > 1 else None
    curves = [sections[0]] if same is None else list(same.curves)
    if any(c.weights is not None for c in curves) and len(curves) > 1:
        raise GeometryError("Several sections of a sweep are polynomial: rebuild the rational ones first.")
    local = np.array([_local(c.control, frames, p) for c, p in zip(curves, stand[order], strict=True)])
    moved = carried(local, stand[order], frames, straight)
    first = curves[0]
    u = Space(first.degree, first.knots)
    _refuse_fold(u, moved, frames, first)
    own = fewest_rows(moved, frames.t, tolerance, degree, shape=_shape(first))
    even = own if own[0].count <= _FEW_ROWS else fewest_rows(moved, frames.s, tolerance, degree, shape=_shape(first))
    space, rows, off = min(own, even, key=lambda made: (made[2] > tolerance, made[0].count))
    weights = None if first.weights is None else np.repeat(first.weights[:, None], space.count, axis=1)
    surface = Surface(first.degree, space.degree, first.knots, space.knots, rows.transpose(1, 0, 2), weights)
    return Swept(surface, off, (False,) if same is None else same.turned)


def _local(control: Array, f: Frames, place: float) -> Array:
    """Control points in the frame at a share of the way."""
    axes = [np.array([np.interp(place, f.s, a[:, c]) for c in range(3)]) for a in (f.x, f.y, f.z)]
    origin = np.array([np.interp(place, f.s, f.origin[:, c]) for c in range(3)])
    return np.asarray(np.linalg.solve(np.stack(axes, axis=1), (control - origin).T).T)


def carried(local: Array, places: Array, f: Frames, straight: bool, ring: bool = False) -> Array:
    """Control points at every station, (m, n, 3), of sections (s, n, 3) in the frame at places (s,); ring: the last is
    the first come round.
    """
    if len(local) == 1:
        shape = np.broadcast_to(local[0], (len(f.s), *local[0].shape))
    elif straight or (len(local) == 2 and not ring):
        k = np.clip(np.searchsorted(places, f.s, side="right") - 1, 0, len(places) - 2)
        w = np.clip((f.s - places[k]) / (places[k + 1] - places[k]), 0, 1)
        w = w if straight else w * w * (3 - 2 * w)
        shape = (1 - w)[:, None, None] * local[k] + w[:, None, None] * local[k + 1]
    else:
        inside = np.clip(f.s, places[0], places[-1])
        shape = _round_trip(places, local, f.s) if ring else CubicSpline(places, local, bc_type="natural")(inside)
    axes = (f.x, f.y, f.z)
    return np.asarray(f.origin[:, None] + sum(shape[..., c : c + 1] * axes[c][:, None] for c in range(3)))


def _round_trip(places: Array, local: Array, s: Array) -> Array:
    """Control points between those of a ring: by the fewest waves that pass all, which take fewer rows than a spline;
    by a periodic spline where the places are so uneven that waves would swing.
    """
    waves = np.arange(1, (len(places) - 1) // 2 + 1)

    def columns(t: Array) -> Array:
        turn = 2 * np.pi * t[:, None] * waves
        return np.hstack([np.ones((len(t), 1)), np.cos(turn) / waves**2, np.sin(turn) / waves**2])

    at = columns(places[:-1])
    if len(waves) and np.linalg.cond(at * np.concatenate([[1.0], waves**2, waves**2])) < _UNEVEN:
        made = np.linalg.pinv(at) @ local[:-1].reshape(len(local) - 1, -1)
        return np.asarray((columns(s) @ made).reshape(len(s), *local.shape[1:]))
    return np.asarray(CubicSpline(places, local, bc_type="periodic")(s))


def _shape(section: Curve) -> Array:
    """What its control points weigh in places along a section, (k, n)."""
    at = np.linspace(*section.domain, max(25, 6 * section.spans + 1))
    b: Array = basis.matrix(section.knots, section.degree, at)[0]
    if section.weights is None:
        return b
    b = b * section.weights
    return np.asarray(b / b.sum(axis=1, keepdims=True))


def _refuse_fold(u: Space, moved: Array, f: Frames, section: Curve) -> None:
    """Raise `GeometryError` where the section runs back on its way: its reach is greater than the path's radius."""
    points = np.einsum("un,mnc->muc", _shape(section), moved)
    h = f.s[1] - f.s[0]
    run = np.einsum("muc,mc->mu", np.gradient(points, h, axis=0), unit(np.gradient(f.origin, h, axis=0)))
    i, j = np.unravel_index(int(np.argmin(run)), run.shape)
    pace = float(norm(np.gradient(f.origin, h, axis=0)[[i]])[0])
    if run[i, j] > 1e-4 * pace:
        return
    bend = f.bend[i]
    k = float(np.linalg.norm(bend))
    reach = float((points[i, j] - f.origin[i]) @ bend) / max(k, 1e-12)
    x, y, z = f.origin[i]
    radius = 1 / max(k, 1e-12)
    raise GeometryError(
        f"The sweep crosses itself near ({x:.2f}, {y:.2f}, {z:.2f}) mm: the rail's radius there is {radius:.2f} mm "
        f"and the section reaches {reach:.2f} mm inward. A section that reaches less goes, or a calmer rail."
    )


def fewest_rows(
    moved: Array, s: Array, tolerance: float, degree: int, ring: bool = False, shape: Array | None = None
) -> tuple[Space, Array, float]:
    """The fewest rows along the way that keep the moved section (m, n, 3) at shares ``s`` within the tolerance; (rows,
    n, 3). ring: the end runs on into the start, first and second derivative alike. shape: what the section's control
    points weigh in its places (k, n), at which it is judged; else they are judged themselves.
    """
    m = len(s)
    weight = np.ones(m)
    weight[[0, -1]] = 100.0

    def fitted(breaks: Array) -> tuple[Space, Array, Array]:
        space = Space.over(degree, breaks)
        b = space.matrix(s)[0]
        lines, flat = b * weight[:, None], moved.reshape(m, -1) * weight[:, None]
        if ring:
            ends = space.matrix(np.array([0.0, 1.0]), 2)
            lines = np.vstack([lines, weight[0] * (ends[1:, 1] - ends[1:, 0])])
            flat = np.vstack([flat, np.zeros((2, flat.shape[1]))])
        rows = np.linalg.lstsq(lines, flat, rcond=None)[0]
        miss = (b @ rows).reshape(moved.shape) - moved
        off = norm(miss if shape is None else shape @ miss).max(axis=1)
        return space, rows.reshape(space.count, *moved.shape[1:]), off

    for spans in range(1, 5):
        space, rows, off = fitted(np.linspace(0, 1, spans + 1))
        if off.max() <= tolerance:
            return space, rows, float(off.max())
    breaks = space.breaks
    while off.max() > tolerance and len(breaks) <= _MOST_SPANS:
        span = np.clip(np.searchsorted(breaks, s, side="right") - 1, 0, len(breaks) - 2)
        worst = np.zeros(len(breaks) - 1)
        np.maximum.at(worst, span, off)
        middle = 0.5 * (breaks[1:] + breaks[:-1])
        breaks = np.sort(np.concatenate([breaks, middle[worst > max(tolerance, 0.1 * worst.max())]]))
        space, rows, off = fitted(breaks)
    for needless in breaks[1:-1].tolist():
        fewer = fitted(breaks[breaks != needless])
        if fewer[2].max() <= tolerance:
            breaks = breaks[breaks != needless]
            space, rows, off = fewer
    return space, rows, float(off.max())
