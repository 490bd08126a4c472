"""A long piece of a round edge taken out and filled: the faces beside it are flat, those at its ends run on round."""

import numpy as np
import pytest

from pamble.core.corners.corner import lay_out
from pamble.core.corners.layouts import of_kind
from pamble.core.faces.face import Face
from pamble.core.patches.between import one_patch
from pamble.core.patches.boundary import boundary_patch
from pamble.core.patches.loop import Asked
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.surface import Surface

RADIUS = 2.0


def round_edge(start: float, end: float) -> Surface:
    """A quarter of a cylinder about the line y = z = 0."""
    arc = RADIUS * np.array([[0.0, 1, 0], [0, 1, 1], [0, 0, 1]])
    weights = np.tile([1.0, np.sqrt(0.5), 1.0], (2, 1))
    rows = [arc + np.array([x, 0.0, 0.0]) for x in (start, end)]
    return Surface(1, 2, np.repeat([start, end], 2), np.repeat([0.0, 1.0], 3), np.stack(rows), weights)


def sides(length: float) -> list[Asked]:
    flat = [
        Surface.bezier(
            [[[x, *(RADIUS * np.array(at) + far * np.array(way))] for far in (0.0, 30.0)] for x in (0, length)]
        )
        for at, way in (((1, 0), (0, -1)), ((0, 1), (-1, 0)))
    ]
    ends = round_edge(-10.0, 0.0), round_edge(length, length + 10.0)
    named = [(flat[0], "v0"), (ends[0], "u1"), (flat[1], "v0"), (ends[1], "u0")]
    return [Asked(Face(surface).edge(name), 1) for surface, name in named]


@pytest.mark.parametrize("length", [4.0, 20.0, 96.0, 300.0])
@pytest.mark.parametrize("make", [boundary_patch, one_patch, "four"])
def test_a_long_piece_of_a_round_edge_is_given_back(make, length):
    asked = sides(length)
    if make == "four":
        made = lay_out(asked, 300.0, of_kind(4, "four"))
        surface = made.faces[0].surface
    else:
        made = make(asked, 300.0)
        surface = made.face.surface
    assert max(s.gap for s in made.sides) < 0.002
    assert max(s.angle for s in made.sides) < 0.005
    t = [np.linspace(*d, 25) for d in surface.domain]
    points = surface_grid(surface, *t)[0, 0]
    assert np.abs(np.linalg.norm(points[..., 1:], axis=-1) - RADIUS).max() < 0.01 * RADIUS
