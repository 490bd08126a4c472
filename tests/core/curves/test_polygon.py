"""The control polygon as a whole: parallel legs, even progress."""

import numpy as np
import pytest

from pamble.core.curves.polygon import even_out, evened, offset_polygon
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.knots import raise_degree

OPEN = np.array([[0.0, 0, 0], [30, 20, 0], [70, 25, 0], [100, 0, 0], [110, -40, 0]])


def sides(p):
    return np.roll(p, -1, axis=0) - p


@pytest.mark.parametrize("count", [3, 4, 6, 11])
def test_a_regular_polygon_stays_one_and_its_apothem_grows_by_the_distance(count):
    angle = 2 * np.pi * np.append(np.arange(count), 0) / count
    ring = np.column_stack([50 * np.cos(angle), np.zeros(count + 1), 50 * np.sin(angle)])
    for distance in (-7.0, 4.0):
        made = offset_polygon(ring, distance)
        assert np.allclose(made[0], made[-1])
        apothem = np.linalg.norm(0.5 * (made[1:] + made[:-1]), axis=1)
        assert np.allclose(np.abs(apothem - 50 * np.cos(np.pi / count)), abs(distance))


def test_legs_run_parallel_at_the_distance_and_coincident_cvs_stay_together():
    made = offset_polygon(np.insert(OPEN, 2, OPEN[2], axis=0), 6.0, np.array([0, 0, 2.0]))
    assert np.allclose(made[2], made[3])
    for old, new in zip(sides(OPEN)[:-1], sides(np.delete(made, 3, axis=0))[:-1], strict=True):
        assert np.linalg.norm(np.cross(old, new)) < 1e-9 * np.linalg.norm(old) * np.linalg.norm(new)
    left = np.cross([0, 0, 1], sides(OPEN)[0] / np.linalg.norm(sides(OPEN)[0]))
    assert (made[0] - OPEN[0]) @ left == pytest.approx(6)


def test_what_cannot_be_offset_says_why():
    with pytest.raises(GeometryError, match="straight"):
        offset_polygon(np.array([[0.0, 0, 0], [1, 1, 0], [2, 2, 0]]), 1.0)
    with pytest.raises(GeometryError, match="CV 2 the polygon turns back"):
        offset_polygon(np.array([[0.0, 0, 0], [10, 0, 0], [1, 0.1, 0]]), 1.0)


def test_one_cv_off_a_parabola_goes_back_to_it_and_no_other_moves():
    """Over its Greville points a parabola's polygon is quadratic: third divided differences vanish."""
    curve = Curve(2, basis.uniform_knots(2, 1), [[0.0, 0, 0], [40, 30, 5], [90, 0, 10]])
    exact = raise_degree(curve, 4)
    control = exact.control.copy()
    control[3] += [3, -6, 2]
    bumped = Curve(exact.degree, exact.knots, control)
    assert np.allclose(even_out(bumped, np.array([3])), exact.control, atol=1e-9)
    made = even_out(bumped)
    assert np.allclose(made[[0, 1, -2, -1]], exact.control[[0, 1, -2, -1]])
    assert np.allclose(made, exact.control, atol=1e-9)
    with pytest.raises(GeometryError, match="ends stay"):
        evened(control, np.linspace(0, 1, 7), np.array([0, 6]))
