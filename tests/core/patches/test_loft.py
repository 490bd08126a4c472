"""Lofts whose sections match where asked, and lofts round a common axis."""

import numpy as np
import pytest
from scipy.interpolate import make_interp_spline

from pamble.core.curves.interpolate import through_points
from pamble.core.curves.measure import length_parameters
from pamble.core.curves.meet import nearest
from pamble.core.curves.shapes import ellipse, rounded_rectangle
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.patches.around import loft_around
from pamble.core.patches.guided import FREE, LoftEnd
from pamble.core.patches.inside import off
from pamble.core.patches.loft import loft
from pamble.core.patches.paced import pace
from pamble.core.patches.sections import point_section
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import curvatures, normals
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_grid
from pamble.core.spline.knots import curve_part, iso_curve
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.revolve import revolve
from tests.core.patches.drawn import random_loft
from tests.other_library import face_area
from tests.shapes import panel

FRONT = Curve.bezier([[0, 0, 0], [30, 20, 0], [70, 20, 0], [100, 0, 0]])
BACK = Curve.bezier([[0, 0, 50], [20, 30, 50], [60, 0, 50], [100, 0, 50]])


UP = np.array([0.0, 0.0, 1.0])


def ring(height, begin, radius):
    """An oval that begins at another angle."""
    t = np.linspace(0, 2 * np.pi, 17)
    points = np.stack([radius * np.cos(t + begin), 0.6 * radius * np.sin(t + begin), height + 0 * t], axis=1)
    points[-1] = points[0]
    spline = make_interp_spline(np.linspace(0, 1, 17), points, k=3, bc_type="periodic")
    return curve_part(Curve(3, spline.t, spline.c), 0, 1)


def spoke(angle, foot, height):
    """A profile in the half plane at an angle about z."""
    out = np.array([foot, foot + 4, 0.8 * foot])
    up = np.array([0, height / 2, height])
    return Curve.bezier(np.stack([out * np.cos(angle), out * np.sin(angle), up], axis=1))


def test_a_pace_keeps_its_places_and_never_turns_back():
    rng = np.random.default_rng(4)
    s = np.linspace(0, 1, 401)
    for count in (1, 2, 4, 8):
        for _ in range(8):
            at, share = (np.cumsum(rng.dirichlet(np.full(count + 1, 6.0)))[:-1] for _ in range(2))
            assert np.abs(pace(at, share, at) - share).max() < 5e-5
            assert (np.diff(pace(at, share, s)) > 0).all()


def test_points_of_sections_meet_where_they_were_told_to():
    matched = [[0.3, 0.45], [0.7, 0.6]]
    made = loft([FRONT, BACK], 120.0, matched=matched)
    assert max(made.sections) < 0.002
    for row in matched:
        across = surface_grid(made.surface, np.array([np.mean(row)]), np.array([0.0, 1.0]))[0, 0][0]
        told = [curve_points(c, length_parameters(c, [s]))[0] for c, s in zip((FRONT, BACK), row, strict=True)]
        assert np.abs(across - told).max() < 0.05
    assert loft([FRONT, BACK], 120.0).surface.control.shape == (4, 2, 3)  # left alone, it stays exact
    with pytest.raises(GeometryError, match="Matching point 2 on section 1"):
        loft([FRONT, BACK], 120.0, matched=[[0.3, 0.5], [0.2, 0.7]])


def test_ovals_that_begin_elsewhere_are_not_wrung():
    made = loft([ring(0, 0, 30), ring(20, 1.3, 35), ring(45, 2.9, 30)], 100.0)
    assert max(made.sections) < 0.002
    across = surface_grid(made.surface, np.linspace(0, 1, 40), np.array([0, 0.5, 1]))[0, 0]
    turn = np.arctan2(across[..., 1] / 0.6, across[..., 0])
    assert np.degrees(np.abs(np.angle(np.exp(1j * (turn - turn[:, :1]))))).max() < 3
    quarter = loft([ring(0, 0, 30), ring(20, 0, 30)], 100.0, matched=[[0.0, 0.25]])
    foot, head = surface_grid(quarter.surface, np.array([0.0]), np.array([0.0, 1.0]))[0, 0][0]
    assert foot @ head == pytest.approx(0, abs=1)  # wrung by a quarter on purpose


