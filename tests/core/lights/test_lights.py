"""Light lines against closed forms, and what they do at seams of every order."""

import numpy as np
import pytest

from pamble.core.checks.measured import sample_seam
from pamble.core.checks.seams import Seam, find_seams
from pamble.core.curves.shapes import circle
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face, natural_edge
from pamble.core.faces.regions.choose import Pick
from pamble.core.faces.trim import Cutter, divide
from pamble.core.joining.blend import build_blend
from pamble.core.joining.spec import BlendSpec
from pamble.core.lights.across import crossed
from pamble.core.lights.bank import bank, runs_along, shown
from pamble.core.lights.lines import light_lines
from pamble.core.planes import Plane
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.revolve import revolve
from pamble.demo.mirror_cap import crown, flank
from tests.core.patches.grounds import ground
from tests.shapes import arc_curve, plane, revolved

UP, ALONG = np.array([0.0, 0.0, 1.0]), np.array([0.0, 1.0, 0.0])
HIGH = 300.0
SLANTED = np.array([1.0, 0.6, 0.0])


def roof(radius: float, start: float, end: float, top=(0.0, 0.0)) -> Surface:
    """A cylinder along y, 60 mm long, from one angle to another (degrees from its top, which lies at x and z)."""
    x, z = top
    return revolve(Curve.line([x, 0, z], [x, 60, z]), [x, 0, z - radius], [0, 1, 0], start, end)


@pytest.mark.parametrize("turned", [1, -1])
def test_on_a_cylinder_lines_of_lights_that_run_with_it_are_rulings_at_known_angles(turned):
    radius, spacing, eye = 40.0, 25.0, np.radians(15)
    s = roof(radius, -60, 60)
    s = s if turned > 0 else Surface(1, 2, s.knots_v, s.knots_u, s.control.swapaxes(0, 1), s.weights.T)
    highlights = light_lines(Face(s), bank("highlight", UP, ALONG, spacing, HIGH))
    assert len(highlights) == 2 * int(np.tan(np.radians(60)) * (HIGH + radius) / spacing) + 1
    for line in highlights:
        x, z = line.points[:, 0], line.points[:, 2] + radius
        # The normals pass through the axis, and meet the lights' plane at x = -number times the spacing.
        assert x / z * (HIGH + radius) == pytest.approx(-line.number * spacing, abs=1e-9)
        assert np.hypot(x, z) == pytest.approx(radius, abs=1e-9)
        assert np.ptp(line.points[:, 1]) == pytest.approx(60)
    eyes = np.array([np.sin(eye), 0, np.cos(eye)])
    reflected = light_lines(Face(s), bank("reflection", UP, ALONG, spacing, HIGH, eyes))
    assert len(reflected) > 20
    for line in reflected:
        x, z = line.points[:, 0], line.points[:, 2] + radius
        met = x + np.tan(2 * np.arctan2(x, z) - eye) * (HIGH + radius - z)
        assert met == pytest.approx(-line.number * spacing, rel=1e-8, abs=1e-8)
    same = light_lines(Face(s), bank("isophote", UP, ALONG, 7.0, HIGH))
    angles = {round(float(np.degrees(np.arctan2(p[0], p[2] + radius))), 7) for line in same for p in line.points}
    assert angles == {k * 7.0 for k in range(-8, 9) if k}


def test_on_a_ball_every_highlight_line_is_a_great_circle_below_its_light():
    arc = arc_curve(50.0, 80)
    half = revolved(Curve(2, arc.knots, arc.control[:, [0, 2, 1]], arc.weights), 120)
    lights = bank("highlight", [0.3, 0.5, 1.0], [1.0, -0.2, 0.1], 30.0, 400.0)
    lines = light_lines(Face(half), lights, 40)
    assert len(lines) > 10
    for line in lines:
        light = lights.toward * lights.height + line.number * lights.spacing * lights.across
        square = np.cross(light, lights.along)
        centre = np.zeros(3)
        assert (line.points - centre) @ square / np.linalg.norm(square) == pytest.approx(0, abs=1e-9)


def test_lines_end_at_the_borders_of_a_trimmed_face():
    face = Face(ground(1, 60))
    middle = face.surface.control.reshape(-1, 3).mean(axis=0)
    cut = Plane(middle, np.array([0.0, 0, 1]), np.array([0.6, 0.8, 0]))
    divided = divide(face, [Cutter("c", "a plane", cut)], 1e-4)
    lights = bank("highlight", UP, ALONG, 60.0, 2000.0)
    whole = light_lines(face, lights)
    halves = [light_lines(divided.holding([r.number])[0], lights) for r in divided.regions]
    assert len(halves) == 2

    def length(lines):
        return sum(np.linalg.norm(np.diff(line.points, axis=0), axis=1).sum() for line in lines)

    assert sum(map(length, halves)) == pytest.approx(length(whole), rel=1e-3)
    heights = [np.concatenate([line.points for line in own]) @ cut.normal - middle @ cut.normal for own in halves]
    assert min(h.max() for h in heights) < 1e-2
    assert max(h.min() for h in heights) > -1e-2
    for line in (line for own in halves for line in own):
        foot = to_surface(face.surface, line.points)
        d = surface_derivatives(face.surface, foot.u, foot.v, 1)
        assert shown(lights, d[0, 0], normals(d), (), ())[0] == pytest.approx(line.number, abs=1e-4)


