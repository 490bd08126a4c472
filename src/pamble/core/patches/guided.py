"""A loft's skin changed calmly until it keeps its sections, guides and ends, on the one solver."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, IntArray, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge
from pamble.core.patches.conditions import Closes, Contains
from pamble.core.patches.meets import Meets
from pamble.core.patches.sections import is_closed, is_point
from pamble.core.patches.side import Side
from pamble.core.patches.solve import Condition, Fitted, fit
from pamble.core.patches.space import Patch, Space
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives, surface_grid
from pamble.core.spline.knots import raised_knots
from pamble.core.spline.surface import Surface

_SECTION, _GUIDE = 0.001, 0.002
"""Tolerances, mm, of sections and guides where the surface has to keep other things too."""

_AHEAD = 0.8
"""Least cosine between the way that a skin leaves a face and the one straight on, from which it needs no lead."""

_TRIES, _PARTS = 7, 8
"""How often rows are added where not all is kept, and the most parts between two sections."""

_COLUMNS, _MOST_COLUMNS, _MOST = 36, 96, 600
"""CVs along sections up to which more are put in all along them, and where an end misses; and in all."""

_AT_ONCE = 24, 320
"""CVs along sections, and in all with two parts between them, up to which guides are followed by the fit that keeps the
ends: beyond it a field serves better, see `led`.
"""

_HOPELESS = 20.0
"""Times the tolerance from which on a second try tells that a field serves better."""

_FAR = 8.0
"""Times the tolerance from which on rows are doubled."""

_STEPS = 3
"""Steps that are taken while something is dragged."""

_HELPS, _WORTH = 0.7, 0.9
"""Shares of the worst figure below which more rows have helped, and below which they are worth it."""

_RIM, _BESIDE = 1e-6, 1e-3
"""Parameters within which a guide runs along a side, and within which a place is on a section."""

_ALIKE = 0.01
"""Share of its speed within which a loop's ends have derivatives alike."""

_PLACES = 161
"""Places along sections at which they are compared."""

_FEW = 12
"""Columns up to which those of degree 5 come before the skin's own."""

_ALONG, _SPANS = 0.5, 32
"""Share of a section's tolerance within which one of fewer CVs stands for it, and spans up to which that is sought."""


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
class Wanted:
    """What a skin is to keep: sections (n) at ``places`` (n,), as compatible curves and as they were given; ends; and
    guides, with places (m,) along each and guesses (m, 2) of where these lie. ``diagonal`` of the part, mm.
    """

    curves: Sequence[Curve]
    places: Array
    given: Sequence[Curve | Edge]
    ends: tuple[LoftEnd, LoftEnd]
    guides: Sequence[Curve]
    crossings: Sequence[tuple[Array, Array]]
    diagonal: float


def kept(skin: Surface, wanted: Wanted, quick: bool = False, before: Surface | None = None) -> Surface:
    """The skin changed until it keeps all, on the fewest rows that do, or as near to that as can be.

    quick: the fewest rows alone are tried; or those of the surface as it was ``before``, and from there. Raises
    `GeometryError` for an end that is to meet and is no edge of a face.
    """
    if quick and before is not None and before.weights is None:
        return _dragged(skin, wanted, before)
    parts = np.ones(len(wanted.places) - 1, dtype=np.intp)
    columns, best, idle = _columns(skin, wanted), None, 0
    own = not wanted.guides or quick or _on(skin, wanted)
    for number in range(1 if quick else _TRIES):
        patch = Patch(columns, _rows(skin, wanted, None if own and number == 0 else parts))
        if best is not None and patch.count > _MOST:
            break
        conditions = _conditions(skin, wanted, patch)
        made = fit(patch, conditions, _laid(skin, patch), tau=3.0, steps=10)
        if 1.0 < made.ratio < _FAR and not quick:
            # What it lacks is held back by its likeness to the skin.
            made = fit(patch, conditions, made.control, tau=3.0, steps=6)
        idle = 0 if best is None or made.ratio < _HELPS * best[0] else idle + 1
        if best is None or made.ratio <= 1.0 or made.ratio < _WORTH * best[0]:
            best = made.ratio, patch.surface(_ended(patch, made.control, wanted))
        if made.ratio <= 1.0 or (wanted.guides and number and (idle or made.ratio > _HOPELESS)):
            break
        ratios = _between(patch, made, wanted, [c for c in conditions if isinstance(c, Contains)])
        met = [c for c in conditions if isinstance(c, Meets)]
        size = columns.count, int(parts.sum())
        if max((made.worst[c.name] for c in met), default=0.0) > max(1.0, float(ratios.max(initial=0.0))):
            few = columns.count < _COLUMNS
            columns = _more(columns) if few else columns if idle > 1 else _closer(columns, met)
        else:
            parts = np.minimum(np.where(ratios > _FAR, 2 * parts, np.where(ratios > 1.0, parts + 1, parts)), _PARTS)
        if size == (columns.count, int(parts.sum())):
            break
    assert best is not None
    return best[1]


