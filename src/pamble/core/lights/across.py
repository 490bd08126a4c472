"""What light lines do at a seam: a gap in direction breaks them, a jump in curvature kinks them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm
from pamble.core.checks.measured import SampledSeam, seam_at
from pamble.core.faces.frames import EdgeFrames
from pamble.core.lights.bank import Bank, shown
from pamble.core.spline.differential import Jet

_STEEP = 0.05
"""Sine of the angle to the seam below which a line runs along it rather than across."""

_CROWDED = 30
"""Lights between two samples from which they cannot be told apart."""

_ROUNDS = 9


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

    Where the first side shows a light is closed in on from the samples; what both sides do is read there. The jump is
    to first order: how far along the seam the other side shows the same light.
    """
    t = _crossings(sampled, lights)
    if not len(t):
        return None
    here = seam_at(sampled.seam, t)
    one, two = _seen(here.a, lights), _seen(here.b, lights)
    jump = np.abs(one.value - two.value) / np.maximum(np.abs(one.along[:, 1]), 1e-12)
    # The second side's own directions: along its edge, which may run the other way, and out of it, into the first.
    turned = np.where(dot(here.b.tangent, here.a.tangent) < 0, -1.0, 1.0)
    lean_a, lean_b = one.along, two.along * np.stack([turned, -np.ones(len(turned))], axis=1)
    kink = np.degrees(np.abs(np.arctan2(lean_a[:, 1], lean_a[:, 0]) - np.arctan2(lean_b[:, 1], lean_b[:, 0])))
    kink = np.minimum(kink % 180.0, -kink % 180.0)
    across = np.minimum(np.abs(lean_a[:, 1]) / norm(lean_a), np.abs(lean_b[:, 1]) / norm(lean_b)) > _STEEP
    across &= np.isfinite(jump + kink)
    if not across.any():
        return None
    points = here.a.position[across]
    jump, kink = jump[across], kink[across]
    worst, sharpest = int(np.argmax(jump)), int(np.argmax(kink))
    return Crossed(len(jump), float(jump[worst]), points[worst], float(kink[sharpest]), points[sharpest])


def _crossings(sampled: SampledSeam, lights: Bank) -> Array:
    """Parameters (k,) of the first edge at which it shows a light: every whole number between two samples, by false
    position."""
    t, value = sampled.t, _seen(sampled.a, lights).value
    low, high = np.minimum(value[1:], value[:-1]), np.maximum(value[1:], value[:-1])
    with np.errstate(invalid="ignore"):
        count = np.where(np.isfinite(low + high), np.floor(high) - np.floor(low), 0.0).astype(np.intp)
    count[count > _CROWDED] = 0
    i = np.repeat(np.arange(len(count)), count)
    number = np.floor(low[i]) + 1 + np.arange(len(i)) - np.repeat(np.cumsum(count) - count, count)
    a, b, fa, fb = t[i], t[i + 1], value[i] - number, value[i + 1] - number
    for _ in range(_ROUNDS if len(i) else 0):
        middle = a - fa * (b - a) / (fb - fa)
        off = _seen(seam_at(sampled.seam, middle).a, lights).value - number
        left = off * fa > 0
        # The end that stays counts half, or it would stay for good.
        a, b = np.where(left, middle, a), np.where(left, b, middle)
        fa, fb = np.where(left, off, 0.5 * fa), np.where(left, 0.5 * fb, off)
    return np.asarray(np.where(np.abs(fa) < np.abs(fb), a, b))


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
