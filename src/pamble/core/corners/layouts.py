"""Layouts of a hole as plain data: vertices, arcs, and four-sided patches between them. A new kind is one function."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import product
from typing import Literal

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError

Anchor = tuple[Literal["corner", "middle"], int]
"""Where a spoke begins: at the corner where a side starts, or in the middle of that side."""


@dataclass(frozen=True)
class Vertex:
    """A corner where ``side`` starts, a foot on it at a share ``t`` of it, or a hub."""

    kind: Literal["corner", "foot", "hub"]
    side: int = -1
    t: float = 0.0


@dataclass(frozen=True)
class Arc:
    """From one vertex to another: the stretch t0 to t1 of a side, or a seam inside, whose side is -1."""

    start: int
    end: int
    side: int = -1
    t0: float = 0.0
    t1: float = 1.0

    @property
    def inner(self) -> bool:
        return self.side < 0


@dataclass(frozen=True)
class Layout:
    """patches: four pairs of an arc and the sense in which it is run through, with the patch on the left: v0, u1, v1,
    u0. anchors: where spokes begin; or where one seam begins and ends, or two.
    """

    name: str
    vertices: tuple[Vertex, ...]
    arcs: tuple[Arc, ...]
    patches: tuple[tuple[tuple[int, int], ...], ...]
    anchors: tuple[Anchor, ...] = ()

    @property
    def hub(self) -> int | None:
        """The number of the hub's vertex."""
        return next((i for i, v in enumerate(self.vertices) if v.kind == "hub"), None)

    @cached_property
    def ladders(self) -> tuple[tuple[int, int], ...]:
        """Of every arc the number of its ladder, and the sense in which it runs along it: arcs that face each other
        across patches carry one row of knots.
        """
        facing: list[list[tuple[int, int]]] = [[] for _ in self.arcs]
        for patch in self.patches:
            for (a, s), (b, t) in ((patch[0], patch[2]), (patch[1], patch[3])):
                facing[a].append((b, -s * t))
                facing[b].append((a, -s * t))
        found: dict[int, tuple[int, int]] = {}
        count = 0
        for k in range(len(self.arcs)):
            if k in found:
                continue
            found[k], to_see, count = (count, 1), [k], count + 1
            while to_see:
                a = to_see.pop()
                for b, turn in facing[a]:
                    if b not in found:
                        found[b] = (found[a][0], found[a][1] * turn)
                        to_see.append(b)
        return tuple(found[k] for k in range(len(self.arcs)))


def one_patch() -> Layout:
    """A hole of four sides as a single patch."""
    vertices, arcs, _ = _rim(4, {})
    return Layout("four", tuple(vertices), tuple(arcs), (tuple((k, 1) for k in range(4)),))


def spokes(count: int, anchors: list[Anchor], feet: dict[int, float] | None = None, name: str = "") -> Layout:
    """Patches round a hub, with a spoke to it from every anchor. feet: where on its side one in a middle begins.

    Raises `GeometryError` where a piece would not have four sides.
    """
    vertices, arcs, where = _rim(count, _cuts(anchors, feet))
    rim = len(vertices)
    vertices.append(Vertex("hub"))
    at = [where[a] for a in anchors]
    first = len(arcs)
    arcs += [Arc(a, rim) for a in at]
    patches = []
    for k, a in enumerate(at):
        after = (k + 1) % len(at)
        outer = _between(a, at[after], rim)
        if len(outer) != 2:
            raise GeometryError(f"The piece after spoke {k + 1} has {len(outer) + 2} sides: it needs four.")
        patches.append(((outer[0], 1), (outer[1], 1), (first + after, 1), (first + k, -1)))
    return Layout(name or f"{len(at)} spokes", tuple(vertices), tuple(arcs), tuple(patches), tuple(anchors))


def halves(count: int, a: Anchor, b: Anchor, feet: dict[int, float] | None = None) -> Layout:
    """Two four-sided patches with one seam between them. Raises `GeometryError` where they would have other sides."""
    vertices, arcs, where = _rim(count, _cuts([a, b], feet))
    rim, i, j, seam = len(vertices), where[a], where[b], len(arcs)
    arcs.append(Arc(i, j))
    one, two = _between(i, j, rim), _between(j, i, rim)
    if len(one) != 3 or len(two) != 3:
        raise GeometryError(f"The two pieces have {len(one) + 1} and {len(two) + 1} sides: each needs four.")
    patches = ((*((k, 1) for k in one), (seam, -1)), (*((k, 1) for k in two), (seam, 1)))
    return Layout(f"two, {_said(a)} to {_said(b)}", tuple(vertices), tuple(arcs), patches, (a, b))


