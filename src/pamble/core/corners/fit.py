"""The fit of a layout: all patches at once, guarded steps, rows over an energy of the difference to a reference."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import cast

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.corners.leads import Inside, Led
from pamble.core.corners.net import Net, beside
from pamble.core.corners.rim import Rim
from pamble.core.corners.rows import Aims, Block, Held, InnerSeam, Lies, OuterArc
from pamble.core.patches.solve import solve
from pamble.core.spline.surface import Surface

_STEP = 0.3
"""First length of a step, as a share of the distance of neighbouring CVs."""

_LEAST_STEP = 1e-3
_ENOUGH = 0.7
"""Worst row, as a share of its aim, at which the iteration stops."""


@dataclass(frozen=True)
class FittedNet:
    """control: (count, 3). worst: of all figures over its aim. over: along every arc the worst at each of its places,
    over its aim.
    """

    control: Array
    worst: float
    over: tuple[Array, ...]


def assembled(blocks: Sequence[Block], count: int) -> tuple[Array, Array, float, float]:
    """Normal equations (3 count, 3 count) and their right side, the sum of squares, and the worst figure."""
    matrix, right, total, worst = np.zeros((3 * count, 3 * count)), np.zeros(3 * count), 0.0, 0.0
    for b in blocks:
        at = (3 * b.ids[:, None] + np.arange(3)).ravel()
        matrix[np.ix_(at, at)] += b.matrix.T @ b.matrix
        right[at] += b.matrix.T @ b.right
        total += float(b.right @ b.right)
        worst = max(worst, float(b.over.max()))
    return matrix, right, total, worst


def fit_net(
    rim: Rim,
    net: Net,
    reference: Array,
    inside: Inside,
    ground: Surface | None = None,
    steps: int = 24,
) -> FittedNet:
    """CVs that meet the neighbours and each other, and differ calmly from a reference. ground: a surface that fills the
    hole whole, to stay near.

    Gauss-Newton with a proximal term; a step counts only if the sum of squares falls and no row of arms on a rim turns
    or shrinks: a guard on the worst row alone stalls.
    """
    aims = Aims(0.1 / rim.size)
    rows: list[OuterArc | InnerSeam | Held | Led | Lies] = [
        InnerSeam(net, k, aims) if arc.inner else OuterArc(rim, net, k, aims) for k, arc in enumerate(net.layout.arcs)
    ]
    if ground is not None:
        rows += [Lies(net, p, ground, reference) for p in range(len(net.index))]
    rows += inside.rows(net)
    energy = net.energy(reference) / rim.size**2
    spacing = net.spacing(reference)

    def look(control: Array) -> tuple[Array, Array, float, float, tuple[Array, ...]]:
        for r in rows:
            r.project(control)
        blocks = [r.rows(control) for r in rows]
        matrix, right, total, worst = assembled(blocks, net.count)
        off = control - reference
        pull = energy @ off
        for c in range(3):
            matrix[c::3, c::3] += energy
            right[c::3] -= pull[:, c]
        return matrix, right, total + float((off * pull).sum()), worst, tuple(b.over for b in blocks[: len(net.arcs)])

    control, step = reference.copy(), _STEP
    matrix, right, value, worst, over = look(control)
    for _ in range(steps):
        near = matrix + np.eye(len(matrix)) / (step * spacing) ** 2
        trial = control + solve(near, right).reshape(-1, 3)
        places = [r.place if isinstance(r, OuterArc) else None for r in rows]
        new = look(trial)
        if np.isfinite(new[2]) and new[2] < value and _upright(net, control, trial):
            settled = new[3] < _ENOUGH or (new[2] > 0.98 * value and new[3] > 0.95 * worst)
            control, (matrix, right, value, worst, over) = trial, new
            if settled:
                break
            step *= 3.0
            continue
        for r, place in zip(rows, places, strict=True):
            if isinstance(r, OuterArc) and place is not None:
                r.place = place
        step *= 0.2
        if step < _LEAST_STEP:
            break
    return FittedNet(control, worst, over)


def _upright(net: Net, before: Array, after: Array) -> bool:
    """Whether the arms of all rims keep their sense, and .3 to 3 times their length."""
    for own in net.index:
        for side in range(4):
            view = cast(Array, beside(own, side))
            was, now = before[view[:, 1]] - before[view[:, 0]], after[view[:, 1]] - after[view[:, 0]]
            ratio = norm(now) / np.maximum(norm(was), 1e-12)
            if ratio.min() < 0.3 or ratio.max() > 3.0 or dot(was, now).min() < 0:
                return False
    return True
