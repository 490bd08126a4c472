"""Loft: a surface through sections in order, with ends that run on into neighbours and guides along it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy.interpolate import PchipInterpolator, make_interp_spline

from pamble.core.arrays import Array, floats, norm, unit
from pamble.core.checks.measured import measure_seam
from pamble.core.checks.seams import Seam
from pamble.core.curves.meet import nearest
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, natural_edge
from pamble.core.patches.folds import told_folds
from pamble.core.patches.guided import FREE, LoftEnd, Wanted, at_once, comes_round, kept
from pamble.core.patches.inside import PLACES, off
from pamble.core.patches.led import Leading, led
from pamble.core.patches.sections import Alike, alike, chord_parameters, is_closed, is_point, out_of_order
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_grid
from pamble.core.spline.extremes import largest
from pamble.core.spline.kinks import refuse_kinks
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import Surface, from_homogeneous
from pamble.core.tolerances import COINCIDENT

Between = Literal["smooth", "straight"]

_ALIKE = 0.001
"""How far, mm, compatible sections may lie off those given where the surface may be off these too; else twice."""

_TOLD = 0.003, 0.005
"""How far, mm, sections and guides lie off the surface when it is told."""

_MOST_MISS = 0.05
"""How far, mm, a guide may pass a section by."""


@dataclass(frozen=True)
class LoftMade:
    """u runs along the sections, v from the first to the last at ``places`` (n,). turned: sections that run backward.

    sections, guides: how far each lies off the surface, mm. ends: gap, angle and curvature of those that meet, by end.
    """

    surface: Surface
    places: Array
    turned: tuple[bool, ...]
    sections: tuple[float, ...]
    guides: tuple[float, ...]
    ends: dict[str, dict[str, float]]
    warnings: tuple[str, ...] = ()


def loft(
    sections: Sequence[Curve | Edge], diagonal: float, *, between: Between = "smooth", closed: bool = False,
    ends: tuple[LoftEnd, LoftEnd] = (FREE, FREE), guides: Sequence[Curve] = (), turned: Sequence[bool | None] = (),
    matched: Sequence[Sequence[float]] = (), quick: bool = False, before: Surface | None = None,
) -> LoftMade:  # fmt: skip
    """Surface through sections in order; exact through them where nothing else is asked.

    between: smooth, or straight from each to the next. closed: round to the first again. guides: curves that cross all
    sections, which the surface contains. turned, matched: as in `alike`, the first and last section may be points, too.
    quick: the fewest rows alone are tried, or those that it had ``before``. ``diagonal`` of the part, mm, bounds
    curvature references. Raises `GeometryError` for sections that cannot be lofted, and a guide that misses one by how
    much.
    """
    curves = [s.space if isinstance(s, Edge) else s for s in sections]
    asked = [e.order for e in ends]
    more = any(asked) or len(guides) > 0
    same = alike(curves, turned, _ALIKE if more else 2 * _ALIKE, matched, rational=not more)
    wrong = out_of_order(same.curves) if between == "smooth" and not closed else None
    if wrong is not None:
        raise GeometryError(f"Section {wrong + 1} lies out of order: the way through all sections doubles back there.")
    if closed and len(curves) < 3:
        raise GeometryError("A loft that closes round needs three sections or more.")
    places = chord_parameters(same.curves, closed)
    skin = _skin(same.curves, places, between, closed, ends)
    if more and (closed or between == "straight"):
        raise GeometryError("Guides and ends that meet go with a smooth loft that is open.")
    crossings = [_crossings(g, same.curves, places, i) for i, g in enumerate(guides)]
    wanted = Wanted(same.curves, places, sections, ends, guides, crossings, diagonal)
    along: tuple[float, ...] = ()
    if guides:
        made, along = _led(skin, wanted, quick, before)
    else:
        made = kept(skin, wanted, quick, before) if any(asked) else skin
    met = {}
    for name, i, end in (("v0", 0, ends[0]), ("v1", -1, ends[1])):
        source = sections[i]
        if end.order and isinstance(source, Edge):
            refuse_kinks(curves[i], f"Section {i % len(sections) + 1}", "it cannot meet a face; leave that end free")
            edge = natural_edge(made, name)
            order = max(2, end.order)
            w = measure_seam(Seam((0, 1), edge, source, edge.domain), diagonal, order=order).worst
            met[name] = {k: w[k].value for k in ("gap", "angle", "curvature", "rate_percent")[: order + 1]}
    passed = _missed(made, curves, same, places)
    words = (*told_folds(made), *told_missed(passed, along))
    return LoftMade(made, places[: len(curves)], same.turned, passed, along, met, words)


def _led(skin: Surface, wanted: Wanted, quick: bool, before: Surface | None) -> tuple[Surface, tuple[float, ...]]:
    """The skin led along its guides, in one fit with its ends where few CVs serve, else by a field upon it; and how far
    each guide lies off it, mm.
    """
    lines = [_stretch(g, t) for g, (t, _) in zip(wanted.guides, wanted.crossings, strict=True)]

    def missed(surface: Surface) -> tuple[float, ...]:
        return tuple(off(surface, line) for line in lines)

    met = any(e.order for e in wanted.ends)
    if not met and not quick and max(lie := missed(skin)) <= _TOLD[0]:
        return skin, lie
    if at_once(skin, wanted, before if quick else None):
        made = kept(skin, wanted, quick, before)
        if max(lie := missed(made)) <= _TOLD[1] or quick:
            return made, lie
    made = kept(skin, replace(wanted, guides=(), crossings=()), quick, before) if met else skin
    held = [max(e.order, int(e.square is not None)) for e in wanted.ends]
    around, floor = comes_round(wanted.curves), 1.0 / max(wanted.diagonal, 1e-9)
    leading = Leading(wanted.guides, wanted.crossings, wanted.places, (held[0], held[1]), floor, around)
    made = led(made, leading, before if quick else None)
    return made, missed(made)


def told_missed(sections: Sequence[float], guides: Sequence[float]) -> tuple[str, ...]:
    """Words about sections and guides that lie off a surface by so much, mm, that it counts."""
    return tuple(
        f"{what} {n} is missed by {off:.3f} mm: it asks for more than the edges and the others leave. Move it, or ask "
        "for less at the edges."
        for what, row, most in (("Section", sections, _TOLD[0]), ("Guide", guides, _TOLD[1]))
        for n, off in enumerate(row, start=1)
        if off > most
    )


def _missed(made: Surface, curves: Sequence[Curve], same: Alike, places: Array) -> tuple[float, ...]:
    """How far each section lies off the surface, mm: off its row where the surface contains this as it is."""
    s = np.linspace(0, 1, PLACES)
    points = surface_grid(made, s, places[: len(curves)])[0, 0]
    out = []
    for i, (curve, row) in enumerate(zip(curves, same.curves, strict=True)):
        apart = float(norm(curve_points(row, s) - points[:, i]).max())
        if apart > COINCIDENT:
            out.append(off(made, curve))
        else:
            out.append(apart if same.deviation == 0.0 else _off_row(row, curve))
    return tuple(out)


def _off_row(row: Curve, curve: Curve) -> float:
    """How far a curve lies off another, mm, closed in on between samples."""

    def away(t: Array) -> Array:
        return to_curve(row, curve_points(curve, t)).distance[None]

    t = np.linspace(*curve.domain, max(PLACES, 6 * max(row.spans, curve.spans)))
    return float(largest(away, t, away(t))[1][0])


def _skin(
    curves: Sequence[Curve], places: Array, between: Between, closed: bool, ends: tuple[LoftEnd, LoftEnd]
) -> Surface:
    """Through the sections by interpolation of their CVs (The NURBS Book, section 10.3)."""
    first = curves[0]
    rows = np.array([c.homogeneous for c in curves])
    if closed:
        rows = np.concatenate([rows, rows[:1]])
    n = len(rows)
    if between == "straight" or n == 2:
        if any(e.square is not None for e in ends):
            return _squared(curves, rows, places, ends)
        degree, knots, net = 1, np.concatenate([[0.0], places, [1.0]]), rows
    elif closed:
        spline = make_interp_spline(places, rows, k=3, bc_type="periodic")
        row = Curve(3, spline.t, spline.c.reshape(len(spline.c), -1))
        row = curve_part(row, 0.0, 1.0)
        degree, knots, net = 3, row.knots, row.control.reshape(-1, *rows.shape[1:])
    elif any(e.square is not None for e in ends):
        return _squared(curves, rows, places, ends)
    else:
        spline = make_interp_spline(places, rows, k=min(3, n - 1))
        degree, knots, net = spline.k, spline.t, spline.c
    rational = first.weights is not None
    return from_homogeneous((first.degree, degree), (first.knots, knots), np.swapaxes(net, 0, 1), rational)


def _squared(curves: Sequence[Curve], rows: Array, places: Array, ends: tuple[LoftEnd, LoftEnd]) -> Surface:
    """The skin that leaves sections square to planes, with a cubic's freedom to do so."""
    first = curves[0]
    conditions: list[list[tuple[int, Array]]] = []
    for i, (end, sign) in enumerate(zip(ends, (1.0, -1.0), strict=True)):
        if end.square is None:
            conditions.append([])
            continue
        near, far = (rows[0], rows[1]) if i == 0 else (rows[-1], rows[-2])
        step = places[1] if i == 0 else 1.0 - places[-2]
        way = unit(floats(end.square)[None])[0]
        chord = (far - near)[:, :3].mean(axis=0)
        way = way if float(way @ chord) >= 0 else -way
        pace = end.magnitude * float(np.linalg.norm(chord)) / step
        rate = np.zeros_like(near)
        rate[:, :3] = sign * pace * way * near[:, -1:]
        conditions.append([(1, rate)])
    free = sum(not c for c in conditions)
    k = min(3, len(rows) - 1 + 2 - free)
    while k < 3 and k % 2 == 0:
        k += 1
    needed = k - 1
    given = [c or [] for c in conditions]
    if k == 3 and len(given[0]) + len(given[1]) < needed:
        given = [g or [(2, np.zeros_like(rows[0]))] for g in given]
    spline = make_interp_spline(places, rows, k=k, bc_type=(given[0] or None, given[1] or None))  # type: ignore[arg-type]
    rational = first.weights is not None
    return from_homogeneous((first.degree, spline.k), (first.knots, spline.t), np.swapaxes(spline.c, 0, 1), rational)


