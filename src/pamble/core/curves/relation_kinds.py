"""What each kind of relation asks of a curve's CVs: residuals in mm and their derivatives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.jets import CurveJets
from pamble.core.curves.measure import samples
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve

Point = tuple[float, float, float]


@dataclass(frozen=True)
class Relation:
    """One relation. cvs: numbers of the CVs it binds; numbers from the curve's count on are anchors that never move.

    fixed: the CV stays at ``point``. coincident: two CVs are in one place. same: two CVs have one coordinate along
    ``axis`` (0 x, 1 y, 2 z). length: their distance is ``value`` mm. incline: the leg makes ``value`` degrees with
    ``axis``. symmetric: they mirror each other at the plane ``axis`` = ``value``. collinear: three CVs lie on a line.
    equal: the legs a-b and c-d have one length. angle: they enclose ``value`` degrees. touch: the curve touches the
    line through ``point`` along ``direction`` where it reaches farthest toward it. at: the CV's coordinate along
    ``axis`` is ``value``. axis: its distance from the global ``axis`` is ``value``. plane: its height above the plane
    through ``point`` with the normal ``direction`` is ``value``. inline: three CVs lie on that line. joint: its start
    (``end`` 0) or end (1) meets ``target``, which leaves its own curve toward it, with the continuity ``order`` 0 to 3.
    """

    kind: str
    cvs: tuple[int, ...] = ()
    axis: int = 2
    value: float = 0.0
    point: Point = (0.0, 0.0, 0.0)
    direction: Point = (1.0, 0.0, 0.0)
    end: int = 0
    order: int = 1
    target: CurveJets | None = None


Residual = tuple[Array, Array]
"""Residuals (k,) and their derivatives (k, n, 3) by the coordinates of the CVs and anchors."""


def check_relations(relations: tuple[Relation, ...], count: int) -> None:
    """Raise `GeometryError` for a relation that is unknown or binds CVs that are not there."""
    for r in relations:
        if r.kind not in CVS:
            raise GeometryError(f"There is no relation {r.kind!r}.")
        if len(r.cvs) != CVS[r.kind]:
            raise GeometryError(f"A relation of kind {r.kind} binds {CVS[r.kind]} CVs, not {len(r.cvs)}.")
        if any(not 0 <= i < count for i in r.cvs):
            raise GeometryError(f"A relation of kind {r.kind} names CV {max(r.cvs) + 1}; the curve has {count}.")


def residual(curve: Curve, x: Array, r: Relation) -> Residual:
    """Residual of one relation for CVs and anchors ``x`` (n, 3) of a curve with the degree and knots of ``curve``."""
    return _KINDS[r.kind][1](curve, x, r)


def _fixed(curve: Curve, x: Array, r: Relation) -> Residual:
    return x[r.cvs[0]] - np.array(r.point), _rows(len(x), [{r.cvs[0]: row} for row in np.eye(3)])


def _coincident(curve: Curve, x: Array, r: Relation) -> Residual:
    a, b = r.cvs
    return x[b] - x[a], _rows(len(x), [{b: row, a: -row} for row in np.eye(3)])


def _same(curve: Curve, x: Array, r: Relation) -> Residual:
    a, b = r.cvs
    e = np.eye(3)[r.axis]
    return np.array([(x[b] - x[a]) @ e]), _rows(len(x), [{b: e, a: -e}])


def _length(curve: Curve, x: Array, r: Relation) -> Residual:
    u, length = _leg(x, *r.cvs)
    return np.array([length - r.value]), _rows(len(x), [{r.cvs[1]: u, r.cvs[0]: -u}])


def _symmetric(curve: Curve, x: Array, r: Relation) -> Residual:
    a, b = r.cvs
    e = np.eye(3)
    sign = np.where(np.arange(3) == r.axis, 1.0, -1.0)
    goal = np.where(np.arange(3) == r.axis, 2 * r.value, 0.0)
    return x[a] + sign * x[b] - goal, _rows(len(x), [{a: e[k], b: sign[k] * e[k]} for k in range(3)])


def _collinear(curve: Curve, x: Array, r: Relation) -> Residual:
    """The middle CV's distance from the line through the outer ones, along two directions square to it."""
    a, b, c = r.cvs
    u, length = _leg(x, a, c)
    across = _square_to(u)
    t = float((x[b] - x[a]) @ u) / length
    value = np.array([(x[b] - x[a]) @ w for w in across])
    return value, _rows(len(x), [{b: w, a: -(1 - t) * w, c: -t * w} for w in across])


