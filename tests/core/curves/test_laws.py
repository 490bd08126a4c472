"""Laws that every curve tool obeys: motions carry over, reversal changes sides, exchange changes nothing."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pamble.core.curves.edit import extend, join
from pamble.core.curves.fit import simplify
from pamble.core.curves.jets import end_jet
from pamble.core.curves.layout import check_layout
from pamble.core.curves.match import average_ends, match_end
from pamble.core.curves.measure import curve_facts, curve_length, deviation
from pamble.core.curves.mid import mid_curve
from pamble.core.curves.offset import offset_curve
from pamble.core.curves.transform import Affine, mirror, rotation, scaling, translation
from pamble.core.curves.twoview import two_view
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.offset_curve import offset_on_surface
from pamble.core.faces.project import project
from pamble.core.joining.curve_corner import corner
from pamble.core.spline import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import iso_curve, reverse_curve
from pamble.demo.mirror_cap import crown

FLAT = Curve.bezier([[0, 0, 0], [30, 25, 0], [70, 30, 0], [110, 5, 0]])
SPACE = Curve.bezier([[0, 0, 0], [30, 25, 8], [70, 30, -6], [110, 5, 12]])
OTHER = Curve.bezier([[118, 10, 10], [140, 4, 15], [170, 20, 5], [190, 50, 0]])
Z = np.array([0.0, 0, 1])

motions = st.builds(
    lambda axis, degrees, shift: rotation(axis, degrees, [3, 1, 4]).then(translation(shift)),
    st.sampled_from([[0, 0, 1], [1, 0, 0], [1, 2, -1]]),
    st.floats(-170, 170),
    st.tuples(*[st.floats(-80, 80)] * 3),
)


def turned(motion: Affine, direction) -> np.ndarray:
    return motion.matrix @ np.asarray(direction, dtype=float)


def apart(a: Curve, b: Curve) -> float:
    return deviation(a, b).distance


@settings(max_examples=8)
@given(motions)
def test_tools_move_with_their_inputs(motion):
    moved = motion.apply(SPACE)
    assert apart(motion.apply(simplify(SPACE, 2, 0.05).curve), simplify(moved, 2, 0.05).curve) < 1e-6
    here = offset_curve(FLAT, 7.0, Z).pieces[0].curve
    there = offset_curve(motion.apply(FLAT), 7.0, turned(motion, Z)).pieces[0].curve
    assert apart(motion.apply(here), there) < 1e-6
    here = two_view(SPACE, [0, 1, 0], SPACE, Z).fit.curve
    there = two_view(moved, turned(motion, [0, 1, 0]), moved, turned(motion, Z)).fit.curve
    assert apart(motion.apply(here), there) < 1e-6
    here = match_end(OTHER, 0, end_jet(SPACE, 1), 3).curve
    there = match_end(motion.apply(OTHER), 0, end_jet(moved, 1), 3).curve
    assert np.allclose(motion.apply(here).control, there.control, atol=1e-6)


@settings(max_examples=4)
@given(motions)
def test_what_hangs_on_a_face_moves_with_it(motion):
    face, way = crown(), np.array([0.1, 0.0, -1.0])
    over = Curve.bezier([[-90, 60, 180], [0, 110, 190], [90, 70, 180]])
    here = project(over, [Face(face)], way).pieces[0].curve
    there = project(motion.apply(over), [Face(motion.apply(face))], turned(motion, way)).pieces[0].curve
    assert apart(motion.apply(here), there) < 1e-5
    iso = iso_curve(face, "v", 0.6)
    here = offset_on_surface(iso, Face(face), 12.0).pieces[0].curve
    there = offset_on_surface(motion.apply(iso), Face(motion.apply(face)), 12.0).pieces[0].curve
    assert apart(motion.apply(here), there) < 1e-5


def test_reversing_a_curve_puts_its_offset_on_the_other_side():
    left = offset_curve(FLAT, 7.0, Z).pieces[0].curve
    assert apart(left, offset_curve(reverse_curve(FLAT), -7.0, Z).pieces[0].curve) < 0.01
    assert apart(left, offset_curve(FLAT, 7.0, -Z).pieces[0].curve) > 13


def test_an_offset_and_its_return_is_the_curve():
    out = offset_curve(FLAT, -9.0, Z, tolerance=1e-4).pieces[0].curve
    assert apart(offset_curve(out, 9.0, Z, tolerance=1e-4).pieces[0].curve, FLAT) < 3e-3


def test_two_views_of_a_space_curve_give_it_back_in_either_order():
    views = ([0.0, 1, 0], Z)
    for a, b in (views, views[::-1]):
        made = two_view(SPACE, a, SPACE, b, tolerance=1e-4)
        assert apart(made.fit.curve, SPACE) < 2e-4


def test_mid_curve_does_not_depend_on_order_or_sense():
    near, far = FLAT, translation([0, 40, 10]).apply(FLAT)
    one = mid_curve(near, far, 0.3).curve
    assert apart(one, mid_curve(far, near, 0.7).curve) < 1e-9
    assert apart(one, mid_curve(near, reverse_curve(far), 0.3).curve) < 1e-9


def test_averaging_is_symmetric():
    a, b = average_ends(SPACE, 1, OTHER, 0, 2)
    c, d = average_ends(OTHER, 0, SPACE, 1, 2)
    assert np.allclose(a.curve.control, d.curve.control)
    assert np.allclose(b.curve.control, c.curve.control)


def test_a_corner_does_not_depend_on_which_curve_comes_first():
    a, b = Curve.line([0, 0, 0], [100, 0, 0]), FLAT
    one, two = corner(a, b, 10), corner(b, a, 10)
    assert np.allclose(one.centre, two.centre, atol=1e-6)
    assert curve_length(one.curve) == pytest.approx(curve_length(two.curve))


def test_extending_and_joining_keep_what_was_there():
    for shape in ("curvature", "straight"):
        longer = extend(SPACE, 1, 25.0, shape)
        assert curve_length(longer) == pytest.approx(curve_length(SPACE) + 25, rel=1e-6)
    straight = extend(SPACE, 1, 25.0, "straight")
    both = join(SPACE, Curve.line(curve_points(straight, [1])[0], SPACE.control[-1]))
    assert apart(both, straight) < 1e-6


@given(st.floats(0.1, 8), motions)
def test_figures_of_a_curve_scale_and_do_not_move(factor, motion):
    plain = curve_facts(SPACE)
    changed = curve_facts(motion.then(scaling((factor,) * 3, [0, 0, 0])).apply(SPACE))
    assert changed.length == pytest.approx(plain.length * factor, rel=1e-9)
    assert changed.largest == pytest.approx(plain.largest / factor, rel=1e-6)
    assert len(changed.inflections) == len(plain.inflections)
    assert check_layout(motion.apply(SPACE)).score == check_layout(SPACE).score


def test_quick_figures_are_near_the_full_ones():
    full, quick = curve_facts(SPACE), curve_facts(SPACE, quick=True)
    assert quick.length == pytest.approx(full.length, rel=5e-3)
    assert quick.largest == pytest.approx(full.largest, rel=5e-2)
    assert len(quick.inflections) == len(full.inflections)


def test_transforms_are_what_they_say():
    point = np.array([[3.0, 4, 5]])

    def at(change: Affine) -> np.ndarray:
        return (point @ change.matrix.T + change.shift)[0]

    assert np.allclose(at(rotation([0, 0, 1], 90, [0, 0, 0])), [-4, 3, 5])
    assert np.allclose(at(rotation([0, 0, 1], 360, [7, 7, 7])), point[0])
    assert np.allclose(at(mirror([0, 1, 0], [0, 1, 0])), [3, -2, 5])
    assert np.allclose(at(mirror([1, 1, 1], [2, 0, 0]).then(mirror([1, 1, 1], [2, 0, 0]))), point[0])
    assert np.allclose(at(scaling((2, 1, 0.5), [1, 0, 1])), [5, 4, 3])
    for bad in (lambda: rotation([0, 0, 0], 5, [0, 0, 0]), lambda: mirror([0, 0, 0], [0, 0, 0]),
                lambda: scaling((1, 0, 1), [0, 0, 0])):  # fmt: skip
        with pytest.raises(GeometryError):
            bad()
