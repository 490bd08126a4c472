"""The crease that a fillet follows: an edge that two faces share, with stations along it and a little beyond."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.curves.measure import curvature_jumps, curve_length
from pamble.core.errors import GeometryError
from pamble.core.fillets.beyond import along_both, runs_off
from pamble.core.fillets.chain import Chain
from pamble.core.fillets.feet import derivatives, step_uv
from pamble.core.joining.rows import CLOSING
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.kinks import over_joint
from pamble.core.spline.surface import Surface

_CELLS = 24
"""Parts of a span in which its length is summed up."""

BEYOND = 0.1
"""Share of a crease by which stations go on beyond its ends."""

_WITHIN = 21
"""Stations at least between the ends of a crease that is short against what it goes on by."""

_LEADS, _HALF = 0.5, 0.45
"""Cosine of the angle from which an end of a crease leads to its other end; and the share of the way between them by
which it goes on.
"""

_AT_JOINT = 0.01
"""Share of a closed face from its joint within which a loop begins at it."""

_AT_END = 1e-9
"""Share of a crease within which a station is the end."""

_FINE, _MOST, _KINK = 8.0, 481, 20.0
"""Degrees from station to station up to which a crease is followed well, most stations, and degrees of a kink."""

_BENDS, _EACH = 1e-3, 8
"""Share of itself by which a crease's curvature jumps where stations end one stretch and begin the next; and stations
of a stretch at least.
"""

_APART = 1e-6
"""Share of a crease within which two such places are one."""

_STALLS = 0.99
"""Share of the way between two stations beyond an end by which they lie apart at least."""

_FLAT = np.radians(0.05)
"""Turn of a crease below which nothing is left to fillet."""


@dataclass(frozen=True)
class Crease:
    """Stations along a crease. s (m,): shares of it, from below 0 to above 1 beyond its ends. points, tangents: (m, 3).

    uv: parameters (m, 4) on both faces. into: unit directions (m, 3) from the crease into each face. turn: angle,
    radians, by which the second face turns away from going straight on. signs: +1 where the ball lies on the side of a
    face's normal, else -1. closed: whether it is a loop; then the last station is the first again. parts: numbers of
    the stations at which its curvature jumps.
    """

    surfaces: tuple[Surface, Surface]
    s: Array
    points: Array
    tangents: Array
    uv: Array
    into: tuple[Array, Array]
    turn: Array
    signs: tuple[float, float]
    closed: bool = False
    parts: tuple[int, ...] = ()

    @cached_property
    def closing(self) -> int:
        """Derivatives of a ball's way, `CLOSING` at most, that are alike where a loop begins and ends: one less than
        those of a face whose joint is there.
        """
        out = CLOSING
        for k in range(4):
            surface, along = self.surfaces[k // 2], k % 2
            if surface.closed[along]:
                low, high = surface.domain[along]
                share = (self.uv[0, k] - low) / (high - low) % 1.0
                if min(share, 1.0 - share) < _AT_JOINT:
                    out = min(out, max(over_joint(surface, along) - 1, 0))
        return out


def crease(
    a: Chain, b: Chain, count: int = 121, beyond: tuple[float, float] = (BEYOND, BEYOND), at: Sequence[float] = ()
) -> Crease:
    """The crease along two chains of edges that lie together; ``count`` stations or, where it bends sharply, more of
    them, even in the first one's length between places where its curvature jumps and shares ``at``.

    Raises `GeometryError` for a crease with a kink, faces that go on into each other without a crease, and those that
    cannot be followed beyond its ends.
    """
    closed, most = a.closed, _halfway(a.space)
    beyond = min(beyond[0], most), min(beyond[1], most)
    count = min(max(count, int(_WITHIN * (1 + sum(beyond)))), _MOST)
    s, points, tangents, parts = _stations(a, count, beyond, at)
    kink = _bend(s, tangents)
    if kink > _FINE:
        s, points, tangents, parts = _stations(a, count, beyond, at, kink / _FINE)
        kink = _bend(s, tangents)
    if kink > _KINK:
        raise GeometryError(f"The crease has a kink of {kink:.0f}°: fillet its pieces one by one.")
    on = curve_points(a.space, np.clip(_by_length(a.space, s), *a.space.domain))
    starts, outward = zip(*(x.beside(on) for x in (a, b)), strict=True)
    first, second = (_feet(x.surface, points, uv) for x, uv in zip((a, b), starts, strict=True))
    if not closed:
        points, tangents, first, second = _beyond(a, b, s, (points, tangents, first, second))
    # Beyond its ends the crease runs on; which way a face lies there is that at the end.
    normals = [_normals(x, q) for x, q in ((a.surface, first), (b.surface, second))]
    into = []
    for n, out in zip(normals, outward, strict=True):
        side = unit(cross(n, tangents))
        into.append(side * np.where(dot(side, -out) < 0, -1.0, 1.0)[:, None])
    turn = np.arctan2(norm(cross(-into[0], into[1])), dot(-into[0], into[1]))
    sharpest = int(np.argmax(np.where((s >= 0) & (s <= 1), turn, 0.0)))
    if turn[sharpest] < _FLAT:
        raise GeometryError(
            f"The faces go on into each other: the crease turns by {np.degrees(turn[sharpest]):.3f}° only."
        )
    rise = dot(normals[0], into[1]), dot(normals[1], into[0])
    signs = (float(np.sign(rise[0][sharpest])) or 1.0, float(np.sign(rise[1][sharpest])) or 1.0)
    turn = np.where(signs[0] * rise[0] > 0, turn, -turn)
    uv = np.hstack([_running_on(a.surface, first), _running_on(b.surface, second)])
    if not (np.isfinite(uv).all() and np.isfinite(turn).all()):
        raise GeometryError("The crease cannot be followed beyond its ends: a face runs off there.")
    return Crease((a.surface, b.surface), s, points, tangents, uv, (into[0], into[1]), turn, signs, closed, parts)


def _halfway(curve: Curve) -> float:
    """Share of a crease by which it goes on beyond its ends at most: where they lead to each other, less than half of
    the way between them.
    """
    start, end = (curve_derivatives(curve, [t], 1)[:, 0] for t in curve.domain)
    way = end[0] - start[0]
    gap = float(np.linalg.norm(way))
    back, on = (float(d[1] @ way) / float(np.linalg.norm(d[1])) for d in (start, end))
    return _HALF * gap / curve_length(curve) if -max(back, on) > _LEADS * gap else np.inf


def _stations(
    a: Chain, count: int, beyond: tuple[float, float], at: Sequence[float], times: float = 1.0
) -> tuple[Array, Array, Array, tuple[int, ...]]:
    """Shares of the crease (m,), points and unit tangents (m, 3) there; and which of them lie where its curvature
    jumps, or at given shares: they are even between those. times: as many as usual.
    """
    count, least = min(int(count * times) + (times > 1), _MOST), int(np.ceil(_EACH * times))
    low, high = (0.0, 1.0) if a.closed else (-beyond[0], 1 + beyond[1])
    whole, (start, _) = curve_length(a.space), a.space.domain
    jumps = [curve_length(a.space, start, t) / whole for t in curvature_jumps(a.space, _BENDS)]
    for x in sorted(at):
        if low < x < high and min(abs(x - y) for y in (low, *jumps, high)) > _APART:
            jumps.append(x)
    edges = [low, *sorted(jumps), high]
    each = [max(round((count - 1) * (q - p) / (high - low)), least if jumps else 1) for p, q in pairwise(edges)]
    parts = np.cumsum(each)
    s = np.concatenate([np.linspace(p, q, n + 1)[:-1] for (p, q), n in zip(pairwise(edges), each, strict=True)])
    s = np.append(s, high)
    d = curve_derivatives(a.space, _by_length(a.space, s), 1)
    return s, d[0], unit(d[1]), tuple(parts[:-1].tolist())


def _bend(s: Array, tangents: Array) -> float:
    """The largest angle in degrees by which it turns from one station to the next between its ends."""
    own = tangents[(s > -_AT_END) & (s < 1 + _AT_END)]
    return float(np.degrees(np.arccos(np.clip(dot(own[1:], own[:-1]), -1, 1))).max(initial=0.0))


def _beyond(
    a: Chain, b: Chain, s: Array, found: tuple[Array, Array, Array, Array]
) -> tuple[Array, Array, Array, Array]:
    """Stations whose points, tangents and parameters on both faces lie where these meet beyond the ends too."""
    points, tangents, first, second = (x.copy() for x in found)
    length = curve_length(a.space)
    for end, own, way in ((0.0, np.flatnonzero(s < -_AT_END)[::-1], -1.0), (1.0, np.flatnonzero(s > 1 + _AT_END), 1.0)):
        away = way * (s[own] - end) * length
        feet = [derivatives(x.surface, uv[own, 0], uv[own, 1], 0)[0, 0] for x, uv in ((a, first), (b, second))]
        turns = _bend(np.clip(s[own], 0, 1), tangents[own]) > _KINK
        # The parameters of an arc come to an end half round: its stations would lie on each other.
        stalls = bool((norm(np.diff(points[own], axis=0)) < _STALLS * np.diff(away)).any())
        if not turns and not stalls and not runs_off(points[own], (feet[0], feet[1]), away):
            continue
        at = a.space.domain[int(end)]
        d = curve_derivatives(a.space, [at], 2)[:, 0]
        speed = float(np.linalg.norm(d[1]))
        run = way * d[1] / speed
        bend = (d[2] - (d[2] @ run) * run) / speed**2
        starts = [_feet(x.surface, d[:1], x.beside(d[:1])[0])[0] for x in (a, b)]
        made = along_both((a.surface, b.surface), (starts[0], starts[1]), np.stack([d[0], run, bend]), away)
        if not all(np.isfinite(x).all() for x in (made[0], made[1], *made[2])):
            continue
        points[own], tangents[own] = made[0], way * made[1]
        first[own], second[own] = made[2]
    return points, tangents, first, second


def _running_on(surface: Surface, uv: Array) -> Array:
    """Parameters that run on over the joints of a closed surface instead of jumping back."""
    out = uv.copy()
    for k, (low, high) in enumerate(surface.domain):
        if surface.closed[k]:
            out[:, k] = np.unwrap(out[:, k], period=high - low)
    return out


def _by_length(curve: Curve, s: Array) -> Array:
    """Parameters at shares of the length, beyond the ends too: stations must follow each other smoothly, and the pace
    of a rational arc jumps at its joints.
    """
    start, end = curve.domain
    breaks = basis.breaks(curve.knots, curve.degree)
    reach = 0.5 * (end - start)
    whole = np.concatenate([[start - reach], breaks, [end + reach]])
    cells = np.unique(np.concatenate([np.linspace(p, q, _CELLS + 1) for p, q in pairwise(whole)]))
    x, w = np.polynomial.legendre.leggauss(6)
    half = 0.5 * np.diff(cells)
    at = (cells[:-1, None] + half[:, None] * (1 + x)).ravel()
    step = (norm(curve_derivatives(curve, at, 1)[1]).reshape(-1, len(x)) * w).sum(axis=1) * half
    # Summed up from both ends outward: beyond a short last span the curve may be longer than can be added to the rest.
    first, last = np.searchsorted(cells, [start, end])
    inner = np.append(0.0, np.cumsum(step[first:last]))
    total = inner[-1]
    before, after = np.cumsum(step[:first][::-1])[::-1], np.cumsum(step[last:])
    length = np.concatenate([-before, inner, total + after]) / total
    t = np.interp(s, length, cells)
    for _ in range(3):
        i = np.clip(np.searchsorted(cells, t, side="right") - 1, 0, len(cells) - 2)
        own = 0.5 * (t - cells[i])
        nodes = cells[i][:, None] + own[:, None] * (1 + x)
        speed = norm(curve_derivatives(curve, np.append(nodes.ravel(), t), 1)[1])
        reached = length[i] + (speed[: nodes.size].reshape(nodes.shape) * w).sum(axis=1) * own / total
        too_far = (reached - s) * total / np.maximum(speed[nodes.size :], 1e-12)
        # Beyond a short last span a curve may run off anywhere.
        t = np.clip(t - np.where(np.isfinite(too_far), too_far, 0.0), cells[0], cells[-1])
    return np.asarray(t)


def _feet(surface: Surface, points: Array, uv: Array) -> Array:
    """Feet by Gauss-Newton steps, beyond the domain too."""
    for _ in range(4):
        d = derivatives(surface, uv[:, 0], uv[:, 1], 1)
        uv = uv + step_uv(d, points - d[0, 0])
    return uv


def _normals(surface: Surface, uv: Array) -> Array:
    d = derivatives(surface, uv[:, 0], uv[:, 1], 1)
    return unit(cross(d[1, 0], d[0, 1]))
