"""Ends of curves brought to where something else ends, by the little that two fits differ."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pamble.core.arrays import TINY, Array, norm
from pamble.core.spline.curve import Curve

_GENTLE, _SHARE = 1e4, 0.1
"""How many times as long as the move is the stretch that goes along, and the share of the curve that it is at most."""


def with_end(curve: Curve, end: int, place: Array) -> Curve:
    """The curve with its start (0) or its end (-1) at a place (d,).

    CVs beside it go along, the less the farther they are: where a short span ends there, a move of the end alone would
    turn the curve round.

    >>> line = Curve(1, np.array([0, 0, 1e-6, 1, 1.0]), np.array([[0, 0], [1e-4, 0], [100.0, 0]]))
    >>> moved = with_end(line, 0, np.array([0, 1e-4])).control
    >>> moved[0].tolist(), bool(abs(moved[1, 1] - 1e-4) < 1e-8), moved[2].tolist()
    ([0.0, 0.0001], True, [100.0, 0.0])
    """
    move = place - curve.control[end]
    if not move.any():
        return curve
    way = slice(None, None, -1 if end else 1)
    away = np.concatenate([[0.0], np.cumsum(norm(np.diff(curve.control[way], axis=0)))])
    reach = min(_GENTLE * float(np.linalg.norm(move)), _SHARE * float(away[-1]))
    along = np.where(away > 0, np.clip(1 - away / max(reach, TINY), 0, 1), 1.0)
    control = curve.control + along[way, None] * move
    control[end] = place
    return replace(curve, control=control)
