"""A hole of any number of sides filled by one patch that runs on beyond it and is trimmed along its sides, at once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass

import numpy as np
import shapely

from pamble.core.arrays import Array, BoolArray
from pamble.core.checks.measured import measure_seams, sample_seams
from pamble.core.checks.seams import Seam
from pamble.core.curves.measure import deviation
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, base_name
from pamble.core.faces.trim import Cutter, divide
from pamble.core.patches.closed import closed
from pamble.core.patches.conditions import Contains
from pamble.core.patches.folds import folded
from pamble.core.patches.ground import Ground, over_neighbours, over_plane
from pamble.core.patches.inside import Through, missed, samples
from pamble.core.patches.loop import Asked, Chain, Placed, corners, eased
from pamble.core.patches.meets import MeetsAlong
from pamble.core.patches.solve import Condition, fit
from pamble.core.patches.space import Space
from pamble.core.patches.told import PatchMade, SideFigures, contradictions, short_of, worst_of
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import BLEND_GAP

_PLACES, _PLACES_A_SPAN = 12, 8
"""Places along each side: so many, and so many more for each span of the patch."""

_DENSER = 4
"""How many times as many are taken where a patch is missed between them."""

_MOST_SPANS, _EVEN = 6, 3
"""Even spans that are tried, and before how many the knots of the neighbours are."""
_STEPS, _FEW_STEPS = 16, 6
"""Steps of the iteration: of a patch that is kept, and of one that others are laid on."""

_FLAT_DEGREE, _HOLD = 5, 1e4
"""Degree of lines laid through feet, and weight of their ends against the rest."""

_BACK = 150.0
"""Angle, degrees, at a side that it was to meet tangentially from which a patch leads back over the neighbour."""

_CUT = 1e-4
"""Tolerance, mm, of the trim along the sides."""


def trimmed_patch(
    asked: Sequence[Asked],
    diagonal: float,
    degree: int = 5,
    spans: int | None = None,
    through: Through = (),
    exact: bool = True,
    lends: bool = False,
) -> PatchMade:
    """One patch over a closed loop of sides, each met as it asks, trimmed along them. through: what it passes inside.

    ``diagonal`` of the part, mm, bounds the curvature reference. spans: in both directions, found if None. exact:
    whether it is cut out along the sides, and the worst figures closed in on between the samples. The patch is laid out
    over the plane that fits the sides best, so the hole must be seen whole from one side; where that misses, over a
    neighbour that runs on through the hole, at once if it ``lends``. Raises `GeometryError` for sides that do not
    close.
    """
    c = closed(asked, exact)
    found = corners(c, diagonal) if len(asked) > 1 else []
    c = eased(c, found)
    rows = [samples(x) for x in through]
    helps = (
        "lay it out in several pieces, or ask for less at its sides" if len(asked) > 1 else "ask for less at its rim"
    )
    if rows:
        helps += ", or move what it passes inside"
    folds = GeometryError(f"One patch over this hole folds: {helps}.")

    def built(denser: int) -> tuple[float, Face, list[SideFigures], bool]:
        """The worst figure over its aim, the face and its figures, and whether its places had looked as if it held."""
        made, more = _search(c, diagonal, degree, spans, rows, lends=lends, denser=denser)
        tried.extend(more)
        if not made:
            raise folds
        face = _first_cut_out(made, c) if exact else _laid_round(made[0], c)
        figures = _figures(face, c, diagonal, exact)
        return worst_of(figures, found), face, figures, made[0].ratio <= 1.0

    tried: list[tuple[int, int, float]] = []
    best = built(1)
    if exact and spans is None and best[3] and best[0] > 1.0:
        with suppress(GeometryError):
            best = min(best, built(_DENSER), key=lambda b: b[0])
    _, face, figures, _ = best
    if any(f.order > 0 and (f.angle or 0.0) > _BACK for f in figures):
        raise folds
    warnings = contradictions(found, {n: p.asked.order for p, n in zip(c.sides, c.order, strict=True)})
    warnings += [*missed(face.surface, rows), *(short_of(figures) if exact and spans is None else [])]
    return PatchMade(face, tuple(figures), tuple(found), tuple(tried), tuple(warnings))


def carried_over(c: Chain, diagonal: float, within: float, degree: int = 5) -> Surface | None:
    """The surface of one patch over a closed chain of sides, reaching beyond them; None where it folds, or its worst
    figure over its aim is not ``within``.
    """
    made, _ = _search(c, diagonal, degree, None, within=within)
    return made[0].surface if made and made[0].ratio < within else None


@dataclass(frozen=True)
class _Try:
    """A patch over a hole: its worst figure over its aim, and the parameters of the sides on it."""

    ratio: float
    surface: Surface
    uv: list[Array]


def _search(
    c: Chain,
    diagonal: float,
    degree: int,
    spans: int | None,
    through: Sequence[Array] = (),
    within: float = np.inf,
    lends: bool = False,
    denser: int = 1,
) -> tuple[list[_Try], list[tuple[int, int, float]]]:
    """Patches that do not fold in the hole, the best first, and what was tried. It is given up where even the most
    spans will not bring the worst figure ``within`` so much of its aim. denser: factor on the places along sides.
    """
    made: list[_Try] = []
    tried: list[tuple[int, int, float]] = []
    steps = _STEPS if within == np.inf else _FEW_STEPS

    def look(ground: Ground) -> float:
        try:
            one = _fitted(c, ground, diagonal, through, steps, denser)
        except GeometryError:  # no stable solution over this ground
            return np.inf
        tried.append((*ground.spans, one.ratio))
        if not folded(one.surface, _inside(one.uv)):
            made.append(one)
        return one.ratio

    def holds_over_neighbours() -> bool:
        for ground in over_neighbours(c):
            look(ground)
            if any(t.ratio <= 1.0 for t in made):
                return True
        return False

    even = [spans] if spans else range(1, _MOST_SPANS + 1)
    for k in () if lends and holds_over_neighbours() else even:
        if k == _EVEN and spans is None and within == np.inf and not through and holds_over_neighbours():
            break
        least = min((t[2] for t in tried), default=np.inf)
        ratio = look(over_plane(c, degree, k))
        stalls = ratio < within < np.inf and ratio > 0.6 * least
        if ratio <= 1.0 or stalls or (len(tried) > 3 and ratio > 0.8 * min(t[2] for t in tried[:-2])):
            break
        if k > 1 and ratio * (k / _MOST_SPANS) ** degree > within:
            break
    return sorted(made, key=lambda t: t.ratio), tried


def _fitted(c: Chain, ground: Ground, diagonal: float, through: Sequence[Array], steps: int, denser: int = 1) -> _Try:
    patch, place = ground.patch, ground.place
    s = np.linspace(0, 1, denser * (_PLACES + _PLACES_A_SPAN * max(ground.spans)))
    lines = [p.side.points(s) for p in c.sides]
    places = [place(line) for line in lines]
    soft: list[Condition] = [
        Contains(line, uv, tolerance=0.02, fixed=True) for line, uv in zip(lines, places, strict=True)
    ]
    soft += [Contains(row, place(row), tolerance=0.1) for row in through]
    reference = fit(patch, soft, ground.control, tau=3.0, steps=1, alone=True)
    conditions = [_condition(p, s, uv, i, diagonal) for i, (p, uv) in enumerate(zip(c.sides, places, strict=True))]
    inside = [Contains(row, place(row), tolerance=0.25 * BLEND_GAP, name="inside") for row in through]

    def tried(start: Array) -> tuple[float, Array, list[Array]]:
        out = fit(patch, [*conditions, *inside], start, tau=3.0, steps=steps)
        return out.ratio, out.control, [x.uv for x in conditions]

    ratio, control, uv = tried(reference.control)
    if ratio > 1.0 and steps == _STEPS:
        # What pulls back to a start far off is let go of: the patch differs calmly from what was found.
        ratio, control, uv = min((ratio, control, uv), tried(control), key=lambda x: x[0])
    if ratio > 1.0 and ground.lent:
        ratio, control, uv = min((ratio, control, uv), tried(ground.control), key=lambda x: x[0])
    return _Try(ratio, patch.surface(control), uv)


def _condition(p: Placed, s: Array, uv: Array, number: int, diagonal: float) -> Contains | MeetsAlong:
    if isinstance(p.asked.source, Curve):
        return Contains(p.side.points(s), uv, tolerance=0.25 * BLEND_GAP, name=f"side {number}")
    ease = 1.0 if p.ease is None else p.ease(s)
    return MeetsAlong(p.side, s, uv, p.asked.order, 1.0 / max(diagonal, 1e-9), ease=ease, name=f"side {number}")


def _first_cut_out(made: Sequence[_Try], c: Chain) -> Face:
    """The first of some patches that can be cut along all sides. Raises the first error where none can."""
    wrong: GeometryError | None = None
    for one in made:
        try:
            return _cut_out(Face(one.surface), c, one.uv)
        except GeometryError as error:
            wrong = wrong or error
    assert wrong is not None
    raise wrong


def _laid_round(one: _Try, c: Chain) -> Face:
    """The patch trimmed along the feet of the sides that its fit has found, as near as these are: while a neighbour is
    dragged.
    """
    round_left = shapely.LinearRing(np.vstack(one.uv)).is_ccw
    edges = []
    for p, n, uv in zip(c.sides, c.order, one.uv, strict=True):
        t, curve = p.side.parameters(np.linspace(0, 1, len(uv))), p.side.curve
        space = Space.even(_FLAT_DEGREE, max(1, len(uv) // 2 - _FLAT_DEGREE))
        share = (t - curve.domain[0]) / (curve.domain[1] - curve.domain[0])
        heavy = np.where((share <= 0) | (share >= 1), _HOLD, 1.0)[:, None]
        control = np.linalg.lstsq(space.matrix(share)[0] * heavy, uv * heavy, rcond=None)[0]
        low, high = curve.domain
        flat = Curve(_FLAT_DEGREE, low + (high - low) * space.knots, control)
        edges.append(Edge(one.surface, f"side{n + 1}", flat, 1.0 if round_left != p.side.turned else -1.0, curve))
    return Face(one.surface, (tuple(edges if round_left else edges[::-1]),))


def _cut_out(face: Face, c: Chain, uv: Sequence[Array]) -> Face:
    """The face inside the loop. Raises `GeometryError` where it does not reach all sides."""
    cutters = [Cutter(f"side{n + 1}", f"side {n + 1}", p.side.curve) for p, n in zip(c.sides, c.order, strict=True)]
    divided = divide(face, cutters, _CUT)
    hole = _hole(uv)
    inside = [r.number for r in divided.regions if hole.contains(shapely.Point(r.at))]
    if len(inside) != 1:
        words = " ".join(x.words for x in divided.complaints)
        raise GeometryError(f"The sides do not close on the patch. {words}".strip())
    out = divided.holding(inside)[0]
    if {base_name(e.name) for e in out.edges} != {cutter.name for cutter in cutters}:
        raise GeometryError("The patch does not reach all its sides: lay the hole out in several pieces.")
    return out


def _hole(uv: Sequence[Array]) -> shapely.Geometry:
    """What the sides enclose in the patch's parameters."""
    return shapely.make_valid(shapely.Polygon(np.vstack(uv)))


