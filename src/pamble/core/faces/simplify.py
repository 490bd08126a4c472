"""Edges of a face made of few CVs, one of several where they run on: its surface stays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.few_cvs import closed_fit, closing, open_fit
from pamble.core.curves.measure import curve_length, deviation, length_parameters, samples
from pamble.core.errors import GeometryError
from pamble.core.faces.converted import foot_curve
from pamble.core.faces.edge_chain import edge_chain
from pamble.core.faces.edges import in_order, merged_name, put_together, with_edges
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.fitted import fitted_like, rough_places
from pamble.core.faces.regions.sources import plane_scale
from pamble.core.faces.twins import twin
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import reverse_curve

_EACH = 24
_ROUNDS = 6
_TRIED = 8

_PLACES = 9
_BESIDE = 0.02
"""Distance, mm, within which an edge lies along another, seen at so many places."""

_TRUE = 3.0
"""Times its tolerance by which an edge may lie off its trim curve's image, to be taken."""

_CLOSED = 1e-5
"""Distance, mm, within which an edge ends where it begins."""


@dataclass(frozen=True)
class Simplified:
    """The face with the new edge, called ``name``. deviation: of the new edge from the old ones, mm, at ``place`` (3,).
    before, after: CVs of the old edges in all, and of the new one.
    """

    face: Face
    name: str
    deviation: float
    place: Array
    before: int
    after: int


def simplify_edges(
    face: Face, names: Sequence[str], tolerance: float, spans: int | None = None, exact: float = 1e-4
) -> Simplified:
    """The face with one edge, or several that follow each other without a corner, made one of few CVs.

    tolerance: how far the new edge may lie from them, mm, with the fewest spans; ``spans``: just so many. exact: how
    far its curve in space may lie off its curve on the face, mm. Ends stay where they are; a closed edge stays smooth
    where it closes. Pieces of one edge that follow each other are put together again without a fit. Raises
    `GeometryError`.
    """
    edges = in_order(face, names)
    before = sum(len(e.space.control) for e in edges)
    whole = put_together(edges)
    if whole is not None:
        made = with_edges(face, edges, [whole])
        return Simplified(made, whole.name, 0.0, curve_points(whole.space, whole.domain[:1])[0], before, _cvs(whole))
    if any(e.side is not None for e in edges):
        raise GeometryError(
            "An edge that is a side of the surface itself is exact: rebuild the face to simplify it, or pick trimmed "
            "edges alone."
        )
    old = edge_chain(edges).space
    best: tuple[float, Array, Edge] | None = None
    asked = tolerance
    for _ in range(_ROUNDS):
        new = _fitted(face, edges, asked, spans, exact)
        far = deviation(old, new.space)
        off, place = far.distance, far.point
        if best is None or off < best[0]:
            best = off, place, new
        if off <= tolerance or spans is not None:
            break
        asked *= 0.8 * tolerance / off
    assert best is not None
    off, place, new = best
    if spans is None and off > tolerance:
        x, y, z = place
        raise GeometryError(
            f"No number of spans stays within {tolerance:g} mm: the best is {off:.4f} mm off at "
            f"({x:.2f}, {y:.2f}, {z:.2f}) mm. Allow more, or leave out the piece that turns there."
        )
    if spans is None and _cvs(new) > before:
        raise GeometryError(
            f"It has {before} CVs already, and within {tolerance:g} mm it would take {_cvs(new)}: allow more."
        )
    return Simplified(with_edges(face, edges, [new]), new.name, off, place, before, _cvs(new))


def lay_along(face: Face, names: Sequence[str], curve: Curve, exact: float = 1e-4) -> Simplified:
    """The face with edges that follow each other replaced by one along a curve in space that lies on it nearly.

    So the face beside goes along with a `simplify_edges`. deviation: of its new edge from that curve, mm, at ``place``:
    what the seam opens where both faces do not run on into each other. Raises `GeometryError` for sides of a surface.
    """
    edges = in_order(face, names)
    if any(e.natural for e in edges):
        raise GeometryError("its side there is one of its surface, and exact.")
    if _against(edges, edge_chain(edges).space, curve):
        curve = reverse_curve(curve)
    t = samples(curve, 2 * _EACH)
    feet = to_surface(face.surface, curve_points(curve, t))
    share = (t - t[0]) / (t[-1] - t[0])
    flat = np.column_stack([feet.u, feet.v])
    new = _edge_on(face, edges, flat, share, 0.1 * exact, None, exact)
    far = deviation(curve, new.space)
    return Simplified(
        with_edges(face, edges, [new]), new.name, far.distance, far.point, sum(map(_cvs, edges)), _cvs(new)
    )


