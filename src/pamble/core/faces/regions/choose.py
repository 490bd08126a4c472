"""Which regions there are to keep, on which side of every cutter each lies, and what is wrong with a cutter."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from pamble.core.arrays import Array, BoolArray, IntArray, cross, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.face import edge_words
from pamble.core.faces.regions.arrange import Arrangement, Piece
from pamble.core.faces.regions.groups import groups
from pamble.core.spline.evaluate import surface_grid, surface_points
from pamble.core.spline.surface import Surface

LEFT, RIGHT, BOTH = 1, -1, 0
"""Side of a cutter on which a region lies, as the cutter's curves run; both where it reaches round an end."""

_ON_JOINT = 1e-6
"""Distance in the scaled plane, mm, up to which a piece lies on the joint of a closed surface."""

_LATTICE = 32
"""Places each way at which it is seen how a region of the plane is stretched."""


@dataclass(frozen=True)
class Region:
    """A region of a face. number: its place in the arrangement; at: parameters (2,) of a point well inside; area: mm2,
    near enough to tell the larger; sides: for every cutter the side it lies on; group: regions that hang together over
    the joint of a closed surface have the same one.
    """

    number: int
    at: Array
    area: float
    sides: Mapping[str, int]
    group: int


@dataclass(frozen=True)
class Pick:
    """How a region is named: a place on the face (parameters, (2,)), and the side of each cutter that it lies on."""

    at: Array
    sides: Mapping[str, int]


def regions(made: Arrangement, surface: Surface, quick: bool = False) -> list[Region]:
    """The regions that belong to the face, largest first. quick: places are inside, though perhaps near the border."""
    cutters = list(dict.fromkeys(s.cutter for s in made.sources if s.cuts))
    sides = {c: _sides(made, c) for c in cutters}
    group = _over_joints(made, surface)
    area = _areas(made, surface)
    out = []
    for r in np.flatnonzero(made.inside).tolist():
        own = {c: sides[c][r] for c in cutters if sides[c].get(r) is not None}
        place = shapely.point_on_surface(made.polygon(r)) if quick else None
        at = np.array(_deep_inside(made.polygon(r)) if place is None else (place.x, place.y)) / made.scale
        out.append(Region(r, at, float(area[r]), own, int(group[r])))
    return sorted(out, key=lambda r: -r.area)


def _areas(made: Arrangement, surface: Surface) -> Array:
    """Areas on the surface: those in the scaled plane, stretched as places of a lattice in each region are."""
    if np.count_nonzero(made.inside) < 2:
        return made.area
    share = (np.arange(_LATTICE) + 0.5) / _LATTICE
    (u0, u1), (v0, v1) = surface.domain
    u, v = u0 + share * (u1 - u0), v0 + share * (v1 - v0)
    d = surface_grid(surface, u, v, 1)
    stretch = (norm(cross(d[1, 0], d[0, 1])) / made.scale.prod()).ravel()
    places = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2) * made.scale
    area = made.area.copy()
    for r in np.flatnonzero(made.inside).tolist():
        within = shapely.contains_xy(made.polygon(r), places[:, 0], places[:, 1])
        if within.any():
            area[r] *= stretch[within].mean()
    return area


def _deep_inside(polygon: shapely.Polygon) -> tuple[float, float]:
    """A point of a polygon that is far from its border."""
    size = float(np.sqrt(polygon.area))
    line = shapely.maximum_inscribed_circle(polygon, tolerance=0.02 * size)
    point = shapely.get_point(line, 0)
    return float(point.x), float(point.y)


def _sides(made: Arrangement, cutter: str) -> dict[int, int]:
    """Side of every region: by its own border, else by what it reaches without crossing the cutter."""
    left = np.array([p.left for p in made.pieces])
    right = np.array([p.right for p in made.pieces])
    source = np.array([p.source for p in made.pieces])
    mine = np.array([s.cutter == cutter and s.cuts for s in made.sources])[source]
    other = np.array([s.cuts for s in made.sources])[source] & ~mine & (left >= 0) & (right >= 0)
    count = len(made.rings)
    label = groups(count, zip(left[other].tolist(), right[other].tolist(), strict=True))
    split = mine & (left != right)

    def gathered(number: IntArray) -> dict[int, set[int]]:
        found: dict[int, set[int]] = {}
        for side, at in ((LEFT, left), (RIGHT, right)):
            for r in np.unique(number[at[split & (at >= 0)]]).tolist():
                found.setdefault(r, set()).add(side)
        return found

    own, reached = gathered(np.arange(count, dtype=np.intp)), gathered(label)
    out = {}
    for r in np.flatnonzero(made.inside).tolist():
        found = own.get(r) or reached.get(int(label[r]))
        if found:
            out[r] = BOTH if len(found) == 2 else next(iter(found))
    return out