def test_sections_whose_curvature_jumps_are_held():
    """A duct from a circle over two rounded rectangles, one that leans: lines meet arcs at eight places of each, where
    even spans miss them by hundredths of a millimetre.
    """
    lean = np.array([0.35, -0.2, 1.0]) / np.linalg.norm([0.35, -0.2, 1.0])
    sections = [
        ellipse(np.zeros(3), UP, (30, 30), np.array([1.0, 0, 0])),
        rounded_rectangle(np.array([4.0, 2, 70]), lean, (80, 50), 12, 0.5),
        rounded_rectangle(np.array([0.0, 9, 150]), UP, (70, 60), 9, 0.5),
    ]
    made = loft(sections, 200.0)
    assert not made.warnings
    assert len(made.surface.control) < 60
    for curve, told in zip(sections, made.sections, strict=True):
        points = curve_points(curve, length_parameters(curve, np.linspace(0, 1, 777)))
        away = float(to_surface(made.surface, points).distance.max())
        assert away < 0.0025
        assert told == pytest.approx(away, abs=2e-4)


@pytest.mark.parametrize("far", [ellipse(np.array([3.0, 0, 60]), UP, (40, 22), np.array([0.8, 0.6, 0])), None])
def test_a_loft_of_closed_sections_is_smooth_where_they_close(far):
    near = ellipse(np.zeros(3), UP, (30, 30), np.array([1.0, 0, 0]))
    made = loft([near, far or rounded_rectangle(np.array([0.0, 5, 60]), UP, (70, 50), 10, 0.5)], 120.0)
    assert not made.warnings
    v = np.linspace(0, 1, 41)
    first, last = (surface_derivatives(made.surface, np.full(41, u), v, 2) for u in (0.0, 1.0))
    assert np.abs(first[:3, 0] - last[:3, 0]).max() < 1e-9 * np.abs(first).max()


def test_to_a_point_it_is_a_cone_and_leaves_a_face_as_it_lies():
    circle = revolve(Curve.line([30, 0, 0], [30, 0, 1]), np.zeros(3), np.array([0, 0, 1.0]), 0, 360)
    rim, tip = iso_curve(circle, "v", 0.0), point_section(np.array([0, 0, 40.0]))
    cone = loft([rim, tip], 100.0)
    assert face_area(Face(cone.surface)) == pytest.approx(np.pi * 30 * 50, rel=1e-6)
    deck = Face(panel(lambda x, y: (x, y, 8 * np.sin(x / 60) + 0.001 * x * y), (5, 5), (0, 240), (0, 80)))
    for height in (2.0, 20.0, 50.0):
        made = loft([deck.edge("u1"), point_section(np.array([300, 50, height]))], 300.0, ends=(LoftEnd(order=2), FREE))
        assert made.ends["v0"]["angle"] < 0.001
        assert made.ends["v0"]["curvature"] < 0.5
        assert np.ptp(made.surface.control[:, -1], axis=0).max() == 0
        assert (np.diff(made.surface.control[2, :, 0]) > 0).all()
    with pytest.raises(GeometryError, match="those between are curves"):
        loft([FRONT, tip, BACK], 100.0)


@pytest.mark.parametrize("order", [1, 2])
def test_a_magnitude_of_one_is_the_way_to_the_next_section(order):
    deck = Face(panel(lambda x, y: (x, y, 8 * np.sin(x / 60)), (5, 5), (0, 240), (0, 80)))
    edge = deck.edge("v1")
    far = Curve(edge.space.degree, edge.space.knots, edge.space.control + np.array([0, 60, 15]))

    def arm(magnitude):
        made = loft([edge, far], 300.0, ends=(LoftEnd(order=order, magnitude=magnitude), FREE))
        return np.linalg.norm(surface_derivatives(made.surface, [0.5], [0.0], 1)[0, 1, 0])

    assert arm(1.0) == pytest.approx(np.hypot(60, 15), rel=0.05)
    assert arm(1.01) == pytest.approx(1.01 * arm(1.0), rel=0.01)
    assert arm(2.0) == pytest.approx(2 * arm(1.0), rel=0.1)