def _equal(curve: Curve, x: Array, r: Relation) -> Residual:
    a, b, c, d = r.cvs
    (u, first), (v, second) = _leg(x, a, b), _leg(x, c, d)
    return np.array([first - second]), _row(len(x), [{b: u, a: -u}, {d: -v, c: v}])


def _angle(curve: Curve, x: Array, r: Relation) -> Residual:
    a, b, c, d = r.cvs
    (u, first), (v, second) = _leg(x, a, b), _leg(x, c, d)
    arm = min(first, second)
    value, du, dv = _turn(u, v, r.value, arm)
    return np.array([value]), _row(len(x), [{b: du / first, a: -du / first}, {d: dv / second, c: -dv / second}])


def _incline(curve: Curve, x: Array, r: Relation) -> Residual:
    a, b = r.cvs
    u, length = _leg(x, a, b)
    value, du, _ = _turn(u, np.eye(3)[r.axis], r.value, length)
    return np.array([value]), _rows(len(x), [{b: du / length, a: -du / length}])


def _turn(u: Array, v: Array, degrees: float, arm: float) -> tuple[float, Array, Array]:
    """Excess of the angle between unit vectors as a length on ``arm``, and how it grows as each one turns."""
    cosine = float(np.clip(u @ v, -1, 1))
    sine = max(float(np.sqrt(1 - cosine**2)), 1e-9)
    value = (np.arccos(cosine) - np.radians(degrees)) * arm
    return float(value), -arm * (v - cosine * u) / sine, -arm * (u - cosine * v) / sine


def _at(curve: Curve, x: Array, r: Relation) -> Residual:
    e = np.eye(3)[r.axis]
    return np.array([x[r.cvs[0]] @ e - r.value]), _rows(len(x), [{r.cvs[0]: e}])


def _axis(curve: Curve, x: Array, r: Relation) -> Residual:
    """On the axis two coordinates are zero; beside it one distance is kept."""
    others = np.delete(np.eye(3), r.axis, axis=0)
    away = others @ x[r.cvs[0]]
    length = float(np.linalg.norm(away))
    if r.value == 0 or length < 1e-12:
        return away - np.array([r.value, 0.0]), _rows(len(x), [{r.cvs[0]: e} for e in others])
    return np.array([length - r.value]), _rows(len(x), [{r.cvs[0]: away @ others / length}])


def _plane(curve: Curve, x: Array, r: Relation) -> Residual:
    n = np.array(r.direction)
    return np.array([(x[r.cvs[0]] - np.array(r.point)) @ n - r.value]), _rows(len(x), [{r.cvs[0]: n}])


def _inline(curve: Curve, x: Array, r: Relation) -> Residual:
    across = _square_to(np.array(r.direction))
    value = np.array([(x[cv] - np.array(r.point)) @ w for cv in r.cvs for w in across])
    return value, _rows(len(x), [{cv: w} for cv in r.cvs for w in across])


def _touch(curve: Curve, x: Array, r: Relation) -> Residual:
    """Distance from the line of the place where the curve comes nearest to it or passes it most.

    That place slides along the curve as CVs move; to first order its sliding changes nothing (envelope theorem).
    """
    _polynomial(curve)
    n = len(curve.control)
    control = x[:n]
    d = np.array(r.direction) / max(float(np.linalg.norm(r.direction)), 1e-12)
    away = control - np.array(r.point)
    normal = _plane_normal(np.vstack([away - away.mean(axis=0), d[None] * np.ptp(away, axis=0).max()]))
    across = np.cross(normal, d)
    across = across / max(float(np.linalg.norm(across)), 1e-12)
    heights = away @ across
    side = 1.0 if heights.mean() >= 0 else -1.0
    t = samples(curve)
    i = int(np.argmin(side * (basis.matrix(curve.knots, curve.degree, t)[0] @ heights)))
    place = float(t[i])
    for _ in range(8):
        rows = basis.matrix(curve.knots, curve.degree, np.array([place]), 2)[:, 0]
        slope, bend = float(rows[1] @ heights), float(rows[2] @ heights)
        if abs(bend) < 1e-12:
            break
        place = float(np.clip(place - slope / bend, t[max(i - 1, 0)], t[min(i + 1, len(t) - 1)]))
    row = basis.matrix(curve.knots, curve.degree, np.array([place]))[0, 0]
    jacobian = np.zeros((1, len(x), 3))
    jacobian[0, :n] = row[:, None] * across
    return np.array([row @ heights]), jacobian


