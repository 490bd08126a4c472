"""Holes cut from known surfaces, laid out in patches: seams to G2 hub included, the known shape given back."""

import numpy as np
import pytest

from pamble.core.corners.calm import unrest
from pamble.core.corners.corner import lay_out
from pamble.core.corners.layouts import halves, of_kind, proposed, spokes, strip
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge
from pamble.core.patches.loop import Asked
from pamble.core.patches.running import taken_together
from pamble.core.patches.trimmed import trimmed_patch
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_grid, surface_points
from pamble.core.spline.knots import curve_part, reverse_curve, surface_part, swap_directions
from tests.core.patches.grounds import edge, ground, hole, wavy
from tests.core.trace.panels import interpolated


def ball(u, v):
    a, b = 1.8 * (u - 0.5), 1.8 * (v - 0.5)
    return 40 * np.stack([np.sin(a) * np.cos(b), np.sin(b), np.cos(a) * np.cos(b)], -1)


def ellipsoid(u, v):
    return ball(u, v) * [0.7, 1.3, 1.0]


def torus(u, v):
    a, b = 1.5 * u, 3 * v + 1
    return np.stack([(80 + 25 * np.cos(b)) * np.cos(a), (80 + 25 * np.cos(b)) * np.sin(a), 25 * np.sin(b)], -1)


def enneper(u, v):
    x, y = 1.6 * (u - 0.5), 1.6 * (v - 0.5)
    return 40 * np.stack([x - x**3 / 3 + x * y * y, y - y**3 / 3 + y * x * x, x * x - y * y], -1)


def worst(made):
    rows = [*made.sides, *made.inside]
    return [max(getattr(r, figure) for r in rows) for figure in ("gap", "angle", "curvature")]


def test_every_layout_has_patches_of_four_sides_and_uses_every_arc():
    # Counted by hand for four sides: one patch, two halves, a hub of four middles, two of middles and corners, ...
    assert [len(proposed(n)) for n in range(3, 8)] == [1, 8, 16, 21 + 12, 29 + 14]
    # A strip across: between half sides of six, beside a whole one of seven; of eight, it runs on from a side.
    assert [len([w for w in proposed(n) if w.name.startswith("strip")]) for n in range(5, 9)] == [0, 12, 14, 4]
    for n in range(3, 9):
        ways = proposed(n)
        assert len({w.name for w in ways}) == len(ways)
        for way in ways:
            used = [arc for patch in way.patches for arc, _ in patch]
            assert all(len(patch) == 4 for patch in way.patches)
            assert all(used.count(k) == (2 if arc.inner else 1) for k, arc in enumerate(way.arcs))
    with pytest.raises(GeometryError, match="it needs four"):
        spokes(5, [("middle", 0), ("middle", 2), ("middle", 4)])
    with pytest.raises(GeometryError, match="each needs four"):
        halves(5, ("corner", 0), ("corner", 2))
    with pytest.raises(GeometryError, match="four sides each"):
        strip(6, [("corner", 0), ("corner", 2), ("corner", 3), ("corner", 5)])


@pytest.mark.parametrize(
    ("shape", "sides", "kind", "off"),
    [
        (ball, 3, "spokes", 0.01), (ellipsoid, 5, "spokes", 0.01), (torus, 6, "spokes", 0.02),
        (enneper, 4, "two", 0.01), (ball, 8, "spokes", 0.01), (torus, 6, "strip", 0.02), (ellipsoid, 8, "strip", 0.02),
    ],
)  # fmt: skip
def test_holes_in_known_surfaces_are_filled_with_curvature_hub_included(shape, sides, kind, off):
    known = interpolated(shape, 9, 9)
    made = lay_out(
        [Asked(e, 2) for e in hole(known, sides, bulge=0.03)],
        known.diagonal,
        of_kind(sides, kind)[-1:],
    )
    gap, angle, curvature = worst(made)
    assert gap < 0.002
    assert angle < 0.003
    assert curvature < 0.8
    t = np.linspace(0, 1, 9)
    cloud = np.vstack([surface_grid(f.surface, t, t)[0, 0].reshape(-1, 3) for f in made.faces])
    assert to_surface(known, cloud).distance.max() < off
    assert all(max(f.surface.control.shape[:2]) <= 7 for f in made.faces)


