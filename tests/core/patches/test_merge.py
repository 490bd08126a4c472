"""Faces cut apart are put together again: the known surface comes back; creases and gaps are told."""

import itertools

import numpy as np
import pytest
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeSphere, BRepPrimAPI_MakeTorus

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.patches.merge import merge
from pamble.core.patches.rebuild import farthest
from pamble.core.patches.space import Patch, Space
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import reverse_surface, surface_part, swap_directions
from pamble.core.spline.surface import Surface
from tests.core.faces.test_trim import native
from tests.core.patches.grounds import ground

TURNS = (
    lambda s: s,
    lambda s: reverse_surface(s, "u"),
    lambda s: reverse_surface(s, "v"),
    swap_directions,
    lambda s: swap_directions(reverse_surface(s, "u")),
)


def halves(surface, share=0.45):
    (u0, u1), _ = surface.domain
    middle = u0 + share * (u1 - u0)
    return surface_part(surface, (u0, middle)), surface_part(surface, (middle, u1))


@pytest.mark.parametrize("turn", range(5))
def test_a_face_cut_in_two_comes_back_with_its_cvs_in_the_directions_of_the_first(turn):
    known = ground(turn, 40)
    a, b = halves(known)
    made = merge([Face(TURNS[turn](a)), Face(TURNS[(turn + 2) % 5](b))], ["A", "B"])
    assert made.knots == 0
    assert made.deviation < 1e-6
    assert made.surface.control.shape[:2] == TURNS[turn](known).control.shape[:2]
    assert farthest(known, made.surface)[0] < 1e-6
    whole, part = (
        surface_grid(s, *([np.mean(d)] for d in s.domain), 1)[:, :, 0, 0] for s in (made.surface, TURNS[turn](a))
    )
    assert np.cross(whole[1, 0], whole[0, 1]) @ np.cross(part[1, 0], part[0, 1]) > 0


def test_faces_written_with_three_decimals_come_back_with_no_more_cvs_than_they_had():
    known = ground(3, 40, 9)
    a, b = (Face(s.with_control(np.round(s.control, 3))) for s in halves(known))
    made = merge([a, b], ["A", "B"])
    assert made.surface.control.shape == known.control.shape
    assert max(made.deviation, farthest(known, made.surface)[0]) < 0.001


def test_faces_of_unlike_pace_are_laid_anew_within_the_tolerance_and_smooth():
    known = ground(1, 40)
    a, b = halves(known)
    (u0, u1), (v0, v1) = b.domain
    patch = Patch(Space.even(5, 6), Space.even(5, 6))

    def paced(u, v):
        along = v0 + (v1 - v0) * (v + 0.04 * np.sin(np.pi * v))
        return surface_grid(b, u0 + (u1 - u0) * (u + 0.05 * np.sin(np.pi * u)), along)[0, 0]

    other = patch.surface(patch.interpolate(paced))
    made = merge([Face(a), Face(other)], ["A", "B"], 0.005)
    assert made.deviation < 0.01
    assert made.angle < 0.05
    assert made.knots < 5
    assert farthest(known, made.surface)[0] < 0.01


def test_three_strips_become_one():
    known = ground(2, 40)
    (u0, u1), _ = known.domain
    cuts = u0 + np.linspace(0, 1, 4) * (u1 - u0)
    strips = [Face(surface_part(known, (a, b))) for a, b in itertools.pairwise(cuts)]
    made = merge(strips, ["A", "B", "C"])
    assert (made.knots, made.surface.control.shape) == (0, known.control.shape)


@pytest.mark.parametrize(
    "round_", [BRepPrimAPI_MakeCylinder(20, 60), BRepPrimAPI_MakeSphere(30), BRepPrimAPI_MakeTorus(40, 9)]
)
@pytest.mark.parametrize("share", [0.3, 0.45, 0.8])
def test_parts_of_what_is_round_become_the_round_one_again(round_, share):
    """Rational, with a pole, closed: both ends of one part lie at ends of the other, and poles at poles."""
    surface = native(round_).surface
    for whole in (surface, swap_directions(surface)):
        made = merge([Face(s) for s in halves(whole, share)], ["A", "B"])
        assert (made.knots, made.smooth) == (0, True)
        assert made.surface.control.shape == whole.control.shape
        assert max(made.deviation, farthest(whole, made.surface)[0]) < 1e-9


def test_what_cannot_be_joined_is_told():
    a = Surface.bezier([[[0, 0, 0], [0, 40, 0]], [[60, 0, 0], [60, 40, 0]]])
    up = Surface.bezier([[[60, 0, 0], [60, 40, 0]], [[60, 0, 30], [60, 40, 30]]])
    away = Surface.bezier([[[60.5, 0, 0], [60.5, 40, 0]], [[90, 0, 0], [90, 40, 0]]])
    with pytest.raises(GeometryError, match=r"B turns away by 90\.00°"):
        merge([Face(a), Face(up)], ["A", "B"])
    with pytest.raises(GeometryError, match=r"B shares no whole side .* 0\.500 mm apart"):
        merge([Face(a), Face(away)], ["A", "B"])
