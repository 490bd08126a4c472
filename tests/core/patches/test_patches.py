"""Patches are cut out of known surfaces and given back; what contradicts is named; figures are read back elsewhere."""

import numpy as np
import pytest

from pamble.core.errors import GeometryError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Edge, Face, natural_edge
from pamble.core.patches.between import patch_between
from pamble.core.patches.boundary import Folds, boundary_patch
from pamble.core.patches.loop import Asked
from pamble.core.patches.trimmed import trimmed_patch
from pamble.core.planes import plane_at
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_grid
from pamble.core.spline.knots import reverse_surface
from pamble.core.spline.surface import Surface
from tests import readback
from tests.core.patches.grounds import ground, hole, knotted, mitred, window
from tests.shapes import cylinder, panel


def worst(made, figure):
    return max(getattr(s, figure) for s in made.sides)


def off(surface: Surface, known: Surface) -> float:
    """How far a patch strays from a known surface at 900 places."""
    t = np.linspace(0, 1, 30)
    points = surface_grid(surface, t, t)[0, 0].reshape(-1, 3)
    return float(to_surface(known, points).distance.max())


@pytest.mark.parametrize(("seed", "rise"), [(0, 30), (1, 60), (2, 120), (3, 120)])
def test_a_hole_of_four_sides_gives_the_surface_back_with_few_cvs(seed, rise):
    known = ground(seed, rise, 7 if rise < 100 else 8)
    edges = window(known)
    mixed = [edges[i] for i in np.random.default_rng(seed).permutation(4)]
    made = boundary_patch([Asked(e) for e in mixed], 500.0)
    assert worst(made, "gap") < 0.002
    assert worst(made, "angle") < 0.005
    assert worst(made, "curvature") < 0.6
    assert made.face.surface.control.shape[0] * made.face.surface.control.shape[1] <= 49
    assert off(made.face.surface, known) < 0.05
    assert made.warnings == () or worst(made, "curvature") > 0.5


@pytest.mark.parametrize("edges", [window(ground(1, 60)), [f.edge("v0") for f in mitred(0.0)]], ids=["window", "dish"])
def test_sides_are_named_where_they_lie_whichever_way_the_first_neighbour_faces(edges):
    made = boundary_patch([Asked(e, 1) for e in edges], 500.0)
    for s in made.sides:
        line = edges[s.number].space
        middle = curve_points(line, [0.5 * sum(line.domain)])
        assert to_curve(made.face.edge(s.patch_side).space, middle).distance[0] < 0.002


def test_figures_are_read_back_from_the_file_by_another_library(tmp_path):
    edges = window(ground(2, 40))
    made = boundary_patch([Asked(e) for e in edges], 500.0)
    path = tmp_path / "patch.step"
    write_step([("patch", made.face), *((f"n{i}", Face(e.surface)) for i, e in enumerate(edges))], path)
    patch, *others = readback.faces(path)
    for n in others:
        seam = readback.nearest_seam(patch, n, 1 / 500)
        assert seam.gap < 0.002
        assert seam.angle < 0.005
        assert seam.curvature < 0.6


@pytest.mark.parametrize("sides", [(0, 1), (0, 2), (3, 0, 1)])
def test_sides_of_which_nothing_is_asked_are_free(sides):
    edges = window(ground(1, 60))
    made = boundary_patch([Asked(edges[i]) for i in sides], 500.0)
    assert [s.number for s in sorted(made.sides, key=lambda s: s.number)] == list(range(len(sides)))
    assert worst(made, "gap") < 0.002
    assert worst(made, "angle") < 0.005
    assert worst(made, "curvature") < 0.5


@pytest.mark.parametrize("turn", [0.3, 1.0])
def test_trimmed_neighbours_with_sides_across_their_lines(turn):
    known = ground(2, 60)
    made = boundary_patch([Asked(e) for e in hole(known, 4, 0.12, turn, 0.22)], 500.0)
    assert worst(made, "gap") < 0.003
    assert worst(made, "angle") < 0.005
    assert worst(made, "curvature") < 1.0