def test_patches_share_their_seams_exactly_and_meet_a_side_as_it_asks():
    known = ground(3, 60)
    edges = hole(known, 5)
    made = lay_out([Asked(e, g) for e, g in zip(edges, (2, 1, 0, 2, 2), strict=True)], 500.0)
    assert max(s.gap for s in made.inside) < 1e-9
    by_order = {g: [s for s in made.sides if s.order == g] for g in (0, 1, 2)}
    assert max(s.curvature for s in by_order[2]) < 0.8
    assert max(s.angle for s in by_order[1]) < 0.003
    assert max(s.gap for s in by_order[0]) < 0.002
    # A patch starts on the hub that all share.
    corners = [f.surface.control[i, j] for f in made.faces for i in (0, -1) for j in (0, -1)]
    assert (
        sum(
            np.linalg.norm(c - corners, axis=1).min() >= 0
            and (np.linalg.norm(c - np.array(corners), axis=1) < 1e-12).sum() == 5
            for c in corners
        )
        == 5
    )


def test_the_hub_is_held_where_it_is_put_and_the_seams_still_hold():
    known = ground(2, 60)
    asked = [Asked(e, 2) for e in hole(known, 5)]
    free = lay_out(asked, 500.0)
    hub = free.faces[0].surface.control[0, -1]
    to = surface_points(known, *(np.array([x]) for x in (hub[0] / 400 + 0.03, hub[1] / 300 + 0.02)))[0]
    held = lay_out(asked, 500.0, [free.layout], centre=to)
    assert np.linalg.norm(held.faces[0].surface.control[0, -1] - to) < 0.05
    assert worst(held)[1] < 0.003
    assert worst(held)[2] < 0.8
    with pytest.raises(GeometryError, match="from the middle of the hole, the patches fold"):
        lay_out(asked, 500.0, [free.layout], centre=hub + 600)


def test_a_wavy_side_has_closer_knots_in_its_own_ladders_alone():
    loop = [wavy(e, 0.3, 5) if k == 0 else e for k, e in enumerate(hole(ground(1, 60), 6, bulge=0.05))]
    made = lay_out([Asked(e, 2) for e in loop], 500.0, of_kind(6, "spokes"))
    gap, angle, curvature = worst(made)
    # Three even spans in every patch, the most there were, leave .034 mm, .0125° and 11 %.
    assert gap < 0.003
    assert angle < 0.003
    assert curvature < 1.0
    counts = [f.surface.control.shape[:2] for f in made.faces]
    assert sum(max(c) > 10 for c in counts) == 4
    assert (6, 6) in counts
    # What faces each other carries one row of knots, in one sense.
    assert max(s.gap for s in made.inside) < 1e-9


def test_a_turned_part_is_filled_alike():
    known = ground(5, 60)
    q, _ = np.linalg.qr(np.random.default_rng(2).normal(size=(3, 3)))
    moved = known.with_control(known.control @ q.T + [7, -3, 90])
    a, b = (lay_out([Asked(e, 2) for e in hole(s, 5)], 500.0, spans=1) for s in (known, moved))
    for one, other in zip(a.faces, b.faces, strict=True):
        assert other.surface.control == pytest.approx(one.surface.control @ q.T + [7, -3, 90], abs=5e-3)


def test_neighbours_that_contradict_each_other_at_a_corner_are_named():
    known = ground(4, 60)
    loop = hole(known, 5)
    (u0, v0), (u1, v1) = curve_points(loop[2].pcurve, [0, 1])

    def lifted(u, v):
        # Nothing to first order at both corners, and a curvature of their own there.
        height = 400 * ((u - u0) ** 2 + (v - v0) ** 2) * ((u - u1) ** 2 + (v - v1) ** 2)
        return np.stack([0 * u, 0 * u, height], -1)

    bent = known.with_control(known.control + interpolated(lifted, 2, 2).control)
    mixed = [*loop[:2], hole(bent, 5)[2], *loop[3:]]
    made = lay_out([Asked(e, 2) for e in mixed], 500.0)
    assert len(made.warnings) == 3
    assert all("contradict each other" in w for w in made.warnings[:2])
    assert "Side 4 is met no better than" in made.warnings[2]


def test_light_is_calm_on_balls_and_cylinders_and_not_where_curvature_changes():
    part = surface_part(interpolated(ball, 12, 12), (0.2, 0.8), (0.2, 0.8))
    tube = interpolated(lambda u, v: np.stack([40 * np.sin(u), 70 * v, 40 * np.cos(u)], -1), 6)
    wave = interpolated(lambda u, v: np.stack([100 * u, 100 * v, 5 * np.sin(6 * u)], -1), 8)
    assert max(unrest([part]), unrest([tube])) < 0.02
    assert unrest([wave]) > 0.5
    # A number without a unit: the same at any size.
    assert unrest([wave.with_control(3 * wave.control)]) == pytest.approx(unrest([wave]), rel=1e-9)