def strip(count: int, anchors: Sequence[Anchor], feet: dict[int, float] | None = None) -> Layout:
    """A four-sided strip across the hole between two seams, and a four-sided patch beside each of them.

    anchors: where both seams begin and end, in their order round the rim. Raises `GeometryError` where a piece would
    not have four sides.
    """
    a, b, c, d = anchors
    vertices, arcs, where = _rim(count, _cuts(list(anchors), feet))
    rim, (i, j, k, l), seam = len(vertices), (where[x] for x in anchors), len(arcs)
    arcs += [Arc(i, j), Arc(k, l)]
    one, two = _between(i, j, rim), _between(k, l, rim)
    across = [*_between(j, k, rim), *_between(l, i, rim)]
    if (len(one), len(two), len(across)) != (3, 3, 2):
        raise GeometryError("The pieces of a strip and what is beside it have four sides each.")
    patches = (
        (*((m, 1) for m in one), (seam, -1)),
        (*((m, 1) for m in two), (seam + 1, -1)),
        ((seam, 1), (across[0], 1), (seam + 1, 1), (across[1], 1)),
    )
    name = f"strip, {_said(a)} to {_said(b)}, {_said(c)} to {_said(d)}"
    return Layout(name, tuple(vertices), tuple(arcs), patches, (a, b, c, d))


def stepped(layout: Layout, count: int, feet: dict[int, float]) -> Layout:
    """The layout with feet in sides moved to shares of them."""
    if not layout.anchors:
        return layout
    if len(layout.patches) == 2:
        return halves(count, layout.anchors[0], layout.anchors[1], feet)
    if layout.hub is None:
        return strip(count, layout.anchors, feet)
    return spokes(count, list(layout.anchors), feet, layout.name)


def regular(count: int) -> Array:
    """Corners (count + 1, 2) of a regular polygon on the circle of radius 1, the first again as the last."""
    angle = np.pi / 2 + 2 * np.pi * np.arange(count + 1) / count
    return np.stack([np.cos(angle), np.sin(angle)], axis=1)


def sketch(layout: Layout, count: int) -> list[tuple[float, float, float, float]]:
    """The seams inside as lines (x, y, x, y) in the regular polygon whose corners lie on the circle of radius 1."""
    corner = regular(count)

    def at(v: Vertex) -> Array:
        if v.kind == "hub":
            return np.zeros(2)
        return np.asarray(corner[v.side] + v.t * (corner[v.side + 1] - corner[v.side]))

    ends = [(at(layout.vertices[a.start]), at(layout.vertices[a.end])) for a in layout.arcs if a.inner]
    return [(*map(float, a), *map(float, b)) for a, b in ends]  # type: ignore[misc]


def proposed(count: int) -> list[Layout]:
    """Every layout with one hub, one seam or a strip between two whose patches all have four sides; spokes from all
    middles first.

    Counted in half sides: a piece at a hub spans 4 between corners, 2 between middles, 3 between one of each; beside a
    single seam 6, 4 and 5; the ends of a strip 2 between corners, 1 between a corner and a middle.
    """
    total = 2 * count
    found = [one_patch()] if count == 4 else []
    keys = sorted(set(_rings(total)), key=lambda k: (any(h % 2 == 0 for h in k), k))
    for key in keys:
        anchors = [_spot(h) for h in key]
        found.append(spokes(count, anchors, name=f"{len(key)} spokes: {', '.join(map(_said, anchors))}"))
    for a in range(total):
        for b in range(a + 1, total):
            reach = _beside(a, b)
            if b - a == reach and total - b + a == reach:
                found.append(halves(count, _spot(a), _spot(b)))
    return found + [strip(count, [_spot(h) for h in key]) for key in _strips(total)]


def suited(ways: Sequence[Layout], angles: Sequence[float]) -> list[Layout]:
    """Those with a spoke from every corner that opens too far for one patch; all where there are none. angles: of the
    hole at its corners, degrees.
    """
    needed = {("corner", k) for k, angle in enumerate(angles) if angle > WIDEST}
    return [w for w in ways if needed <= set(w.anchors)] or list(ways)


WIDEST = 172.0
"""Angle of a corner, degrees, over which no patch meets both its sides."""

SIDED = range(3, 9)
"""Sides of a hole that can be laid out."""

KINDS = ("four", "spokes", "corners", "two", "strip", "all")
"""Words for kinds of layouts."""


