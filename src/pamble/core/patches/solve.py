"""The one solver: condition rows, each over its tolerance, on an energy of the difference to a good reference."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from scipy.linalg import LinAlgError, cho_factor, cho_solve

from pamble.core.arrays import Array, IntArray
from pamble.core.errors import GeometryError
from pamble.core.patches.space import Patch

_RIDGES = (1e-13, 1e-11, 1e-9, 1e-7)
_FIRST_DAMP = 1e-7
_SETTLED = 0.7
"""Worst row, as a share of its tolerance, at which the iteration stops."""


@dataclass(frozen=True)
class Rows:
    """Linear rows of a condition at a patch: matrix (r, 3 k) on the coordinates of control points ``ids`` (k,), or
    (3 k,) where each row is of one coordinate; right side (r,), both over their tolerance; worst: the largest of its
    figures over their tolerance.
    """

    ids: IntArray
    matrix: Array
    right: Array
    worst: float


class Condition(Protocol):
    """What a patch is to keep; linearised where it stands. It may remember feet between steps."""

    name: str

    def rows(self, patch: Patch, control: Array) -> Rows: ...


@dataclass
class Fitted:
    """control: (count, 3). worst: of every condition by name, as a share of its tolerance. steps: of the iteration."""

    control: Array
    worst: dict[str, float] = field(default_factory=dict)
    steps: int = 0

    @property
    def ratio(self) -> float:
        """The worst of all."""
        return max(self.worst.values(), default=0.0)


def solve(matrix: Array, right: Array) -> Array:
    """Symmetric positive equations by Cholesky, scaled by the diagonal, with the least ridge that makes them stable.

    Raises `GeometryError` if none does.
    """
    d = 1.0 / np.sqrt(np.maximum(np.diag(matrix), 1e-300))
    scaled = matrix * d[:, None] * d
    for ridge in _RIDGES if np.isfinite(scaled).all() and np.isfinite(right).all() else ():
        try:
            scaled[np.diag_indices_from(scaled)] += ridge
            return np.asarray(d * cho_solve(cho_factor(scaled, lower=True, check_finite=False), d * right))
        except LinAlgError:
            continue
    raise GeometryError("What is asked of the surface contradicts itself: there is no stable solution.")


def fit(
    patch: Patch, conditions: Sequence[Condition], reference: Array, *, tau: float = 1.0, steps: int = 5,
    alone: bool = False, start: Array | None = None, free: IntArray | None = None,
) -> Fitted:  # fmt: skip
    """Control points that keep the conditions and differ calmly from ``reference`` (count, 3).

    Least of |rows|^2 + energy of (X - reference) / (tau size)^2, by Gauss-Newton; a step that raises the sum is taken
    back and damped (Nielsen's rule: Madsen, Nielsen, Tingleff, Methods for Non-Linear Least Squares, 2004). alone: the
    energy of X itself counts, which makes references. free: numbers of those that move, all when None. Own derivation;
    the energy is of third order (Greiner 1994 compares such energies; from memory).
    """
    control = (reference if start is None else start).copy()
    energy, size = patch.energy(reference)
    energy = energy / (tau * size) ** 2
    base = np.zeros_like(reference) if alone else reference
    moving = np.arange(patch.count) if free is None else np.sort(free)
    number = np.full(patch.count, -1)
    number[moving] = np.arange(len(moving))
    inner = energy[np.ix_(moving, moving)]

    def look(x: Array) -> tuple[Array, Array, float, dict[str, float]]:
        n = 3 * len(moving)
        matrix, right, total = np.zeros((n, n)), np.zeros(n), 0.0
        worst: dict[str, float] = {}
        for condition in conditions:
            r = condition.rows(patch, x)
            own = np.repeat(number[r.ids] >= 0, 3)
            at = (3 * number[r.ids, None] + np.arange(3)).ravel()[own]
            part = r.matrix if own.all() else r.matrix[..., own]
            if part.ndim == 1:
                matrix[at, at] += part**2
                right[at] += part * r.right[own]
            else:
                square = part.T @ part
                if len(at) == n:
                    matrix += square
                else:
                    matrix[np.ix_(at, at)] += square
                right[at] += part.T @ r.right
            total += float(r.right @ r.right)
            worst[condition.name] = max(worst.get(condition.name, 0.0), r.worst)
        off = x - base
        pull = energy @ off
        for c in range(3):
            matrix[c::3, c::3] += inner
            right[c::3] -= pull[moving, c]
        return matrix, right, total + float((off * pull).sum()), worst

    matrix, right, value, worst = look(control)
    damp, rise, taken = 0.0, 3.0, 0
    for _ in range(steps):
        taken += 1
        full = matrix + damp * np.diag(np.diag(matrix)) if damp else matrix
        step = solve(full, right)
        trial = control.copy()
        trial[moving] += step.reshape(-1, 3)
        promised = 2 * float(right @ step) - float(step @ matrix @ step)
        new_matrix, new_right, new_value, new_worst = look(trial)
        if new_value < value * (1 + 1e-9):
            ratio = max(new_worst.values(), default=0.0)
            settled = ratio < _SETTLED or new_value > (0.98 if ratio < 1 else 0.9995) * value
            old = value
            control, matrix, right, value, worst = trial, new_matrix, new_right, new_value, new_worst
            kept = (old - value) / max(promised, 1e-300)
            damp, rise = damp * max(1 / 3, 1 - (2 * kept - 1) ** 3), 3.0
            if settled:
                break
        else:
            damp, rise = max(rise * damp, _FIRST_DAMP), 3 * rise
    return Fitted(control, worst, taken)