def _inside(uv: Sequence[Array]) -> Callable[[Array, Array], BoolArray]:
    """Which places lie in the hole: what is trimmed away may do as it likes."""
    hole = _hole(uv)
    return lambda u, v: np.asarray(shapely.contains_xy(hole, u, v))


def _figures(face: Face, c: Chain, diagonal: float, exact: bool) -> list[SideFigures]:
    out: list[SideFigures] = []
    pairs: list[tuple[int, int, Seam]] = []
    for p, n in zip(c.sides, c.order, strict=True):
        for edge in (e for e in face.edges if base_name(e.name) == f"side{n + 1}"):
            if isinstance(p.asked.source, Curve):
                out.append(SideFigures(n, edge.name, 0, deviation(edge.space, p.asked.source).distance))
            else:
                pairs.append((n, p.asked.order, Seam((0, 1), edge, p.asked.source, edge.domain)))
    most = max((order for _, order, _ in pairs), default=0)
    sampled = sample_seams([seam for _, _, seam in pairs], order=max(2, most), exact=exact)
    for (n, order, seam), m in zip(pairs, measure_seams(sampled, diagonal, exact), strict=True):
        gap, angle, curvature = (m.worst[k].value for k in ("gap", "angle", "curvature"))
        rate = m.worst["rate_percent"].value if order > 2 else None
        out.append(SideFigures(n, seam.a.name, order, gap, angle, curvature, rate=rate))
    return out
