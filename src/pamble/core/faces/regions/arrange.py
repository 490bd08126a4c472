"""The arrangement: border and cutters split where they meet, and the regions that the pieces bound.

Curves meet where Newton on the curves says; shapely only tells which pieces bound which region. Areas by Green's
theorem on the curves themselves must add up to the face, else the chords are made finer.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from itertools import chain, pairwise

import numpy as np
import shapely
from scipy.spatial import cKDTree

from pamble.core.arrays import Array, BoolArray, IntArray, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.regions.crossings import (
    SAME,
    Chords,
    Crossings,
    make_chords,
    refuse_running_along,
    seeds,
    settle,
)
from pamble.core.faces.regions.groups import groups
from pamble.core.faces.regions.sources import CurveTable, Source, joined_ends

_SAG = 2e-4
"""How far a chord may leave its curve, as a fraction of the face's size."""

_FINER = (1.0, 0.1, 0.01, 0.001)
_AREA = 1e-9
"""How closely the regions' areas must add up to that of the face."""


@dataclass(frozen=True)
class Piece:
    """A stretch of a source between two nodes. mark_a, mark_b: the marks (ends and crossings) that set t0 and t1.

    left, right: regions on both its sides, -1 for the outside.
    """

    source: int
    t0: float
    t1: float
    a: int
    b: int
    mark_a: int
    mark_b: int
    points: Array
    left: int = -1
    right: int = -1


Ring = list[tuple[int, int]]
"""Pieces of a border in order, each with +1 if it is run along its parameter, else -1; the region on the left."""


@dataclass(frozen=True)
class Arrangement:
    """Pieces and regions. rings: for each region its borders, the outer one first. inside: whether a region belongs to
    the face; area: of each region, scaled plane.
    """

    sources: list[Source]
    scale: Array
    table: CurveTable
    chords: Chords
    crossings: Crossings
    nodes: Array
    node_marks: IntArray
    pieces: list[Piece]
    rings: list[list[Ring]]
    inside: BoolArray
    area: Array
    face_area: float = field(default=0.0)

    @cached_property
    def size(self) -> float:
        """Diagonal of the border's box, scaled."""
        return border_size(self.sources, self.scale)

    def polygon(self, region: int) -> shapely.Polygon:
        """A region as a polygon of chords, scaled plane."""
        rings = [
            np.concatenate([(self.pieces[i].points if w > 0 else self.pieces[i].points[::-1])[:-1] for i, w in ring])
            for ring in self.rings[region]
        ]
        return shapely.Polygon(rings[0], rings[1:])

    @property
    def adds_up(self) -> bool:
        """Whether the regions' areas add up to the face's."""
        own = self.area[self.inside]
        return bool(len(own) and abs(own.sum() - self.face_area) < _AREA * abs(self.face_area) and (own > 0).all())


def border_size(sources: Sequence[Source], scale: Array) -> float:
    """Diagonal of the box round the border's control points, scaled."""
    border = np.vstack([s.curve.control for s in sources if not s.cuts]) * scale
    return float(norm(np.ptp(border, axis=0)[None])[0])


def arrange(sources: list[Source], scale: Array) -> Arrangement:
    """The arrangement of a face's border and the curves that cut it. Raises `GeometryError` in words."""
    for finer in _FINER:
        try:
            made = _arranged(sources, scale, finer)
        except _ChordsCrossed:
            continue
        if made.adds_up:
            return made
    raise GeometryError("The cutters cannot be told apart: two of them run too close to each other.")


class _ChordsCrossed(Exception):
    """Chords cross where their curves do not: finer ones are needed."""


def _arranged(sources: list[Source], scale: Array, finer: float) -> Arrangement:
    table = CurveTable([s.curve for s in sources], scale)
    size = border_size(sources, scale)
    chords = make_chords(table, _SAG * size * finer)
    cuts = np.array([s.cuts for s in sources])
    crossings, _, sine = settle(table, chords, seeds(chords, cuts))
    refuse_running_along(sources, crossings, sine, size)
    nodes, marks_of, plan = _split(table, chords, crossings, joined_ends(sources))
    pieces = _apart(lay(table, chords, nodes, plan), cuts)
    pieces, rings = _regions(pieces)
    inside = _inside(sources, pieces, len(rings))
    area, face_area = _areas(sources, table, pieces, rings)
    return Arrangement(
        sources, scale, table, chords, crossings, nodes, marks_of, pieces, rings, inside, area, face_area
    )