def at_once(skin: Surface, wanted: Wanted, before: Surface | None) -> bool:
    """Whether so few CVs are asked for that all is kept in one fit. before: as it was, while it is dragged."""
    if before is not None:
        columns, rows = before.control.shape[:2]
        return bool(columns <= _AT_ONCE[0] and columns * rows <= _MOST)
    columns = _columns(skin, wanted).count
    rows = _rows(skin, wanted, np.full(len(wanted.places) - 1, 2, dtype=np.intp)).count
    return bool(columns <= _AT_ONCE[0] and columns * rows <= _AT_ONCE[1])


def _dragged(skin: Surface, wanted: Wanted, before: Surface) -> Surface:
    """A few steps on from the surface as it was, on its own knots."""
    patch = Patch(Space(before.degree_u, before.knots_u), Space(before.degree_v, before.knots_v))
    start = before.control.reshape(-1, 3)
    made = fit(patch, _conditions(skin, wanted, patch), _laid(skin, patch), tau=3.0, steps=_STEPS, start=start)
    return patch.surface(_ended(patch, made.control, wanted))


def _laid(skin: Surface, patch: Patch) -> Array:
    """The skin as a patch."""
    return patch.interpolate(lambda u, v: surface_grid(skin, u, v)[0, 0])


def _conditions(skin: Surface, wanted: Wanted, patch: Patch) -> list[Condition]:
    beside = [_beside(skin, wanted, name, i) for name, i in (("v0", 0), ("v1", -1)) if wanted.ends[i].order]
    around = comes_round(wanted.curves)
    joint = [] if around is None else [Closes(around)]
    return [*_sections(wanted, patch), *beside, *joint, *_guides(wanted, patch, around is not None)]


def comes_round(curves: Sequence[Curve]) -> int | None:
    """How smoothly all sections come round, 0 to 2; None for open ones."""
    loops = [c for c in curves if not is_point(c)]
    if not all(is_closed(c) for c in loops):
        return None
    order = 2
    for c in loops:
        d = curve_derivatives(c, c.domain, 2)
        size = float(norm(d[1]).max())
        alike = norm(d[1:, 0] - d[1:, 1]) < _ALIKE * np.array([size, 2 * np.pi * size])
        order = min(order, int(np.argmin([*alike, False])))
    return order


def _on(skin: Surface, wanted: Wanted) -> bool:
    """Whether all guides lie on the skin already, so that its own rows do."""
    for guide, (t, uv) in zip(wanted.guides, wanted.crossings, strict=True):
        if to_surface(skin, curve_points(guide, t), (uv[:, 0], uv[:, 1])).distance.max() > _FAR * _GUIDE:
            return False
    return True


def _columns(skin: Surface, wanted: Wanted) -> Space:
    """Functions along the sections: as few even spans of degree 5 as hold them all, or the skin's own where those are
    fewer, as along cubics of many knots.
    """
    degree = max(3, skin.degree_u)
    own = Space(degree, raised_knots(skin.knots_u, skin.degree_u, degree - skin.degree_u))
    s = np.linspace(0, 1, _PLACES)
    points = np.concatenate([curve_points(c, s) for c in wanted.curves], axis=1)
    for spans in range(1, min(_SPANS, max(own.count, _FEW) - degree)):
        few = Space.even(max(5, degree), spans)
        held = few.matrix(s)[0]
        off = points - held @ np.linalg.lstsq(held, points, rcond=None)[0]
        if norm(off.reshape(len(s), -1, 3)).max() < _ALONG * _SECTION:
            return few
    return own


def _rows(skin: Surface, wanted: Wanted, parts: IntArray | None) -> Space:
    """Functions from section to section: at first the skin's own where nothing is met, then so many parts between."""
    order = max(end.order for end in wanted.ends)
    if parts is None and not order:
        degree = max(3, skin.degree_v)
        return Space(degree, raised_knots(skin.knots_v, skin.degree_v, degree - skin.degree_v))
    places = wanted.places if len(wanted.places) > 3 else np.linspace(0, 1, len(wanted.places))
    counts = [1] * (len(places) - 1) if parts is None else parts.tolist()
    inner = [np.linspace(a, b, n + 1)[:-1] for (a, b), n in zip(pairwise(places.tolist()), counts, strict=True)]
    return Space.over(max(5, 2 * order + 1), np.append(np.concatenate(inner), 1.0))


