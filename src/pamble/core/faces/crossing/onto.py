"""Curves brought onto a surface, along its normal or along a direction, as curves in its parameters."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, BoolArray, dot, norm, unit
from pamble.core.curves.measure import affine_parameters, curvature_jumps
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.branches import Branch
from pamble.core.faces.crossing.fit import FittedBranch, fit_branch
from pamble.core.faces.crossing.stations import Stretch, tangents
from pamble.core.faces.face import Face
from pamble.core.faces.landing import land
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.kinks import kinks
from pamble.core.spline.knots import curve_part
from pamble.core.spline.power import surface_form
from pamble.core.spline.seeds import nearest_samples
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import COINCIDENT

_COUNTS = (81, 161, 321)
_ROUNDS, _FEW_ROUNDS = 30, 8
"""Most rounds of Newton for feet; those after which it has settled wherever points lie on the surface."""

_ON = 0.01
"""Distance, mm, up to which a point lies on a surface."""

_EVEN, _AROUND = np.linspace(0.0, 1.0, 13)[1:-1], 10.0 ** -np.arange(1.0, 8.0)
"""Shares of a stretch at which the border is looked for in it, and about where it is thought to be."""

_BORDER_ROUNDS = 14
_SHORT = 1e-7
"""Share of a curve below which what lands of it is the rounding of a border."""

_ROUNDING, _ON_BORDER = 1e-9, 0.5
"""Share of its domain by which an end may be off a surface's border, and share of the tolerance, and lie on it."""

_LEAP = 0.3
"""Share of its domain by which feet beside each other lie apart only where a surface closes on itself."""

_SMOOTH = np.cos(np.radians(0.01))
"""Cosine of the turn up to which a closed curve runs on over its start."""

_OVER = 0.05
"""How far beyond its domain, as a fraction of it, a surface is followed to see where a curve crosses its border."""


def curve_onto(surface: Surface, curve: Curve, direction: Array | None, tolerance: float) -> list[FittedBranch]:
    """The stretches of a curve that land on a surface, fitted within ``tolerance`` (mm); kinks of it part them.

    direction: (3,), or None to go along the surface's normal. Stretches that leave the surface end on its border.
    Raises `GeometryError` if the direction has no length.
    """
    if direction is not None and float(np.linalg.norm(direction)) < 1e-12:
        raise GeometryError("A projection needs a direction that is not zero.")
    d = None if direction is None else unit(np.asarray(direction, dtype=float)[None])[0]
    runs = [run for start, end in _smooth_parts(curve) for run in _runs(surface, curve, d, start, end)]
    sharp = set(kinks(curve)[0].tolist())
    chains: list[list[_Run]] = []
    for run in runs:
        before = chains[-1][-1] if chains else None
        if before and before[1] == run[0] and run[0] not in sharp and not _leaps(surface, before[3][-1], run[3][0]):
            chains[-1].append(run)
        else:
            chains.append([run])
    if len(chains) > 1 and _goes_round(surface, curve, chains[-1][-1], chains[0][0]):
        chains[0] = [*chains.pop(), *chains[0]]
    return [_fitted(surface, curve, d, chain, tolerance) for chain in chains]


def _goes_round(surface: Surface, curve: Curve, last: _Run, first: _Run) -> bool:
    """Whether a closed curve runs on smoothly from its end to its start, and both lie on the surface side by side: what
    it leaves is not parted where it happens to begin.
    """
    if (first[0], last[1]) != curve.domain or _leaps(surface, last[3][-1], first[3][0]):
        return False
    point, way = curve_derivatives(curve, curve.domain, 1)
    one, two = unit(way)
    return bool(norm(np.diff(point, axis=0))[0] < COINCIDENT and one @ two > _SMOOTH)


_Run = tuple[float, float, Array, Array]
"""A parameter range (start, end) that lands, with parameters (k,) and feet (k, 2) known between."""


def _smooth_parts(curve: Curve) -> list[tuple[float, float]]:
    """Ranges between places where the curve turns sharply or its curvature jumps."""
    start, end = curve.domain
    return list(pairwise([start, *curvature_jumps(curve), end]))


