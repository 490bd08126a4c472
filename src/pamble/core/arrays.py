"""Array types and small vector operations shared by the whole core."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]
BoolArray = NDArray[np.bool_]

TINY = 1e-300
"""Smallest divisor: keeps 0/0 from raising without touching any real figure."""


_FEW = 3000
"""Numbers up to which the library's own routine beats three products: it makes no temporary arrays."""

_NEXT, _LAST = np.array([1, 2, 0]), np.array([2, 0, 1])


def floats(values: ArrayLike) -> Array:
    """Return ``values`` as a C-contiguous double array."""
    return np.ascontiguousarray(values, dtype=np.float64)


def dot(a: Array, b: Array) -> Array:
    """Row-wise scalar product over the last axis."""
    if a.size <= _FEW:
        return np.asarray(np.vecdot(a, b))
    if a.shape[-1] == 3 and b.shape[-1] == 3:
        return np.asarray(a[..., 0] * b[..., 0] + a[..., 1] * b[..., 1] + a[..., 2] * b[..., 2])
    return np.asarray(np.einsum("...i,...i->...", a, b))


def norm(a: Array) -> Array:
    """Row-wise length over the last axis."""
    return np.asarray(np.sqrt(dot(a, a)))


def unit(a: Array) -> Array:
    """Row-wise unit vectors; a zero row stays zero."""
    return a / np.maximum(norm(a), TINY)[..., None]


def cross(a: Array, b: Array) -> Array:
    """Row-wise vector product, several times faster than the general numpy routine."""
    if a.size <= _FEW and a.shape == b.shape:
        return np.asarray(a.take(_NEXT, -1) * b.take(_LAST, -1) - a.take(_LAST, -1) * b.take(_NEXT, -1))
    out = np.empty(np.broadcast_shapes(a.shape, b.shape))
    a0, a1, a2 = a[..., 0], a[..., 1], a[..., 2]
    b0, b1, b2 = b[..., 0], b[..., 1], b[..., 2]
    for row, p, q, r, t in (
        (out[..., 0], a1, b2, a2, b1),
        (out[..., 1], a2, b0, a0, b2),
        (out[..., 2], a0, b1, a1, b0),
    ):
        np.multiply(p, q, out=row)
        row -= r * t
    return out


def jsonable(value: Any) -> Any:
    """Turn arrays and numpy scalars inside ``value`` into plain lists and numbers."""
    if isinstance(value, np.ndarray):
        return value.tolist()
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, dict):
        return {k: jsonable(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [jsonable(v) for v in value]
    return value


def boxes_meet(one: Array, two: Array, by: float) -> bool:
    """Whether the boxes round points (m, 3) and (k, 3) come within a distance of each other."""
    apart = np.maximum(one.min(axis=0) - two.max(axis=0), two.min(axis=0) - one.max(axis=0))
    return bool(apart.max() <= by)