def _more(columns: Space) -> Space:
    """Half as many spans again, or of uneven ones twice as many."""
    breaks = columns.breaks
    spans = len(breaks) - 1
    if np.ptp(np.diff(breaks)) < 1e-9 and columns.count == spans + columns.degree:
        return Space.even(columns.degree, spans + max(1, spans // 2))
    middles = 0.5 * (breaks[1:] + breaks[:-1])
    inner = columns.knots[columns.degree + 1 : -columns.degree - 1]
    ends = np.repeat(breaks[[0, -1]], columns.degree + 1)
    return Space(columns.degree, np.sort(np.concatenate([ends, inner, middles])))


def _closer(columns: Space, met: Sequence[Meets]) -> Space:
    """A knot more in the middle of every span along which an end misses what it is to meet."""
    breaks = columns.breaks
    worst = np.zeros(len(breaks) - 1)
    for m in met:
        np.maximum.at(worst, np.searchsorted(breaks[1:-1], m.shares, side="right"), m.missed)
    middles = 0.5 * (breaks[1:] + breaks[:-1])[worst > 1.0]
    if columns.count + len(middles) > _MOST_COLUMNS:
        return columns
    return Space(columns.degree, np.sort(np.concatenate([columns.knots, middles])))


def _sections(wanted: Wanted, patch: Patch) -> list[Contains]:
    """Sections where they stand, but those that are an edge which is met."""
    s = np.linspace(0, 1, 5 * patch.u.count)
    out = []
    for i, (c, p) in enumerate(zip(wanted.curves, wanted.places, strict=True)):
        met = (i == 0 and wanted.ends[0].order) or (i == len(wanted.curves) - 1 and wanted.ends[1].order)
        if not met:
            uv = np.stack([s, np.full(len(s), p)], axis=1)
            out.append(Contains(curve_points(c, s), uv, fixed=True, tolerance=_SECTION, name=f"section {i}"))
    return out


def _guides(wanted: Wanted, patch: Patch, around: bool) -> list[Contains]:
    """Guides, free to lie where they like; one that runs along a side is that side."""
    out = []
    for g, (known, place) in zip(wanted.guides, wanted.crossings, strict=True):
        # Rows that stand closer than places would follow them as they like.
        share, dense = np.linspace(0, 1, len(known)), np.linspace(0, 1, max(len(known), 5 * patch.v.count))
        t = np.interp(dense, share, known)
        uv = np.column_stack([np.interp(dense, share, column) for column in place.T])
        points = curve_points(g, t)
        level = next((float(round(u)) for u in uv[[-1, 0], 0] if min(u, 1 - u) < _RIM), None)
        if around:
            uv[:, 0] %= 1.0
        if around or level is None:
            out.append(Contains(points, uv.copy(), tolerance=_GUIDE, around=around, name="guide"))
        else:
            way, whole = unit(np.gradient(points, axis=0)), np.stack([np.full(len(t), level), uv[:, 1]], axis=1)
            out.append(Contains(points, whole, way, 1, _GUIDE, slack=0.05, name="guide"))
    return out


def _beside(skin: Surface, wanted: Wanted, name: str, i: int) -> Meets:
    """The neighbour that an end is to meet."""
    source, end = wanted.given[i], wanted.ends[i]
    if not isinstance(source, Edge):
        raise GeometryError(f"Section {i % len(wanted.given) + 1} is no edge of a face: it can meet nothing.")
    side = Side(source, like=wanted.curves[i])
    few = len(wanted.curves) < 3 or not _leaves(skin, name, side)
    keep = end.magnitude if few or end.magnitude != 1.0 else 0.0
    floor = 1.0 / max(wanted.diagonal, 1e-9)
    return Meets(name, side, end.order, floor=floor, keep=keep, whole=True, name=f"end {name}")


def _leaves(skin: Surface, name: str, side: Side) -> bool:
    """Whether a skin leaves the face beside it nearly straight on along an end: then the way comes by itself."""
    s = np.linspace(0, 1, 17)
    d = surface_derivatives(skin, s, np.full(len(s), float(name[1])), 1)[0, 1]
    ahead = dot(unit(d), side.outward(s)) * (1.0 if name == "v0" else -1.0)
    return float(ahead.min()) > _AHEAD


def _between(patch: Patch, made: Fitted, wanted: Wanted, rows: Sequence[Contains]) -> Array:
    """The worst of what is asked of the rows between two sections each, over its tolerance, (n - 1,)."""
    count = len(wanted.places) - 1
    out = np.zeros(count)
    for row in rows:
        off = norm(row.points - patch.at(made.control, row.uv[:, 0], row.uv[:, 1], 0)[0, 0]) / row.tolerance
        # What lies on a section counts on both sides of it.
        for shift in (-_BESIDE, _BESIDE):
            np.maximum.at(out, np.clip(np.searchsorted(wanted.places, row.uv[:, 1] + shift) - 1, 0, count - 1), off)
    return out


def _ended(patch: Patch, control: Array, wanted: Wanted) -> Array:
    """Control points with all of a row in one where a section is a point, and a joint that is shut."""
    net = patch.net(control).copy()
    if comes_round(wanted.curves) is not None:
        net[-1] = net[0]
    for i in (0, -1):
        if is_point(wanted.curves[i]):
            net[:, i] = wanted.curves[i].control[0]
    return net.reshape(-1, 3)
