"""Surfaces through nets of crossing curves."""

import numpy as np
import pytest
from scipy.interpolate import make_lsq_spline

from pamble.core.errors import GeometryError
from pamble.core.patches.net import net_surface
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_points
from pamble.core.spline.knots import reverse_curve
from tests.core.patches.drawn import random_net


def known(u, v):
    """A calm panel, its parameters no multiple of lengths."""
    z = 120 * np.sin(1.5 * u + 0.3) * np.cos(1.2 * v) + 60 * u * v + 30 * np.cos(2 * v + u)
    return np.stack([900 * u + 0 * v, 1200 * v + 40 * np.sin(2 * u), z], axis=-1)


def fitted(law, spans=4) -> Curve:
    t = np.linspace(0, 1, 80)
    knots = basis.uniform_knots(5, spans)
    return Curve(5, knots, make_lsq_spline(t, law(t), knots, 5).c)


def stir(seed, by):
    a = np.random.default_rng(seed).uniform(-1, 1, (3, 3))
    return lambda t: by * np.array([np.sin((k + 1) * 4 * t + k) for k in range(3)]).T @ a / 1.5


def net(by=0.0) -> list[Curve]:
    """Five curves one way and four the other, of which the four are stirred by some mm; shuffled, some turned round."""
    rng = np.random.default_rng(3)
    one = [fitted(lambda t, v=v: known(t, v + 0 * t)) for v in (0, 0.25, 0.55, 0.8, 1.0)]
    two = [fitted(lambda t, u=u, i=i: known(u + 0 * t, t) + stir(i, by)(t)) for i, u in enumerate((0, 0.3, 0.7, 1.0))]
    curves = [reverse_curve(c) if rng.random() < 0.5 else c for c in (*one, *two)]
    return [curves[i] for i in rng.permutation(len(curves))]


def test_a_net_in_any_order_gives_a_surface_of_few_cvs_through_all_of_it():
    curves = net()
    made = net_surface(curves)
    assert sorted(map(len, (made.along, made.across))) == [4, 5]
    assert made.surface.control.shape[:2] == (6, 6)
    assert max(made.off) < 0.002
    u, v = np.meshgrid(np.linspace(0, 1, 15), np.linspace(0, 1, 15))
    between = to_surface(made.surface, known(u.ravel(), v.ravel())).distance
    # Between the curves it is the panel that they came from.
    assert between.max() < 0.15


@pytest.mark.parametrize("seed", [3, 4, 9, 26])
def test_a_net_drawn_on_a_freeform_face_is_held_with_as_many_cvs_as_it_takes(seed):
    curves = random_net(seed)
    made = net_surface(curves)
    points = np.concatenate([curve_points(c, np.linspace(*c.domain, 301)) for c in curves])
    assert to_surface(made.surface, points).distance.max() < 0.003
    assert max(made.surface.control.shape[:2]) <= 24
    assert not made.warnings
    again = net_surface(curves, spans=made.surface.spans)
    assert len(again.tried) == 1
    assert np.abs(again.surface.control - made.surface.control).max() < 1e-9


def test_curves_that_miss_each_other_are_passed_within_their_gap():
    curves = net(0.02)
    made = net_surface(curves)
    assert 0.005 < made.misses < 0.05
    points = [curve_points(c, np.linspace(*c.domain, 200)) for c in curves]
    off = [float(to_surface(made.surface, p).distance.max()) for p in points]
    assert np.allclose(off, made.off, atol=2e-3)
    assert max(off) < 1.2 * made.misses
    assert np.prod(made.surface.control.shape[:2]) < 80
    with pytest.raises(GeometryError, match=r"do not cross|crosses none"):
        net_surface(curves, miss=1e-4)


