"""Loft: a surface through sections in order, with ends that run on into neighbours and guides along it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.interpolate import make_interp_spline

from pamble.core.arrays import Array, dot, floats, norm, unit
from pamble.core.checks.measured import measure_seam
from pamble.core.checks.seams import Seam
from pamble.core.curves.meet import nearest
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, natural_edge
from pamble.core.patches.conditions import Contains
from pamble.core.patches.inside import PLACES, off
from pamble.core.patches.meets import Meets
from pamble.core.patches.sections import Alike, alike, chord_parameters, is_point, out_of_order
from pamble.core.patches.side import Side
from pamble.core.patches.solve import Condition, fit
from pamble.core.patches.space import Patch, Space
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_grid
from pamble.core.spline.kinks import refuse_kinks
from pamble.core.spline.knots import curve_part, raised_knots
from pamble.core.spline.surface import Surface, from_homogeneous
from pamble.core.tolerances import COINCIDENT

Between = Literal["smooth", "straight"]

_SECTION, _GUIDE = 0.001, 0.002
"""Tolerances, mm, of sections and guides where the surface has to keep other things too."""

_ON = 200
_AHEAD = 0.8
"""Least cosine between the way that a skin leaves a face and the one straight on, from which it needs no lead."""

_TRIES = 4
"""How often rows and columns are added where a surface does not keep all that is asked of it."""

_MOST_MISS = 0.05
"""How far, mm, a guide may pass a section by."""


@dataclass(frozen=True)
class LoftEnd:
    """What the surface does at its first or last section: nothing, square to a plane with a normal (3,), or meets the
    neighbour whose edge the section is with G1 to G3. magnitude: length of the way it leaves, over that to the next
    section.
    """

    square: Array | None = None
    order: int = 0
    magnitude: float = 1.0


FREE = LoftEnd()


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
    matched: Sequence[Sequence[float]] = (), quick: bool = False,
) -> LoftMade:  # fmt: skip
    """Surface through sections in order; exact through them where nothing else is asked.

    between: smooth, or straight from each to the next. closed: round to the first again. guides: curves that cross all
    sections, which the surface contains. turned, matched: as in `alike`, the first and last section may be points, too.
    quick: the fewest rows alone are tried. ``diagonal`` of the part, mm, bounds curvature references. Raises
    `GeometryError` for sections that cannot be lofted, and a guide that misses one by how much.
    """
    curves = [s.space if isinstance(s, Edge) else s for s in sections]
    same = alike(curves, turned, matched=matched)
    wrong = out_of_order(same.curves) if between == "smooth" and not closed else None
    if wrong is not None:
        raise GeometryError(f"Section {wrong + 1} lies out of order: the way through all sections doubles back there.")
    if closed and len(curves) < 3:
        raise GeometryError("A loft that closes round needs three sections or more.")
    places = chord_parameters(same.curves, closed)
    skin = _skin(same.curves, places, between, closed, ends)
    asked = [e.order for e in ends]
    if (any(asked) or guides) and (closed or between == "straight"):
        raise GeometryError("Guides and ends that meet go with a smooth loft that is open.")
    made, crossings = skin, list[tuple[Array, Array]]()
    if any(asked) or guides:
        if skin.weights is not None:
            raise GeometryError(
                "Rational sections take no guides or neighbours: rebuild them as polynomial ones first."
            )
        crossings = [_crossings(g, same.curves, places, i) for i, g in enumerate(guides)]
        made = _kept(skin, same.curves, places, sections, ends, guides, crossings, diagonal, 1 if quick else _TRIES)
    met = {}
    for name, i, end in (("v0", 0, ends[0]), ("v1", -1, ends[1])):
        source = sections[i]
        if end.order and isinstance(source, Edge):
            refuse_kinks(curves[i], f"Section {i % len(sections) + 1}", "it cannot meet a face; leave that end free")
            edge = natural_edge(made, name)
            order = max(2, end.order)
            w = measure_seam(Seam((0, 1), edge, source, edge.domain), diagonal, order=order).worst
            met[name] = {k: w[k].value for k in ("gap", "angle", "curvature", "rate_percent")[: order + 1]}
    return LoftMade(
        made, places[: len(curves)], same.turned, _missed(made, curves, same, places),
        tuple(off(made, _stretch(g, t)) for g, (t, _) in zip(guides, crossings, strict=True)), met,
    )  # fmt: skip


def _missed(made: Surface, curves: Sequence[Curve], same: Alike, places: Array) -> tuple[float, ...]:
    """How far each section lies off the surface, mm: place by place where it runs along a row as it is."""
    s = np.linspace(0, 1, PLACES)
    points = surface_grid(made, s, places[: len(curves)])[0, 0]
    out = []
    for i, (curve, row) in enumerate(zip(curves, same.curves, strict=True)):
        apart = float(norm(curve_points(row, s) - points[:, i]).max())
        out.append(apart if same.deviation == 0.0 and apart < COINCIDENT else off(made, curve))
    return tuple(out)


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


def _kept(
    skin: Surface, curves: Sequence[Curve], places: Array, sections: Sequence[Curve | Edge],
    ends: tuple[LoftEnd, LoftEnd], guides: Sequence[Curve], crossings: Sequence[tuple[Array, Array]], diagonal: float,
    tries: int,
) -> Surface:  # fmt: skip
    """The skin changed calmly until it keeps its sections, guides and ends."""
    best: tuple[float, Surface] | None = None
    base_u = max(5, skin.degree_u)
    for extra in range(tries):
        u = Space(base_u, _refined(skin.knots_u, skin.degree_u, base_u, extra if guides else 0))
        meets = any(e.order for e in ends)
        across = max(5, 2 * max(e.order for e in ends) + 1)
        v = Space.over(across, _rows(places, extra)) if meets else Space(*_finer_rows(skin, extra))
        patch = Patch(u, v)
        start = _in_space(skin, patch)
        conditions: list[Condition] = []
        s = np.linspace(0, 1, 5 * u.count)
        for i, (c, p) in enumerate(zip(curves, places, strict=True)):
            if not ((i == 0 and ends[0].order) or (i == len(curves) - 1 and ends[1].order)):
                uv = np.stack([s, np.full(len(s), p)], axis=1)
                conditions.append(Contains(curve_points(c, s), uv, fixed=True, tolerance=_SECTION, name=f"section {i}"))
        for name, i, end in (("v0", 0, ends[0]), ("v1", -1, ends[1])):
            if end.order:
                source = sections[i]
                if not isinstance(source, Edge):
                    raise GeometryError(f"Section {i % len(sections) + 1} is no edge of a face: it can meet nothing.")
                side = Side(source, like=curves[i])
                few = len(curves) < 3 or not _leaves(skin, name, side)
                keep = end.magnitude if few or end.magnitude != 1.0 else 0.0
                floor = 1.0 / max(diagonal, 1e-9)
                conditions.append(Meets(name, side, end.order, floor=floor, keep=keep, name=f"end {name}"))
        for g, (t, uv) in zip(guides, crossings, strict=True):
            conditions.append(Contains(curve_points(g, t), uv.copy(), tolerance=_GUIDE, name="guide"))
            for k in (0, -1):
                rim = min(uv[k, 0], 1 - uv[k, 0])
                if rim < 1e-6:
                    level = float(round(uv[k, 0]))
                    way = unit(np.gradient(curve_points(g, t), axis=0))
                    whole = np.stack([np.full(len(t), level), uv[:, 1]], axis=1)
                    conditions[-1] = Contains(curve_points(g, t), whole, way, 1, _GUIDE, slack=0.05, name="guide")
        made = fit(patch, conditions, start, tau=3.0, steps=10)
        net = made.control.reshape(u.count, v.count, 3)
        for i in (0, -1):
            if is_point(curves[i]):
                net[:, i] = curves[i].control[0]
        surface = patch.surface(net.reshape(-1, 3))
        if best is None or made.ratio < best[0]:
            best = (made.ratio, surface)
        if made.ratio <= 1.0:
            break
    assert best is not None
    return best[1]


def _leaves(skin: Surface, name: str, side: Side) -> bool:
    """Whether a skin leaves the face beside it nearly straight on along an end: then the way comes by itself."""
    s = np.linspace(0, 1, 17)
    d = surface_derivatives(skin, s, np.full(len(s), float(name[1])), 1)[0, 1]
    ahead = dot(unit(d), side.outward(s)) * (1.0 if name == "v0" else -1.0)
    return float(ahead.min()) > _AHEAD


def _finer_rows(skin: Surface, extra: int) -> tuple[int, Array]:
    """The skin's own rows, of degree 3 at least, and more of them."""
    degree = max(3, skin.degree_v)
    return degree, _refined(skin.knots_v, skin.degree_v, degree, extra)