def in_two(edge, share=0.4):
    """An edge as two, the second of a face that shows its other side and runs the other way across."""
    a, b = edge.domain
    m = a + share * (b - a)
    p = curve_part(edge.pcurve, m, b)
    turned = Curve(p.degree, p.knots, p.control[:, ::-1])
    first = Edge(edge.surface, "first", curve_part(edge.pcurve, a, m), edge.inward, curve_part(edge.space, a, m))
    second = Edge(swap_directions(edge.surface), "second", turned, -edge.inward, curve_part(edge.space, m, b))
    return [second, first]


@pytest.mark.parametrize("build", ["laid out", "trimmed"])
def test_edges_that_run_on_are_one_side_and_give_the_same_patches(build):
    known = ground(8, 40)
    whole = hole(known, 5, bulge=0.05)
    parted = [*in_two(whole[0]), *whole[1:3], *in_two(whole[3], 0.7), whole[4]]
    sides = taken_together([Asked(e, 2) for e in parted])
    assert [sorted(m) for m in sides.members] == [[0, 1], [2], [3], [4, 5], [6]]
    left = taken_together([Asked(e, 1 if i == 1 else 2) for i, e in enumerate(parted)])
    assert len(left.asked) == 6  # unlike continuities stay two sides
    made = (lay_out if build == "laid out" else trimmed_patch)(sides.asked, known.diagonal)
    rows = made.sides
    assert max(r.gap for r in rows) < 0.002
    assert max(r.angle for r in rows) < 0.003
    assert max(r.curvature for r in rows) < 0.8
    for face in made.faces if build == "laid out" else [made.face]:
        inner = np.vstack([curve_points(e.space, np.linspace(*e.space.domain, 9)) for e in face.edges])
        assert to_surface(known, inner).distance.max() < 0.01


def test_seams_run_along_curves_that_are_given_and_meet_where_they_end():
    known = ground(3, 40)
    edges = hole(known, 5)
    asked = [Asked(e, 2) for e in edges]
    hub = np.array([0.53, 0.48])

    def spoke(side, share, bend):
        start = curve_points(edges[side].pcurve, [share])[0]
        way = (hub - start) / 3
        aside = bend * np.array([-way[1], way[0]])
        return edge(known, "c", start, start + way + aside, start + 2 * way + aside, hub).space

    along = [spoke(0, 0.4, 0.4), reverse_curve(spoke(2, 0.6, -0.2))]
    made = lay_out(asked, 500.0, of_kind(5, "spokes"), along=along)
    gap, angle, curvature = worst(made)
    assert gap < 0.002
    assert angle < 0.003
    assert curvature < 0.8
    assert made.missed < 0.001
    seams = [f.surface.control[:, -1] for f in made.faces] + [f.surface.control[-1] for f in made.faces]
    end = surface_points(known, *hub[:, None])[0]
    assert min(np.linalg.norm(row - end, axis=1).min() for row in seams) < 0.01
    feet = {v.side: v.t for v in made.layout.vertices if v.kind == "foot"}
    assert [feet[0], feet[2]] == pytest.approx([0.4, 0.6], abs=0.02)
    assert lay_out(asked, 500.0, along=[spoke(1, 0.0, 0.0)]).layout.anchors[0] == ("corner", 1)
    for lines, words in (
        ([spoke(1, 0.0, 0.0)], "None of these layouts has seams from corner 2 to the hub"),
        ([spoke(0, 0.4, 0.0), edge(known, "c", (0.3, 0.5), (0.5, 0.5)).space], "Curve 2 leads no seam: its ends are"),
        ([spoke(0, 0.4, 0.0), curve_part(spoke(2, 0.6, 0.0), 0, 0.9)], "end .* mm apart inside the hole"),
    ):
        with pytest.raises(GeometryError, match=words):
            lay_out(asked, 500.0, of_kind(5, "spokes"), along=lines)


def test_where_a_corner_turns_into_the_hole_a_spoke_begins():
    """A corner of over 180 degrees: patches on both of its sides, none over it."""
    known = ground(4, 40)
    places = np.array([(0.72, 0.5), (0.55, 0.56), (0.5, 0.75), (0.28, 0.55), (0.45, 0.28)])
    ends = zip(places, np.roll(places, -1, axis=0), strict=True)
    asked = [Asked(edge(known, f"e{k}", a, b, inward=-1.0), 2) for k, (a, b) in enumerate(ends)]
    made = lay_out(asked, 500.0)
    assert ("corner", 1) in made.layout.anchors
    gap, angle, curvature = worst(made)
    assert gap < 0.002
    assert angle < 0.003
    assert curvature < 0.8
    with pytest.raises(GeometryError, match=r"corner near \(.*mm has 2\d\d°, and a spoke has to begin there"):
        lay_out(asked, 500.0, of_kind(5, "spokes"))
