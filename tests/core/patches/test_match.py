"""A face is matched at a side by its first rows alone; the rest stays; repeated, the change dies out."""

import numpy as np
import pytest

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face, natural_edge
from pamble.core.patches.match import halfway, match_sides
from pamble.core.patches.match_pairs import Pair
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import surface_part
from pamble.core.spline.surface import Surface
from tests.core.patches.grounds import ground, hole, knotted, wavy, window
from tests.shapes import cylinder


def spoiled(seed: int, much: float) -> Face:
    """The middle of the panel with all its CVs stirred."""
    middle = surface_part(ground(1, 60), (0.35, 0.65), (0.3, 0.7))
    stir = np.random.default_rng(seed).normal(size=middle.control.shape) * [0.5, 0.5, 1.0] * much
    return Face(middle.with_control(middle.control + stir))


def beside(edge, way: int = 1) -> Face:
    """A calm cubic face along an edge, 3 mm off it; way: on which side."""
    ends = curve_points(edge.space, edge.space.domain)
    away = way * np.cross([0, 0, 0.6], ends[1] - ends[0])
    rows = [ends[0] + x * (ends[1] - ends[0]) + [0, 0, 3] for x in np.linspace(0, 1, 4)]
    return Face(Surface.bezier([[row + y * away for y in np.linspace(0, 1, 6)] for row in rows]))


@pytest.mark.parametrize("order", [0, 1, 2, 3])
@pytest.mark.parametrize(
    ("side", "number", "theirs"), [("v0", 0, "v1"), ("u1", 1, "u0"), ("v1", 2, "v0"), ("u0", 3, "u1")]
)
def test_only_the_first_rows_move_and_the_seam_holds(order, side, number, theirs):
    face, edge = spoiled(2, 2.0), window(ground(1, 60))[number]
    assert edge.side == theirs
    made = match_sides(face, [Pair(side, edge, order)], 500.0)
    assert made.sides[0].gap < 0.002
    assert order < 1 or made.sides[0].angle < 0.005
    assert order < 2 or made.sides[0].curvature < 0.5
    assert order < 3 or made.sides[0].rate < 3.0
    assert (made.moved[: order + 1] > 0.1).all()
    assert made.moved[order + 1 :] == pytest.approx(0, abs=1e-9)
    if not made.added and not made.raised:
        rows = made.face.surface.control if side[0] == "u" else made.face.surface.control.transpose(1, 0, 2)
        old = face.surface.control if side[0] == "u" else face.surface.control.transpose(1, 0, 2)
        kept = slice(order + 1, None) if side[1] == "0" else slice(None, -order - 1)
        assert rows[kept] == pytest.approx(old[kept])


def test_what_is_matched_already_stays_and_repeating_dies_out():
    face, edge = spoiled(3, 1.0), window(ground(1, 60))[1]
    once = match_sides(face, [Pair("u1", edge, 2)], 500.0)
    again = match_sides(once.face, [Pair("u1", edge, 2)], 500.0)
    assert again.moved.max() < 0.15 * once.moved.max()
    assert once.rounds[-1] < 0.2 * once.rounds[0]


@pytest.mark.parametrize(("degree", "seed", "order"), [(5, 5, 2), (4, 6, 2), (6, 7, 3)])
def test_a_face_of_low_degree_is_raised_to_hold_the_edge_of_its_neighbour(degree, seed, order):
    rng = np.random.default_rng(seed)

    def panel(p: int, q: int, y: float) -> Surface:
        grid = np.stack(np.meshgrid(np.linspace(0, 200, p + 1), y + np.linspace(0, 120, q + 1), indexing="ij"), axis=-1)
        return Surface.bezier(np.dstack([grid, 12 * rng.uniform(-1, 1, grid.shape[:2])]))

    edge = natural_edge(panel(degree, 3, 0.0), "v1")
    made = match_sides(Face(panel(3, 5, 122.0)), [Pair("v0", edge, order)], 400.0)
    assert made.lifted == degree - 3
    assert made.ratio <= 1.0


def test_a_shorter_side_meets_its_stretch_of_a_longer_edge_and_a_trim_follows():
    known = ground(2, 40)
    long = natural_edge(surface_part(known, (0.65, 0.95), (0.1, 0.9)), "u0")
    short = surface_part(known, (0.35, 0.65), (0.35, 0.6))
    face = Face(short.with_control(short.control + np.array([0, 0, 2.0])))
    made = match_sides(face, [Pair("u1", long, 2)], 500.0)
    assert max(made.sides[0].gap, made.sides[0].angle) < 0.005
    assert made.sides[0].curvature < 0.5


