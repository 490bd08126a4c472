"""Surface through a net of crossing curves that may miss each other a little.

The reference is the transfinite interpolation of the curves, each run through at a pace that takes its crossings to
common parameters. The fit then contains every curve within a tolerance, softer beside crossings that miss. Own method.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import CubicSpline, PchipInterpolator

from pamble.core.arrays import Array, norm, unit
from pamble.core.curves.measure import LengthMap
from pamble.core.patches.conditions import Contains, Flat
from pamble.core.patches.crossed import Net, sorted_net
from pamble.core.patches.folds import told_folds
from pamble.core.patches.solve import Condition, fit
from pamble.core.patches.space import Patch, Space
from pamble.core.patches.transfinite import Run, transfinite
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import curvatures
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives, surface_points
from pamble.core.spline.extremes import largest
from pamble.core.spline.surface import Surface

_SAMPLES = 160
_ROUNDS, _MOST = 14, 24
"""How often CVs are added, and up to how many in a direction."""

_HELPS, _IDLE = 0.9, 3
"""Share of the worst figure below which more CVs are worth it, and how many rounds without are the last."""

_BESIDE = 0.08
"""Share of a curve's length within which a crossing that misses softens its tolerance."""

_CALM_PACE = 2.5
"""How much faster or slower than its middle a calm pace may run."""

_SPREAD, _LEVEL, _AT_POLE = 0.1, 1.0, 2e-4
"""Curves that run together are taken to leave the pole in one plane: how far they must spread, the singular value, and
by how much, degrees, each may leave it; and the tolerance of the pole, mm.
"""

_NEAR_POLE = 0.03
"""Share of the surface beside a pole at which its curvature is compared all round."""


@dataclass(frozen=True)
class NetMade:
    """along, across: numbers of the curves that run along u and v, in order. off: how far each curve of the net lies
    off the surface, mm. misses: the widest gap between crossing curves, mm. tried: CVs along u and v, and the farthest
    curve over its tolerance.
    """

    surface: Surface
    along: tuple[int, ...]
    across: tuple[int, ...]
    off: tuple[float, ...]
    misses: float
    tried: tuple[tuple[int, int, float], ...]
    warnings: tuple[str, ...]


def net_surface(
    curves: Sequence[Curve], miss: float = 0.1, tolerance: float = 0.002, degree: int = 5,
    spans: tuple[int, int] | None = None,
) -> NetMade:  # fmt: skip
    """The surface of few CVs through curves of two directions, given in any order.

    miss: how far, mm, crossing curves may pass each other by; tolerance: mm, to which each is held elsewhere. spans: in
    either direction, the fewest are sought where they are not given. Raises `GeometryError` for curves that are no net,
    with the pair and the place.
    """
    net = sorted_net(curves, miss)
    runs = [_paced(c, own, net.u) for c, own in zip(net.along, net.share_u, strict=True)]
    over = [_paced(c, own, net.v) for c, own in zip(net.across, net.share_v.T, strict=True)]
    reference = transfinite(net, runs, over)
    tried: list[_Trial] = []
    poles = _poles(net)

    def look(spans: tuple[int, int]) -> _Trial:
        patch = Patch(Space.even(degree, spans[0]), Space.even(degree, spans[1]))
        groups = (_conditions(net, runs, 0, tolerance, patch), _conditions(net, over, 1, tolerance, patch))
        found = fit(patch, [*groups[0], *groups[1], *poles], patch.interpolate(reference), steps=5)
        worst = tuple(max(found.worst[c.name] for c in group) for group in groups)
        tried.append(_Trial(spans, patch.surface(found.control), (worst[0], worst[1])))
        return tried[-1]

    if spans is not None:
        best = look(spans)
    else:
        best = _fewest(look, (max(1, len(net.u) - degree), max(1, len(net.v) - degree)), _MOST - degree)
    surface = best.surface
    off = [0.0] * len(curves)
    for numbers, own, levels, way in ((net.along_of, runs, net.v, 0), (net.across_of, over, net.u, 1)):
        for number, run, level in zip(numbers, own, levels, strict=True):
            off[number] = _off(surface, curves[number], run[1], level, way)
    return NetMade(
        surface, net.along_of, net.across_of, tuple(off), float(net.gap.max()),
        tuple((t.spans[0] + degree, t.spans[1] + degree, t.ratio) for t in tried),
        tuple(_words(net, surface, off, max(3 * tolerance, 1.5 * float(net.gap.max())))),
    )  # fmt: skip


@dataclass(frozen=True)
class _Trial:
    """A surface of so many spans; worst: the farthest curve of either direction, over its tolerance."""

    spans: tuple[int, int]
    surface: Surface
    worst: tuple[float, float]

    @property
    def ratio(self) -> float:
        return max(self.worst)


