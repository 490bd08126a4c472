"""The layout of a curve's CVs: legs that progress, turns that are even, no zigzag."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.curves.measure import inflections
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve

_LEG_STEP = 1.6
"""Largest change of the pace of legs from one to the next that still counts as progressing (common practice)."""

_TURN_STEP = 3.0
"""Largest ratio of neighbouring turning rates that still counts as even (common practice)."""


@dataclass(frozen=True)
class Fault:
    """A CV at fault, by its number, and why."""

    cv: int
    words: str


@dataclass(frozen=True)
class Layout:
    """score: 100 for a calm layout, less with every fault. legs: (n-1,) mm. turns: (n-2,) degrees, signed."""

    score: float
    legs: Array
    turns: Array
    faults: tuple[Fault, ...]


def check_layout(curve: Curve, inflection_count: int | None = None) -> Layout:
    """Judge the control polygon. Common practice, no published source. ``inflection_count``: if it is known already.

    Legs are compared by pace, their length over the step of their Greville points, so that knots of several spans
    are not mistaken for a fault. A zigzag is a turn against its neighbours that the curve itself does not make.
    """
    p = curve.control if curve.control.shape[1] == 3 else np.column_stack([curve.control, np.zeros(len(curve.control))])
    leg = np.diff(p, axis=0)
    legs = norm(leg)
    if len(p) == 2:
        return Layout(100.0, legs, np.zeros(0), ())
    faults: list[Fault] = []
    size = max(float(legs.max(initial=0.0)), 1e-9)
    for i in np.flatnonzero(legs < 1e-6 * size):
        faults.append(Fault(int(i), f"coincides with CV {i + 2}"))
    steps = np.maximum(np.diff(basis.greville(curve.knots, curve.degree)), 1e-12)
    pace = np.maximum(legs, 1e-9 * size) / steps
    ratio = pace[1:] / pace[:-1]
    uneven = np.maximum(ratio, 1 / ratio)
    # A steady progression may be steep; what disturbs is a ratio that its neighbours do not share.
    jump = np.abs(np.log(ratio[1:] / ratio[:-1])) if len(ratio) > 1 else np.zeros(0)
    for i in np.flatnonzero(jump > 2 * np.log(_LEG_STEP)):
        worst = i + (1 if uneven[i + 1] > uneven[i] else 0)
        faults.append(Fault(int(worst) + 1, f"its legs jump: {legs[worst]:.1f} mm, then {legs[worst + 1]:.1f} mm"))
    turns = _turns(leg)
    width = 0.5 * (steps[1:] + steps[:-1])
    large = max(float(np.abs(turns).max(initial=0.0)), 1e-9)
    small = np.minimum(np.abs(turns[1:]), np.abs(turns[:-1])) < max(0.02 * large, 1e-3)
    against = np.flatnonzero((turns[1:] * turns[:-1] < 0) & ~small)
    twice = np.flatnonzero(np.diff(against) == 1)
    for i in against[twice] + 1:
        faults.append(Fault(int(i) + 1, "zigzag: the polygon turns against both its neighbours"))
    wanted = len(inflections(curve)) if inflection_count is None and len(against) else inflection_count or 0
    if len(against) > wanted and not len(twice):
        faults.append(Fault(int(against[0]) + 1, "zigzag: the polygon turns to the other side and the curve does not"))
    if not len(against) and len(turns) > 1:
        rate = np.abs(turns) / width
        step = np.log(np.maximum(rate, max(0.02 * float(rate.max()), 1e-9)))
        for i in np.flatnonzero(np.abs(np.diff(step)) > np.log(_TURN_STEP)):
            faults.append(Fault(int(i) + 2, f"uneven turn: {abs(turns[i]):.1f}°, then {abs(turns[i + 1]):.1f}°"))
    unique = tuple({f.cv: f for f in faults}.values())
    return Layout(max(0.0, 100.0 - 100.0 * len(unique) / max(len(p) - 2, 1)), legs, turns, unique)


def _turns(leg: Array) -> Array:
    """Turning angles between legs in degrees; the sign changes where the polygon turns to the other side.

    In space a polygon also twists: only a turn whose axis is nearly reversed counts as one to the other side.
    """
    a, b = unit(leg[:-1]), unit(leg[1:])
    axis = np.cross(a, b)
    angle = np.degrees(np.arctan2(norm(axis), dot(a, b)))
    if not len(axis):
        return np.zeros(0)
    direction = unit(axis)
    reversed_ = np.concatenate([[1.0], np.where(dot(direction[1:], direction[:-1]) < -0.5, -1.0, 1.0)])
    return np.asarray(angle * np.cumprod(reversed_))