def _crossings(guide: Curve, curves: Sequence[Curve], places: Array, number: int) -> tuple[Array, Array]:
    """Places (m,) along a guide between its first and last section, and first guesses (m, 2) of where they lie."""
    met = [nearest(guide, c) for c in curves]
    for i, m in enumerate(met):
        if m.gap > _MOST_MISS:
            x, y, z = m.points[1]
            raise GeometryError(
                f"Guide {number + 1} misses section {i + 1} by {m.gap:.3f} mm, near ({x:.2f}, {y:.2f}, {z:.2f}) mm: "
                "lead it through the section."
            )
    t = np.array([m.t[0] for m in met])
    along = np.array([m.t[1] for m in met])
    for i, beside in ((0, 1), (-1, -2)):
        along[i] = along[beside] if is_point(curves[i]) else along[i]
    if is_closed(curves[0]) or is_closed(curves[-1]):
        # Over the joint it goes on counting.
        along = np.unwrap(along, period=1.0)
    order = 1 if t[-1] > t[0] else -1
    if (order * np.diff(t) <= 0).any():
        raise GeometryError(f"Guide {number + 1} crosses the sections in another order than they stand.")
    share = np.linspace(0, 1, 60)
    rising = t if order > 0 else t[::-1]
    at = t[0] + share * (t[-1] - t[0])
    low = at if order > 0 else at[::-1]
    known = np.stack([along, places], axis=1)
    uv = np.asarray(PchipInterpolator(rising, known if order > 0 else known[::-1])(low))
    return at, uv if order > 0 else uv[::-1]


def _stretch(guide: Curve, places: Array) -> Curve:
    """A guide between its first and last section."""
    a, b = sorted((float(places[0]), float(places[-1])))
    start, end = guide.domain
    return guide if (a - start) + (end - b) < 1e-9 * (end - start) else curve_part(guide, a, b)
