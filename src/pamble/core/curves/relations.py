"""Relations between the CVs of a curve: solved by the nearest polygon that keeps them all, with what is still free."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, IntArray, floats
from pamble.core.errors import GeometryError

CVS = {"fixed": 1, "same": 2, "length": 2, "symmetric": 2, "collinear": 3, "equal": 4, "angle": 4}
"""Kinds of relations and how many CVs each binds."""

_KEPT = 1e-9
"""Largest residual, as a fraction of the polygon's size, at which a relation counts as kept."""

_RANK = 1e-7
"""Singular values below this fraction of the largest count as none."""

_STEPS = 40
_FIRM = 30.0
"""How much more firmly CVs that are held by the pointer stay than the others."""


@dataclass(frozen=True)
class Relation:
    """One relation. cvs: numbers of the CVs it binds.

    fixed: the CV stays at ``point``. same: two CVs have one coordinate along ``axis`` (0 x, 1 y, 2 z). length: their
    distance is ``value`` mm. symmetric: they mirror each other at the plane ``axis`` = ``value``. collinear: three CVs
    lie on a line. equal: the legs a-b and c-d have one length. angle: they enclose ``value`` degrees.
    """

    kind: str
    cvs: tuple[int, ...]
    axis: int = 2
    value: float = 0.0
    point: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Solution:
    """control: (n, 3). free: how many numbers may still be chosen. broken: relations (by their place) that contradict
    others and are not kept. idle: relations that say nothing new.
    """

    control: Array
    free: int
    broken: tuple[int, ...]
    idle: tuple[int, ...]


def check_relations(relations: tuple[Relation, ...], count: int) -> None:
    """Raise `GeometryError` for a relation that binds CVs that are not there."""
    for r in relations:
        if r.kind not in CVS:
            raise GeometryError(f"There is no relation {r.kind!r}.")
        if len(r.cvs) != CVS[r.kind]:
            raise GeometryError(f"A relation of kind {r.kind} binds {CVS[r.kind]} CVs, not {len(r.cvs)}.")
        if any(not 0 <= i < count for i in r.cvs):
            raise GeometryError(f"A relation of kind {r.kind} names CV {max(r.cvs) + 1}; the curve has {count}.")


def solve_relations(control: Array, relations: tuple[Relation, ...], held: IntArray | None = None) -> Solution:
    """Move CVs as little as possible until the relations are kept; ``held`` ones hardly move if others can.

    Gauss-Newton with the least weighted step, steps bounded so that a near solution is found and not a far one. When
    all cannot be kept at once they are taken one by one, and those that fail are named. Own derivation; rank by
    the singular values of the Jacobian.
    """
    x0 = floats(control)
    check_relations(relations, len(x0))
    weight = np.ones(x0.size)
    if held is not None and len(held):
        weight.reshape(x0.shape)[held] = _FIRM
    kept = tuple(range(len(relations)))
    x, good = _settle(x0, relations, weight)
    broken: tuple[int, ...] = ()
    if not good:
        kept, broken = (), ()
        x = x0
        for i in range(len(relations)):
            tried, good = _settle(x, tuple(relations[k] for k in (*kept, i)), weight)
            if good:
                x, kept = tried, (*kept, i)
            else:
                broken = (*broken, i)
    rank, idle = 0, []
    rows = np.zeros((0, x.size))
    for i in kept:
        rows = np.vstack([rows, _residual(x, relations[i])[1]])
        now = _rank(rows)
        if now == rank:
            idle.append(i)
        rank = now
    return Solution(x, x.size - rank, broken, tuple(idle))


def _rank(rows: Array) -> int:
    s = np.linalg.svd(rows, compute_uv=False)
    return int(np.sum(s > _RANK * max(float(s[0]), 1e-300))) if len(s) else 0


