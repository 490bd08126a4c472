"""B-spline basis functions for whole arrays of parameters: by the power coefficients of each span, by scipy where the
degree is high.

A parameter outside the domain uses the nearest span, so the end pieces continue as polynomials.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache
from itertools import pairwise

import numpy as np
from scipy.interpolate import BSpline

from pamble.core.arrays import Array, IntArray
from pamble.core.errors import GeometryError


def check_knots(knots: Array, degree: int, count: int) -> None:
    """Raise `GeometryError` unless ``knots`` is a valid clamped-or-open vector for ``count`` control points."""
    _check_knots(knots.tobytes(), degree, count)


@lru_cache(maxsize=512)
def _check_knots(key: bytes, degree: int, count: int) -> None:
    knots = np.frombuffer(key)
    if not 1 <= degree <= 25:
        raise GeometryError(f"Degree {degree} is out of range: 1 to 25 is possible.")
    if count < degree + 1:
        raise GeometryError(f"Degree {degree} needs at least {degree + 1} control points, {count} were given.")
    if len(knots) != count + degree + 1:
        raise GeometryError(
            f"{count} control points of degree {degree} need {count + degree + 1} knots, {len(knots)} were given."
        )
    if not np.all(np.isfinite(knots)):
        raise GeometryError("A knot is not a finite number.")
    if np.any(np.diff(knots) < 0):
        at = int(np.argmax(np.diff(knots) < 0)) + 1
        raise GeometryError(f"Knots are out of order: knot {at} ({knots[at]:g}) is below the one before it.")
    if not knots[degree] < knots[count]:
        raise GeometryError("The knot vector has no length.")
    inner = knots[(knots > knots[degree]) & (knots < knots[count])]
    if len(inner) and np.unique(inner, return_counts=True)[1].max() > degree:
        raise GeometryError(f"An inner knot is repeated more than {degree} times: the piece would fall apart there.")


def breaks(knots: Array, degree: int) -> Array:
    """Distinct knots of the domain, ends included; not to be written to."""
    return _breaks(np.asarray(knots, dtype=np.float64).tobytes(), degree)


@lru_cache(maxsize=512)
def _breaks(key: bytes, degree: int) -> Array:
    knots = np.frombuffer(key)
    out = np.unique(knots[degree : len(knots) - degree])
    out.setflags(write=False)
    return out


def span_count(knots: Array, degree: int) -> int:
    """Number of polynomial pieces."""
    return len(breaks(knots, degree)) - 1


def uniform_knots(degree: int, spans: int, start: float = 0.0, end: float = 1.0) -> Array:
    """Clamped knots with ``spans`` equal pieces."""
    return knots_from_breaks(np.linspace(start, end, spans + 1), degree)


def knots_from_breaks(points: Array, degree: int, multiplicity: int = 1) -> Array:
    """Clamped knots with each inner break repeated ``multiplicity`` times."""
    return np.concatenate(
        [np.full(degree + 1, points[0]), np.repeat(points[1:-1], multiplicity), np.full(degree + 1, points[-1])]
    )


def spread_knots(degree: int, spans: int, stops: Sequence[float]) -> Array:
    """Clamped knots on [0, 1] of about so many spans, even between stops, at which a function has no more than its
    first derivative.
    """
    if not stops:
        return uniform_knots(degree, spans)
    parts = [np.zeros(degree + 1)]
    for i, (low, high) in enumerate(pairwise([0.0, *stops, 1.0])):
        n = max(1, round((spans - len(stops) - 1) * (high - low)) + 1)
        parts.append(np.linspace(low, high, n + 1)[1:-1])
        if i < len(stops):
            parts.append(np.full(degree - 1, high))
    return np.concatenate([*parts, np.ones(degree + 1)])


def stops_apart(places: Iterable[float], least: float, within: float) -> list[float]:
    """Places on [0, 1] in order, as stops of `spread_knots`: without those less than ``least`` behind one before them,
    or ``within`` an end.
    """
    out: list[float] = []
    for x in sorted(places):
        if within < x < 1 - within and (not out or x - out[-1] > least):
            out.append(x)
    return out


def greville(knots: Array, degree: int) -> Array:
    """Greville abscissae: averages of ``degree`` successive knots; the nodes of exact change of basis."""
    window = np.lib.stride_tricks.sliding_window_view(knots[1:-1], degree)
    return np.asarray(np.clip(window.mean(axis=1), knots[degree], knots[-degree - 1]))


_REMEMBERED = 512
"""Most parameters whose values are remembered."""

POWERS = 9
"""Highest degree that is evaluated by powers: with each more their rounding grows threefold."""


def power_pieces(knots: Array, degree: int) -> tuple[Array, IntArray, Array]:
    """Power coefficients of a spline space, not to be written to: breaks (k+1,), first active function of each span
    (k,), coefficients (k, power, active function) in the span's own coordinate from 0 to 1.

    Source: Cox-de Boor recursion (The NURBS Book, section 2.2), on polynomials instead of values.
    """
    return _power_pieces(np.asarray(knots, dtype=np.float64).tobytes(), degree)


@lru_cache(maxsize=512)
def _power_pieces(key: bytes, degree: int) -> tuple[Array, IntArray, Array]:
    knots = np.frombuffer(key)
    edges = _breaks(key, degree)
    j = np.searchsorted(knots, edges[:-1], side="right") - 1
    a, h = knots[j, None], (knots[j + 1] - knots[j])[:, None]
    active = np.zeros((len(j), degree + 1, 1))
    active[:, 0] = 1.0
    for d in range(1, degree + 1):
        raised = np.zeros((len(j), degree + 1, d + 1))
        left, right = (knots[j[:, None] + np.arange(d) + k] for k in (1 - d, 1))
        width = right - left
        raised[:, :, :-1] += _times_linear(active, (right - a) / width, -h / width)
        raised[:, :, 1:] += _times_linear(active, (a - left) / width, h / width)
        active = raised
    first = j - degree
    for array in (first, active):
        array.setflags(write=False)
    return edges, first, active


def _times_linear(poly: Array, constant: Array, slope: Array) -> Array:
    """Polynomials (k, power, i) times linear ones with coefficients (k, i)."""
    out = constant[:, None] * poly
    out[:, 1:] += slope[:, None] * poly[:, :-1]
    return out


def local(knots: Array, degree: int, t: Array, order: int = 0) -> tuple[IntArray, Array]:
    """Active basis functions and derivatives, not to be written to.

    Returns the index of the first active function (m,) and values (m, order+1, degree+1).
    """
    key = np.asarray(knots, dtype=np.float64).tobytes()
    t = np.asarray(t, dtype=np.float64)
    return _remembered(key, degree, t.tobytes(), order) if len(t) <= _REMEMBERED else _local(key, degree, t, order)


def matrix(knots: Array, degree: int, t: Array, order: int = 0) -> Array:
    """Dense basis matrices (order+1, m, n), not to be written to: row i holds all basis functions (or derivatives) at
    ``t[i]``.
    """
    first, values = local(knots, degree, t, order)
    count = len(knots) - degree - 1
    if count == degree + 1:
        return values.transpose(1, 0, 2)
    out = np.zeros((order + 1, len(first), count))
    columns = first[:, None] + np.arange(degree + 1)
    out[:, np.arange(len(first))[:, None], columns] = values.transpose(1, 0, 2)
    return out


def combined(knots: Array, degree: int, t: Array, order: int, points: Array) -> Array:
    """Derivatives of a combination of the functions by ``points`` (n, c), (order+1, m, c)."""
    first, values = local(knots, degree, t, order)
    if len(points) == degree + 1:
        return (
            (values.reshape(-1, degree + 1) @ points).reshape(len(first), order + 1, points.shape[1]).transpose(1, 0, 2)
        )
    return np.asarray(np.matmul(values, points[first[:, None] + np.arange(degree + 1)]).transpose(1, 0, 2))


@lru_cache(maxsize=256)
def _remembered(key: bytes, degree: int, parameters: bytes, order: int) -> tuple[IntArray, Array]:
    """Live work asks for the same few parameters again and again: shapes move, their samples do not."""
    first, values = _local(key, degree, np.frombuffer(parameters), order)
    first.setflags(write=False)
    values.setflags(write=False)
    return first, values


def _local(key: bytes, degree: int, t: Array, order: int) -> tuple[IntArray, Array]:
    if degree > POWERS:
        return _by_library(key, degree, t, order)
    most = min(order, degree)
    inner, start, width, first, tables = _tables(key, degree, most)
    powers = np.empty((len(t), 1, degree + 1))
    powers[..., 0] = 1.0
    span = inner.searchsorted(t, side="right")
    powers[..., 1:] = ((t - start.take(span)) / width.take(span))[:, None, None]
    np.multiply.accumulate(powers, axis=2, out=powers)
    values = powers[:, 0] @ tables[0] if len(width) == 1 else np.matmul(powers, tables.take(span, axis=0))
    values = values.reshape(len(t), most + 1, degree + 1)
    if order > degree:
        values = np.concatenate([values, np.zeros((len(t), order - degree, degree + 1))], axis=1)
    return first.take(span), values


@lru_cache(maxsize=256)
def _tables(key: bytes, degree: int, order: int) -> tuple[Array, Array, Array, IntArray, Array]:
    """Inner breaks (k-1,), starts and widths of spans (k,), their first active functions (k,), and power coefficients
    of the functions and their derivatives (k, power, (order+1) (degree+1)).
    """
    edges, first, pieces = _power_pieces(key, degree)
    width = np.diff(edges)
    tables = np.zeros((len(width), degree + 1, order + 1, degree + 1))
    tables[:, :, 0] = pieces
    powers = np.arange(1, degree + 1)[:, None]
    for d in range(1, order + 1):
        tables[:, :-1, d] = powers * tables[:, 1:, d - 1] / width[:, None, None]
    return edges[1:-1].copy(), edges[:-1].copy(), width, first, tables.reshape(len(width), degree + 1, -1)


def _by_library(key: bytes, degree: int, t: Array, order: int) -> tuple[IntArray, Array]:
    """The same by scipy's splines, for high degrees."""
    edges, first, _ = _power_pieces(key, degree)
    functions = _functions(key, degree)
    active = first[edges[1:-1].searchsorted(t, side="right")]
    columns = active[:, None] + np.arange(degree + 1)
    values = np.zeros((len(t), order + 1, degree + 1))
    for d in range(min(order, degree) + 1):
        values[:, d] = np.take_along_axis(functions(t, d), columns, axis=1)
    return active, values


@lru_cache(maxsize=512)
def _functions(key: bytes, degree: int) -> BSpline:
    """All basis functions of a space as one spline whose values are vectors."""
    knots = np.frombuffer(key)
    return BSpline.construct_fast(knots, np.eye(len(knots) - degree - 1), degree, extrapolate=True)