def _runs(surface: Surface, curve: Curve, d: Array | None, start: float, end: float) -> list[_Run]:
    """Parameter ranges that land."""
    t = np.linspace(start, end, _COUNTS[0])
    points = curve_points(curve, t)
    uv, found = _first_feet(surface, points, d)
    low, high = np.array(surface.domain).T
    size = high - low
    inside = found & np.all((uv >= low - 1e-9 * size) & (uv <= high + 1e-9 * size), axis=1)
    jump = _leaps(surface, uv[:-1], uv[1:])
    out = []
    first = None
    for i in range(len(t)):
        if inside[i] and first is None:
            first = i
        last = first is not None and (i == len(t) - 1 or not inside[i + 1] or jump[i])
        if first is None or not last or not inside[i]:
            continue
        a = t[first] if first == 0 else _border(surface, curve, d, t[first], t[first - 1], uv[first])
        b = t[i] if i == len(t) - 1 else _border(surface, curve, d, t[i], t[i + 1], uv[i])
        if b - a > _SHORT * (curve.domain[1] - curve.domain[0]):
            out.append((float(a), float(b), t[first : i + 1], uv[first : i + 1]))
        first = None
    return out


def _leaps(surface: Surface, one: Array, two: Array) -> BoolArray:
    """Whether the way between two feet, (..., 2), runs over the joint of a closed surface, or comes back elsewhere."""
    low, high = np.array(surface.domain).T
    return np.asarray(np.abs((two - one) / (high - low)).max(axis=-1) > _LEAP)


def _first_feet(surface: Surface, points: Array, d: Array | None) -> tuple[Array, BoolArray]:
    if d is None:
        return _nearest_feet(surface, points)
    landed = land(Face(surface), points, d)
    feet = to_surface(surface, landed.point)
    uv, found = np.column_stack([feet.u, feet.v]), landed.hit
    if not found.any():
        return uv, found
    # Beside the border a line just misses the surface: its neighbour's foot is where to begin.
    known = np.flatnonzero(found)
    near = known[np.abs(np.arange(len(points))[:, None] - known).argmin(axis=1)]
    return _feet(surface, points, uv[near], d)


def _nearest_feet(surface: Surface, points: Array) -> tuple[Array, BoolArray]:
    """Feet along the normal, and whether each is one. Points that lie on the surface need no search among several."""
    form = surface_form(surface)
    low, high = np.array(surface.domain).T
    uv, exact = _feet(surface, points, np.column_stack(nearest_samples(surface, points)), None, _FEW_ROUNDS)
    inside = np.all((uv >= low) & (uv <= high), axis=1)
    off = np.flatnonzero(~exact | ~inside | (norm(form.at(uv[:, 0], uv[:, 1])[0] - points) > _ON))
    if len(off):
        feet = to_surface(surface, points[off])
        uv[off], exact[off] = _feet(surface, points[off], np.column_stack([feet.u, feet.v]), None)
        # Beyond the border the nearest point is no foot, and Newton may find one far away that is.
        p = form.at(uv[off, 0], uv[off, 1])[0]
        exact[off] &= norm(p - points[off]) < feet.distance * (1 + 1e-6) + 1e-6
    return uv, exact


def _feet(
    surface: Surface, points: Array, uv: Array, d: Array | None, rounds: int = _ROUNDS
) -> tuple[Array, BoolArray]:
    """Newton for the feet, free to leave the domain a little; whether each settled."""
    form = surface_form(surface)
    low, high = np.array(surface.domain).T
    size = high - low
    uv = uv.copy()
    frame = None
    if d is not None:
        x = unit(np.cross(d, np.eye(3)[int(np.argmin(np.abs(d)))])[None])[0]
        frame = np.stack([x, np.cross(d, x)])
    step = np.zeros_like(uv)
    for _ in range(rounds):
        s, su, sv = form.at(uv[:, 0], uv[:, 1])
        gap = s - points
        if frame is None:
            f, g = dot(gap, su), dot(gap, sv)
            a11, a12, a22 = dot(su, su), dot(su, sv), dot(sv, sv)
            a21 = a12
        else:
            f, g = gap @ frame[0], gap @ frame[1]
            a11, a12, a21, a22 = su @ frame[0], sv @ frame[0], su @ frame[1], sv @ frame[1]
        det = a11 * a22 - a12 * a21
        det = np.where(np.abs(det) > 1e-14, det, 1e-14)
        step = np.column_stack([(a22 * f - a12 * g) / det, (a11 * g - a21 * f) / det])
        step = np.clip(step, -0.1 * size, 0.1 * size)
        new = np.clip(uv - step, low - _OVER * size, high + _OVER * size)
        # One that is held at the limit has left the surface: it would not settle in any number of rounds.
        resting = np.abs((new - uv) / size).max() < 1e-12
        uv = new
        if resting:
            break
    return uv, np.abs(step / size).max(axis=1) < 1e-8


