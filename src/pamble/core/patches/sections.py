"""Sections of different make brought to one direction, one pace and one knot vector, so that nothing twists between."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.measure import curve_length, length_parameters
from pamble.core.errors import GeometryError
from pamble.core.patches.kinked import lengths_shared, parted
from pamble.core.patches.paced import begun_at, checked, found_begins, in_parts
from pamble.core.patches.refitted import refitted
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.kinks import chain, kinks
from pamble.core.spline.knots import recast_curve, reverse_curve
from pamble.core.surfaces.extrude import common_knots, on_unit
from pamble.core.tolerances import COINCIDENT

_PLACES = 64
_PACE = 0.12
"""Difference of pace between sections, as a share of the length, from which they are fitted anew by length."""

_TIMES = 2
"""CVs of the richest section, so many times, up to which all knots are put together where paces agree."""

_RICH = 60
"""CVs from which sections that are to meet other things too are fitted anew on fewer."""


@dataclass(frozen=True)
class Alike:
    """Sections on one degree and one knot vector over [0, 1]. turned: which of them were reversed. deviation: of those
    that were fitted anew, mm; 0 where all are exact.
    """

    curves: tuple[Curve, ...]
    turned: tuple[bool, ...]
    deviation: float


def alike(
    sections: Sequence[Curve], turned: Sequence[bool | None] = (), tolerance: float = 0.002,
    matched: Sequence[Sequence[float]] = (), rational: bool = True,
) -> Alike:  # fmt: skip
    """Sections made compatible.

    turned: whether a section runs backward, None where its nearer sense is to be found. matched: points that meet each
    other, each as shares of the length of every section as it runs; the first of closed sections is where they begin,
    which is found else. Where their own paces agree and it takes no more CVs, all knots are put together, which is
    exact; else they are fitted at the pace of their lengths, or one that brings matched points together, on as few
    spans as the tolerance, mm, allows. Kinks meet kinks and are kept, see `parted`. Raises `GeometryError` for open and
    closed sections among each other, and for matched points that cross. rational: whether they may stay so.

    The first and the last may be points, see `point_section`: all of the row next to them runs together there.
    """
    tips = [is_point(c) for c in sections]
    if any(tips):
        return _with_points(sections, tips, turned, tolerance, matched, rational)
    ways = senses(sections, turned)
    shut = is_closed(sections[0])
    run = [on_unit(reverse_curve(c) if way else c) for c, way in zip(sections, ways, strict=True)]
    run, matched = _begun(run, matched, shut)
    parts = parted(run, shut)
    shares = [lengths_shared(row) for row in parts]
    meet = in_parts(checked(matched, len(run)), shares)
    breaks = np.mean(shares, axis=0)
    made = [_compatible([on_unit(row[j]) for row in parts], tolerance, meet[j], rational) for j in range(len(parts[0]))]
    curves = tuple(chain([group[i] for group, _ in made], breaks) for i in range(len(run)))
    return Alike(curves, tuple(ways), max(off for _, off in made))


def point_section(point: Array) -> Curve:
    """A section that is a point (3,), as a curve without length."""
    return Curve(1, np.array([0.0, 0.0, 1.0, 1.0]), np.stack([point, point]))


def is_point(curve: Curve) -> bool:
    """Whether a section is a point."""
    return bool(np.ptp(curve.control, axis=0).max() < COINCIDENT)


def _with_points(
    sections: Sequence[Curve], tips: Sequence[bool], turned: Sequence[bool | None], tolerance: float,
    matched: Sequence[Sequence[float]], rational: bool,
) -> Alike:  # fmt: skip
    real = [i for i, tip in enumerate(tips) if not tip]
    if not real or any(tips[1:-1]):
        raise GeometryError("A loft runs from a point, or to one: those between are curves.")
    ways = [*turned, *[None] * (len(sections) - len(turned))]
    if len(real) == 1:
        way, curve = bool(ways[real[0]]), sections[real[0]]
        made = Alike((on_unit(reverse_curve(curve) if way else curve),), (way,), 0.0)
    else:
        shares = [[row[i] for i in real] for row in matched]
        made = alike([sections[i] for i in real], [ways[i] for i in real], tolerance, shares, rational)
    like = made.curves[0]
    rows, kept = iter(made.curves), iter(made.turned)
    curves = tuple(
        replace(like, control=np.tile(c.control[0], (len(like.control), 1))) if tip else next(rows)
        for c, tip in zip(sections, tips, strict=True)
    )
    return Alike(curves, tuple(False if tip else next(kept) for tip in tips), made.deviation)


def _begun(
    run: list[Curve], matched: Sequence[Sequence[float]], shut: bool
) -> tuple[list[Curve], Sequence[Sequence[float]]]:
    """Closed sections without kinks begun alike, and the matched points counted from there."""
    if not shut or any(len(kinks(c)[0]) for c in run):
        return run, matched
    first, *rest = np.array(matched, dtype=float) if len(matched) else [found_begins(run)]
    begun = [on_unit(begun_at(c, b)) for c, b in zip(run, first.tolist(), strict=True)]
    return begun, [((r - first) % 1.0).tolist() for r in rest]


def _compatible(run: Sequence[Curve], tolerance: float, matched: Array, rational: bool) -> tuple[list[Curve], float]:
    """Smooth curves on one degree and one knot vector, and how far those fitted anew are off."""
    if len(matched) and np.ptp(matched, axis=1).max() > 1e-6:
        return refitted(run, tolerance, matched, is_closed(run[0]))
    exact = _together(run)
    if exact is not None and exact[0].weights is not None and not rational:
        exact = None
    count = np.inf if exact is None else len(exact[0].control)
    # What has to meet other things too is solved for on all its CVs.
    rich = not rational and count > _RICH
    if exact is not None and not rich and _same_pace(run) and count <= _TIMES * max(len(c.control) for c in run):
        return exact, 0.0
    fitted, off = refitted(run, tolerance, matched, is_closed(run[0]))
    if exact is not None and (count <= len(fitted[0].control) or off > tolerance):
        return exact, 0.0
    return fitted, off


def is_closed(curve: Curve) -> bool:
    """Whether a curve ends where it begins."""
    ends = curve_points(curve, curve.domain)
    return float(np.linalg.norm(ends[1] - ends[0])) < 1e3 * COINCIDENT


def senses(sections: Sequence[Curve], turned: Sequence[bool | None] = ()) -> list[bool]:
    """Which sections run backward, so that each runs as the one before it; as given where it is not None. The first of
    closed ones runs such that the skin's normals lead out.

    Raises `GeometryError` for open and closed sections among each other.
    """
    if len(sections) < 2:
        raise GeometryError("A loft needs two sections or more.")
    closed = [is_closed(c) for c in sections]
    if any(closed) and not all(closed):
        raise GeometryError(
            f"Section {closed.index(not closed[0]) + 1} is {'open' if closed[0] else 'closed'} and the first is not."
        )
    given, shut = [*turned, *[None] * (len(sections) - len(turned))], closed[0]
    s = np.linspace(0, 1, _PLACES)
    rows = [curve_points(c, length_parameters(c, s)) for c in sections]
    out = [_inside_out(rows) if given[0] is None and shut else bool(given[0])]
    for i, (row, fixed) in enumerate(zip(rows[1:], given[1:], strict=True)):
        before = rows[i][::-1] if out[i] else rows[i]
        if fixed is not None:
            out.append(fixed)
            continue
        if shut:
            a, b = _area(before), _area(row)
            way = row.mean(axis=0) - before.mean(axis=0)
            leans = min(abs(float(x @ way)) / max(float(np.linalg.norm(x)), 1e-300) for x in (a, b))
            both = float(a @ way) * float(b @ way) if leans > 0.3 * np.linalg.norm(way) else float(a @ b)
            out.append(both < 0)
            continue
        centred = [x - x.mean(axis=0) for x in (before, row)]
        keep = norm(before[[0, -1]] - row[[0, -1]]).sum() + norm(centred[0] - centred[1]).mean()
        swap = norm(before[[0, -1]] - row[[-1, 0]]).sum() + norm(centred[0] - centred[1][::-1]).mean()
        out.append(bool(swap < keep))
    return out


def _inside_out(rows: Sequence[Array]) -> bool:
    """Whether a skin through loops, run as they are, would show its inside."""
    way = rows[1].mean(axis=0) - rows[0].mean(axis=0)
    return float(_area(rows[0]) @ way) < 0


def _area(points: Array) -> Array:
    rel = points - points.mean(axis=0)
    return np.asarray(0.5 * np.cross(rel, np.roll(rel, -1, axis=0)).sum(axis=0))


def _together(run: Sequence[Curve]) -> list[Curve] | None:
    """All on the knots of all; None where weights differ, so that a skin through them would not be one surface."""
    degree = max(c.degree for c in run)
    knots = common_knots(run, degree)
    out = [recast_curve(c, degree, knots) for c in run]
    weights = [np.ones(len(c.control)) if c.weights is None else c.weights for c in out]
    if any(np.abs(w - weights[0]).max() > 1e-12 for w in weights[1:]):
        return None
    return out


def _same_pace(run: Sequence[Curve]) -> bool:
    s = np.linspace(0, 1, 33)
    shares = np.array([length_parameters(c, s) for c in run])
    return bool(np.ptp(shares, axis=0).max() < _PACE)


def chord_parameters(curves: Sequence[Curve], around: bool = False) -> Array:
    """Parameters (n,) of sections by their mean distances, on [0, 1]; of a ring one more, for the first come round."""
    points = np.array([curve_points(c, np.linspace(0, 1, 25)) for c in curves])
    row = [*points, points[0]] if around else list(points)
    steps = [float(norm(b - a).mean()) for a, b in pairwise(row)]
    if min(steps) < 1e-6:
        i = int(np.argmin(steps)) + 1
        raise GeometryError(f"Sections {i} and {i % len(points) + 1} lie on each other: move one, or leave it out.")
    return np.concatenate([[0.0], np.cumsum(steps)]) / sum(steps)


def out_of_order(curves: Sequence[Curve]) -> int | None:
    """The number of a section that lies out of order, as the way through all doubles back there; None if none does."""
    middles = np.array([curve_points(c, np.linspace(0, 1, 25)).mean(axis=0) for c in curves])
    size = max(curve_length(c) for c in curves)
    for i in range(1, len(middles) - 1):
        a, b = middles[i] - middles[i - 1], middles[i + 1] - middles[i]
        far = min(np.linalg.norm(a), np.linalg.norm(b))
        if far > 0.02 * size and float(a @ b) < -0.8 * float(np.linalg.norm(a) * np.linalg.norm(b)):
            return i
    return None
