"""Intersections against OpenCASCADE and closed forms: every branch found, on both surfaces, and followed."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from pamble.core.curves.measure import curve_length
from pamble.core.faces.crossing.branches import find_branches, follow, smooth_runs
from pamble.core.faces.crossing.fit import fit_branch
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.crossing.search import count_chains
from pamble.core.faces.crossing.stations import Lost
from pamble.core.faces.face import Face
from pamble.core.spline import Curve, Surface, basis
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.surfaces.revolve import revolve
from tests.other_library import intersection_length
from tests.shapes import cylinder, panel, plane


def freeform(rng, degrees, spans, size=(300.0, 200.0)):
    knots = [basis.uniform_knots(p, n) for p, n in zip(degrees, spans, strict=True)]
    g = [basis.greville(k, p) * s for k, p, s in zip(knots, degrees, size, strict=True)]
    x, y = np.meshgrid(*g, indexing="ij")
    z = rng.uniform(2, 20) * rng.standard_normal(x.shape)
    return Surface(*degrees, *knots, np.stack([x, y, z], axis=-1))


def turned(rng, surface):
    turn = Rotation.from_rotvec(rng.normal(size=3)).as_matrix()
    middle = surface.control.mean(axis=(0, 1))
    return surface.with_control((surface.control - middle) @ turn.T + [150, 100, 0] + rng.normal(size=3) * 20)


def pair(seed):
    rng = np.random.default_rng(seed)
    a = freeform(rng, rng.integers(2, 6, 2), rng.integers(1, 5, 2))
    return a, turned(rng, freeform(rng, rng.integers(1, 6, 2), rng.integers(1, 5, 2)))


def off_both(a, b, fit):
    t = np.linspace(0, 1, 333)
    space = curve_points(fit.space, t)
    places = (surface_points(s, *curve_points(c, t).T) for s, c in ((a, fit.on_a), (b, fit.on_b)))
    return max(float(np.linalg.norm(p - space, axis=1).max()) for p in places)


@settings(max_examples=15)
@given(st.integers(0, 100_000))
def test_branches_have_the_length_that_opencascade_finds_and_lie_on_both_surfaces(seed):
    a, b = pair(seed)
    branches = find_branches(a, b)
    for branch in branches:
        for run in smooth_runs(branch):
            assert off_both(a, b, fit_branch(a, b, run, 1e-4)) < 5e-4
    try:
        other = intersection_length(Face(a), Face(b))
    except Exception:  # it finds none
        other = 0.0
    # Whatever lies on both surfaces is right: the other library misses a branch now and then.
    assert sum(x.length for x in branches) > 0.999 * other - 0.05


def test_a_cylinder_cut_aslant_is_an_ellipse():
    slope = np.arctan(0.5)
    flat = plane((-50, -50, 25), (100, 0, 50), (0, 100, 0))
    (branch,) = find_branches(cylinder(30, 100, 90), flat)
    fit = fit_branch(cylinder(30, 100, 90), flat, branch, 1e-5)
    angle = np.linspace(0, np.pi / 2, 200_001)
    ellipse = np.column_stack([30 * np.cos(angle) / np.cos(slope), 30 * np.sin(angle)])
    assert curve_length(fit.space) == pytest.approx(np.linalg.norm(np.diff(ellipse, axis=0), axis=1).sum(), rel=1e-7)


def test_a_paraboloid_cut_square_to_its_axis_is_a_closed_circle():
    x, y = np.meshgrid([0.0, 150, 300], [0.0, 50, 100], indexing="ij")
    # (t - 150)^2 as a quadratic Bezier polynomial on [0, 300] has the coefficients 22500, -22500, 22500.
    heights = 0.004 * np.add.outer([22500.0, -22500, 22500], [2500.0, -2500, 2500])
    bowl = Surface.bezier(np.stack([x, y, heights], axis=-1))
    (branch,) = find_branches(bowl, plane((-50, -50, 5.0), (500, 0, 0), (0, 300, 0)))
    assert branch.loop
    radius = np.linalg.norm(branch.stretches[0].point - [150, 50, 5], axis=1)
    assert radius == pytest.approx(np.sqrt(5 / 0.004), rel=1e-12)


@settings(max_examples=10)
@given(st.integers(0, 1000), st.floats(0.1, 6.0))
def test_followed_branches_are_those_that_a_new_search_finds(seed, step):
    rng = np.random.default_rng(seed)
    a, b = pair(7)
    old = find_branches(a, b)
    control = np.array(a.control)
    i, j = rng.integers(0, control.shape[0]), rng.integers(0, control.shape[1])
    control[i, j, 2] += step
    moved = a.with_control(control)
    try:
        new = follow(moved, b, old)
    except Lost:
        return
    fresh = find_branches(moved, b)
    if len(fresh) == len(new):
        assert sum(x.length for x in new) == pytest.approx(sum(x.length for x in fresh), rel=1e-5)
    assert count_chains(moved, b) == len(fresh)


def test_a_curve_is_brought_onto_a_surface_and_ends_on_its_border():
    s = panel(lambda x, y: (x, y, 0.001 * x * y), (3, 3))
    line = Curve.line([-40.0, 30, 90], [340.0, 70, 90])
    (down,) = curve_onto(s, line, np.array([0.0, 0, 1]), 1e-4)
    ends = curve_points(down.on_a, [0.0, 1.0])
    assert ends[:, 0] == pytest.approx([0, 1], abs=1e-12)
    t = np.linspace(0, 1, 201)
    x, y, z = curve_points(down.space, t).T
    assert np.abs(z - 0.001 * x * y).max() < 1e-4
    assert np.abs(y - (30 + 40 * (x + 40) / 380)).max() < 1e-4


@pytest.mark.parametrize("off", [-0.085, -0.004 * 22 - 0.001, -0.01])
def test_a_curve_whose_curvature_jumps_beside_a_joint_is_parted_at_the_joint(off):
    """The places at which both stretches end on the joint are found from both sides, and may be one number."""
    tube = revolve(Curve.line([20, 0, 0], [20, 0, 40]), np.zeros(3), np.array([0, 0, 1.0]), 0, 360)
    angle = np.radians(np.array([-40, -15, 15, 40]) + off)
    bent = np.column_stack([20 * np.cos(angle), 20 * np.sin(angle), [5, 15, 25, 38]])
    before, after = curve_onto(tube, Curve(2, np.array([0, 0, 0, 0.5, 1, 1, 1]), bent), None, 1e-3)
    assert curve_points(before.on_a, [1.0])[0, 0] == pytest.approx(1, abs=1e-9)
    assert curve_points(after.on_a, [0.0])[0, 0] == pytest.approx(0, abs=1e-9)