Plan = list[tuple[int, float, float, int, int, int, int]]
"""What is to be a piece: source, t0, t1, nodes a and b, marks a and b."""


def marks(table: CurveTable, chords: Chords, crossings: Crossings) -> tuple[IntArray, Array, Array]:
    """All ends and crossings as marks on their curves: curve, parameter, point."""
    curve = np.concatenate([np.repeat(np.arange(len(chords.t)), 2), crossings.p, crossings.q])
    t = np.concatenate([table.domain.ravel(), crossings.t, crossings.v])
    return curve, t, np.concatenate([chords.ends.reshape(-1, 2), crossings.point, crossings.point])


def _split(
    table: CurveTable, chords: Chords, crossings: Crossings, joined: Sequence[tuple[int, int]]
) -> tuple[Array, IntArray, Plan]:
    curve, t, point = marks(table, chords, crossings)
    near = cKDTree(point).query_pairs(4 * SAME, output_type="ndarray").reshape(-1, 2)
    label = groups(len(point), chain(joined, ((int(a), int(b)) for a, b in near)))
    order = np.argsort(label, kind="stable")
    first = order[np.searchsorted(label[order], np.arange(label.max() + 1))]
    plan: Plan = []
    for k in range(len(chords.t)):
        own = np.flatnonzero(curve == k)
        row = sorted((float(t[m]), int(label[m]), int(m)) for m in own)
        keep = [row[0]]
        for mark in row[1:]:
            last = keep[-1]
            if mark[1] == last[1] and _no_length(table, k, last[0], mark[0]):
                if mark[0] == table.domain[k, 1] and len(keep) > 1:
                    keep[-1] = mark
                continue
            keep.append(mark)
        plan += [(k, a[0], b[0], a[1], b[1], a[2], b[2]) for a, b in pairwise(keep)]
    return point[first], first, plan


def _no_length(table: CurveTable, k: int, ta: float, tb: float) -> bool:
    if tb - ta > 1e-3 * table.length[k]:
        return False
    way = table.points(np.full(5, k), np.linspace(ta, tb, 5))
    return bool(norm(np.diff(way, axis=0)).sum() < 20 * SAME)


def lay(table: CurveTable, chords: Chords, nodes: Array, plan: Plan) -> list[Piece]:
    """Pieces with their polylines: the chords' points between, at least three where two pieces could coincide."""
    curve, t, counts = [], [], []
    for k, ta, tb, *_ in plan:
        own, slack = chords.t[k], 1e-9 * (tb - ta)
        inner = own[np.searchsorted(own, ta + slack, "right") : np.searchsorted(own, tb - slack, "left")]
        if len(inner) < 3:
            inner = np.union1d(inner, ta + (tb - ta) * np.array([0.25, 0.5, 0.75]))
        curve.append(np.full(len(inner), k))
        t.append(inner)
        counts.append(len(inner))
    points = table.points(np.concatenate(curve), np.concatenate(t))
    parts = np.split(points, np.cumsum(counts)[:-1])
    return [
        Piece(k, ta, tb, a, b, ma, mb, np.concatenate([nodes[a : a + 1], inner, nodes[b : b + 1]]))
        for (k, ta, tb, a, b, ma, mb), inner in zip(plan, parts, strict=True)
    ]


def _apart(pieces: list[Piece], cuts: BoolArray) -> list[Piece]:
    """Pieces without those of cutters that are one with a piece of another between the same nodes: where a cutter
    touches the border at its end, its first stretch lies on it.
    """
    between: dict[tuple[int, int], list[Piece]] = {}
    for p in pieces:
        between.setdefault((min(p.a, p.b), max(p.a, p.b)), []).append(p)
    drop = set()
    for own in (g for g in between.values() if len(g) > 1):
        own.sort(key=lambda p: bool(cuts[p.source]))
        for i, p in enumerate(own):
            way = shapely.points(p.points[1:-1])
            near = (q for q in own[:i] if id(q) not in drop)
            if cuts[p.source] and any(
                float(shapely.distance(shapely.LineString(q.points), way).max()) < SAME for q in near
            ):
                drop.add(id(p))
    return [p for p in pieces if id(p) not in drop]


