"""Kinks of sections meet kinks and are kept as edges between faces, checked by area in closed form and by
OpenCASCADE's sewing."""

import itertools

import numpy as np
import pytest

from pamble.core.curves.shapes import circle
from pamble.core.errors import GeometryError
from pamble.core.patches.frames import along
from pamble.core.patches.loft import loft
from pamble.core.patches.sweep import sweep
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.kinks import begun_at_kink, chain, kinks, restarted, smooth_pieces
from pamble.core.surfaces.draft import drafted
from pamble.core.surfaces.extrude import extrude


def polygon(points, shares=None):
    points = np.asarray(points, dtype=float)
    lines = [Curve.line(a, b) for a, b in itertools.pairwise(points)]
    return chain(lines, np.linspace(0, 1, len(lines) + 1) if shares is None else shares)


def square(size, height, turn=0):
    corners = size * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    ring = np.roll(corners, -turn, axis=0)
    return polygon(np.column_stack([np.vstack([ring, ring[:1]]), np.full(5, height)]))


def ring_from_middle(size, height):
    """A square that begins in the middle of a side."""
    return restarted(square(size, height), 0.125)


def test_kinks_are_found_and_a_closed_curve_begins_at_one():
    at, turn = kinks(square(10, 0))
    assert at == pytest.approx([0.25, 0.5, 0.75])
    assert turn == pytest.approx([90, 90, 90])
    middle = ring_from_middle(10, 0)
    assert len(kinks(middle)[0]) == 4
    begun = begun_at_kink(middle)
    assert len(kinks(begun)[0]) == 3
    assert np.abs(curve_points(begun, [begun.domain[0]])[0]) == pytest.approx([10, 10, 0])
    smooth = Curve.bezier([[0, 0, 0], [5, 3, 0], [9, 0, 1]])
    assert begun_at_kink(smooth) is smooth


def test_a_frustum_is_lofted_from_squares_that_begin_elsewhere():
    made = loft([square(10, 0), square(6, 12, turn=1)], 40.0)
    faces = smooth_pieces(made.surface)
    assert [f.control.shape[:2] for f in faces] == [(2, 2)] * 4
    # Each side is a trapezoid of 20 and 12 with the slant height hypot(4, 12).
    for f in faces:
        a, b = f.control.transpose(1, 0, 2)
        assert [np.linalg.norm(a[1] - a[0]), np.linalg.norm(b[1] - b[0])] == pytest.approx([20, 12])
        assert np.linalg.norm(0.5 * (b[0] + b[1]) - 0.5 * (a[0] + a[1])) == pytest.approx(np.hypot(4, 12))
    for f, g in zip(faces, faces[1:] + faces[:1], strict=True):
        assert np.allclose(f.control[-1], g.control[0], atol=1e-12)


def test_kinks_at_unlike_shares_meet_and_a_round_section_is_parted_like_the_others():
    first = polygon([[0, 0, 0], [30, 0, 0], [30, 40, 0]])
    bent = chain(
        [Curve.bezier([[0, 0, 30], [10, 4, 30], [20, 0, 30]]), Curve.line([20, 0, 30], [35, 30, 30])], [0, 0.2, 1]
    )
    arc = Curve.bezier([[0, 0, 60], [30, 0, 60], [40, 10, 60], [30, 30, 60]])
    made = loft([first, bent, arc], 80.0)
    faces = smooth_pieces(made.surface)
    assert len(faces) == 2
    assert max(made.sections) < 1e-3
    corner = faces[0].control[-1]
    assert np.allclose(corner, faces[1].control[0])
    assert np.allclose(corner[[0, -1]], [[30, 0, 0], corner[-1]])
    with pytest.raises(GeometryError, match="Section 1 has one kink and section 2 has 2 kinks"):
        loft([first, polygon([[0, 0, 9], [9, 0, 9], [9, 9, 9], [0, 9, 9]])], 80.0)


def test_what_a_kink_forbids_is_said_with_its_place():
    bent = polygon([[0, 0, 0], [30, 0, 0], [30, 40, 0]])
    up = np.array([0, 0, 1.0])
    assert len(smooth_pieces(extrude(bent, up, 0, 5))) == 2
    arc = circle(np.array([30.0, 20, 0]), up, 20.0)
    hooked = chain([Curve.line([0, 20, 0], [50, 20, 0]), arc], [0, 0.5, 1])
    with pytest.raises(GeometryError, match=r"The curve has a kink of 90\.0° at \(50\.00, 20\.00, 0\.00\) mm"):
        drafted(hooked, up, 0, 5, 3)
    with pytest.raises(GeometryError, match="The rail has a kink of 90"):
        sweep([Curve.line([0, 0, 0], [0, 0, 3])], along(bent))
