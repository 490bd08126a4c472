"""Planes: through what they were given, with axes of their own."""

import numpy as np
import pytest

from pamble.core.errors import GeometryError
from pamble.core.planes import plane_at, plane_by_points, plane_through_line, principal_plane


def test_a_plane_by_points_holds_them_and_moves_along_its_normal():
    points = np.array([[1.0, 2, 3], [40, 5, -6], [7, 80, 9]])
    plane = plane_by_points(*points)
    assert np.allclose(plane.height(points), 0)
    assert np.allclose(plane.moved(12).height(points), -12)
    assert np.allclose([plane.x @ plane.y, plane.x @ plane.x, plane.normal @ plane.normal], [0, 1, 1])
    with pytest.raises(GeometryError, match="on a line"):
        plane_by_points(points[0], points[1], 2 * points[1] - points[0])


@pytest.mark.parametrize("degrees", [0, 30, -90, 200])
def test_a_plane_turns_about_its_line(degrees):
    a, b = np.array([0.0, 0, 5]), np.array([30.0, 40, 5])
    plane = plane_through_line(a, b, degrees)
    assert np.allclose(plane.height(np.array([a, b])), 0)
    upright = plane_through_line(a, b)
    assert upright.normal[2] == pytest.approx(0)
    angle = np.degrees(np.arctan2(np.cross(upright.normal, plane.normal) @ plane.x, upright.normal @ plane.normal))
    assert angle % 360 == pytest.approx(degrees % 360)


def test_axes_point_up_where_they_can():
    assert np.allclose(principal_plane(1, np.zeros(3)).y, [0, 0, 1])
    assert np.allclose(plane_at(np.zeros(3), np.array([0, 0, 4.0])).x, [1, 0, 0])
    assert plane_at(np.zeros(3), np.array([1.0, 1, 1])).x[2] == pytest.approx(0)
    for make in (
        lambda: plane_at(np.zeros(3), np.zeros(3)),
        lambda: plane_at(np.zeros(3), np.array([0, 0, 1.0]), np.array([0, 0, 5.0])),
        lambda: plane_through_line(np.zeros(3), np.zeros(3)),
    ):
        with pytest.raises(GeometryError):
            make()