def test_a_small_face_on_a_large_surface_shows_all_its_lights():
    face = Face(ground(1, 60))
    middle = face.surface.control.reshape(-1, 3).mean(axis=0)
    rim = circle(middle, UP, 30.0)
    (inner,) = divide(face, [Cutter("c", "a rim", rim, UP)], 1e-4).keeping([Pick(np.array([0.5, 0.5]), {})])
    lights = bank("highlight", UP, ALONG, 4.0, 2000.0)
    few = {line.number for line in light_lines(inner, lights)}
    assert len(few) > 20
    assert few == {line.number for line in light_lines(inner, lights, 192)}


def test_lines_that_lie_close_are_parted_by_a_finer_grid():
    face = Face(ground(1, 60))
    lights = bank("highlight", UP, ALONG, 30.0, 2000.0)
    few, many = ({line.number for line in light_lines(face, lights, steps)} for steps in (12, 48))
    assert few == many
    assert len(many) > 50


def across(a: Surface, b: Surface, lights, samples=97):
    seams: list[Seam] = find_seams([Face(a), Face(b)])[0]
    assert len(seams) == 1
    return crossed(sample_seam(seams[0], samples), lights)


def test_a_bend_breaks_the_lines_by_the_length_that_the_angle_asks_for():
    th = np.radians(2.0)
    flat, leaning = (
        plane((-40, 0, 0), (40, 0, 0), (0, 60, 0)),
        plane((0, 0, 0), (40 * np.cos(th), 0, -40 * np.sin(th)), (0, 60, 0)),
    )
    lights = bank("highlight", UP, SLANTED, 10.0, HIGH)
    found = across(flat, leaning, lights)
    # The second normal meets the lights HIGH tan(2 degrees) farther along x.
    assert found.jump == pytest.approx(HIGH * np.tan(th) * 0.6, rel=1e-9)
    assert found.lines >= 5


def test_a_jump_in_curvature_kinks_the_lines_by_a_known_angle_and_breaks_none():
    at = np.radians(20)
    big, small = 80.0, 30.0
    first = roof(big, -20, 20)
    # The small one goes on tangentially: its axis lies on the normal at the seam.
    axis = (big - small) * np.array([np.sin(at), np.cos(at)]) + [0, -big]
    second = roof(small, 20, 70, (axis[0], axis[1] + small))
    lights = bank("highlight", UP, SLANTED, 6.0, HIGH)
    found = across(first, second, lights)
    c = lights.across
    rate = [(HIGH - z) / np.cos(at) ** 2 / r * c[0] for z, r in ((-big, big), (axis[1], small))]
    kink = abs(np.degrees(np.arctan2(c[1], rate[0]) - np.arctan2(c[1], rate[1])))
    assert found.kink == pytest.approx(kink, rel=1e-6)
    assert found.jump < 1e-9


def test_a_blend_with_curvature_neither_breaks_nor_kinks_them_and_one_without_kinks():
    sides = natural_edge(crown(), "v1"), natural_edge(flank(), "v0")
    lights = bank("reflection", UP, [0.2, 1.0, 0.0], 20.0, 600.0, np.array([0.3, 0.4, 0.8]))
    kinks = {}
    for order in (1, 2):
        made = build_blend(*sides, BlendSpec((order, order)))
        seen = across(crown(), made.surface, lights)
        assert seen.jump < 0.05
        # What is read at a line hangs on no sample.
        few = across(crown(), made.surface, lights, 33)
        assert (few.lines, few.kink) == (seen.lines, pytest.approx(seen.kink, rel=1e-6, abs=1e-9))
        kinks[order] = seen.kink
    assert kinks[1] > 3.0
    assert kinks[2] < 0.1


def test_lights_that_cannot_be_are_told():
    with pytest.raises(GeometryError, match="run across"):
        bank("highlight", UP, UP, 10.0, HIGH)
    with pytest.raises(GeometryError, match="not zero"):
        bank("isophote", np.zeros(3), UP, 10.0, HIGH)
    with pytest.raises(GeometryError, match="not 0"):
        bank("highlight", UP, ALONG, 0.0, HIGH)
    below = light_lines(Face(plane((0, 0, 0), (9, 0, 0), (0, 0, 9))), bank("highlight", UP, ALONG, 1.0, HIGH))
    assert below == []


@pytest.mark.parametrize(
    ("toward", "turn", "along"),
    [
        ((0, 0, 5), 0, (0, 1, 0)),
        ((0, 0, 5), 90, (-1, 0, 0)),
        ((3, 0, 0), 0, (0, 1, 0)),
        ((3, 0, 0), 90, (0, 0, 1)),
        ((0, 2, 2), 180, (1, 0, 0)),
    ],
)
def test_lights_run_level_until_they_are_turned(toward, turn, along):
    assert runs_along(np.array(toward), turn) == pytest.approx(np.array(along, dtype=float), abs=1e-15)
