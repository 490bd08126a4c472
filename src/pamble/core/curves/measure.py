"""What there is to say of a curve: length, largest curvature, inflections, deviation from another curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.curves.jets import curve_jets
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.extremes import both_sides, largest
from pamble.core.spline.kinks import kinks

_EACH = 32
_JUMP = 0.01
_GAUSS = np.polynomial.legendre.leggauss(8)
_GAUSS_FEW = np.polynomial.legendre.leggauss(5)


@dataclass(frozen=True)
class CurveFacts:
    """Figures of a curve. length mm; least_radius mm (None when straight) at ``least_point``; largest 1/mm;
    inflections: points (k, 3); humps: local maxima of the curvature.
    """

    length: float
    largest: float
    least_radius: float | None
    least_point: Array
    inflections: Array
    humps: int


def length_and_turn(points: Array) -> Array:
    """Shares of length and of turning passed at each of a row of points (m, d), rising from 0 to at most 2.

    Points at equal steps of it show a shape: they are close together where it turns.
    """
    leg = np.diff(points, axis=0)
    length = np.append(0.0, np.cumsum(norm(leg)))
    way = unit(leg)
    turn = np.append(0.0, norm(np.diff(way, axis=0)))
    turned = np.append(0.0, np.cumsum(turn + np.append(turn[1:], 0.0)))
    return np.asarray(length / length[-1] + turned / max(float(turned[-1]), 1.0))


def samples(curve: Curve, each: int = _EACH) -> Array:
    """Parameters with ``each`` steps in every span, ends included."""
    points = basis.breaks(curve.knots, curve.degree)
    inner = points[:-1, None] + np.diff(points)[:, None] * np.arange(each) / each
    return np.append(inner.ravel(), points[-1])


def curve_length(curve: Curve, start: float | None = None, end: float | None = None) -> float:
    """Arc length in mm between two parameters, by Gauss-Legendre quadrature on ever finer parts until it settles.

    >>> round(curve_length(Curve.line([0, 0, 0], [3, 4, 0])), 9)
    5.0
    """
    a = curve.domain[0] if start is None else start
    b = curve.domain[1] if end is None else end
    points = basis.breaks(curve.knots, curve.degree)
    breaks = np.concatenate([[a], points[(points > a) & (points < b)], [b]])
    last = _length_between(curve, breaks, 1)
    for parts in (2, 8, 32, 128):
        length = _length_between(curve, breaks, parts)
        if abs(length - last) <= 1e-11 * length:
            break
        last = length
    return length


def _length_between(curve: Curve, breaks: Array, parts: int) -> float:
    inner = breaks[:-1, None] + np.diff(breaks)[:, None] * np.arange(parts) / parts
    nodes = np.append(inner.ravel(), breaks[-1])
    x, w = _GAUSS
    half = 0.5 * np.diff(nodes)
    t = (nodes[:-1, None] + half[:, None] * (1 + x)).ravel()
    speed = norm(curve_derivatives(curve, t, 1)[1])
    return float(((speed.reshape(-1, len(x)) * w).sum(axis=1) * half).sum())


_STEPS = 16
"""Steps a span in which lengths are summed up; within one the speed is smooth enough for five Gauss nodes."""


_UNEVEN, _PARTS = 1.5, 8
"""Ratio of paces within a step from which it is parted, and in how many."""


class LengthMap:
    """Arc length of a curve as a map from fractions of it to parameters.

    Steps in which the pace changes much are parted. At a cusp itself the figures are a thousand times coarser.
    """

    def __init__(self, curve: Curve) -> None:
        self._curve = curve
        self._t = samples(curve, _STEPS)
        for last in (False, True):
            x, w = _GAUSS_FEW
            half = 0.5 * np.diff(self._t)
            nodes = (self._t[:-1, None] + half[:, None] * (1 + x)).ravel()
            speed = self._rate(np.concatenate([nodes, self._t]))
            inner = speed[: len(nodes)].reshape(-1, len(x))
            uneven = inner.max(axis=1) > _UNEVEN * np.maximum(inner.min(axis=1), 1e-12)
            if last or not uneven.any():
                break
            parted = np.linspace(self._t[:-1][uneven], self._t[1:][uneven], _PARTS + 1)[1:-1]
            self._t = np.sort(np.concatenate([self._t, parted.ravel()]))
        self._speed = np.maximum(speed[len(nodes) :], 1e-12)
        self._along = np.concatenate([[0.0], np.cumsum((inner * w).sum(axis=1) * half)])

    def _rate(self, t: Array) -> Array:
        """By how much the length grows with the parameter."""
        return norm(curve_derivatives(self._curve, t, 1)[1])

    @property
    def total(self) -> float:
        """Arc length of the curve, mm."""
        return float(self._along[-1])

    def fraction(self, t: float) -> float:
        """About the fraction of the length at a parameter."""
        return float(np.interp(t, self._t, self._along) / self._along[-1])

    def parameters(self, fractions: Array, quick: bool = False) -> Array:
        """Parameters at fractions (0 to 1): within about 1e-10 of the length, or 1e-6 when ``quick``.

        A cubic through the steps' ends with their speeds; then a Newton step on the length from the step's start.
        """
        t, along, speed = self._t, self._along, self._speed
        wanted = np.clip(np.asarray(fractions, dtype=float), 0, 1) * along[-1]
        i = np.clip(np.searchsorted(along, wanted, side="right") - 1, 0, len(t) - 2)
        length, width = np.maximum(along[i + 1] - along[i], 1e-300), t[i + 1] - t[i]
        s = (wanted - along[i]) / length
        m0, m1 = length / speed[i], length / speed[i + 1]
        found = t[i] + s * (m0 + s * (3 * width - 2 * m0 - m1 + s * (m0 + m1 - 2 * width)))
        found = np.clip(found, t[i], t[i + 1])
        if quick:
            return np.asarray(found)
        x, w = _GAUSS_FEW
        part = 0.5 * (found - t[i])
        nodes = t[i][:, None] + part[:, None] * (1 + x)
        rate = self._rate(np.append(nodes.ravel(), found))
        reached = along[i] + (rate[: nodes.size].reshape(nodes.shape) * w).sum(axis=1) * part
        closer = found - (reached - wanted) / np.maximum(rate[nodes.size :], 1e-12)
        return np.asarray(np.clip(closer, t[i], t[i + 1]))


class AffineMap(LengthMap):
    """The same for affine arc length: the integral of the cube root of the curvature, held above nothing where the
    curve is straight. Closer where it bends, on an ellipse nearly the eccentric angle, so that few spans do
    (Guggenheimer, Differential Geometry, chapter 7).
    """

    def __init__(self, curve: Curve) -> None:
        self._least = 1 / max(curve_length(curve), 1e-12)
        super().__init__(curve)

    def _rate(self, t: Array) -> Array:
        d = curve_derivatives(self._curve, t, 2)
        speed = np.maximum(norm(d[1]), 1e-12)
        across = d[2] - (dot(d[2], d[1]) / speed**2)[:, None] * d[1]
        bend = norm(across) / speed**2
        return np.asarray(speed * (bend**2 + self._least**2) ** (1 / 6))


def affine_parameters(curve: Curve, fractions: Array) -> Array:
    """Parameters at fractions (0 to 1) of the affine arc length; see `AffineMap`."""
    return AffineMap(curve).parameters(fractions)


def length_parameters(curve: Curve, fractions: Array, quick: bool = False) -> Array:
    """Parameters at fractions (0 to 1) of the arc length; see `LengthMap`."""
    return LengthMap(curve).parameters(fractions, quick)


def curvature_jumps(curve: Curve, least: float = _JUMP, round: bool = False) -> list[float]:
    """Inner parameters where a curve turns sharply, or its curvature jumps by more than a share of itself; of a closed
    one that is gone round, its start too.

    >>> from pamble.core.spline.kinks import chain
    >>> curvature_jumps(chain([Curve.line([0, 0, 0], [4, 0, 0]), Curve.line([4, 0, 0], [9, 0, 0])], [0, 0.5, 1]))
    []
    """
    breaks = basis.breaks(curve.knots, curve.degree)
    loose = [float(k) for k in breaks[1:-1] if np.sum(curve.knots == k) >= curve.degree - 1]
    if not loose and not round:
        return []
    ends = np.array([breaks[-1], *loose]), np.array([breaks[0], *loose])
    # The pieces before the knots are met just before them.
    before, after = np.split(_bends(curve, np.append(np.nextafter(ends[0], -np.inf), ends[1])), 2)
    size = np.maximum(norm(before), norm(after))
    jumps = norm(before - after) > least * np.maximum(size, 1 / max(curve_length(curve), 1e-12))
    turns = set(kinks(curve)[0].tolist())
    found = [k for k, jump in zip(loose, jumps[1:], strict=True) if jump or k in turns]
    return [float(breaks[0]), *found] if round and jumps[0] else found


def _bends(curve: Curve, t: Array) -> Array:
    """Curvature vectors (m, 3)."""
    d = curve_derivatives(curve, t, 2)
    speed = np.maximum(dot(d[1], d[1]), 1e-300)[:, None]
    return np.asarray((d[2] - dot(d[2], d[1])[:, None] * d[1] / speed) / speed)


def _signed(bend: Array) -> Array:
    """Curvature with a sign that changes where the curve bends to the other side, from curvature vectors in order."""
    size = norm(bend)
    axis = np.linalg.svd(bend, full_matrices=False)[2][0] if len(bend) else np.zeros(3)
    side = np.sign(dot(bend, np.broadcast_to(axis, bend.shape)))
    # A curvature vector that turns slowly keeps its sign; only a reversal from one sample to the next counts.
    direction = unit(bend)
    turn = np.concatenate([[1.0], np.where(dot(direction[1:], direction[:-1]) < 0, -1.0, 1.0)])
    sign = np.cumprod(turn) * (side[0] if side[0] != 0 else 1.0)
    return sign * size


def inflections(curve: Curve) -> Array:
    """Parameters where the curve changes the side to which it bends; none where it is straight."""
    t = samples(curve)
    return _inflections(curve, t, curve_jets(curve, t).bend)


def _inflections(curve: Curve, t: Array, bend: Array) -> Array:
    k = _signed(bend)
    floor = 1e-6 * max(float(np.abs(k).max()), 1e-12)
    found = []
    for i in np.flatnonzero((k[1:] * k[:-1] < 0) & (np.abs(k[1:]) > floor) & (np.abs(k[:-1]) > floor)):
        axis = unit(bend[i + 1] - bend[i])

        def side(x: float, axis: Array = axis) -> float:
            return float(np.dot(curve_jets(curve, [x]).bend[0], axis))

        if side(t[i]) * side(t[i + 1]) < 0:
            found.append(brentq(side, t[i], t[i + 1]))
    return np.array(found)


def most_curved(curve: Curve, t: Array | None = None) -> tuple[Array, float]:
    """Where a curve bends most, (3,), and its curvature there, 1/mm: closed in on between samples and at breaks.

    t: samples (m,) to begin with; close enough by default.
    """
    t = np.sort(np.concatenate([samples(curve) if t is None else t, both_sides(curve)]))

    def bent(t: Array) -> Array:
        return curve_jets(curve, t).curvature[None]

    at, most = largest(bent, t, bent(t))
    return curve_points(curve, at)[0], float(most[0])


def curve_facts(curve: Curve, quick: bool = False) -> CurveFacts:
    """Length, largest curvature and where, inflections, humps of the comb.

    ``quick``: from a few samples, good for a thousandth or so, while the pointer is down.
    """
    if len(curve.control) == 2:
        a, b = curve_points(curve, curve.domain)
        return CurveFacts(float(norm(b - a)), 0.0, None, 0.5 * (a + b), np.zeros((0, 3)), 0)
    t = samples(curve, 12 if quick else _EACH)
    jets = curve_jets(curve, t)
    k = jets.curvature
    place, most = most_curved(curve, t)
    straight = most * float(norm(np.diff(jets.point, axis=0)).sum()) < 1e-9
    finer = np.sort(np.concatenate([samples(curve, 2 * _EACH), both_sides(curve)]))
    rise = np.diff(k if quick else curve_jets(curve, finer).curvature)
    level = 1e-4 * max(most, 1e-15)
    sign = np.sign(np.where(np.abs(rise) < level / _EACH, 0.0, rise))
    sign = sign[sign != 0]
    humps = int(np.sum((sign[:-1] > 0) & (sign[1:] < 0)))
    if straight:
        turns = np.zeros((0, 3))
    elif quick:
        signed = _signed(jets.bend)
        turns = jets.point[:-1][signed[1:] * signed[:-1] < 0]
    else:
        turns = curve_points(curve, _inflections(curve, t, jets.bend))
    length = LengthMap(curve).total if quick else curve_length(curve)
    return CurveFacts(length, most, None if straight else 1.0 / most, place, turns, humps)


@dataclass(frozen=True)
class Deviation:
    """Largest distance of one curve from another, mm, and where: a point on the first."""

    distance: float
    point: Array


def deviation(curve: Curve, other: Curve, least: int = 500) -> Deviation:
    """How far ``curve`` strays from ``other`` and ``other`` from ``curve``, whichever is more.

    Judged at ``least`` places or more on each, ends included; the farthest are closed in on between them.
    """
    out = []
    for a, b in ((curve, other), (other, curve)):

        def away(t: Array, a: Curve = a, b: Curve = b) -> Array:
            return to_curve(b, curve_points(a, t)).distance[None]

        t = samples(a, max(40, -(-least // a.spans)))
        at, most = largest(away, t, away(t))
        out.append(Deviation(float(most[0]), curve_points(a, at)[0]))
    return max(out, key=lambda d: d.distance)


def extent(curve: Curve, direction: Array) -> tuple[Array, Array]:
    """The two points (3,) of a curve that lie farthest back and farthest on along ``direction`` (3,).

    Ends and places where the curve runs square to the direction, found among samples and closed in on by Newton steps.
    """
    d = unit(np.asarray(direction, dtype=float)[None])[0]
    t = samples(curve, 64)
    height = curve_points(curve, t) @ d
    found: list[Array] = []
    for i in (int(np.argmin(height)), int(np.argmax(height))):
        low, high = t[max(i - 1, 0)], t[min(i + 1, len(t) - 1)]
        x = float(t[i])
        for _ in range(12):
            s = curve_derivatives(curve, [x], 2)[:, 0] @ d
            if abs(s[2]) < 1e-14:
                break
            x = float(np.clip(x - s[1] / s[2], low, high))
        places = curve_points(curve, np.array([t[i], x]))
        heights = places @ d
        best = int(np.argmin(heights)) if not found else int(np.argmax(heights))
        found.append(places[best])
    return found[0], found[1]
