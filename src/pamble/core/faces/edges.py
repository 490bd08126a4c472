"""Edges of a face split and put together again: its surface stays, its border is parted otherwise."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from pamble.core.arrays import norm
from pamble.core.curves.measure import length_parameters, samples
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.kinks import chain
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import EDGES


def split_edge(face: Face, name: str, at: Sequence[float]) -> Face:
    """The face with an edge split at shares of its length; pieces are called ``name``.1of2 and so on, as the edge runs.

    Raises `GeometryError` for a place that is not between the ends, and `ReferenceLost` for an unknown edge.

    >>> from pamble.core.spline.surface import Surface
    >>> deck = Face(Surface.bezier([[[0, 0, 0], [0, 40, 0]], [[60, 0, 0], [60, 40, 0]]]))
    >>> [(e.name, e.domain) for e in split_edge(deck, "v0", [0.25]).edges[:2]]
    [('v0.1of2', (0.0, 0.25)), ('v0.2of2', (0.25, 1.0))]
    """
    edge = face.edge(name)
    places = sorted(set(at))
    if not places or places[0] <= 0 or places[-1] >= 1:
        raise GeometryError("An edge is split between its ends: at shares of its length between 0 and 1.")
    start, end = edge.domain
    cuts = [start, *length_parameters(edge.space, np.array(places)).tolist(), end]
    pieces = [
        replace(
            edge, name=f"{name}.{k}of{len(cuts) - 1}", pcurve=curve_part(edge.pcurve, a, b), curve=None, at=edge.side,
            whole=edge.twin,
        )
        for k, (a, b) in enumerate(itertools.pairwise(cuts), start=1)
    ]  # fmt: skip
    return with_edges(face, [edge], pieces if edge.inward > 0 else pieces[::-1])


def in_order(face: Face, names: Sequence[str]) -> list[Edge]:
    """The edges in the order of their loop, the first being the one before which another follows."""
    if len(set(names)) < len(names):
        raise GeometryError("The same edge is picked twice.")
    for name in names:
        face.edge(name)
    loops = _loops(face)
    loop = next(l for l in loops if any(e.name == names[0] for e in l))
    mine = [e.name in names for e in loop]
    if sum(mine) < len(names):
        raise GeometryError("The edges lie on different borders of the face: one edge runs along one of them.")
    if all(mine):
        first = next(i for i, e in enumerate(loop) if e.name == names[0])
        return [*loop[first:], *loop[:first]]
    starts = [i for i, m in enumerate(mine) if m and not mine[i - 1]]
    if len(starts) > 1:
        raise GeometryError("The edges do not follow each other: pick those between them as well.")
    return [loop[(starts[0] + k) % len(loop)] for k in range(len(names))]


def _loops(face: Face) -> tuple[tuple[Edge, ...], ...]:
    if not face.natural:
        return face.loops
    own = dict(zip(EDGES, face.edges, strict=True))
    return (tuple(own[side] for side in ("v0", "u1", "v1", "u0")),)


def with_edges(face: Face, old: Sequence[Edge], new: Sequence[Edge]) -> Face:
    """The face with a run of edges of a loop replaced, both in the order of the loop."""
    gone = {e.name for e in old}
    loops = []
    for loop in _loops(face):
        if not any(e.name in gone for e in loop):
            loops.append(loop)
            continue
        at = next(i for i, e in enumerate(loop) if e.name == old[0].name)
        turned = [*loop[at:], *loop[:at]]
        loops.append((*new, *turned[len(old) :]))
    return Face(face.surface, tuple(loops), face.names)


def put_together(edges: Sequence[Edge]) -> Edge | None:
    """The one edge of which these are stretches that follow each other, in loop order; None if there is none."""
    first, *others = edges
    if not others or not all(
        (e.side, e.inward) == (first.side, first.inward) and _same(e.twin, first.twin) for e in others
    ):
        return None
    along = sorted(edges, key=lambda e: e.domain[0])
    if any(a.domain[1] != b.domain[0] for a, b in itertools.pairwise(along)):
        return None
    whole = edges[0].twin
    a, b = along[0].domain[0], along[-1].domain[1]
    begin, finish = along[0].pcurve, along[-1].pcurve
    if begin.degree == 1 and len(begin.control) == 2:
        pcurve = Curve.line(begin.control[0], finish.control[-1], (a, b))
    else:
        pcurve = _rejoined([e.pcurve for e in along])
    return replace(edges[0], name=merged_name(edges), pcurve=pcurve, curve=None, whole=whole)


def _same(a: Curve, b: Curve) -> bool:
    return a is b or (
        len(a.control) == len(b.control)
        and bool(np.array_equal(a.knots, b.knots) and np.array_equal(a.control, b.control))
    )


def _rejoined(pieces: Sequence[Curve]) -> Curve:
    """Stretches of one spline put together again; the knots at the cuts go where nothing marks them."""
    p = pieces[0].degree
    knots = np.concatenate(
        [pieces[0].knots[: p + 1], *[c.knots[p + 1 : -p - 1] for c in pieces], pieces[-1].knots[-p - 1 :]]
    )
    t = np.concatenate([samples(c, 4 * (p + 1)) for c in pieces])
    points = np.vstack([curve_points(c, samples(c, 4 * (p + 1))) for c in pieces])
    rows = basis.matrix(knots, p, t)[0]
    control = np.linalg.lstsq(rows, points, rcond=None)[0]
    if norm(rows @ control - points).max() < 1e-12 * float(np.abs(points).max()):
        return Curve(p, knots, control)
    return chain(pieces, [pieces[0].domain[0], *(c.domain[1] for c in pieces)])


def merged_name(edges: Sequence[Edge]) -> str:
    """The source's name where all of its pieces are there; else the first one's."""
    stems = {e.name.rsplit(".", 1)[0] for e in edges}
    counts = {e.name.rsplit(".", 1)[-1].rsplit("of", 1)[-1] for e in edges}
    if len(stems) == 1 and counts == {str(len(edges))}:
        return stems.pop()
    return edges[0].name