def test_what_is_no_net_is_told_by_its_curves():
    curves = net()
    kept = net_surface(curves)
    without = [c for i, c in enumerate(curves) if i not in kept.along[1:]]
    with pytest.raises(GeometryError, match="two curves or more"):
        net_surface(without)
    stray = Curve.line([0, 0, 900], [900, 1200, 900])
    with pytest.raises(GeometryError, match="Curve 10 crosses none of the others"):
        net_surface([*curves, stray])
    diagonal = fitted(lambda t: known(t, t))
    with pytest.raises(GeometryError, match="do not fall into two directions"):
        net_surface([*curves, diagonal])
    ring = fitted(lambda t: np.stack([np.cos(2 * np.pi * t), np.sin(2 * np.pi * t), 0 * t], axis=-1))
    with pytest.raises(GeometryError, match=r"Curve 1 closes on itself: .* Loft"):
        net_surface([ring, *curves])


@pytest.mark.parametrize("seed", [0, 2])
def test_curves_that_run_past_the_others_are_held_where_more_cvs_one_way_alone_do_not_serve(seed):
    """More CVs were sought along the curves that missed alone: .05 to .27 mm were left."""
    rng = np.random.default_rng(seed)

    def bowed(t, level):
        return level + 0.03 * np.sin(3 * t + 5 * level)

    levels = [np.linspace(0.1, 0.9, n) + rng.uniform(-0.02, 0.02, n) for n in (5, 3)]
    curves = [fitted(lambda t, a=a: known(bowed(t, a), t), 8) for a in levels[0]]
    curves += [fitted(lambda t, a=a: known(t, bowed(t, a)), 8) for a in levels[1]]
    made = net_surface(curves)
    points = np.concatenate([curve_points(c, np.linspace(*c.domain, 301)) for c in curves])
    assert to_surface(made.surface, points).distance.max() < 0.003
    assert not made.warnings


def test_curves_that_run_together_make_a_pole_and_its_cost_is_told():
    def dome(a, r):
        x, y = r * np.cos(a), r * np.sin(a)
        return np.stack([80 * x, 60 * y, 30 - 30 * x**2 - 15 * y**2], axis=-1)

    spokes = [fitted(lambda t, a=a: dome(a + 0 * t, 1 - t)) for a in np.linspace(0, 1.5, 4)]
    hoops = [fitted(lambda t, r=r: dome(1.5 * t, r + 0 * t)) for r in (1.0, 0.7, 0.4)]
    made = net_surface([*spokes, *hoops])
    assert max(made.off) < 0.02
    words = " ".join(made.warnings)
    assert "run together at (0.00, 0.00, 30.00) mm" in words
    assert "mean curvature lies between" in words


@pytest.mark.parametrize("seed", [0, 2])
def test_a_pole_is_smooth_where_the_curves_leave_it_in_one_plane(seed):
    """It turned over beside the pole."""
    rng = np.random.default_rng(seed)
    size, turn = rng.uniform(60, 200, 3), np.pi * rng.choice([0.5, 1.0])

    def dome(a, b):
        return size * np.stack([np.cos(a) * np.cos(b), np.cos(a) * np.sin(b), np.sin(a + 0 * b)], axis=-1)

    spokes = [fitted(lambda t, b=b: dome(t * np.pi / 2, b), 6) for b in np.linspace(0, turn, 3 + seed)]
    hoops = [fitted(lambda t, a=a: dome(a, turn * t), 6) for a in np.linspace(0, 1.0, 2 + seed)]
    made = net_surface([*spokes, *hoops])
    assert max(made.off) < 0.003
    assert "folds" not in " ".join(made.warnings)
    t = np.linspace(0, 1, 81)[1:-1]
    near = np.full(len(t), 1e-3)
    top = surface_points(made.surface, [0, 0, 1, 1], [0, 1, 0, 1])
    pole = [np.abs(top[[i, j]] - [0, 0, size[2]]).max() < 0.01 for i, j in ((0, 1), (2, 3), (0, 2), (1, 3))].index(True)
    u, v = ((near, t), (1 - near, t), (t, near), (t, 1 - near))[pole]
    leaning = normals(surface_derivatives(made.surface, u, v, 1))
    assert np.degrees(np.arccos(np.abs(leaning[:, 2]).min())) < 1.0
