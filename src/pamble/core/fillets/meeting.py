"""Where three fillets meet: what the corner is made of, and the ball that lies in it where their radii are equal."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm, unit
from pamble.core.curves.shapes import ellipse
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.trim import Cutter, divide
from pamble.core.fillets.ends import end_edges
from pamble.core.fillets.strip import Strip
from pamble.core.planes import Plane
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.revolve import revolve
from pamble.core.tolerances import SEAM_SEARCH

_ONE_BALL = 1e-3
"""How far, mm, the ends of three fillets may lie off one ball if a ball is to lie in their corner."""

_ONE_RADIUS = 1e-9
_CUT = 1e-4
_MARGIN = np.radians(4.0)
"""By which the piece of a ball reaches beyond its corner."""

_SAMPLES = 33


@dataclass(frozen=True)
class Meeting:
    """The corner (3,) in which two creases end, or all those round it. ends: number of each among the strips, and its
    start (0) or end (-1). ball: whether there are three of one radius, so that a ball may lie in it.
    """

    point: Array
    ends: tuple[tuple[int, int], ...]
    ball: bool

    @property
    def mitre(self) -> bool:
        """Whether two fillets meet in it beside an edge that stays sharp."""
        return len(self.ends) == 2


def meetings(strips: Sequence[Strip]) -> list[Meeting]:
    """All corners in which creases meet. Raises `GeometryError` where they are neither two nor all round."""
    ends = [(i, at) for i, s in enumerate(strips) if not s.closed for at in (0, -1)]
    found: list[list[tuple[int, int]]] = []
    for i, at in ends:
        point = strips[i].end(at)[0]
        near = [g for g in found if norm((strips[g[0][0]].end(g[0][1])[0] - point)[None])[0] < SEAM_SEARCH]
        near[0].append((i, at)) if near else found.append([(i, at)])
    out = [Meeting(strips[g[0][0]].end(g[0][1])[0], tuple(g), _even(g, strips)) for g in found if len(g) > 1]
    for corner in out:
        _check(corner, strips)
    return out


def _even(ends: Sequence[tuple[int, int]], strips: Sequence[Strip]) -> bool:
    radii = [r for i, at in ends for r in strips[i].rolls[at].radii]
    return len(ends) == 3 and max(radii) - min(radii) < _ONE_RADIUS * max(radii)


def _check(corner: Meeting, strips: Sequence[Strip]) -> None:
    near = "Near ({:.2f}, {:.2f}, {:.2f}) mm".format(*corner.point)
    sides = [strips[i].end(at)[1] for i, at in corner.ends]
    faces = {n for pair in sides for n in pair}
    if len(sides) == 2 and len(faces) != 3:
        raise GeometryError(f"{near} two creases meet that have no face in common, or two: fillet each on its own.")
    if len(sides) > 2 and len(faces) != len(sides):
        raise GeometryError(
            f"{near} {len(sides)} creases of {len(faces)} faces meet: pick all that come together there, or two beside "
            "one that stays sharp."
        )
    toward: dict[int, set[float]] = {n: set() for n in faces}
    for (i, at), pair in zip(corner.ends, sides, strict=True):
        for n, sign in zip(pair, strips[i].rolls[at].crease.signs, strict=True):
            toward[n].add(sign)
    if any(len(signs) > 1 for signs in toward.values()):
        raise GeometryError(
            f"{near} creases meet that open to different sides. Fillet the one that is unlike the others first, on its "
            "own: they run on over it."
        )


def ball_corner(corner: Meeting, strips: Sequence[Strip], faces: Sequence[Sequence[Face]]) -> Face | None:
    """The piece of a ball between the ends of three fillets; None where they do not lie on one ball.

    faces: those of every strip, ended. Three balls of one radius that touch both faces of their crease at its end are
    one ball, which touches all three faces; their ends are great circles of it.
    """
    arcs = [end_edges(faces[i][at], at)[0].space for i, at in corner.ends]
    points = np.array([curve_points(a, np.linspace(*a.domain, _SAMPLES)) for a in arcs])
    centre, radius, off = _ball_through(points.reshape(-1, 3))
    if off > _ONE_BALL:
        return None
    surface, middle = _sphere(centre, radius, points.reshape(-1, 3))
    planes = [_through(centre, p[0], p[-1]) for p in points]
    divided = divide(Face(surface), [Cutter(f"side{k + 1}", "a fillet's end", p) for k, p in enumerate(planes)], _CUT)
    foot = to_surface(surface, middle[None])
    at = np.array([foot.u[0], foot.v[0]])
    nearest = min(divided.regions, key=lambda r: float(norm((np.asarray(r.at) - at)[None])[0]))
    return divided.holding([nearest.number])[0]


def _ball_through(points: Array) -> tuple[Array, float, float]:
    """Centre, radius, and the largest distance of points from the ball: least squares on |p|^2 = 2 c.p + k."""
    shift = points.mean(axis=0)
    p = points - shift
    rows = np.column_stack([2 * p, np.ones(len(p))])
    found = np.linalg.lstsq(rows, (p * p).sum(axis=1), rcond=None)[0]
    centre, radius = found[:3], float(np.sqrt(max(found[3] + found[:3] @ found[:3], 0.0)))
    return centre + shift, radius, float(np.abs(norm(p - centre) - radius).max())


def _through(centre: Array, a: Array, b: Array) -> Plane:
    """The plane of the great circle through two points of a ball."""
    x, way = unit(np.stack([a, b]) - centre)
    return Plane(centre, x, unit((way - (way @ x) * x)[None])[0])


def _sphere(centre: Array, radius: float, points: Array) -> tuple[Surface, Array]:
    """The piece of a ball round points on it, its poles away from them; and the place (3,) in their middle."""
    middle = unit((points - centre).mean(axis=0)[None])[0]
    y = unit(np.cross(middle, np.eye(3)[np.abs(middle).argmin()])[None])[0]
    z = np.cross(middle, y)
    way = unit(points - centre)
    high, round_it = np.arcsin(way @ z), np.arctan2(way @ y, way @ middle)
    (south, north), (west, east) = ((a.min() - _MARGIN, a.max() + _MARGIN) for a in (high, round_it))
    start = np.cos(south) * middle + np.sin(south) * z
    profile = ellipse(centre, -y, (radius, radius), start, float(np.degrees(north - south)))
    surface = revolve(profile, centre, z, float(np.degrees(west)), float(np.degrees(east)))
    return surface, centre + radius * middle
