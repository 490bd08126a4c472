"""B-spline basis functions, evaluated by scipy for whole arrays of parameters.

A parameter outside the domain uses the nearest span, so the end pieces continue as polynomials.
"""

from __future__ import annotations

from functools import lru_cache

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


def greville(knots: Array, degree: int) -> Array:
    """Greville abscissae: averages of ``degree`` successive knots; the nodes of exact change of basis."""
    window = np.lib.stride_tricks.sliding_window_view(knots[1:-1], degree)
    return np.asarray(np.clip(window.mean(axis=1), knots[degree], knots[-degree - 1]))


_REMEMBERED = 512, 20_000
"""Most parameters, and most values, of a matrix that is remembered."""


def power_pieces(knots: Array, degree: int) -> tuple[Array, IntArray, Array]:
    """Power coefficients of a spline space, for those who keep them: breaks (k+1,), first active function of each span
    (k,), coefficients (k, power, active function) in the span's own coordinate from 0 to 1.

    Source: Cox-de Boor recursion (The NURBS Book, section 2.2), on polynomials instead of values.
    """
    edges = breaks(knots, degree)
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
    return edges, j - degree, active


def _times_linear(poly: Array, constant: Array, slope: Array) -> Array:
    """Polynomials (k, power, i) times linear ones with coefficients (k, i)."""
    out = constant[:, None] * poly
    out[:, 1:] += slope[:, None] * poly[:, :-1]
    return out


def local(knots: Array, degree: int, t: Array, order: int = 0) -> tuple[IntArray, Array]:
    """Active basis functions and derivatives.

    Returns the index of the first active function (m,) and values (order+1, m, degree+1).
    """
    edges = breaks(knots, degree)
    first = np.searchsorted(knots, edges[:-1], side="right") - 1 - degree
    active = first[np.clip(np.searchsorted(edges, t, side="right") - 1, 0, len(first) - 1)]
    values = matrix(knots, degree, t, order)
    return active, np.take_along_axis(values, (active[:, None] + np.arange(degree + 1))[None], axis=2)


def matrix(knots: Array, degree: int, t: Array, order: int = 0) -> Array:
    """Dense basis matrices (order+1, m, n), not to be written to: row i holds all basis functions (or derivatives) at
    ``t[i]``.
    """
    key = np.asarray(knots, dtype=np.float64).tobytes()
    t = np.asarray(t, dtype=np.float64)
    if _small(t, knots, order):
        return _remembered(key, degree, t.tobytes(), order)
    return _matrix(key, degree, t, order)


def combined(knots: Array, degree: int, t: Array, order: int, points: Array) -> Array:
    """Derivatives of a combination of the functions by ``points`` (n, c), (order+1, m, c)."""
    if _small(t, knots, order) or len(points) == degree + 1:
        return np.asarray(matrix(knots, degree, t, order) @ points)
    spline = BSpline.construct_fast(knots, points, degree, extrapolate=True)
    out = np.zeros((order + 1, len(t), points.shape[1]))
    for d in range(min(order, degree) + 1):
        out[d] = spline(t, d)
    return out


def _small(t: Array, knots: Array, order: int) -> bool:
    most, values = _REMEMBERED
    return len(t) <= most and (order + 1) * len(t) * len(knots) <= values


@lru_cache(maxsize=256)
def _remembered(key: bytes, degree: int, parameters: bytes, order: int) -> Array:
    """Live work asks for the same few parameters again and again: shapes move, their samples do not."""
    out = _matrix(key, degree, np.frombuffer(parameters), order)
    out.setflags(write=False)
    return out


def _matrix(key: bytes, degree: int, t: Array, order: int) -> Array:
    functions = _functions(key, degree)
    count = functions.c.shape[1]
    out = np.zeros((order + 1, len(t), count))
    start, end = functions.t[degree], functions.t[count]
    if count == degree + 1 and functions.t[0] == start and functions.t[-1] == end:
        powers = np.vander((t - start) / (end - start), degree + 1, increasing=True)
        for d, table in enumerate(_bernstein(degree)[: order + 1]):
            np.matmul(powers[:, : degree + 1 - d], table[: degree + 1 - d] / (end - start) ** d, out=out[d])
        return out
    for d in range(min(order, degree) + 1):
        out[d] = functions(t, d)
    return out


@lru_cache(maxsize=32)
def _bernstein(degree: int) -> Array:
    """Power coefficients of the functions of one span from 0 to 1 and of their derivatives, (derivative, power,
    function): a product is quicker than scipy there.
    """
    out = np.repeat(power_pieces(uniform_knots(degree, 1), degree)[2], degree + 1, axis=0)
    powers = np.arange(1, degree + 1)[:, None]
    for d in range(1, degree + 1):
        out[d, :-1], out[d, -1] = powers * out[d - 1, 1:], 0.0
    return out


@lru_cache(maxsize=512)
def _functions(key: bytes, degree: int) -> BSpline:
    """All basis functions of a space as one spline whose values are vectors."""
    knots = np.frombuffer(key)
    return BSpline.construct_fast(knots, np.eye(len(knots) - degree - 1), degree, extrapolate=True)
