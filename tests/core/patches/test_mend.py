"""Corners at which a hole's neighbours contradict each other, mended by the rows of one of them."""

import numpy as np
import pytest

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.patches.between import patch_between
from pamble.core.patches.loop import Asked, chain, corners
from pamble.core.patches.mend import mend_corner
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import reverse_surface, swap_directions
from tests.core.patches.grounds import ground, twisted, window
from tests.shapes import plane

SIZE = 500.0


def named(edges):
    """Corners at which something disagrees: the sides, and by how many per cent."""
    found = corners(chain([Asked(e, 2) for e in edges]), SIZE)
    return {frozenset(c.sides): max(c.bends, c.twist) for c in found if max(c.bends, c.twist) > 2}


@pytest.mark.parametrize("seed", [1, 2])
def test_the_planted_corner_is_named_mended_and_the_patch_holds(seed):
    edges = window(ground(seed, 40))
    bad = twisted(edges, 1, 0.7)
    spoiled = [edges[0], bad.edge("u0"), *edges[2:]]
    assert max(named(spoiled), key=named(spoiled).get) == {1, 2}
    before = patch_between([Asked(e, 2) for e in spoiled], SIZE)
    assert before.warnings
    assert max(s.curvature for s in before.sides) > 10
    made = mend_corner(bad, "u0", edges[2], SIZE)
    assert made.before[2] > 10
    assert max(made.after) < 1e-9
    assert made.moved < 0.4
    # The edge, the far side and its slopes stay; so does the other corner.
    u, v = np.linspace(*bad.surface.domain[0], 5), np.linspace(*bad.surface.domain[1], 9)
    old, new = (surface_grid(f.surface, u, v, 1) for f in (bad, made.face))
    assert np.abs(new[0, 0][0] - old[0, 0][0]).max() < 1e-12
    assert np.abs(new[:2, :2][:, :, -1] - old[:2, :2][:, :, -1]).max() < 1e-9
    both = mend_corner(made.face, "u0", edges[0], SIZE)
    healed = [edges[0], both.face.edge("u0"), *edges[2:]]
    assert named(healed) == {}
    after = patch_between([Asked(e, 2) for e in healed], SIZE)
    assert after.warnings == ()
    assert max(s.angle for s in after.sides) < 0.01
    assert max(s.curvature for s in after.sides) < 1


@pytest.mark.parametrize(
    "turn", [swap_directions, lambda s: reverse_surface(s, "u"), lambda s: reverse_surface(s, "v")]
)
def test_however_the_face_runs(turn):
    edges = window(ground(1, 40))
    bad = twisted(edges, 1, 0.7)
    turned = Face(turn(bad.surface))
    sides = {n: np.linalg.norm(surface_ends(turned.edge(n)) - surface_ends(bad.edge("u0"))) for n in ("u0", "u1", "v0")}
    name = min(sides, key=sides.get)
    straight, made = mend_corner(bad, "u0", edges[2], SIZE), mend_corner(turned, name, edges[2], SIZE)
    assert made.moved == pytest.approx(straight.moved, rel=1e-9)
    assert max(made.after) < 1e-8


def surface_ends(edge):
    """Both ends of an edge, in the order of their x."""
    ends = edge.space.control[[0, -1]]
    return ends[np.lexsort(ends.T)]


def test_what_cannot_be_mended_says_why():
    edges = window(ground(1, 40))
    face = Face(edges[1].surface)
    with pytest.raises(GeometryError, match=r"no corner in common: they are .* mm apart"):
        mend_corner(face, "u0", edges[3], SIZE)
    with pytest.raises(GeometryError, match=r"meet at 90.00° there: match one to the other"):
        mend_corner(
            Face(plane((0, 0, 0), (50, 0, 0), (0, 50, 0))), "u0",
            Face(plane((0, 0, 0), (50, 0, 0), (0, 0, 50))).edge("v0"), SIZE,
        )  # fmt: skip
    with pytest.raises(GeometryError, match="run on into each other"):
        mend_corner(
            Face(plane((0, 0, 0), (50, 0, 0), (0, 50, 0))), "v0",
            Face(plane((50, 0, 0), (50, 0, 0), (0, 50, 0))).edge("v0"), SIZE,
        )  # fmt: skip
