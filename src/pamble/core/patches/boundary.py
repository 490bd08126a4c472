"""Boundary patch: a four-sided surface between two, three or four edges or curves, each met as it asks."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, norm, unit
from pamble.core.checks.measured import measure_seams, sample_seam
from pamble.core.checks.seams import Seam
from pamble.core.curves.measure import deviation
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, natural_edge
from pamble.core.faces.frames import frames
from pamble.core.patches.conditions import Contains, Square
from pamble.core.patches.folds import folded
from pamble.core.patches.inside import Through, missed, off, samples
from pamble.core.patches.lent import lent
from pamble.core.patches.loop import Asked, Chain, Corner, Placed, chain, corners, eased, free_side, refuse_gap
from pamble.core.patches.meets import Meets
from pamble.core.patches.solve import Condition, Fitted, fit
from pamble.core.patches.space import Patch, Space
from pamble.core.patches.told import PatchMade, SideFigures, contradictions, short_of, worst_of
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import reverse_surface
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import BLEND_GAP

_LOOSE = 20.0
"""Factor on all aims while the reference is made."""

MOST_SPANS, _EVEN = 8, 3
"""Even spans that are tried, and after how many trials those of the edges are."""

_STRIP = 3.0
"""Stretch of a hole from which it is a strip."""

_SAMPLES = 5
"""Places on a curve for every control point of the side that contains it."""

_BACK = {"u0": "u1", "u1": "u0"}
"""Sides that change places where a patch is turned over."""

ROUND = ("v0", "u1", "v1", "u0")
"""Sides of the patch in the order in which a chain runs round it."""


class Folds(GeometryError):
    """Sides between which a four-sided patch would turn over."""


def boundary_patch(
    asked: Sequence[Asked],
    diagonal: float,
    degree: int = 5,
    spans: tuple[int, int] | None = None,
    through: Through = (),
    lends: bool = False,
    most: int = MOST_SPANS,
) -> PatchMade:
    """The patch with the fewest spans that meets its sides, or the best of those tried.

    asked: two sides (opposite ones, or two that meet in a corner), three in a row, or four; in any order. ``diagonal``
    of the part, mm, bounds the curvature reference. spans: along u and v, found if None; u runs along the first side.
    through: curves and points that the patch passes. lends: whether it is built at once on the knots that the edges
    round it lend it, where they have any. most: spans that are tried. Raises `GeometryError` for sides that do not
    follow each other.
    """
    if not 2 <= len(asked) <= 4:
        raise GeometryError(f"A boundary patch has two, three or four sides, not {len(asked)}.")
    c = chain(asked)
    found = corners(c, diagonal)
    layout = _laid_out(eased(c, found))
    rows = [samples(x) for x in through]
    best: tuple[float, Surface] | None = None
    tried: list[tuple[int, int, float]] = []

    def look(where: _Layout, u: Space, v: Space, rich: bool = False) -> tuple[float, list[SideFigures], float]:
        """Fit on spaces and keep what is best: the score, the figures, and how far off lies what is to be passed."""
        nonlocal best
        patch = Patch(u, v)
        surface = patch.surface(_fitted(where, patch, diagonal, rows, rich).control)
        figures = _all_figures(surface, where, diagonal, exact=False)
        away = _off_inside(surface, rows)
        ratio = max([worst_of(figures, found)] + [x / BLEND_GAP for x in away])
        tried.append((*surface.spans, ratio))
        score = ratio + (1e6 if folded(surface) else 0.0)
        if best is None or score < best[0]:
            best = (score, surface)
        return score, figures, max(away, default=0.0)

    counts = spans or (1, 1)
    on_lent = lends and np.isfinite(_lends(c, found, degree, look))
    while not on_lent:
        score, figures, off_by = look(layout, Space.even(degree, counts[0]), Space.even(degree, counts[1]))
        if spans is not None or score <= 1.0 or _stalled(tried):
            break
        if len(tried) == _EVEN and _lends(c, found, degree, look) <= 1.0:
            break
        counts = _more(counts, figures, off_by)
        if max(counts) > most:
            break
    assert best is not None
    score, surface = best
    figures = _all_figures(surface, layout, diagonal, exact=True)
    if score >= 1e6:
        raise Folds(
            "The patch would fold over itself: its sides turn too sharply against each other. "
            "Ask for less at the sides, or lay the edges out so that opposite ones run alike"
            + (", or move what it passes inside." if rows else ".")
        )
    warnings = [*_words(found, figures, layout, spans is None), *missed(surface, rows)]
    face = Face(_turned(surface, layout))
    if face.surface is not surface:
        figures = [replace(f, patch_side=_BACK.get(f.patch_side, f.patch_side)) for f in figures]
    inside = tuple(off(surface, x) for x in through)
    return PatchMade(face, tuple(figures), tuple(found), tuple(tried), tuple(warnings), inside)


def _lends(
    c: Chain,
    found: Sequence[Corner],
    degree: int,
    look: Callable[[_Layout, Space, Space, bool], tuple[float, list[SideFigures], float]],
) -> float:
    """The score on the knots that the edges round the patch lend it; infinite where they have none."""
    own = replace(c, sides=tuple(replace(p, side=p.side.at_own_pace()) for p in c.sides))
    layout = _laid_out(eased(own, found))
    knots = [lent([p.side for k, (p, _) in layout.sides.items() if k[0] == way], degree) for way in "vu"]
    if all(len(k) == 2 * degree + 2 for k in knots):
        return np.inf
    return look(layout, Space(degree, knots[0]), Space(degree, knots[1]), True)[0]


@dataclass(frozen=True)
class _Layout:
    """Which side lies where. sides: by side of the patch, run along the rising parameter, with its number as given.
    points: of all four sides, those of which nothing is asked among them.
    """

    chain: Chain
    sides: dict[str, tuple[Placed, int]]
    points: dict[str, Callable[[Array], Array]]

    @property
    def stretch(self) -> float:
        """How many times longer it is one way than the other."""
        s = np.linspace(0, 1, 33)
        along, across = (
            sum(float(norm(np.diff(self.points[side](s), axis=0)).sum()) for side in pair)
            for pair in (("v0", "v1"), ("u0", "u1"))
        )
        return max(along, across) / max(min(along, across), 1e-12)


def _laid_out(c: Chain) -> _Layout:
    joined, count = c.joined, len(c.sides)
    if count == 4:
        for i, meets in enumerate(joined):
            if not meets:
                refuse_gap(c, i)
        return _placed(c, dict(zip(ROUND, range(4), strict=True)))
    if count == 3:
        if all(joined):
            raise GeometryError("Three sides that close leave a hole of three corners: fill it instead.")
        if sum(joined) < 2:
            refuse_gap(c, max(range(3), key=lambda i: (sorted(c.gaps)[1] == c.gaps[i], i)))
        first = (joined.index(False) + 1) % 3
        return _placed(c, {"u0": first, "v0": (first + 1) % 3, "u1": (first + 2) % 3})
    if all(joined):
        raise GeometryError("Two sides that close leave a hole of two corners: fill it instead.")
    if any(joined):
        first = joined.index(True)
        return _placed(c, {"u0": first, "v0": 1 - first})
    return _placed(c, {"v0": 0, "v1": 1})


_RUNS_BACK = {4: ("v1", "u0"), 3: ("u0",), 2: ("u0", "v1")}
"""Sides that a chain runs through against the rising parameter."""


def _placed(c: Chain, where: dict[str, int]) -> _Layout:
    back = _RUNS_BACK[len(c.sides)]
    sides = {k: (c.sides[i].reversed() if k in back else c.sides[i], c.order[i]) for k, i in where.items()}
    points: dict[str, Callable[[Array], Array]] = {k: p.side.points for k, (p, _) in sides.items()}
    if len(sides) == 2 and "v1" in sides:
        a, b = sides["v0"][0], sides["v1"][0]
        if np.linalg.norm(a.side.ends - b.side.ends) > np.linalg.norm(a.side.ends - b.side.ends[::-1]):
            sides["v1"] = (b.reversed(), sides["v1"][1])
            points["v1"] = sides["v1"][0].side.points
    if "v1" not in points and "u1" not in points:
        corner, far = points["v0"](np.zeros(1)), points["u0"](np.ones(1))
        end = points["v0"](np.ones(1))
        base, rise = points["v0"], points["u0"]
        points["v1"] = lambda s: base(s) + far - corner
        points["u1"] = lambda s: rise(s) + end - corner
    for side, (across, low, high) in _BETWEEN.items():
        if side not in points:
            points[side] = _free(sides, points, across, low, high)
    return _Layout(c, sides, points)


_BETWEEN = {"v1": (1.0, "u0", "u1"), "v0": (0.0, "u0", "u1"), "u0": (0.0, "v0", "v1"), "u1": (1.0, "v0", "v1")}
"""Of each side: the share of the sides at its start and end at which it leaves them."""


def _free(
    sides: dict[str, tuple[Placed, int]], points: dict[str, Callable[[Array], Array]], share: float, low: str, high: str
) -> Callable[[Array], Array]:
    """A side of which nothing is asked: it leaves the neighbours at both its ends as they lie there."""
    at = np.array([share])
    start, end = points[low](at)[0], points[high](at)[0]
    chord = end - start
    ways = []
    for name, sign in ((low, 1.0), (high, -1.0)):
        placed = sides[name][0] if name in sides else None
        way = chord
        if placed is not None and isinstance(placed.asked.source, Edge) and placed.asked.order > 0:
            way = sign * placed.side.outward(at)[0]
        ways.append(way if float(way @ chord) > 0 else chord)
    return lambda s: free_side(start, end, ways[0], ways[1], s)


def _coons(points: dict[str, Callable[[Array], Array]], u: Array, v: Array) -> Array:
    """Bilinearly blended Coons patch (Farin, Curves and Surfaces for CAGD, chapter 22; from memory), (a, b, 3)."""
    low, high, left, right = points["v0"](u), points["v1"](u), points["u0"](v), points["u1"](v)
    s, t = u[:, None, None], v[None, :, None]
    corner = {
        (i, j): 0.5 * (row[-i] + column[-j])
        for i, column in enumerate((left, right))
        for j, row in enumerate((low, high))
    }
    ruled = (1 - t) * low[:, None] + t * high[:, None] + (1 - s) * left[None] + s * right[None]
    twice = (1 - s) * ((1 - t) * corner[0, 0] + t * corner[0, 1]) + s * ((1 - t) * corner[1, 0] + t * corner[1, 1])
    return np.asarray(ruled - twice)


def _conditions(layout: _Layout, patch: Patch, diagonal: float, loose: float) -> list[Condition]:
    out: list[Condition] = []
    for name, (placed, _) in layout.sides.items():
        asked = placed.asked
        if isinstance(asked.source, Edge) and asked.square is None:
            order, floor = asked.order, 1.0 / max(diagonal, 1e-9)
            # Between free sides nothing else says how far the patch runs on.
            free = any(side not in layout.sides for side in ROUND if side[0] != name[0])
            keep = float(free and asked.influence is None)
            out.append(Meets(name, placed.side, order, asked.influence, floor, loose, keep, placed.ease, name))
            continue
        space = patch.u if name[0] == "v" else patch.v
        s = np.linspace(0, 1, _SAMPLES * space.count)
        level = np.full(len(s), float(name[1]))
        uv = np.stack([s, level] if name[0] == "v" else [level, s], axis=1)
        along = 0 if name[0] == "v" else 1
        tolerance = 0.5 * BLEND_GAP * loose
        out.append(Contains(placed.side.points(s), uv, placed.side.tangents(s), along, tolerance, name=name))
        if asked.square is not None:
            out.append(Square(name, asked.square, 0.003 * loose, name))
    return out


def _fitted(layout: _Layout, patch: Patch, diagonal: float, through: Sequence[Array], rich: bool) -> Fitted:
    """rich: whether the spaces hold the sides as they are: then the Coons patch itself is the reference. One of least
    energy on so many knots leads away, and on a long strip too; where the first misses, both are tried.
    """
    start = patch.interpolate(lambda u, v: _coons(layout.points, u, v))
    inside = [
        Contains(row, _near(patch.surface(start), row), tolerance=0.1, fixed=True, name="inside") for row in through
    ]

    def exact() -> list[Condition]:
        passed = [Contains(x.points, x.uv, tolerance=0.25 * BLEND_GAP, name="inside") for x in inside]
        return [*_conditions(layout, patch, diagonal, 1.0), *passed]

    def near_coons() -> Fitted:
        return fit(patch, exact(), start, tau=10.0, steps=12)

    def near_least_energy() -> Fitted:
        loose = [*_conditions(layout, patch, diagonal, _LOOSE), *inside]
        reference = fit(patch, loose, start, tau=0.5, steps=2, alone=True)
        return fit(patch, exact(), reference.control, steps=12)

    if rich:
        return near_coons()
    ways = (near_coons, near_least_energy) if layout.stretch > _STRIP else (near_least_energy, near_coons)
    made = ways[0]()
    if made.ratio <= 1.0:
        return made
    other = ways[1]()
    return other if other.ratio < made.ratio else made


def _near(surface: Surface, points: Array) -> Array:
    feet = to_surface(surface, points)
    return np.column_stack([feet.u, feet.v])


def _off_inside(surface: Surface, rows: Sequence[Array]) -> list[float]:
    return [float(to_surface(surface, row).distance.max()) for row in rows]


def _all_figures(surface: Surface, layout: _Layout, diagonal: float, exact: bool) -> list[SideFigures]:
    """exact: whether the worst values are closed in on between samples."""
    edges = {k: natural_edge(surface, k) for k in layout.sides}
    seams = {
        k: sample_seam(
            Seam((0, 1), edges[k], p.asked.source, edges[k].domain), order=max(2, p.asked.order), exact=exact
        )
        for k, (p, _) in layout.sides.items()
        if isinstance(p.asked.source, Edge)
    }
    measured = dict(zip(seams, measure_seams(list(seams.values()), diagonal, exact), strict=True))
    out = []
    for k, (p, number) in layout.sides.items():
        if isinstance(p.asked.source, Curve):
            gap = deviation(edges[k].space, p.asked.source).distance
            out.append(SideFigures(number, k, 0, gap, square=_off_square(surface, k, p.asked.square)))
            continue
        w = measured[k].worst
        square, order = p.asked.square, 0 if p.asked.square is not None else p.asked.order
        figures = w["gap"].value, w["angle"].value, w["curvature"].value
        rate = w["rate_percent"].value if order > 2 else None
        out.append(SideFigures(number, k, order, *figures, square=_off_square(surface, k, square), rate=rate))
    return out


def _off_square(surface: Surface, side: str, normal: Array | None) -> float | None:
    """Largest angle, in degrees, by which a side is left off square to a plane; None where nothing is asked."""
    if normal is None:
        return None
    f = frames(natural_edge(surface, side), np.linspace(0, 1, 101))
    return float(np.degrees(np.abs(np.arcsin(np.clip(f.normal @ unit(normal[None])[0], -1, 1))).max()))


def _more(counts: tuple[int, int], figures: Sequence[SideFigures], inside: float) -> tuple[int, int]:
    """One span more along the sides that are met worst; along both where they are alike, or where what lies inside is
    missed.
    """
    if inside > BLEND_GAP:
        return counts[0] + 1, counts[1] + 1
    worst = [max((f.ratio for f in figures if f.patch_side[0] == d), default=0.0) for d in ("v", "u")]
    u, v = (w > max(1.0, 0.5 * max(worst)) for w in worst)
    return counts[0] + int(u), counts[1] + int(v or not u)


def _stalled(tried: Sequence[tuple[int, int, float]]) -> bool:
    """Whether three more steps have brought next to nothing: what is left is not for want of spans."""
    if len(tried) < 5:
        return False
    return min(t[2] for t in tried[-3:]) > 0.8 * min(t[2] for t in tried[:-3])


def _turned(surface: Surface, layout: _Layout) -> Surface:
    """The patch with its normal on the side of its first neighbour's."""
    for name, (placed, _) in sorted(layout.sides.items(), key=lambda x: x[1][1]):
        if not isinstance(placed.asked.source, Edge):
            continue
        middle = np.array([0.5])
        where = np.array([0.5, 0.5])
        where["uv".index(name[0])] = float(name[1])
        own = normals(surface_grid(surface, where[:1], where[1:], 1))[0, 0]
        return surface if float(own @ placed.side.at(middle).normal[0]) >= 0 else reverse_surface(surface, "u")
    return surface


def _words(found: Sequence[Corner], figures: Sequence[SideFigures], layout: _Layout, searched: bool) -> list[str]:
    out = contradictions(found, {n: p.asked.order for p, n in layout.sides.values()})
    return [*out, *(short_of(figures) if searched else [])]