@pytest.mark.parametrize("sides", [2, 3, 5, 6, 8])
@pytest.mark.parametrize("rise", [20, 60])
def test_a_loop_of_any_number_of_sides_is_filled_at_once(sides, rise, tmp_path):
    known = ground(sides, rise)
    made = trimmed_patch([Asked(e) for e in hole(known, sides, 0.3 if sides == 2 else 0.08)], 500.0)
    assert len(made.face.edges) == sides
    assert worst(made, "gap") < 0.001
    assert worst(made, "angle") < 0.003
    assert worst(made, "curvature") < 0.3
    path = tmp_path / "fill.step"
    write_step([("fill", made.face)], path)
    assert len(readback.faces(path)) == 1


def test_four_sides_that_run_on_into_each_other_are_filled_by_a_trimmed_patch():
    asked = [Asked(e) for e in hole(ground(1, 40), 4, 0.2, 0.3)]
    with pytest.raises(Folds, match="would fold"):
        boundary_patch(asked, 500.0)
    made = patch_between(asked, 500.0)
    assert not made.face.natural
    assert worst(made, "angle") < 0.005
    assert worst(made, "curvature") < 0.5


def test_continuity_is_what_was_asked_and_a_curve_is_contained():
    edges = window(ground(3, 60))
    asked = [Asked(edges[0], 2), Asked(edges[1].space), Asked(edges[2], 1), Asked(edges[3], 0)]
    made = boundary_patch(asked, 500.0)
    by = {s.number: s for s in made.sides}
    assert (by[0].angle < 0.005, by[2].angle < 0.005, by[3].angle < 0.005) == (True, True, False)
    assert by[0].curvature < 0.5 < by[2].curvature
    assert max(s.gap for s in made.sides) < 0.002
    assert by[1].angle is None


def test_square_to_a_plane_the_mirror_image_goes_on_with_curvature():
    known = ground(1, 40)
    edges = window(known)
    wall = plane_at(np.array([200.0, 60.0, 0.0]), np.array([0.0, 1.0, 0.0]))
    a, b = (_square_to(wall, edges[0].space.control[-end]) for end in (0, 1))
    base = Curve.line(a.control[-1], b.control[-1])
    made = boundary_patch([Asked(edges[0], 0), Asked(a), Asked(base, square=wall.normal), Asked(b)], 500.0)
    side = next(s for s in made.sides if s.number == 2)
    assert side.square < 0.005
    assert side.gap < 0.002
    half = made.face.surface
    mirrored = half.with_control(half.control * [1, -1, 1] + [0, 2 * wall.origin[1], 0])
    edge, image = (natural_edge(s, side.patch_side) for s in (half, mirrored))
    figures = boundary_figures(edge, image)
    assert figures["angle"].value < 0.01
    assert figures["curvature"].value < 1e-6


def _square_to(wall, start):
    """A curve from a point to a wall that arrives there square to it."""
    height = wall.height(start[None])[0] * wall.normal
    end = start - height - np.array([0, 0, 12.0])
    knots = [0.0] * 4 + [1.0] * 4
    return Curve(3, knots, [start, start - height / 3, end + height / 3, end])


def boundary_figures(edge: Edge, other: Edge):
    from pamble.core.checks.measured import measure_seam
    from pamble.core.checks.seams import Seam

    return measure_seam(Seam((0, 1), edge, other, edge.domain), 500.0).worst


def test_a_corner_that_contradicts_is_named_and_the_others_are_not():
    edges = window(ground(1, 40))
    bent = np.array(edges[0].surface.control)
    bent[:, -3, 2] += 1.5 * np.linspace(0, 1, len(bent)) ** 2
    made = boundary_patch(
        [Asked(natural_edge(edges[0].surface.with_control(bent), "v1")), *map(Asked, edges[1:])], 500.0
    )
    corner = edges[0].space.control[-1]
    words = [w for w in made.warnings if "contradict" in w]
    assert len(words) == 1
    assert f"({corner[0]:.2f}, {corner[1]:.2f}, {corner[2]:.2f})" in words[0]
    assert "sides 1 and 2" in words[0]
    twin = next(c for c in made.corners if np.linalg.norm(c.point - corner) < 1e-6)
    assert twin.bends > 20
    assert max(c.bends for c in made.corners if c is not twin) < 1