def test_spokes_round_an_axis_turn_one_profile_exactly_and_run_round_smoothly():
    z = np.array([0, 0, 1.0])
    same = loft_around([spoke(a, 20, 30) for a in (0, 0.8, 2.0)], np.zeros(3), z)
    points = surface_grid(same.surface, np.linspace(0, 1, 7), np.linspace(0, 1, 9))[0, 0]
    assert np.ptp(np.hypot(points[..., 0], points[..., 1]), axis=1).max() < 1e-10
    assert same.places == pytest.approx([0, 0.4, 1])
    sections = [spoke(i * np.pi / 2, 20 + 3 * (i % 2), 30) for i in range(4)]
    made = loft_around(sections, np.zeros(3), z, closed=True)
    assert max(off(made.surface, c) for c in sections) < 0.002
    rim = curvatures(surface_grid(made.surface, np.linspace(0, 1, 7), np.array([0.0, 1.0]), 2))[1].mean
    assert np.ptp(rim, axis=1).max() < 1e-6
    with pytest.raises(GeometryError, match="Section 3 lies out of order"):
        loft_around([spoke(a, 20, 30) for a in (0, 1, 0.5)], np.zeros(3), z)


@pytest.mark.parametrize("seed", [8, 22])
def test_sections_and_guides_drawn_on_a_freeform_face_are_held(seed):
    """Sections of 60 CVs and knots of their own, guides between them: on fewer CVs along than twice those."""
    sections, guides = random_loft(seed)
    made = loft(sections, 200.0, guides=guides)
    for curves, told, most in ((sections, made.sections, 0.002), (guides, made.guides, 0.005)):
        for curve, off_by in zip(curves, told, strict=True):
            distance = to_surface(made.surface, curve_points(curve, np.linspace(*curve.domain, 301))).distance.max()
            assert distance < most
            assert distance < off_by + 2e-4
    assert made.surface.control.shape[0] <= 36
    assert not made.warnings
    # While a curve is dragged: from what is there, on its own rows.
    lifted = [Curve(c.degree, c.knots, c.control * [1, 1, 1.02]) for c in (*sections, *guides)]
    n = len(sections)
    dragged = loft(lifted[:n], 200.0, guides=lifted[n:], quick=True, before=made.surface)
    assert dragged.surface.control.shape == made.surface.control.shape
    assert max(*dragged.sections, *dragged.guides) < 0.01


@pytest.mark.parametrize("turns", [[1.2], [1.2, 4.0], [0.03], [-0.5]])
def test_a_tube_along_guides_comes_round_smoothly(turns):
    """Ovals that are guided out of their skin, also over the joint where they begin."""
    rings = [ring(h, 0.0, r) for h, r in ((0, 20), (30, 26), (60, 22))]
    z, guides = np.linspace(0, 60, 31), []
    wide = np.polyval(np.polyfit([0, 30, 60], [20, 26, 22], 2), z) + np.sin(np.pi * z / 30)
    for angle in turns:
        # One that begins before the joint ends as far behind it.
        way = angle * np.cos(np.pi * z / 60) if angle < 0 else angle + 0 * z
        points = np.column_stack([wide * np.cos(way), 0.6 * wide * np.sin(way), z])
        guides.append(through_points(points, 3))
    on_rings = [nearest(g, r).gap for g in guides for r in rings]
    made = loft(rings, 100.0, guides=guides)
    assert max(made.sections) < 0.002
    assert max(made.guides) < 0.005 + max(on_rings)
    d = surface_grid(made.surface, np.array([0.0, 1.0]), np.linspace(0, 1, 41), 2)
    n, bend = curvatures(d)
    assert np.abs(d[0, 0][0] - d[0, 0][1]).max() < 1e-9
    assert np.degrees(np.linalg.norm(n[0] - n[1], axis=1)).max() < 1e-3
    assert np.abs(bend.mean[0] - bend.mean[1]).max() < 1e-4


def test_a_guide_that_cannot_be_followed_is_told():
    """It has a corner, and the surface has none."""
    sections = [Curve.line([0, y, 0], [100, y, 0]) for y in (0.0, 30.0, 60.0)]
    corner = Curve(1, np.array([0, 0, 0.25, 0.5, 1, 1]), [[50, 0, 0], [50, 15, 8], [50, 30, 0], [50, 60, 0]])
    made = loft(sections, 120.0, guides=[corner])
    assert max(made.sections) < 0.003 < 0.005 < made.guides[0] < 1.0
    assert made.warnings[0].startswith(f"Guide 1 is missed by {made.guides[0]:.3f} mm")