def _fewest(look: Callable[[tuple[int, int]], _Trial], first: tuple[int, int], most: int) -> _Trial:
    """The trial of the fewest spans that holds, or the best: more of them where the curves ask for it, as those do that
    run along a direction, and in both where that brought nothing; then fewer again one direction after the other.
    """
    best = last = look(first)
    idle = 0
    for _ in range(_ROUNDS):
        if last.ratio <= 1.0 or idle >= _IDLE:
            break
        asking = [idle > 0 or w > max(1.0, 0.3 * last.ratio) for w in last.worst]
        u, v = (min(n + max(2, n // 2), most) if more else n for n, more in zip(last.spans, asking, strict=True))
        if (u, v) == last.spans:
            break
        last = look((u, v))
        idle = 0 if last.ratio < max(1.0, _HELPS * best.ratio) else idle + 1
        best = last if not idle else best
    if best.ratio > 1.0:
        return best
    for k in (0, 1):
        low = first[k] - 1
        while best.spans[k] - low > 1:
            middle = (low + best.spans[k]) // 2
            fewer = look((middle, best.spans[1]) if k == 0 else (best.spans[0], middle))
            if fewer.ratio <= 1.0:
                best = fewer
            else:
                low = middle
    return best


def _off(surface: Surface, curve: Curve, pace: Array, level: float, way: int) -> float:
    """How far a curve lies off the surface, mm. pace: common parameters at even shares of its length, maybe turned."""
    length, even = LengthMap(curve), np.linspace(0.0, 1.0, len(pace))
    first, held = pace[:1], np.array([level])
    start = surface_points(surface, *((first, held) if way == 0 else (held, first)))[0]
    ends = curve_points(curve, curve.domain)
    turned = norm(ends[:1] - start)[0] > norm(ends[1:] - start)[0]

    def distance(share: Array) -> Array:
        # The place on the net is known; beside a pole a search would not find it.
        own = np.interp(1.0 - share if turned else share, even, pace)
        seed = (own, np.full(len(own), level)) if way == 0 else (np.full(len(own), level), own)
        return to_surface(surface, curve_points(curve, length.parameters(share)), seed).distance[None]

    return float(largest(distance, even, distance(even))[1][0])


def _paced(curve: Curve, own: Array, common: Array) -> Run:
    share = np.linspace(0.0, 1.0, _SAMPLES)
    d = curve_derivatives(curve, LengthMap(curve).parameters(share), 1)
    marks, first = np.unique(np.concatenate([[0.0], own, [1.0]]).round(9), return_index=True)
    return d[0], _pace(marks, np.concatenate([[0.0], common, [1.0]])[first], share), unit(d[1])


def _pace(marks: Array, common: Array, share: Array) -> Array:
    """The smoothest pace that rises through marks: a polynomial, a cubic spline, else a monotone cubic."""
    tries: list[Callable[[Array], Array]] = [CubicSpline(marks, common)] if len(marks) > 2 else []
    if 2 < len(marks) <= 6:
        line = np.polynomial.Polynomial.fit(marks, common, len(marks) - 1)
        tries.insert(0, line)
    for law in tries:
        rate = np.diff(law(share)) / np.diff(share)
        middle = float(np.median(rate))
        if rate.min() > middle / _CALM_PACE and rate.max() < middle * _CALM_PACE:
            out = np.asarray(law(share))
            out[[0, -1]] = common[0], common[-1]
            return out
    return np.asarray(PchipInterpolator(marks, common)(share))


def _conditions(net: Net, runs: Sequence[Run], way: int, tolerance: float, patch: Patch) -> list[Condition]:
    """Every curve of a family is contained; beside crossings that miss, as far as it must give way."""
    levels, marks = (net.v, net.u) if way == 0 else (net.u, net.v)
    gaps = net.gap if way == 0 else net.gap.T
    count = 5 * (patch.u if way == 0 else patch.v).count
    out: list[Condition] = []
    for (points, t, tangents), level, own in zip(runs, levels, gaps, strict=True):
        pick = np.unique(np.linspace(0, len(points) - 1, count).astype(np.intp))
        near = np.exp(-(((t[pick, None] - marks) / _BESIDE) ** 2))
        soft = tolerance + (0.6 * own * near).max(axis=1)
        uv = np.full((len(pick), 2), level)
        uv[:, way] = t[pick]
        slack = max(0.5, 3.0 * float(own.max()))
        out.append(Contains(points[pick], uv, tangents[pick], way, soft, slack=slack, name=f"curves along {'uv'[way]}"))
    return out


def _poles(net: Net) -> list[Condition]:
    """Where all curves of a direction run together in a point and leave it in one plane, the surface does so too."""
    out: list[Condition] = []
    for side, point in net.poles:
        curves = net.along if side[0] == "u" else net.across
        end = int(side[1])
        ends = np.array([curve_derivatives(c, [c.domain[end]], 1)[:, 0] for c in curves])
        _, size, ways = np.linalg.svd(unit(ends[:, 1]))
        normal = ways[2]
        if size[1] > _SPREAD and np.abs(unit(ends[:, 1]) @ normal).max() < np.sin(np.radians(_LEVEL)):
            off = float(norm(ends[:, 0] - point).max())
            out.append(Flat(side, point, normal, max(_AT_POLE, off)))
    return out


def _words(net: Net, surface: Surface, off: Sequence[float], allowed: float) -> list[str]:
    out = [*told_folds(surface)]
    worst = int(np.argmax(off))
    if off[worst] > allowed:
        out.append(
            f"Curve {worst + 1} lies {off[worst]:.3f} mm off the surface: the curves ask for different shapes where "
            "they cross, or for many more CVs. Calm that curve, or let the net miss by more."
        )
    for side, point in net.poles:
        low, high = _round_pole(surface, side)
        x, y, z = np.round(point, 2) + 0.0
        out.append(
            f"The curves run together at ({x:.2f}, {y:.2f}, {z:.2f}) mm: the face has a pole there. Beside it its mean "
            f"curvature lies between {low:.5f} and {high:.5f} 1/mm, and no neighbour can meet it with curvature. End "
            "the curves before the point and fill what is left with a patch instead."
        )
    return out


def _round_pole(surface: Surface, side: str) -> tuple[float, float]:
    """Least and largest mean curvature, 1/mm, a little beside a pole, all round it."""
    at = _NEAR_POLE if side[1] == "0" else 1.0 - _NEAR_POLE
    t = np.linspace(0.02, 0.98, 40)
    fixed = np.full(40, at)
    u, v = (fixed, t) if side[0] == "u" else (t, fixed)
    _, bend = curvatures(surface_derivatives(surface, u, v, 2))
    return float(bend.mean.min()), float(bend.mean.max())
