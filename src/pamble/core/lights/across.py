"""What light lines do at a seam: a gap in direction breaks them, a jump in curvature kinks them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm
from pamble.core.checks.measured import SampledSeam
from pamble.core.faces.frames import EdgeFrames
from pamble.core.lights.bank import Bank, shown
from pamble.core.spline.differential import Jet

_STEEP = 0.05
"""Sine of the angle to the seam below which a line runs along it rather than across."""


@dataclass(frozen=True)
class Crossed:
    """Light lines that cross a seam. lines: how many. jump: the farthest, mm along the seam, that a line goes on from
    where it ended; kink: the largest angle, degrees, between its directions on both sides; each with its place (3,).
    """

    lines: int
    jump: float
    jump_at: Array
    kink: float
    kink_at: Array


def crossed(sampled: SampledSeam, lights: Bank) -> Crossed | None:
    """Light lines across a seam; None where none crosses it.

    Between samples the numbers and directions are taken as straight. The jump is to first order: how far along the seam
    the other side shows the same light.
    """
    one, two = _seen(sampled.a, lights), _seen(sampled.b, lights)
    length = np.concatenate([[0.0], np.cumsum(norm(np.diff(sampled.a.position, axis=0)))])
    # Where a whole number lies between samples of the first side, a line crosses.
    low, high = np.floor(np.minimum(one.value[1:], one.value[:-1])), np.floor(np.maximum(one.value[1:], one.value[:-1]))
    i = np.flatnonzero((high > low) & np.isfinite(low + high) & np.isfinite(two.value[1:] + two.value[:-1]))
    if not len(i):
        return None
    share = (high[i] - one.value[i]) / (one.value[i + 1] - one.value[i])

    def at(row: Array) -> Array:
        w = share.reshape(-1, *[1] * (row.ndim - 1))
        return np.asarray((1 - w) * row[i] + w * row[i + 1])

    rate = np.abs((one.value[i + 1] - one.value[i]) / np.maximum(length[i + 1] - length[i], 1e-12))
    jump = np.abs(at(one.value - two.value)) / np.maximum(rate, 1e-12)
    # The second side's own directions: along its edge, which may run the other way, and out of it, into the first.
    turned = np.where(dot(sampled.b.tangent, sampled.a.tangent) < 0, -1.0, 1.0)
    lean_a, lean_b = at(one.along), at(two.along * np.stack([turned, -np.ones(len(turned))], axis=1))
    kink = np.degrees(np.abs(np.arctan2(lean_a[:, 1], lean_a[:, 0]) - np.arctan2(lean_b[:, 1], lean_b[:, 0])))
    kink = np.minimum(kink % 180.0, -kink % 180.0)
    across = np.minimum(np.abs(lean_a[:, 1]) / norm(lean_a), np.abs(lean_b[:, 1]) / norm(lean_b)) > _STEEP
    if not across.any():
        return None
    points = at(sampled.a.position)[across]
    jump, kink = jump[across], kink[across]
    worst, sharpest = int(np.argmax(jump)), int(np.argmax(kink))
    return Crossed(len(jump), float(jump[worst]), points[worst], float(kink[sharpest]), points[sharpest])


@dataclass(frozen=True)
class _Side:
    """value: number of the light, (m,); along: direction of its line, along the edge and out of the face, (m, 2)."""

    value: Array
    along: Array


def _seen(f: EdgeFrames, lights: Bank) -> _Side:
    ways = (f.tangent, f.outward)
    value, (g_along, g_across) = shown(lights, f.jet.point, f.normal, ways, tuple(_turned(f.jet, w) for w in ways))
    # A line runs square to the gradient.
    return _Side(value, np.stack([-g_across, g_along], axis=1))


def _turned(jet: Jet, way: Array) -> Array:
    """Derivative of the unit normal along unit tangents, by the equations of Weingarten."""
    side = cross(jet.normal, way)
    return -(jet.second(way, way)[:, None] * way + jet.second(way, side)[:, None] * side)