def test_turning_scaling_and_reversing_the_part_changes_nothing():
    edges = window(ground(2, 50))
    plain = boundary_patch([Asked(e) for e in edges], 500.0)
    turn = np.linalg.qr(np.random.default_rng(1).normal(size=(3, 3)))[0]
    names = ("v0", "u1", "v1", "u0")

    def moved(e: Edge, i: int) -> Edge:
        s = e.surface.with_control(e.surface.control @ turn + [1000.0, -50.0, 7.0])
        if i % 2:
            return natural_edge(reverse_surface(s, "v"), e.side)
        return natural_edge(s, e.side)

    other = boundary_patch([Asked(moved(e, i)) for i, e in enumerate(edges)], 500.0)
    assert len(names) == 4
    assert worst(other, "angle") == pytest.approx(worst(plain, "angle"), rel=0.2)
    back = (other.face.surface.control - [1000.0, -50.0, 7.0]) @ turn.T
    assert off(Surface(5, 5, *[plain.face.surface.knots_u] * 2, back), plain.face.surface) < 0.005


def test_a_patch_on_a_ring_follows_a_cylinder_round():
    ring = cylinder(60, 200)
    edges = window(ring, (0.1, 0.2), (0.35, 0.65))
    made = boundary_patch([Asked(e) for e in edges], 300.0)
    d = surface_derivatives(made.face.surface, [0.5], [0.5])[0, 0][0]
    assert off(made.face.surface, ring) < 0.01, d
    assert worst(made, "curvature") < 0.6


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize(("ahead", "up"), [(60, 0), (60, 60), (30, -40)])
def test_between_two_edges_it_runs_from_face_to_face(order, ahead, up):
    deck = panel(lambda x, y: (x, y, 8 * np.sin(x / 60) + 0.001 * x * y), (5, 5), (0, 240), (0, 80))
    far = panel(
        lambda x, y: (x, 80 + ahead + 4 * np.sin(x / 70) + y, up + 8 * np.sin(x / 60)), (5, 5), (0, 240), (0, 70)
    )
    made = boundary_patch([Asked(Face(deck).edge("v1"), order), Asked(Face(far).edge("v0"), order)], 300.0)
    assert worst(made, "angle") < 0.001
    rows = surface_grid(made.face.surface, np.array([0.5]), np.linspace(0, 1, 40))[0, 0, 0]
    assert (np.diff(rows[:, 1]) > 0).all()


@pytest.mark.parametrize("seed", [0, 1, 4])
def test_edges_of_many_knots_lend_the_patch_theirs(seed):
    asked = [Asked(face.edge("v0"), 2) for face in knotted(seed)]
    made = boundary_patch(asked, 300.0)
    assert worst(made, "gap") < 0.0002
    assert worst(made, "angle") < 0.006
    assert worst(made, "curvature") < 1.0
    # Live work takes them at once.
    at_once = boundary_patch(asked, 300.0, spans=made.face.surface.spans, lends=True)
    assert len(at_once.tried) == 1
    assert at_once.face.surface.control == pytest.approx(made.face.surface.control, abs=1e-9)
    rng, knots = np.random.default_rng(seed), basis.uniform_knots(3, 6)
    x, y = np.meshgrid(200 * basis.greville(knots, 3), 160 * basis.greville(knots, 3), indexing="ij")
    sheet = Surface(3, 3, knots, knots, np.dstack([x, y, 12 * np.sin(x / 100) + rng.normal(0, 1.2, x.shape)]))
    made = boundary_patch([Asked(e) for e in window(sheet)], 300.0)
    assert worst(made, "gap") < 1e-5
    assert worst(made, "angle") < 1e-4
    assert worst(made, "curvature") < 0.05


def test_sides_that_do_not_follow_each_other_are_told_by_how_much():
    edges = window(ground(0, 30))
    end = edges[2].space.control[0]
    away = Curve.line(end + np.array([0, 0, 3.0]), end + np.array([-40, 0, 3.0]))
    with pytest.raises(GeometryError, match=r"do not meet: their ends are .* mm apart, near"):
        boundary_patch([Asked(edges[0]), Asked(edges[1]), Asked(away), Asked(edges[3])], 500.0)
    with pytest.raises(GeometryError, match="two, three or four"):
        boundary_patch([Asked(edges[0])], 500.0)
    with pytest.raises(GeometryError, match="do not meet"):
        trimmed_patch([Asked(e) for e in edges[:3]], 500.0)