def _plane_normal(rows: Array) -> Array:
    return np.asarray(np.linalg.svd(rows)[2][2])


def _joint(curve: Curve, x: Array, r: Relation) -> Residual:
    """Equal point; tangent, curvature vector and its change across the target's tangent, as polynomials in the CVs.

    With s, s2 the speed and acceleration along the tangent T, what is left across T is zero of C', C'' - s^2 C_ss and
    C''' - 3 s s2 C_ss - s^3 C_sss (the chain rule of `curve_jets`, turned round).
    """
    target = r.target
    if target is None:
        raise GeometryError("A joint needs a neighbour to meet.")
    _polynomial(curve)
    n, a, b = len(curve.control), *curve.domain
    sign = 1.0 if r.end == 0 else -1.0
    rows = basis.matrix(curve.knots, curve.degree, np.array([a if r.end == 0 else b]), 3)[:, 0]
    # By the parameter over the whole domain, running into the curve: every derivative is in mm.
    scale = (sign * (b - a)) ** np.arange(4)
    rows = rows * scale[:, None]
    d = rows @ x[:n]
    tangent, bend, change = target.tangent[0], target.bend[0], target.change[0]
    across = np.array(_square_to(tangent))
    along = [row[:, None] * tangent for row in rows]
    s, s2 = float(d[1] @ tangent), float(d[2] @ tangent)
    parts = [(d[0] - target.point[0], rows[0][None, :, None] * np.eye(3)[:, None, :])]

    def add(value: Array, leading: Array, *terms: tuple[float, Array, Array]) -> None:
        """Components across the tangent; terms: factor, derivative of a speed, the vector it multiplies."""
        own = leading[None, :, None] * across[:, None, :]
        for factor, speed, vector in terms:
            own = own - factor * (across @ vector)[:, None, None] * speed[None]
        parts.append((across @ value, own))

    if r.order >= 1:
        add(d[1], rows[1])
    if r.order >= 2:
        add(d[2] - s * s * bend, rows[2], (2 * s, along[1], bend))
    if r.order >= 3:
        value = d[3] - 3 * s * s2 * bend - s**3 * change
        add(value, rows[3], (3 * s2, along[1], bend), (3 * s, along[2], bend), (3 * s * s, along[1], change))
    jacobian = np.concatenate([p[1] for p in parts])
    out = np.zeros((len(jacobian), len(x), 3))
    out[:, :n] = jacobian
    return np.concatenate([p[0] for p in parts]), out


def _polynomial(curve: Curve) -> None:
    if curve.weights is not None:
        raise GeometryError("A rational curve keeps no joint and touches no line: rebuild it as polynomial first.")


def _leg(x: Array, a: int, b: int) -> tuple[Array, float]:
    way = x[b] - x[a]
    length = float(np.linalg.norm(way))
    return (way / length, length) if length > 1e-12 else (np.array([1.0, 0.0, 0.0]), 1e-12)


def _square_to(u: Array) -> tuple[Array, Array]:
    x = np.cross(u, np.eye(3)[int(np.argmin(np.abs(u)))])
    x = x / np.linalg.norm(x)
    return x, np.cross(u, x)


def _rows(n: int, parts: list[dict[int, Array]]) -> Array:
    """Rows of the Jacobian from the derivatives by single CVs."""
    out = np.zeros((len(parts), n, 3))
    for k, part in enumerate(parts):
        for cv, value in part.items():
            out[k, cv] += value
    return out


def _row(n: int, parts: list[dict[int, Array]]) -> Array:
    """All derivatives in one row, added up: a CV may stand in several."""
    return np.asarray(_rows(n, parts).sum(axis=0, keepdims=True))


_KINDS: dict[str, tuple[int, Callable[[Curve, Array, Relation], Residual]]] = {
    "fixed": (1, _fixed),
    "coincident": (2, _coincident),
    "same": (2, _same),
    "length": (2, _length),
    "incline": (2, _incline),
    "symmetric": (2, _symmetric),
    "collinear": (3, _collinear),
    "equal": (4, _equal),
    "angle": (4, _angle),
    "at": (1, _at),
    "axis": (1, _axis),
    "plane": (1, _plane),
    "inline": (3, _inline),
    "touch": (0, _touch),
    "joint": (0, _joint),
}

CVS: dict[str, int] = {kind: count for kind, (count, _) in _KINDS.items()}
"""Kinds of relations and how many CVs each binds."""