def of_kind(count: int, kind: str) -> list[Layout]:
    """Layouts of a hole by a word: one patch for four sides; spokes from all middles; spokes from corners too, as many
    as there can be; two patches; a strip; all; or one by its name. Raises `GeometryError` with those there are.
    """
    if count not in SIDED:
        sides = "one side" if count == 1 else f"{count} sides"
        raise GeometryError(f"A hole of {sides} cannot be laid out: fill it by one trimmed patch.")
    ways = proposed(count)
    found = _of(ways, kind)
    if not found:
        words = [k for k in KINDS if k == "all" or _of(ways, k)]
        known = ", ".join([*words, *(w.name for w in ways)])
        raise GeometryError(f"A hole of {count} sides has no layout {kind!r}: there are {known}.")
    return found


def _of(ways: list[Layout], kind: str) -> list[Layout]:
    """Those of a kind among all layouts of a hole; none where it has none."""
    hubs = [w for w in ways if w.hub is not None]
    most = max((len(w.patches) for w in hubs[1:]), default=0)
    return {
        "spokes": hubs[:1],
        "corners": [w for w in hubs[1:] if len(w.patches) == most],
        "strip": [w for w in ways if w.hub is None and len(w.patches) == 3],
        "two": [w for w in ways if w.hub is None and len(w.patches) == 2],
        "all": ways,
    }.get(kind, [w for w in ways if w.name == kind])


def _rings(total: int) -> Iterator[tuple[int, ...]]:
    """Places of spokes round a hub, in half sides from the first corner, rising."""

    def walk(path: tuple[int, ...], used: int) -> Iterator[tuple[int, ...]]:
        for step in (2, 3, 4):
            here, after = path[-1], path[-1] + step
            if step != {(0, 0): 4, (1, 1): 2}.get((here % 2, after % 2), 3) or used + step > total:
                continue
            if used + step < total:
                yield from walk((*path, after), used + step)
            elif (after - path[0]) % total == 0 and len(path) >= 3:
                yield tuple(sorted(h % total for h in path))

    for start in range(4):
        yield from walk((start,), 0)


def _beside(a: int, b: int) -> int:
    """Half sides from one end of a seam to the other round a piece beside it."""
    return {(0, 0): 6, (1, 1): 4}.get((a % 2, b % 2), 5)


def _strips(total: int) -> list[tuple[int, ...]]:
    """Where the two seams of a strip begin and end, in half sides, each strip once."""
    out: dict[frozenset[int], tuple[int, ...]] = {}
    for a, odd, step, odd_too in product(range(total), (0, 1), (1, 2), (0, 1)):
        b = a + _beside(a, a + odd)
        c = b + step
        d = c + _beside(c, c + odd_too)
        ends = ((b, c), (d, a + total))
        whole = d + 1 <= a + total and all(y - x == (1 if (x + y) % 2 else 2 + x % 2) for x, y in ends)
        if whole and (b - a, d - c) == (_beside(a, b), _beside(c, d)):
            out.setdefault(frozenset(h % total for h in (a, b, c, d)), tuple(h % total for h in (a, b, c, d)))
    return sorted(out.values())


def _spot(half: int) -> Anchor:
    return ("middle" if half % 2 else "corner", half // 2)


def _said(a: Anchor) -> str:
    return f"{a[0]} {a[1] + 1}"


def _cuts(anchors: list[Anchor], feet: dict[int, float] | None) -> dict[int, float]:
    return {i: (feet or {}).get(i, 0.5) for kind, i in anchors if kind == "middle"}


def _rim(count: int, feet: dict[int, float]) -> tuple[list[Vertex], list[Arc], dict[Anchor, int]]:
    """Outer vertices and arcs of so many sides, cut at feet; which vertex an anchor is."""
    vertices: list[Vertex] = []
    where: dict[Anchor, int] = {}
    for i in range(count):
        where["corner", i] = len(vertices)
        vertices.append(Vertex("corner", i, 0.0))
        if i in feet:
            where["middle", i] = len(vertices)
            vertices.append(Vertex("foot", i, feet[i]))
    arcs = []
    for k, v in enumerate(vertices):
        after = vertices[(k + 1) % len(vertices)]
        arcs.append(
            Arc(k, (k + 1) % len(vertices), v.side, v.t, after.t if after.side == v.side and after.t > v.t else 1.0)
        )
    return vertices, arcs, where


def _between(a: int, b: int, count: int) -> list[int]:
    return [(a + k) % count for k in range((b - a) % count)]
