"""A bad patch replaced by one from its neighbours' edges: opposite edges blended, the others as guides."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.faces.face import Face
from pamble.core.patches.between import patch_between
from pamble.core.patches.loop import Asked
from pamble.core.patches.rebuild import farthest
from pamble.core.patches.told import PatchMade
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_grid
from pamble.core.spline.knots import reverse_surface, swap_directions
from pamble.core.spline.surface import Surface


@dataclass(frozen=True)
class Replaced:
    """face: the new one, laid out as the old one was. patch: how it meets its sides; edges: of the face, by the names
    that they have there, one for each of these. moved: largest distance from the old surface, mm, at ``place`` (3,) on
    the new one.
    """

    face: Face
    patch: PatchMade
    edges: tuple[str, ...]
    moved: float
    place: Array


def replaced(
    face: Face, asked: Sequence[Asked], diagonal: float, degree: int = 5, spans: tuple[int, int] | None = None,
    before: Face | None = None,
) -> Replaced:  # fmt: skip
    """The patch between its neighbours' edges in place of a face. Raises `GeometryError` as `patch_between` does.

    Where it is four-sided its sides keep their names: u and v run as they did on the old face.
    """
    made = patch_between(asked, diagonal, degree, spans, before=before, layout="four" if face.natural else "auto")
    if made.face.natural:
        new = Face(_laid_like(made.face.surface, face.surface), (), face.names if face.natural else made.face.names)
    else:
        new = made.face
    edges = tuple(_edge_like(new, made.face.edge(s.patch_side).space) for s in made.sides)
    return Replaced(new, made, edges, *farthest(new.surface, face.surface))


def _edge_like(face: Face, line: Curve) -> str:
    """The edge of a face that runs like a line: the ends and middles of both lie nearest."""
    return min(face.edges, key=lambda e: _ends_apart(e.space, line)).name


def _ends_apart(a: Curve, b: Curve) -> float:
    one, two = (curve_points(c, np.linspace(*c.domain, 3)) for c in (a, b))
    return min(float(norm(one - other).sum()) for other in (two, two[::-1]))


def _laid_like(surface: Surface, old: Surface) -> Surface:
    """The surface with its directions turned so that its corners are nearest to those of another."""
    ends = np.array([0.0, 1.0])
    corners = _points(old, ends)
    return min(_layouts(surface), key=lambda s: float(norm(_points(s, ends) - corners).sum()))


def _layouts(surface: Surface) -> Iterator[Surface]:
    for s in (surface, swap_directions(surface)):
        for t in (s, reverse_surface(s, "u")):
            yield t
            yield reverse_surface(t, "v")


def _points(surface: Surface, shares: Array) -> Array:
    """Points (m, 3) on a grid of shares of both domains."""
    (u0, u1), (v0, v1) = surface.domain
    return np.asarray(surface_grid(surface, u0 + shares * (u1 - u0), v0 + shares * (v1 - v0))[0, 0].reshape(-1, 3))
