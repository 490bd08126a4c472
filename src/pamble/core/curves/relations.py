"""Relations between the CVs of a curve: solved by the nearest polygon that keeps them all, with what is still free."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, IntArray, floats
from pamble.core.curves.match import match_end
from pamble.core.curves.relation_kinds import CVS, Relation, check_relations, residual
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives

__all__ = ["CVS", "Relation", "Solution", "check_relations", "solve_relations"]

_KEPT = 1e-9
"""Largest residual, as a fraction of the polygon's size, at which a relation counts as kept."""

_RANK = 1e-7
"""Singular values below this fraction of the largest count as none."""

_STEPS = 40
_FIRM = 30.0
"""How much more firmly CVs that are held by the pointer stay than the others."""


@dataclass(frozen=True)
class Solution:
    """control: (n, 3). free: how many numbers may still be chosen. broken: relations (by their place) that contradict
    others and are not kept. idle: relations that say nothing new.
    """

    control: Array
    free: int
    broken: tuple[int, ...]
    idle: tuple[int, ...]


def solve_relations(
    curve: Curve, relations: tuple[Relation, ...], held: IntArray | None = None, anchors: Array | None = None
) -> Solution:
    """Move CVs as little as possible until the relations are kept; ``held`` ones hardly move if others can.

    anchors: (k, 3) points of other objects, which relations name by the numbers that follow the curve's CVs.
    Gauss-Newton with the least weighted step, steps bounded so that a near solution is found and not a far one. When
    all cannot be kept at once they are taken one by one, and those that fail are named. Own derivation; rank by
    the singular values of the Jacobian. Raises `GeometryError` for relations that bind what is not there.
    """
    fixed = np.zeros((0, 3)) if anchors is None else floats(anchors)
    x0 = floats(curve.control)
    check_relations(relations, len(x0) + len(fixed))
    weight = np.ones(x0.size)
    if held is not None and len(held):
        weight.reshape(x0.shape)[held] = _FIRM
    system = _System(curve, fixed, weight)
    kept = tuple(range(len(relations)))
    x, good = system.settle(_turned(curve, relations), relations)
    broken: tuple[int, ...] = ()
    if not good:
        kept, broken = (), ()
        x = x0
        for i in range(len(relations)):
            tried, good = system.settle(x, tuple(relations[k] for k in (*kept, i)))
            if good:
                x, kept = tried, (*kept, i)
            else:
                broken = (*broken, i)
    rank, idle = 0, []
    rows = np.zeros((0, x.size))
    for i in kept:
        rows = np.vstack([rows, system.residual(x, relations[i])[1]])
        now = _rank(rows)
        if now == rank:
            idle.append(i)
        rank = now
    return Solution(x, x.size - rank, broken, tuple(idle))


def _rank(rows: Array) -> int:
    s = np.linalg.svd(rows, compute_uv=False)
    return int(np.sum(s > _RANK * max(float(s[0]), 1e-300))) if len(s) else 0


def _turned(curve: Curve, relations: tuple[Relation, ...]) -> Array:
    """CVs to start from: an end that runs against the neighbour it is to meet is laid in its direction first.

    Both directions are zeros of a joint's residual; only one is what was asked for.
    """
    for r in relations:
        if r.kind != "joint" or r.target is None or r.order < 1 or len(curve.control) < r.order + 2:
            continue
        way = curve_derivatives(curve, [curve.domain[r.end]], 1)[1, 0] * (1 if r.end == 0 else -1)
        if float(way @ r.target.tangent[0]) < 0:
            curve = match_end(curve, r.end, r.target, r.order).curve
    return floats(curve.control)


@dataclass(frozen=True)
class _System:
    curve: Curve
    anchors: Array
    weight: Array

    def residual(self, x: Array, r: Relation) -> tuple[Array, Array]:
        """Residuals (k,) in mm and their derivatives (k, 3n) by the CVs' coordinates; anchors do not move."""
        value, jacobian = residual(self.curve, np.vstack([x, self.anchors]), r)
        return value, jacobian[:, : len(x)].reshape(len(value), x.size)

    def settle(self, start: Array, relations: tuple[Relation, ...]) -> tuple[Array, bool]:
        size = max(float(np.linalg.norm(np.ptp(start, axis=0))), 1e-9)
        x = start.copy()
        for _ in range(_STEPS):
            parts = [self.residual(x, r) for r in relations]
            if not parts:
                return x, True
            r, j = np.concatenate([p[0] for p in parts]), np.vstack([p[1] for p in parts])
            if np.abs(r).max() < _KEPT * size:
                return x, True
            step = np.linalg.lstsq(j / self.weight, -r, rcond=_RANK)[0] / self.weight
            step *= min(1.0, 0.3 * size / max(float(np.abs(step).max()), 1e-300))
            x = x + step.reshape(x.shape)
            if np.abs(step).max() < 1e-14 * size:
                break
        worst = max(float(np.abs(self.residual(x, r)[0]).max()) for r in relations)
        return x, worst < _KEPT * size


def straight_line(line: Curve) -> tuple[Array, Array]:
    """Point and direction of a straight line, to be touched or turned about. Raises `GeometryError` if it is bent."""
    a, b = line.control[0], line.control[-1]
    way = b - a
    length = float(np.linalg.norm(way))
    off = np.linalg.norm(np.cross(line.control - a, way), axis=1).max() / max(length, 1e-12)
    if length < 1e-9 or off > 1e-3 * length:
        raise GeometryError("A straight line is needed here: this one is bent.")
    return a, way / length
