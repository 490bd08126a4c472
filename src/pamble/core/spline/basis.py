"""B-spline basis functions as cached polynomial pieces, evaluated for whole arrays of parameters.

Each span keeps the power coefficients of its active functions in the span's own coordinate (0 at its start, 1 at
its end). A parameter outside the domain uses the nearest span, so the end pieces continue as polynomials.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

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


def greville(knots: Array, degree: int) -> Array:
    """Greville abscissae: averages of ``degree`` successive knots; the nodes of exact change of basis."""
    window = np.lib.stride_tricks.sliding_window_view(knots[1:-1], degree)
    return np.asarray(np.clip(window.mean(axis=1), knots[degree], knots[-degree - 1]))


_REMEMBERED = 512
"""Most parameters whose basis values are remembered."""


@lru_cache(maxsize=512)
def _pieces(key: bytes, degree: int) -> tuple[Array, IntArray, Array]:
    """Breaks, first active function of each span, coefficients (spans, power, active function)."""
    knots = np.frombuffer(key)
    edges = breaks(knots, degree)
    first = np.searchsorted(knots, edges[:-1], side="right") - 1
    coefficients = np.zeros((len(first), degree + 1, degree + 1))
    for row, j in enumerate(first):
        a, h = knots[j], knots[j + 1] - knots[j]
        active = np.zeros((degree + 1, 1))
        active[0, 0] = 1.0
        for d in range(1, degree + 1):
            raised = np.zeros((degree + 1, d + 1))
            for i in range(d):
                left, right = knots[j - d + 1 + i], knots[j + 1 + i]
                width = right - left
                raised[: d + 1, i] += _times_linear(active[: d + 1, i], (right - a) / width, -h / width)
                raised[: d + 1, i + 1] += _times_linear(active[: d + 1, i], (a - left) / width, h / width)
            active = raised
        coefficients[row] = active
    coefficients.setflags(write=False)
    return edges, first - degree, coefficients


def power_pieces(knots: Array, degree: int) -> tuple[Array, IntArray, Array]:
    """Power coefficients of a spline space, for those who keep them: breaks (k+1,), first active function of each span
    (k,), coefficients (k, power, active function) in the span's own coordinate from 0 to 1; not to be written to.
    """
    return _pieces(np.asarray(knots, dtype=np.float64).tobytes(), degree)


def _times_linear(poly: Array, constant: float, slope: float) -> Array:
    out = constant * poly
    out[1:] += slope * poly[:-1]
    return out


def local(knots: Array, degree: int, t: Array, order: int = 0) -> tuple[IntArray, Array]:
    """Active basis functions and derivatives.

    Returns the index of the first active function (m,) and values (order+1, m, degree+1).
    Source: Cox-de Boor recursion (The NURBS Book, section 2.2), kept as polynomials per span.
    """
    key = np.asarray(knots, dtype=np.float64).tobytes()
    t = np.asarray(t, dtype=np.float64)
    if len(t) <= _REMEMBERED:
        return _remembered(key, degree, t.tobytes(), order)
    return _local(key, degree, t, order)


@lru_cache(maxsize=256)
def _remembered(key: bytes, degree: int, parameters: bytes, order: int) -> tuple[IntArray, Array]:
    """Live work asks for the same few parameters again and again: shapes move, their samples do not."""
    first, values = _local(key, degree, np.frombuffer(parameters), order)
    first.setflags(write=False)
    values.setflags(write=False)
    return first, values


def _local(key: bytes, degree: int, t: Array, order: int) -> tuple[IntArray, Array]:
    edges, first, coefficients = _pieces(key, degree)
    if len(first) == 1:
        span = np.zeros(len(t), dtype=np.intp)
        width = edges[1] - edges[0]
        x = (t - edges[0]) / width
    else:
        span = np.clip(np.searchsorted(edges, t, side="right") - 1, 0, len(first) - 1)
        width = edges[span + 1] - edges[span]
        x = (t - edges[span]) / width
    powers = np.empty((degree + 1, len(t)))
    powers[0] = 1.0
    for k in range(1, degree + 1):
        np.multiply(powers[k - 1], x, out=powers[k])
    values = np.zeros((order + 1, len(t), degree + 1))
    factors = _power_factors(degree)
    for d in range(min(order, degree) + 1):
        low = powers[: degree + 1 - d]
        if len(first) == 1:
            values[d] = low.T @ (factors[d, d:, None] * coefficients[0, d:])
        else:
            values[d] = np.matmul(low.T[:, None, :], (factors[d, d:, None] * coefficients[:, d:])[span])[:, 0]
        if d:
            values[d] /= (width**d)[:, None] if len(first) > 1 else width**d
    return first[span], values


@lru_cache(maxsize=64)
def _power_factors(degree: int) -> Array:
    """[d, k] is k (k-1) ... (k-d+1): what the d-th derivative puts before the power k."""
    out = np.ones((degree + 1, degree + 1))
    for d in range(1, degree + 1):
        out[d] = out[d - 1] * (np.arange(degree + 1) - d + 1)
    return out


def matrix(knots: Array, degree: int, t: Array, order: int = 0) -> Array:
    """Dense basis matrices (order+1, m, n): row i holds all basis functions (or derivatives) at ``t[i]``."""
    first, values = local(knots, degree, t, order)
    count = len(knots) - degree - 1
    if count == degree + 1:
        return values
    out = np.zeros((order + 1, len(first), count))
    rows = np.arange(len(first))[:, None]
    out[:, rows, first[:, None] + np.arange(degree + 1)] = values
    return out