def _against(edges: Sequence[Edge], old: Curve, curve: Curve) -> bool:
    """Whether a curve runs against the loop that these edges, taken together as ``old``, are a run of."""
    third = curve_points(old, [old.domain[0] + k * (old.domain[1] - old.domain[0]) for k in (0.4, 0.6)])
    feet = to_curve(curve, third).t
    return bool((feet[1] < feet[0]) == (edges[0].inward > 0))


def edges_along(face: Face, edges: Sequence[Edge]) -> list[str]:
    """Names of the face's edges that lie along others, each on its whole length."""
    rim = edge_chain(edges).space
    found = []
    for e in face.edges:
        points = curve_points(e.space, length_parameters(e.space, np.linspace(0, 1, _PLACES)))
        if to_curve(rim, points).distance.max() < _BESIDE:
            found.append(e.name)
    return found


def _cvs(edge: Edge) -> int:
    return len(edge.space.control)


def _fitted(face: Face, edges: Sequence[Edge], tolerance: float, spans: int | None, exact: float) -> Edge:
    """One edge along several, fitted in the parameter plane drawn to scale."""
    rows, lengths = [], []
    for e in edges:
        t = length_parameters(e.space, np.linspace(0, 1, max(8 * _EACH, 2 * len(e.pcurve.control) + 1)))
        points = curve_points(e.pcurve, t)
        share = np.linspace(0, curve_length(e.space), len(t))
        rows.append(points if e.inward > 0 else points[::-1])
        lengths.append(share)
    flat, at = [rows[0]], [lengths[0]]
    for row, share in zip(rows[1:], lengths[1:], strict=True):
        flat.append(row[1:])
        at.append(at[-1][-1] + share[1:])
    share = np.concatenate(at)
    return _edge_on(face, edges, np.vstack(flat), share / share[-1], tolerance, spans, exact)


def _edge_on(
    face: Face, edges: Sequence[Edge], flat: Array, share: Array, tolerance: float, spans: int | None, exact: float
) -> Edge:  # fmt: skip
    """The edge over points (m, 2) of the parameter plane, at rising shares (m,), within ``tolerance`` mm."""
    closed = norm((flat[-1] - flat[0])[None] * plane_scale(face.surface))[0] < _CLOSED
    rough = rough_places(face.surface, (0.0, 1.0), lambda s: _row_at(flat, share, s))
    if rough and (made := _smooth_in_space(face, edges, flat, share, tolerance, spans, exact, closed)) is not None:
        return made
    scale = plane_scale(face.surface)
    points = np.column_stack([flat * scale, np.zeros(len(flat))])
    best: tuple[Curve, Curve] | None = None
    count = spans
    # Its twin may take more spans than the curve in the plane: a few more there are fewer in all.
    for _ in range(_TRIED):
        fit = closed_fit(points, share, tolerance, count) if closed else open_fit(points, share, tolerance, count)
        if best is None or to_curve(fit, points).distance.max() <= tolerance:
            pcurve = Curve(fit.degree, fit.knots, fit.control[:, :2] / scale)
            space = twin(face.surface, pcurve, exact)
            space = _closed_up(space) if closed else space
            if best is None or len(space.control) < len(best[1].control):
                best = pcurve, space
            if len(space.control) == len(pcurve.control):
                break
        if spans is not None or fit.spans >= best[1].spans:
            break
        count = fit.spans + max(1, fit.spans // 4)
    assert best is not None
    return Edge(face.surface, merged_name(edges), best[0], 1.0, best[1])


def _smooth_in_space(
    face: Face, edges: Sequence[Edge], flat: Array, share: Array, tolerance: float, spans: int | None, exact: float,
    closed: bool,
) -> Edge | None:  # fmt: skip
    """The same over a surface whose parameters are not smooth though it is, as those of a ball: what is smooth is the
    edge in space, and its trim curve has breaks. None where that curve is not true to it.
    """
    surface = face.surface
    points = surface_points(surface, *flat.T)
    fit = closed_fit(points, share, tolerance, spans) if closed else open_fit(points, share, tolerance, spans)

    def guide(s: Array) -> Array:
        return _row_at(flat, share, s)

    space = fitted_like(fit, lambda t: to_surface(surface, curve_points(fit, t), tuple(guide(t).T)).point, exact)
    space = _closed_up(space) if closed else space
    pcurve = foot_curve(surface, space, guide, 0.1 * exact)
    t = np.linspace(0, 1, _EACH * len(space.control))
    off = norm(surface_points(surface, *curve_points(pcurve, t).T) - curve_points(space, t)).max()
    return Edge(surface, merged_name(edges), pcurve, 1.0, space) if off < _TRUE * exact else None


def _row_at(flat: Array, share: Array, s: Array) -> Array:
    """Points (k, 2) between those of a row at its shares (m,)."""
    return np.column_stack([np.interp(s, share, column) for column in flat.T])


def _closed_up(space: Curve) -> Curve:
    return Curve(space.degree, space.knots, closing(space.knots, space.degree, space.control))