def _over_joints(made: Arrangement, surface: Surface) -> IntArray:
    """Groups of regions that are one in space because they meet at the joint of a closed surface."""
    count = len(made.rings)
    pairs = []
    for along in (0, 1):
        if not surface.closed[along]:
            continue
        first, second = (_on_line(made, along, border * made.scale[along]) for border in surface.domain[along])
        for a0, a1, a in first:
            pairs += [(a, b) for b0, b1, b in second if min(a1, b1) - max(a0, b0) > 1e-6 * (a1 - a0)]
    return groups(count, pairs)


def _on_line(made: Arrangement, along: int, at: float) -> list[tuple[float, float, int]]:
    """From where to where pieces that bound a region lie on a line of the scaled plane, and that region."""
    out = []
    for p in made.pieces:
        region = max(p.left, p.right)
        if region >= 0 and np.abs(p.points[:, along] - at).max() < _ON_JOINT:
            rest = p.points[:, 1 - along]
            out.append((float(rest.min()), float(rest.max()), region))
    return out


def chosen(made: Arrangement, found: Sequence[Region], picks: Sequence[Pick]) -> list[int]:
    """Numbers of the regions that picks name, and what hangs together with them over a joint.

    A region is named by the side of every cutter; where several lie there, by the place. Raises `GeometryError`.
    """
    keep: set[int] = set()
    for pick in picks:
        fitting = [r for r in found if all(pick.sides.get(c, s) == s for c, s in r.sides.items())]
        holding = [r for r in fitting if shapely.contains_xy(made.polygon(r.number), *(pick.at * made.scale))]
        if not pick.sides and not holding:
            raise GeometryError("The place that names what is kept lies off the face, or on a cut: pick another place.")
        if not fitting:
            raise GeometryError("No region lies on the picked side of every cutter any more: pick what to keep again.")
        named = holding or fitting
        if not holding and len({r.group for r in fitting}) > 1:
            named = [min(fitting, key=lambda r: float(norm(((r.at - pick.at) * made.scale)[None])[0]))]
        keep |= {r.number for r in found if r.group in {n.group for n in named}}
    return sorted(keep)


@dataclass(frozen=True)
class Complaint:
    """What is wrong with a cutter. short: how far in mm it ends before what it should reach, if that is the fault."""

    cutter: str
    words: str
    short: float | None = None


def complaints(made: Arrangement, surface: Surface, missed: Sequence[tuple[str, str]] = ()) -> list[Complaint]:
    """Cutters that end inside the face, miss it or do not separate anything. missed: those without a curve, by name."""
    out = [Complaint(c, f"{label} does not touch the face: move it, or pick another cutter.") for c, label in missed]
    degree = np.bincount([n for p in made.pieces for n in (p.a, p.b)], minlength=len(made.nodes))
    for cutter in dict.fromkeys(s.cutter for s in made.sources if s.cuts):
        mine = [p for p in made.pieces if made.sources[p.source].cutter == cutter and made.sources[p.source].cuts]
        label = next(s.label for s in made.sources if s.cutter == cutter)
        within = [p for p in mine if max(p.left, p.right) >= 0 and (made.inside[[p.left, p.right]] & _real(p)).any()]
        loose = [p for p in mine if p.left < 0 and p.right < 0 and _in_face(made, p)]
        ends = [(p, n) for p in loose for n in (p.a, p.b) if degree[n] == 1]
        separates = any(p.left != p.right and p.left >= 0 and p.right >= 0 for p in within)
        for piece, node in ends:
            short, name = _shortfall(made, surface, node, piece.source)
            words = f"{label} ends inside the face, {short:.3g} mm short of {edge_words(name)}: extend it."
            out.append(Complaint(cutter, words, short))
        if not separates and not ends:
            words = "only touches the face" if within or loose else "does not touch the face"
            out.append(Complaint(cutter, f"{label} {words}: it separates nothing. Move it, or pick another cutter."))
    return out


def _real(piece: Piece) -> BoolArray:
    return np.array([piece.left >= 0, piece.right >= 0])


def _in_face(made: Arrangement, piece: Piece) -> bool:
    """Whether a piece that bounds nothing lies on the face."""
    middle = piece.points[len(piece.points) // 2]
    return any(shapely.contains_xy(made.polygon(r), *middle) for r in np.flatnonzero(made.inside).tolist())


def _shortfall(made: Arrangement, surface: Surface, node: int, source: int) -> tuple[float, str]:
    """Distance in space from a loose end to the nearest other curve, and that one's name."""
    x = made.nodes[node]
    best, place, name = np.inf, x, ""
    for i, s in enumerate(made.sources):
        if i == source:
            continue
        line = made.chords.points[i]
        a, d = line[:-1], np.diff(line, axis=0)
        w = np.clip(((x - a) * d).sum(axis=1) / np.maximum((d * d).sum(axis=1), 1e-300), 0, 1)
        foot = a + w[:, None] * d
        away = norm(foot - x)
        j = int(away.argmin())
        if away[j] < best:
            best, place, name = float(away[j]), foot[j], s.label or s.name or "a pole"
    uv = np.array([x, place]) / made.scale
    p = surface_points(surface, uv[:, 0], uv[:, 1])
    return float(norm(p[1:] - p[:1])[0]), name