def _border(surface: Surface, curve: Curve, d: Array | None, holds: float, beyond: float, uv: Array) -> float:
    """The parameter at which the foot crosses the border, between one that holds and one beyond: where the straight way
    between the feet beside it crosses, closed in on from both sides, and in even steps where that does not serve.
    """
    low, high = np.array(surface.domain).T
    shares = _EVEN
    for _ in range(_BORDER_ROUNDS):
        t = holds + (beyond - holds) * shares
        foot, good = _feet(surface, curve_points(curve, t), np.tile(uv, (len(t), 1)), d)
        off = np.maximum(low - foot, foot - high).max(axis=1)
        over = (off > 0) | ~good | _leaps(surface, uv, foot)
        first = int(np.argmax(over)) if over.any() else len(t)
        between = 0 < first < len(t) and good[first]
        at = off[first - 1] / (off[first - 1] - off[first]) if between and off[first] > 0 else 0.5
        around = np.concatenate([at - _AROUND, at + _AROUND, [at]])
        shares = np.sort(np.concatenate([_EVEN, around[(around > 0) & (around < 1)]]))
        if first:
            holds, uv = float(t[first - 1]), foot[first - 1]
        if first < len(t):
            beyond = float(t[first])
        if abs(beyond - holds) < 1e-14 * max(1.0, abs(holds)):
            break
    return holds


def _fitted(surface: Surface, curve: Curve, d: Array | None, chain: list[_Run], tolerance: float) -> FittedBranch:
    made = None
    for count in _COUNTS:
        row = tuple(_stretch(surface, curve, d, run, count, tolerance) for run in chain)
        first, last = row[0], row[-1]
        apart = norm((first.point[0] - last.point[-1])[None])[0]
        closed = apart < 1e-9 and np.abs(first.q[0] - last.q[-1]).max() < 1e-12
        made = fit_branch(surface, surface, Branch(row, bool(closed)), tolerance, quick=True)
        if made.off <= tolerance:
            break
    assert made is not None
    return made


def _stretch(surface: Surface, curve: Curve, d: Array | None, run: _Run, count: int, tolerance: float) -> Stretch:
    a, b, t, uv = run
    at = affine_parameters(curve_part(curve, a, b), np.linspace(0, 1, count))
    seed = np.column_stack([np.interp(at, t, uv[:, k]) for k in (0, 1)])
    foot, _ = _feet(surface, curve_points(curve, at), seed, d)
    foot = _to_border(surface, foot, _ON_BORDER * tolerance)
    s, su, sv = surface_form(surface).at(foot[:, 0], foot[:, 1])
    both = np.stack([su, sv])
    ends = ((0, float(foot[0, 0])), (0, float(foot[-1, 0])))
    return Stretch(np.hstack([foot, foot]), s, tangents(s, False), ends, np.ones(count), both, both)


def _to_border(surface: Surface, uv: Array, within: float) -> Array:
    """Ends that lie within a distance, mm, of the border put on it: what is left of a curve there is rounding."""
    out = uv.copy()
    ends = uv[[0, -1]]
    pace = norm(np.array(surface_form(surface).at(ends[:, 0], ends[:, 1])[1:]))
    for k, (low, high) in enumerate(surface.domain):
        for i, row in enumerate((0, -1)):
            for border in (low, high):
                away = abs(out[row, k] - border)
                if away < _ROUNDING * (high - low) or away * pace[k, i] < within:
                    out[row, k] = border
    return out
