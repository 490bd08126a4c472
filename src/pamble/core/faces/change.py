"""Changes of a whole face: untrimmed, extended at a side, split at iso-curves, shrunk to its trim."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.edit import join
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.on_sides import side_of
from pamble.core.faces.regions.arrange import Arrangement, arrange
from pamble.core.faces.regions.choose import Pick, chosen, regions
from pamble.core.faces.regions.cut import faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.faces.twins import on_surface, twin
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.knots import surface_part
from pamble.core.spline.surface import EDGES, Surface
from pamble.core.surfaces.extend import extend_surface

_BEYOND = 4.0
"""How many times the extension a trim edge is carried on straight: more than it can need."""


def untrimmed(face: Face, edges: Collection[str] | None = None) -> Face:
    """The face without the trim edges of these names, all of them when None; its surface stays as it is.

    A hole goes with any of its edges. Where an edge of the outer border goes, the face reaches to what bounds it next:
    another trim edge or a side of its surface. Raises `GeometryError` for a name that the face has not, or a side.
    """
    if edges is None or face.natural:
        return Face(face.surface, (), _sides(face))
    for name in edges:
        if side_of(face.edge(name)) is not None:
            raise GeometryError(f"{name} is a side of the surface itself: extend the face there instead.")
    holes = [loop for loop in face.loops[1:] if not any(e.name in edges for e in loop)]
    outer = [e for e in face.loops[0] if e.name not in edges]
    if len(outer) == len(face.loops[0]):
        return Face(face.surface, (face.loops[0], *holes))
    kept = [e for loop in (outer, *holes) for e in loop if side_of(e) is None]
    return _bounded_by(face, face.surface, [(e.name, e.pcurve, e.space) for e in kept])


def _sides(face: Face) -> tuple[str, str, str, str]:
    """Names of the four sides: those of edges that lie on them, where there are any."""
    own = {side: e.name.split(".")[0] for e in face.edges if (side := side_of(e)) is not None}
    u0, u1, v0, v1 = (own.get(side, name) for side, name in zip(EDGES, face.names, strict=True))
    return u0, u1, v0, v1


def _bounded_by(face: Face, surface: Surface, curves: Sequence[tuple[str, Curve, Curve]]) -> Face:
    """The region of a whole surface, cut by curves, that holds what the face held."""
    whole = Face(surface, (), _sides(face))
    sources = [Source(name, p, s, cutter=name, label=name) for name, p, s in curves]
    made = arrange([*border_sources(whole), *sources], plane_scale(surface))
    inside = _inner_point(face)
    keep = chosen(made, regions(made, surface), [Pick(inside, {})])
    return faces_of(surface, made, keep)[0]


def _inner_point(face: Face) -> Array:
    """Parameters of a point well inside a face."""
    return regions(_own(face), face.surface)[0].at


def _own(face: Face) -> Arrangement:
    return arrange(border_sources(face), plane_scale(face.surface))


def extended(face: Face, name: str, length: float, shape: str, tolerance: float) -> Face:
    """The face longer by ``length`` mm at an edge that lies on a side of its surface; see `extend_surface`.

    Trim edges that ended on that side are carried on straight in the parameters. Raises `GeometryError`.
    """
    side = side_of(face.edge(name))
    if side is None:
        raise GeometryError("This edge was cut: untrim it, or extend the face at a side of its surface.")
    longer = extend_surface(face.surface, side, length, shape)
    if face.natural:
        return Face(longer, (), face.names)
    along, end = "uv".index(side[0]), int(side[1])
    border = face.surface.domain[along]
    at = border[end]
    reach = abs(longer.domain[along][end] - at)
    cuts = []
    for e in face.edges:
        if side_of(e) is None:
            p = _carried_on(e, along, at, _BEYOND * reach, border[1] - border[0])
            cuts.append((e.name, p, twin(longer, p, tolerance)))
    return _bounded_by(face, longer, cuts)


def _carried_on(edge: Edge, along: int, at: float, reach: float, size: float) -> Curve:
    """A trim edge in the parameters, with a straight piece where it ends on the old border."""
    p = edge.pcurve
    for end, t in enumerate(edge.domain):
        d = curve_derivatives(edge.pcurve, [t], 1)[:, 0]
        if abs(d[0, along] - at) > 1e-9 * size or abs(d[1, along]) < 1e-12:
            continue
        way = d[1] if end else -d[1]
        piece = Curve.line(d[0], d[0] + way * (reach / abs(way[along])))
        p = join(p, piece) if end else join(Curve.line(piece.control[1], piece.control[0]), p)
    return p


def split(face: Face, held: str, at: Sequence[float], name: str) -> list[Face]:
    """Pieces of a face cut along iso-curves: "u" or "v" held at fractions of the domain, pieces in rising order.

    A four-sided face gives four-sided surfaces. The new edges are called ``name``:1 and so on. Raises `GeometryError`
    where a cut misses the face.
    """
    along = 0 if held == "u" else 1
    low, high = face.surface.domain[along]
    places = sorted({low + f * (high - low) for f in at if 0 < f < 1})
    if not places:
        raise GeometryError("A cut lies between 0 and 1, the two sides of the surface.")
    if face.natural:
        return _split_surface(face, along, places, name)
    sources = []
    for k, value in enumerate(places, start=1):
        start, end = face.surface.domain[1 - along]
        ends = [(value, start), (value, end)] if along == 0 else [(start, value), (end, value)]
        line = Curve.line(ends[0], ends[1], (start, end))
        label = f"The cut at {held} = {(value - low) / (high - low):.3g}"
        sources.append(Source(f"{name}:{k}", line, _iso(face.surface, held, value), cutter=f"{name}:{k}", label=label))
    made = arrange([*border_sources(face), *sources], plane_scale(face.surface))
    found = regions(made, face.surface)
    if len(found) < 2:
        raise GeometryError("No cut crosses the face: its trim leaves nothing there.")
    found.sort(key=lambda r: (float(r.at[along]), float(r.at[1 - along])))
    return [faces_of(face.surface, made, [r.number])[0] for r in found]


def _iso(surface: Surface, held: str, value: float) -> Curve:
    from pamble.core.spline.knots import iso_curve

    return iso_curve(surface, held, value)


def _split_surface(face: Face, along: int, places: Sequence[float], name: str) -> list[Face]:
    low, high = face.surface.domain[along]
    borders = [low, *places, high]
    out = []
    for k in range(len(borders) - 1):
        reach = (borders[k], borders[k + 1])
        names = list(face.names)
        if k > 0:
            names[2 * along] = f"{name}:{k}"
        if k + 2 < len(borders):
            names[2 * along + 1] = f"{name}:{k + 1}"
        part = surface_part(face.surface, u=reach) if along == 0 else surface_part(face.surface, v=reach)
        out.append(Face(part, (), (names[0], names[1], names[2], names[3])))
    return out


def shrunk(face: Face, tolerance: float) -> Face:
    """The face on the least part of its surface between iso-curves that holds its trim. Nothing of the face moves.

    Raises `GeometryError` if the surface is as small as it can be.
    """
    if face.natural:
        raise GeometryError("The face is not trimmed: its surface reaches no farther than it does.")
    low, high = np.array(face.surface.domain).T
    reach = np.array([_extent(e) for e in face.edges])
    least, most = np.maximum(reach[:, 0].min(axis=0), low), np.minimum(reach[:, 1].max(axis=0), high)
    snap = 1e-6 * (high - low)
    least, most = np.where(least - low < snap, low, least), np.where(high - most < snap, high, most)
    if np.array_equal(least, low) and np.array_equal(most, high):
        raise GeometryError("The surface is as small as it can be: the face reaches all its sides.")
    part = surface_part(face.surface, (least[0], most[0]), (least[1], most[1]))
    made = on_surface(face, part, tolerance)
    loops = tuple(tuple(_off_side(e, new, part) for e, new in zip(a, b, strict=True)) for a, b in
                  zip(face.loops, made.loops, strict=True))  # fmt: skip
    return Face(part, loops, face.names)


def _extent(edge: Edge) -> Array:
    """Least and greatest parameters of an edge, (2, 2); between samples it may bulge by a second difference."""
    points = curve_points(edge.pcurve, np.linspace(*edge.domain, 257))
    bulge = np.abs(np.diff(points, 2, axis=0)).max(axis=0)
    return np.array([points.min(axis=0) - bulge, points.max(axis=0) + bulge])


def _off_side(old: Edge, new: Edge, part: Surface) -> Edge:
    """An edge of the shrunk face: its curve as it was; on a side only where the side is the old one."""
    side = old.side
    if side is not None:
        axis, end = (0 if side[0] == "u" else 1), int(side[1])
        if part.domain[axis][end] != old.surface.domain[axis][end]:
            side = None
    return Edge(part, old.name, old.pcurve, old.inward, old.space, side)
