"""A surface over other degrees and spans moves by what is told, and by nothing where the new space holds the old."""

import numpy as np
import pytest

from pamble.core.errors import GeometryError
from pamble.core.patches.rebuild import rebuild_surface
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_grid
from pamble.core.surfaces.revolve import revolve
from tests.core.patches.grounds import ground
from tests.shapes import cylinder


def apart(a, b) -> float:
    """How far points all over one surface lie from the other."""
    u, v = (np.linspace(*d, 331) for d in a.domain)
    return float(to_surface(b, surface_grid(a, u, v)[0, 0].reshape(-1, 3)).distance.max())


def test_a_raised_degree_moves_nothing_and_a_rational_surface_stays_one():
    old = ground(2, 40)
    made = rebuild_surface(old, (old.degree_u + 2, None))
    assert made.exact
    assert made.surface.degree_u == old.degree_u + 2
    assert np.diff(made.surface.knots_u).astype(bool).sum() == np.diff(old.knots_u).astype(bool).sum()
    assert apart(old, made.surface) < 1e-9
    arc = rebuild_surface(cylinder(30, 50), (4, 3))
    assert arc.surface.weights is not None
    assert apart(cylinder(30, 50), arc.surface) < 1e-9


def test_the_fewest_spans_within_the_tolerance_and_given_ones_with_their_deviation():
    old = cylinder(30, 50)
    calm = rebuild_surface(old, (5, 5), (1, 1))
    assert calm.surface.control.shape[:2] == (6, 6)
    assert calm.surface.weights is None
    # The true extreme, between any samples: a grid as fine as this one comes as near, and never farther.
    assert calm.deviation * (1 - 1e-3) < apart(old, calm.surface) <= calm.deviation * (1 + 1e-9)
    wild = ground(5, 60)
    wild = wild.with_control(wild.control + np.random.default_rng(1).normal(0, 2.0, wild.control.shape))
    found = rebuild_surface(wild, (wild.degree_u - 1, None), tolerance=0.05)
    assert not found.exact
    assert apart(wild, found.surface) < 0.055
    fewer = rebuild_surface(wild, (wild.degree_u - 1, None), (found.surface.spans[0] - 1, None))
    assert fewer.deviation > 0.05
    assert np.linalg.norm(fewer.place - surface_grid(wild, *foot_of(wild, fewer.place))[0, 0, 0, 0]) < 1e-9
    with pytest.raises(GeometryError, match="allow more, or raise the degree"):
        rebuild_surface(wild, (1, 1), tolerance=1e-5)


@pytest.mark.parametrize("spans", [(4, 2), (8, 2)])
def test_what_closes_smoothly_stays_smooth_and_a_circle_is_met_at_an_even_pace(spans):
    vase = revolve(Curve.bezier([[20, 0, 0], [34, 0, 15], [12, 0, 35], [26, 0, 60]]), [0, 0, 0], [0, 0, 1], 0, 360)
    own = rebuild_surface(vase, (5, 5), spans)
    even = rebuild_surface(vase, (5, 5), spans, kept_pace=False)
    for made in (own, even):
        assert made.deviation == pytest.approx(apart(vase, made.surface), rel=5e-3)
        d = surface_grid(made.surface, [0, 1], np.linspace(0, 1, 9), 2)
        assert d[0, 0][0] == pytest.approx(d[0, 0][1], abs=1e-9)
        assert d[1, 0][0] == pytest.approx(d[1, 0][1], abs=1e-6)
    assert d[2, 0][0] == pytest.approx(d[2, 0][1], abs=1e-5)
    assert even.deviation < 0.3 * own.deviation
    if spans[0] == 8:
        assert even.deviation < 0.001


def foot_of(surface, place):
    foot = to_surface(surface, place[None])
    return foot.u, foot.v
