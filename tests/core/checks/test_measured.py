"""The worst of a seam lies between the samples: against a dense evaluation by scipy."""

import numpy as np
import pytest
from scipy.interpolate import BSpline, NdBSpline

from pamble.core.checks.measured import measure_seam
from pamble.core.checks.seams import Seam
from pamble.core.faces.face import natural_edge
from pamble.core.spline import Surface, basis
from pamble.core.spline.extremes import both_sides, largest

KNOTS = {"smooth": np.r_[[0.0] * 6, 0.31, 0.62, [1.0] * 6], "C1": np.r_[[0.0] * 4, 0.4, 0.4, 0.77, 0.77, [1.0] * 4]}
ACROSS = basis.uniform_knots(3, 1)


def pair(seed: int, knots: np.ndarray) -> tuple[Surface, Surface]:
    """Two waved surfaces with one edge in common, run at one pace."""
    random = np.random.default_rng(seed)
    degree = int(np.sum(knots == 0)) - 1
    x = np.linspace(0, 100, len(knots) - degree - 1)[:, None]
    y = np.array([[0, 15, 30, 45]])
    net = np.stack(np.broadcast_arrays(x, y, 0 * x * y), axis=2).astype(float)
    a, b = net + random.normal(0, 3, net.shape), net * [1, -1, 1] + random.normal(0, 3, net.shape)
    b[:, 0] = a[:, 0]
    return Surface(degree, 3, knots, ACROSS, a), Surface(degree, 3, knots, ACROSS, b)


def by_scipy(s: Surface, t: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Unit normals along v0, and the normal curvature square to the edge there."""
    f = NdBSpline((s.knots_u, s.knots_v), s.control, (s.degree_u, s.degree_v))
    at = np.column_stack([t, np.zeros_like(t)])
    d = {k: f(at, nu=k) for k in ((1, 0), (0, 1), (2, 0), (1, 1), (0, 2))}
    n = np.cross(d[1, 0], d[0, 1])
    n /= np.linalg.norm(n, axis=1)[:, None]
    # The direction square to the edge, a S_u + b S_v with b = 1.
    a = -np.vecdot(d[1, 0], d[0, 1]) / np.vecdot(d[1, 0], d[1, 0])
    way = a[:, None] * d[1, 0] + d[0, 1]
    second = (a**2)[:, None] * d[2, 0] + 2 * a[:, None] * d[1, 1] + d[0, 2]
    return n, np.vecdot(n, second) / np.vecdot(way, way)


@pytest.mark.parametrize("make", KNOTS)
@pytest.mark.parametrize("seed", range(3))
def test_the_worst_figures_agree_with_a_dense_evaluation(make, seed):
    a, b = pair(seed, KNOTS[make])
    m = measure_seam(Seam((0, 1), natural_edge(a, "v0"), natural_edge(b, "v0"), (0.0, 1.0)), 100.0, samples=60)
    t = np.sort(np.r_[np.linspace(0, 1, 200_001), both_sides(natural_edge(a, "v0").space)])
    (na, ka), (nb, kb) = by_scipy(a, t), by_scipy(b, t)
    angle = 180 - np.degrees(np.arctan2(np.linalg.norm(np.cross(na, nb), axis=1), np.vecdot(na, nb)))
    assert m.worst["angle"].value == pytest.approx(angle.max(), rel=1e-6)
    # The two normals point to different sides of the part.
    assert m.worst["curvature_abs"].value == pytest.approx(np.abs(ka + kb).max(), rel=1e-6)
    i = int(np.argmax(angle))
    assert m.worst["angle"].point == pytest.approx(BSpline(a.knots_u, a.control[:, 0], a.degree_u)(t[i]), abs=0.02)


def test_the_highest_of_crests_that_samples_hardly_tell_apart():
    def two(t):
        return np.stack([np.exp(-(((t - 2.02) / 0.2) ** 2)) + 1.001 * np.exp(-(((t - 5.49) / 0.2) ** 2)), -t])

    t = np.linspace(0, 8, 81)
    at, most = largest(two, t, two(t))
    assert at == pytest.approx([5.49, 0.0], abs=1e-4)
    assert most == pytest.approx([1.001, 0.0], abs=1e-7)
