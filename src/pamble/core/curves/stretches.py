"""Stretches of a parameter range in which something holds, with their ends found exactly."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pamble.core.arrays import Array, IntArray

_FINER = 64
_ROUNDS = 4
"""Each round divides the step in which a stretch ends by `_FINER`: four make it 6e-8 of itself."""


def stretches(
    label: Callable[[Array], IntArray], t: Array, rounds: int = _ROUNDS, known: IntArray | None = None
) -> list[tuple[int, float, float]]:
    """Stretches of equal label, ``(label, start, end)`` in order, over rising parameters ``t``; none for labels < 0.

    label: gives an integer for every parameter (m,). Ends within a step of ``t`` are closed in on from inside, so the
    label holds at both. Stretches shorter than a step may be missed. known: the labels of ``t``, if they are at hand.
    """
    now = label(t) if known is None else known
    starts = np.flatnonzero(np.concatenate([[True], now[1:] != now[:-1]]))
    ends = np.append(starts[1:] - 1, len(t) - 1)
    out = []
    for i, j in zip(starts, ends, strict=True):
        kind = int(now[i])
        if kind < 0:
            continue
        a = float(t[i]) if i == 0 else last_with(label, kind, float(t[i]), float(t[i - 1]), rounds)
        b = float(t[j]) if j == len(t) - 1 else last_with(label, kind, float(t[j]), float(t[j + 1]), rounds)
        out.append((kind, a, b))
    return out


def last_with(
    label: Callable[[Array], IntArray], kind: int, holds: float, beyond: float, rounds: int = _ROUNDS
) -> float:
    """The last place from ``holds`` toward ``beyond`` that has the label."""
    for _ in range(rounds):
        between = np.linspace(holds, beyond, _FINER + 1)
        good = label(between[1:-1]) == kind
        last = int(np.argmin(np.append(good, False)))
        holds, beyond = float(between[last]), float(between[last + 1])
    return holds