def test_a_trimmed_neighbour_is_met_and_what_cannot_be_matched_is_told():
    known = ground(2, 40)
    edge = hole(known, 4, 0.03, 0.3 - np.pi / 8, 0.22)[0]
    with pytest.raises(GeometryError, match="mm apart"):
        match_sides(spoiled(1, 0.1), [Pair("u1", natural_edge(known, "u0"), 2)], 500.0)
    with pytest.raises(GeometryError, match="rational surface"):
        match_sides(Face(cylinder(30, 60)), [Pair("v0", edge, 2)], 500.0)


def test_all_sides_are_matched_at_once_and_the_inside_stays():
    face, edges = spoiled(4, 1.0), window(ground(1, 60))
    pairs = [Pair(side, edges[k], 2) for side, k in (("v0", 0), ("u1", 1), ("v1", 2), ("u0", 3))]
    made = match_sides(face, pairs, 500.0)
    for met in made.sides:
        assert met.gap < 0.002
        assert met.angle < 0.005
        assert met.curvature < 1.0
    assert made.moved[0] > 0.1
    two = match_sides(face, [pairs[1], pairs[3]], 500.0)
    assert two.ratio < 1.0
    with pytest.raises(GeometryError, match="given twice"):
        match_sides(face, [pairs[0], pairs[0]], 500.0)


def test_both_faces_move_half_of_the_way():
    known = ground(2, 40)
    left, right = surface_part(known, (0.1, 0.5), (0.1, 0.9)), surface_part(known, (0.5, 0.9), (0.1, 0.9))
    lifted = Face(right.with_control(right.control + np.array([0, 0, 2.0])))
    near = halfway(lifted, Pair("u0", natural_edge(left, "u1"), 1), 500.0)
    made = match_sides(Face(left), [Pair("u1", near.edge("u0"), 1)], 500.0)
    assert made.ratio <= 1.0
    rise = near.surface.control[0, :, 2] - right.control[0, :, 2]
    assert rise == pytest.approx(1.0, abs=0.1)


@pytest.mark.parametrize(("seed", "order"), [(0, 1), (1, 2), (2, 1), (3, 2), (5, 2)])
def test_a_face_of_other_knots_takes_those_of_its_neighbours_edge(seed, order):
    mine, theirs = knotted(seed)
    made = match_sides(mine, [Pair("v0", theirs.edge("v0"), order)], 300.0)
    assert made.added > 0
    (seam,) = made.sides
    assert seam.gap < 0.0002
    assert seam.angle < 0.005
    assert order < 2 or seam.curvature < 0.6


def test_a_cubic_side_follows_a_trimmed_edge_in_few_spans_and_holds_while_it_is_dragged():
    """Cubic spans alone took it to 9 CVs and left .05°."""
    edge = hole(ground(1, 60), 4, bulge=0.1, radius=0.3)[0]
    face = beside(edge)
    made = match_sides(face, [Pair("v0", edge, 2)], 500.0)
    assert made.ratio <= 1.0
    assert made.lifted == 2
    assert made.added <= 3
    pulled = Face(face.surface.with_control(face.surface.control + np.array([1.0, -0.5, 2.0])))
    live = match_sides(pulled, [Pair("v0", edge, 2)], 500.0, most_added=0, before=made.face)
    assert live.face.surface.control.shape == made.face.surface.control.shape
    assert live.ratio <= 1.0
    assert match_sides(pulled, [Pair("v0", edge, 2)], 500.0, most_added=0).ratio > 2.0
    over = beside(edge, -1)
    with pytest.raises(GeometryError, match="it lies on its neighbour's side of the edge"):
        match_sides(over, [Pair("v0", edge, 2)], 500.0)


def test_a_wavy_trimmed_edge_is_followed_in_spans_where_they_are_needed():
    """Eight spans left .05 mm, .02° and 6 %."""
    edge = wavy(hole(ground(1, 60), 4, bulge=0.1, radius=0.3)[0], 1.0, waves=4)
    face = beside(edge)
    made = match_sides(face, [Pair("v0", edge, 2)], 500.0)
    assert made.ratio <= 1.0
    assert made.added <= 20
    far = natural_edge(made.face.surface, "v1").space
    assert curve_points(far, [0, 0.3, 1]) == pytest.approx(
        curve_points(natural_edge(face.surface, "v1").space, [0, 0.3, 1])
    )
    assert match_sides(face, [Pair("v0", edge, 2)], 500.0, most_added=5).added <= 5
