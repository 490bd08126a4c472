"""Frames in which a section goes: along a rail, or between two."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields
from typing import Literal

import numpy as np

from pamble.core.arrays import TINY, Array, IntArray, cross, dot, floats, norm, unit
from pamble.core.curves.measure import LengthMap
from pamble.core.curves.piecewise import loose_shares, runs_round
from pamble.core.errors import GeometryError
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, surface_derivatives
from pamble.core.spline.kinks import refuse_kinks
from pamble.core.spline.surface import Surface

Way = Literal["turning", "fixed", "held", "face"]
"""How the section goes along: turning with the path with least twist, keeping its own direction, with its side held as
near to a direction as can be, or to the normal of a face beside the rail."""

_NARROW = 1e-6
"""Share of the widest place below which two rails touch."""


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

    def taken(self, numbers: IntArray) -> Frames:
        """Those of some numbers."""
        return Frames(*(getattr(self, f.name)[numbers] for f in fields(self)))


@dataclass(frozen=True)
class Path:
    """The way of a section. rails: one or two; at: the frames at rising shares of length (m,), of a closed rail with
    both ends among them; way: along one rail, None between two; up: the direction to which it is held, (3,); loose:
    shares at which a rail is less smooth than a spline of degree 5 is; closed: whether it comes back to its start
    without a kink.
    """

    rails: tuple[Curve, ...]
    at: Callable[[Array], Frames]
    way: Way | None
    up: Array
    loose: tuple[float, ...]
    closed: bool

    @property
    def rail(self) -> Curve:
        """The first rail."""
        return self.rails[0]


def along(rail: Curve, way: Way = "turning", held: Array | None = None, face: Surface | None = None) -> Path:
    """The path along a rail; on a closed one the twist that is left after a turn is spread over it.

    Least twist by double reflection (Wang, Juettler, Zheng, Liu, ACM Transactions on Graphics 27, 2008). Raises
    `GeometryError` for a rail with a kink, and, with the frames, where the held direction runs along the rail.
    """
    refuse_kinks(rail, "The rail", "sweep along its pieces one by one, or round it")
    if way == "face" and face is None:
        raise GeometryError("A sweep that is held to a face needs the face.")
    up, length, closed = floats(held if held is not None else (0, 0, 1)), LengthMap(rail), runs_round(rail)

    def at(s: Array) -> Frames:
        own = length.parameters(s)
        d = curve_derivatives(rail, own, 2)
        origin, z = d[0], unit(d[1])
        bend = (d[2] - dot(d[2], z)[:, None] * z) / np.maximum(dot(d[1], d[1]), TINY)[:, None]
        if way == "fixed":
            x, y, z = (np.tile(a, (len(s), 1)) for a in np.eye(3))
        elif way == "turning":
            x = _turning(origin, z, s, closed)
            y = cross(z, x)
        else:
            x = _held(origin, z, np.tile(up, (len(s), 1)) if face is None or way == "held" else _normals(face, origin))
            y = cross(z, x)
        return Frames(s, origin, x, y, z, bend, _shares(rail, own))

    return Path((rail,), at, way, up, tuple(loose_shares(rail, length)), closed)


def between(first: Curve, second: Curve, keep_height: bool = False) -> Path:
    """The path between two rails at equal shares of length; the section grows with their distance, in height too unless
    it is kept. Raises `GeometryError` for rails with a kink, and, with the frames, where they touch.
    """
    for name, rail in (("The rail", first), ("The second rail", second)):
        refuse_kinks(rail, name, "sweep along its pieces one by one, or round it")
    lengths = [LengthMap(c) for c in (first, second)]

    def at(s: Array) -> Frames:
        own = [length.parameters(s) for length in lengths]
        a, b = (curve_derivatives(c, t, 2) for c, t in zip((first, second), own, strict=True))
        chord = b[0] - a[0]
        width = norm(chord)
        if width.min() < _NARROW * max(float(width.max()), 1e-6):
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
        t = 0.5 * (_shares(first, own[0]) + _shares(second, own[1]))
        return Frames(s, a[0], x * grown[:, None], y * high[:, None], z, bend, t)

    loose = sorted({x for c, length in zip((first, second), lengths, strict=True) for x in loose_shares(c, length)})
    return Path((first, second), at, None, np.zeros(3), tuple(loose), runs_round(first) and runs_round(second))


def _shares(rail: Curve, t: Array) -> Array:
    low, high = rail.domain
    return np.asarray((t - low) / (high - low))


def _bend(d: Array, z: Array) -> Array:
    return np.asarray((d[2] - dot(d[2], z)[:, None] * z) / np.maximum(dot(d[1], d[1]), TINY)[:, None])


def _turning(points: Array, tangents: Array, s: Array, closed: bool) -> Array:
    """Axes (m, 3) that turn with a path with least twist."""
    z = tangents[0]
    first = np.cross(z, np.eye(3)[int(np.argmin(np.abs(z)))])
    x = _least_twist(points, tangents, first / np.linalg.norm(first))
    if not closed:
        return x
    y = cross(tangents, x)
    twist = float(np.arctan2(x[0] @ y[-1], x[0] @ x[-1]))
    back = twist * s[:, None]
    return np.asarray(np.cos(back) * x + np.sin(back) * y)


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


def _held(origin: Array, z: Array, up: Array) -> Array:
    """Axes (m, 3) square to a path (m, 3) and to directions (m, 3) to which it is held."""
    side = cross(up, z)
    if (norm(side) < 1e-3 * norm(up)).any():
        p = origin[int(np.argmin(norm(side)))]
        raise GeometryError(
            f"The held direction runs along the rail near ({p[0]:.2f}, {p[1]:.2f}, {p[2]:.2f}) mm: choose another."
        )
    return np.asarray(unit(side))


def _normals(face: Surface, points: Array) -> Array:
    feet = to_surface(face, points)
    n = surface_derivatives(face, feet.u, feet.v, 1)
    return np.asarray(unit(cross(n[1, 0], n[0, 1])))


def local(control: Array, f: Frames, index: int) -> Array:
    """Control points (n, 3) in the frame of a number."""
    axes = np.stack([f.x[index], f.y[index], f.z[index]], axis=1)
    return np.asarray(np.linalg.solve(axes, (control - f.origin[index]).T).T)


def moved(shape: Array, f: Frames) -> Array:
    """Control points in the frames, (m, n, 3) each, in space."""
    axes: Sequence[Array] = (f.x, f.y, f.z)
    return np.asarray(f.origin[:, None] + sum(shape[..., c : c + 1] * axes[c][:, None] for c in range(3)))