def bounded(pieces: Sequence[Piece]) -> list[tuple[shapely.Polygon, list[Ring]]]:
    """Regions that pieces bound, as polygons of chords, and their rings: each followed back to its pieces by their
    first chords, the outer one first, the region on its left.
    """
    flat = np.concatenate([p.points for p in pieces])
    number = np.repeat(np.arange(len(pieces)), [len(p.points) for p in pieces])
    polygons = list(shapely.polygonize_full(shapely.linestrings(flat, indices=number))[0].geoms)
    first: dict[tuple[float, ...], tuple[int, int]] = {}
    for i, p in enumerate(pieces):
        first[(*p.points[0].tolist(), *p.points[1].tolist())] = (i, 1)
        first[(*p.points[-1].tolist(), *p.points[-2].tolist())] = (i, -1)
    out = []
    for polygon in polygons:
        rings = []
        for k, ring in enumerate((polygon.exterior, *polygon.interiors)):
            walk = _walk(shapely.get_coordinates(ring), first, pieces)
            rings.append(walk if ring.is_ccw == (k == 0) else [(i, -w) for i, w in reversed(walk)])
        out.append((polygon, rings))
    return out


def _regions(pieces: list[Piece]) -> tuple[list[Piece], list[list[Ring]]]:
    """The pieces with the regions on both their sides, and the regions' rings."""
    left, right = [-1] * len(pieces), [-1] * len(pieces)
    rings = [own for _, own in bounded(pieces)]
    for region, own in enumerate(rings):
        for i, w in (step for ring in own for step in ring):
            (left if w > 0 else right)[i] = region
    return [replace(p, left=a, right=b) for p, a, b in zip(pieces, left, right, strict=True)], rings


def _walk(ring: Array, first: dict[tuple[float, ...], tuple[int, int]], pieces: Sequence[Piece]) -> Ring:
    rows = [tuple(x) for x in ring.tolist()]
    m = len(rows) - 1
    begin = next((i for i in range(m) if (*rows[i], *rows[i + 1]) in first), None)
    if begin is None:
        raise _ChordsCrossed
    walk, i = [], begin
    while i - begin < m:
        found = first.get((*rows[i % m], *rows[i % m + 1]))
        if found is None:
            raise _ChordsCrossed
        walk.append(found)
        i += len(pieces[found[0]].points) - 1
    return walk


def _inside(sources: list[Source], pieces: list[Piece], count: int) -> BoolArray:
    """A region belongs to the face if it, or what hangs together with it across cutters, lies inward of a border."""
    outside = count
    left = np.array([p.left if p.left >= 0 else outside for p in pieces])
    right = np.array([p.right if p.right >= 0 else outside for p in pieces])
    source = np.array([p.source for p in pieces])
    cuts = np.array([s.cuts for s in sources])[source]
    label = groups(count + 1, zip(left[cuts].tolist(), right[cuts].tolist(), strict=True))
    inward = np.array([s.inward for s in sources])[source] > 0
    held = np.unique(label[np.where(inward, left, right)[~cuts]])
    out = np.isin(label[:count], held)
    return np.asarray(out & (label[:count] != label[outside]))


def _areas(
    sources: list[Source], table: CurveTable, pieces: list[Piece], rings: list[list[Ring]]
) -> tuple[Array, float]:
    """Areas of the regions and of the face by Green's theorem: Gauss nodes on every span of every piece."""
    x, w = _gauss(table.degree + 1 if not table.rational else 16)
    curve, low, high, owner = [], [], [], []
    for i, p in enumerate(pieces):
        breaks = table.start[table.first[p.source] : table.first[p.source + 1]]
        edges = np.concatenate([[p.t0], breaks[(breaks > p.t0) & (breaks < p.t1)], [p.t1]])
        curve.append(np.full(len(edges) - 1, p.source))
        low.append(edges[:-1])
        high.append(edges[1:])
        owner.append(np.full(len(edges) - 1, i))
    k, a, b, own = (np.concatenate(part) for part in (curve, low, high, owner))
    half = 0.5 * (b - a)
    point, rate = table.at(np.repeat(k, len(x)), (a[:, None] + half[:, None] * (1 + x)).ravel())
    point = point - point[0]
    swept = (point[:, 0] * rate[:, 1] - point[:, 1] * rate[:, 0]).reshape(-1, len(x)) @ w * half
    green = np.bincount(own, weights=0.5 * swept, minlength=len(pieces))
    area = np.array([sum(green[i] * way for ring in own_rings for i, way in ring) for own_rings in rings])
    face = sum(green[i] * sources[p.source].inward for i, p in enumerate(pieces) if not sources[p.source].cuts)
    return area, float(face)


@lru_cache(maxsize=32)
def _gauss(count: int) -> tuple[Array, Array]:
    return np.polynomial.legendre.leggauss(count)