def _settle(start: Array, relations: tuple[Relation, ...], weight: Array) -> tuple[Array, bool]:
    size = max(float(np.linalg.norm(np.ptp(start, axis=0))), 1e-9)
    x = start.copy()
    for _ in range(_STEPS):
        parts = [_residual(x, r) for r in relations]
        if not parts:
            return x, True
        r, j = np.concatenate([p[0] for p in parts]), np.vstack([p[1] for p in parts])
        if np.abs(r).max() < _KEPT * size:
            return x, True
        step = np.linalg.lstsq(j / weight, -r, rcond=_RANK)[0] / weight
        step *= min(1.0, 0.3 * size / max(float(np.abs(step).max()), 1e-300))
        x = x + step.reshape(x.shape)
        if np.abs(step).max() < 1e-14 * size:
            break
    worst = max(float(np.abs(_residual(x, r)[0]).max()) for r in relations)
    return x, worst < _KEPT * size


def _residual(x: Array, r: Relation) -> tuple[Array, Array]:
    """Residuals (k,) in mm and their derivatives (k, 3n) by the CVs' coordinates."""
    n = len(x)
    p = x[list(r.cvs)]
    if r.kind == "fixed":
        return p[0] - np.array(r.point), _rows(n, [{r.cvs[0]: row} for row in np.eye(3)])
    if r.kind == "same":
        e = np.eye(3)[r.axis]
        return np.array([(p[1] - p[0]) @ e]), _rows(n, [{r.cvs[1]: e, r.cvs[0]: -e}])
    if r.kind == "length":
        u, length = _leg(p[0], p[1])
        return np.array([length - r.value]), _rows(n, [{r.cvs[1]: u, r.cvs[0]: -u}])
    if r.kind == "symmetric":
        e = np.eye(3)
        sign = np.where(np.arange(3) == r.axis, 1.0, -1.0)
        goal = np.where(np.arange(3) == r.axis, 2 * r.value, 0.0)
        return p[0] + sign * p[1] - goal, _rows(n, [{r.cvs[0]: e[k], r.cvs[1]: sign[k] * e[k]} for k in range(3)])
    if r.kind == "collinear":
        return _collinear(n, r.cvs, p)
    (u, a), (v, b) = _leg(p[0], p[1]), _leg(p[2], p[3])
    if r.kind == "equal":
        return np.array([a - b]), _rows(n, [{r.cvs[1]: u, r.cvs[0]: -u}, {r.cvs[3]: -v, r.cvs[2]: v}], together=True)
    # angle: the difference of the angles as a length on the shorter leg; its derivative turns each leg in their plane.
    cosine = float(np.clip(u @ v, -1, 1))
    sine = max(float(np.sqrt(1 - cosine**2)), 1e-9)
    arm = min(a, b)
    du, dv = -(v - cosine * u) / (sine * a), -(u - cosine * v) / (sine * b)
    value = (np.arccos(cosine) - np.radians(r.value)) * arm
    pieces = [{r.cvs[1]: arm * du, r.cvs[0]: -arm * du}, {r.cvs[3]: arm * dv, r.cvs[2]: -arm * dv}]
    return np.array([value]), _rows(n, pieces, together=True)


def _collinear(n: int, cvs: tuple[int, ...], p: Array) -> tuple[Array, Array]:
    """The middle CV's distance from the line through the outer ones, along two directions square to it."""
    u, length = _leg(p[0], p[2])
    x = np.cross(u, np.eye(3)[int(np.argmin(np.abs(u)))])
    x = x / np.linalg.norm(x)
    across = (x, np.cross(u, x))
    t = float((p[1] - p[0]) @ u) / length
    value = np.array([(p[1] - p[0]) @ w for w in across])
    return value, _rows(n, [{cvs[1]: w, cvs[0]: -(1 - t) * w, cvs[2]: -t * w} for w in across])


def _leg(a: Array, b: Array) -> tuple[Array, float]:
    length = float(np.linalg.norm(b - a))
    return ((b - a) / length, length) if length > 1e-12 else (np.array([1.0, 0.0, 0.0]), 1e-12)


def _rows(n: int, parts: list[dict[int, Array]], together: bool = False) -> Array:
    """Rows of the Jacobian from the derivatives by single CVs; ``together``: all in one row, added up."""
    out = np.zeros((1 if together else len(parts), n, 3))
    for k, part in enumerate(parts):
        for cv, value in part.items():
            out[0 if together else k, cv] += value
    return out.reshape(len(out), 3 * n)