def _rows(places: Array, extra: int) -> Array:
    """Breaks between sections, and more between them."""
    breaks = places if len(places) > 3 else np.linspace(0, 1, len(places))
    for _ in range(extra):
        i = int(np.argmax(np.diff(breaks)))
        breaks = np.insert(breaks, i + 1, 0.5 * (breaks[i] + breaks[i + 1]))
    return breaks


def _refined(knots: Array, degree: int, wanted: int, extra: int) -> Array:
    out = raised_knots(knots, degree, wanted - degree) if wanted > degree else knots
    for _ in range(extra):
        breaks = basis.breaks(out, wanted)
        i = int(np.argmax(np.diff(breaks)))
        out = np.sort(np.append(out, 0.5 * (breaks[i] + breaks[i + 1])))
    return out


def _in_space(skin: Surface, patch: Patch) -> Array:
    return patch.interpolate(lambda u, v: surface_grid(skin, u, v)[0, 0])


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
    order = 1 if t[-1] > t[0] else -1
    if (order * np.diff(t) <= 0).any():
        raise GeometryError(f"Guide {number + 1} crosses the sections in another order than they stand.")
    share = np.linspace(0, 1, 60)
    rising = t if order > 0 else t[::-1]
    at = t[0] + share * (t[-1] - t[0])
    low = at if order > 0 else at[::-1]
    u = np.interp(low, rising, along if order > 0 else along[::-1])
    v = np.interp(low, rising, places if order > 0 else places[::-1])
    uv = np.stack([u, v], axis=1)
    return at, uv if order > 0 else uv[::-1]


def _stretch(guide: Curve, places: Array) -> Curve:
    """A guide between its first and last section."""
    a, b = sorted((float(places[0]), float(places[-1])))
    start, end = guide.domain
    return guide if (a - start) + (end - b) < 1e-9 * (end - start) else curve_part(guide, a, b)