@pytest.mark.parametrize("count", [1, 3])
def test_unlike_closed_sections_are_led_along_guides_and_stay_as_they_are(count):
    """One fit of all on 40 to 70 columns left .02 to 1 mm, and took seconds."""
    up, right = np.array([0, 0, 1.0]), np.array([1.0, 0, 0])
    rings = [
        ellipse(np.zeros(3), up, (30, 30), right),
        rounded_rectangle(np.array([0, 0, 70.0]), up, (64, 50), 12, 0.5),
        ellipse(np.array([5, 0, 150.0]), up, (34, 24), right),
    ]
    skin = loft(rings, 200.0)
    v, guides = np.linspace(0, 1, 401), []
    bow = 2.0 * np.sin(np.pi * np.interp(v, skin.places, np.arange(3))) ** 2
    for u in (np.arange(count) + 0.3) / count:
        d = surface_derivatives(skin.surface, np.full(401, u), v, 1)
        guides.append(through_points((d[0, 0] + bow[:, None] * normals(d))[::10], 3))
    made = loft(rings, 200.0, guides=guides)
    assert max(made.sections) < 0.002
    assert max(made.guides) < 0.005
    assert not made.warnings
    apart = to_surface(made.surface, curve_points(rings[1], np.linspace(*rings[1].domain, 301))).distance
    assert apart.max() < 0.002
    # Far from the guides it does not run away.
    t = np.linspace(0, 1, 61)
    moved = surface_grid(made.surface, t, t)[0, 0] - surface_grid(skin.surface, t, t)[0, 0]
    assert np.linalg.norm(moved, axis=-1).max() < 4.0
    _, bend = curvatures(surface_grid(made.surface, np.array([0.0, 1.0]), t, 2))
    assert np.abs(bend.mean[0] - bend.mean[1]).max() < 1e-4


def test_rational_sections_take_guides_and_neighbours():
    """They were refused."""

    def arc(y: float, radius: float) -> Curve:
        control = [[radius, y, 0], [radius, y, radius], [0, y, radius]]
        return Curve(2, np.array([0.0, 0, 0, 1, 1, 1]), np.array(control), np.array([1, np.sqrt(0.5), 1]))

    arcs = [arc(y, r) for y, r in ((0, 40), (50, 46), (100, 42))]
    skin = loft(arcs, 200.0)
    assert skin.surface.weights is not None
    v = np.linspace(0, 1, 41)
    lifted = surface_grid(skin.surface, np.array([0.4]), v)[0, 0, 0] * (1 + 0.02 * np.sin(2 * np.pi * v) ** 2)[:, None]
    made = loft(arcs, 200.0, guides=[through_points(lifted, 3)])
    assert made.surface.weights is None
    assert max(*made.sections, *made.guides) < 0.003
    deck = Face(Surface.bezier([[[40, -60, 0], [40, 0, 0]], [[40, -60, 40], [40, 0, 40]], [[0, -60, 40], [0, 0, 40]]]))
    met = loft([deck.edge("v1"), *arcs[1:]], 200.0, ends=(LoftEnd(order=2), FREE))
    assert met.ends["v0"]["angle"] < 0.005
    assert met.ends["v0"]["curvature"] < 0.5


def test_kinked_sections_are_led_and_what_folds_is_told():
    def frame(z: float, w: float, h: float) -> Curve:
        corners = [[-w, -h, z], [w, -h, z], [w, h, z], [-w, h, z], [-w, -h, z]]
        return Curve(1, np.array([0, 0, 0.25, 0.5, 0.75, 1, 1]), np.array(corners, dtype=float))

    frames = [frame(0, 30, 20), frame(50, 34, 25), frame(100, 28, 22)]
    skin = loft(frames, 200.0)
    assert not skin.warnings
    v = np.linspace(0, 1, 41)
    bowed = surface_grid(skin.surface, np.array([0.3]), v)[0, 0, 0]
    bowed[:, 0] += np.sin(2 * np.pi * v) ** 2
    made = loft(frames, 200.0, guides=[through_points(bowed, 3)])
    assert not made.warnings
    assert max(*made.sections, *made.guides) < 0.002
    over = [Curve.line([0, 0, 0], [100, 0, 0]), Curve.line([0, 30, 0], [100, -20, 0])]
    assert "folds over itself near" in " ".join(loft(over, 200.0).warnings)
