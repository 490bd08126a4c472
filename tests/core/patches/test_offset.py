"""Offsets of freeform faces: at their distance everywhere, on few CVs."""

import numpy as np
import pytest

from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face
from pamble.core.spline import basis
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.offset import offset_surface
from tests import readback


def stirred(seed: int) -> Surface:
    """A bent panel of any degree and spans, rational now and then."""
    rng = np.random.default_rng(seed)
    degrees = rng.integers(2, 6, 2)
    counts = degrees + 1 + rng.integers(0, 4, 2)
    x, y = np.meshgrid(np.linspace(0, 100, counts[0]), np.linspace(0, 80, counts[1]), indexing="ij")
    z = 10 * np.sin(x / 40 + rng.normal()) + 8 * np.cos(y / 30 + rng.normal())
    net = np.dstack([x, y, z]) + rng.normal(size=(*counts, 3)) * rng.uniform(0, 2)
    knots = (basis.uniform_knots(int(p), int(n - p)) for p, n in zip(degrees, counts, strict=True))
    weights = rng.uniform(0.7, 1.4, counts) if rng.random() < 0.3 else None
    return Surface(int(degrees[0]), int(degrees[1]), *knots, net, weights)


@pytest.mark.parametrize("seed", [1, 9, 20])
def test_an_offset_lies_at_its_distance_and_takes_no_more_cvs_than_its_shape_asks_for(seed, tmp_path):
    surface = stirred(seed)
    made, off = offset_surface(surface, 4.0)
    assert off < 0.001
    assert max(made.control.shape[:2]) <= 40
    write_step([("Offset", Face(made))], tmp_path / "offset.step")
    (face,) = readback.faces(tmp_path / "offset.step")
    d = surface_grid(surface, np.linspace(0, 1, 8), np.linspace(0, 1, 8), 1)
    points = (d[0, 0] + 4.0 * normals(d)).reshape(-1, 3)
    assert max(readback.distance(face, p) for p in points) < 0.001
