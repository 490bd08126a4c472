"""Holes are found where one points; what is no hole, or does not close, is told."""

import re

import numpy as np
import pytest
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCone
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

from pamble.core.corners.corner import lay_out
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.shapes import face_from_shape, shape_faces
from pamble.core.faces.to_shape import face_to_shape
from pamble.core.faces.trim import Cutter, divide
from pamble.core.patches.between import one_patch
from pamble.core.patches.hole import find_hole, hole_beside, hole_seen
from pamble.core.patches.loop import Asked
from pamble.core.patches.trimmed import trimmed_patch
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.surface import Surface
from tests.core.patches.grounds import edge, ground, hole, window
from tests.other_library import shape_area


def pierced(surface: Surface, *holes) -> Face:
    """A face with loops of edges cut out."""
    cutters = [Cutter(f"h{i}{k}", "edge", e.space) for i, loop in enumerate(holes) for k, e in enumerate(loop)]
    cut = divide(Face(surface), cutters, 1e-4)
    return cut.holding([cut.regions[0].number])[0]


def test_of_many_edges_that_meet_in_corners_those_round_the_hole_are_taken():
    edges = window(ground(1, 60))
    faces = [Face(e.surface) for e in edges]
    middle = edges[0].space.control.mean(axis=0) + np.array([0, 60, -10])
    found = find_hole(faces, middle, 0.25)
    assert {(s.face, s.edge.side) for s in found.sides} == {(0, "v1"), (1, "u0"), (2, "v0"), (3, "u1")}
    assert found.gap < 1e-9
    shifted = [
        *faces[:2],
        Face(faces[2].surface.with_control(faces[2].surface.control + np.array([0, 0, 0.08]))),
        faces[3],
    ]
    assert find_hole(shifted, middle, 0.25).gap == pytest.approx(0.08, abs=1e-6)


def test_the_hole_under_the_pointer_is_found_among_several_and_filled_with_curvature():
    known = ground(4, 30, 9)
    moved = hole(known, 5, radius=0.12, centre=(0.3, 0.6)), hole(known, 3, radius=0.12, centre=(0.72, 0.4))
    face = pierced(known, *moved)
    assert len(face.loops) == 3
    for at, sides in (((0.3, 0.6), 5), ((0.72, 0.4), 3)):
        found = find_hole([face], surface_points(known, [at[0]], [at[1]])[0], 0.25)
        assert len(found.sides) == sides
        made = trimmed_patch([Asked(s.edge) for s in found.sides], 500.0)
        assert max(s.angle for s in made.sides) < 0.003
        assert max(s.curvature for s in made.sides) < 0.3


def test_the_hole_that_is_looked_into_is_the_one_nearest_to_the_eye():
    known = ground(4, 30, 9)
    face = pierced(
        known, hole(known, 5, radius=0.12, centre=(0.3, 0.6)), hole(known, 3, radius=0.12, centre=(0.72, 0.4))
    )
    behind = Face(face.surface.with_control(face.surface.control - [0, 0, 90]))
    behind = pierced(behind.surface, hole(behind.surface, 4, radius=0.2, centre=(0.3, 0.6)))
    part, up = [face, behind], np.array([0.0, 0.0, 1.0])
    five, three = (surface_points(known, [u], [v])[0] for u, v in ((0.3, 0.6), (0.72, 0.4)))
    for at, sides, number in ((five, 5, 0), (three, 3, 0)):
        # From above, from far off, and from below, where the hole behind comes first.
        found = hole_seen(part, at + 4000 * up, up, 0.25)
        assert (len(found.sides), {s.face for s in found.sides}) == (sides, {number})
    assert {s.face for s in hole_seen(part, five, -up, 0.25).sides} == {1}
    # Slanting, by twice the slope of the panel; and past both.
    slant = np.array([0.5, 0.2, 1.0])
    assert len(hole_seen(part, five + 700 * slant, slant, 0.25).sides) == 5
    with pytest.raises(GeometryError, match="No hole lies under the pointer"):
        hole_seen(part, surface_points(known, [0.5], [0.1])[0], up, 0.25)
    # A face that is seen before it covers a hole.
    with pytest.raises(GeometryError, match="No hole lies under the pointer"):
        hole_seen(part, three + 500 * up, up, 0.25, hidden=-300.0)


def test_a_border_is_no_hole_and_an_open_loop_is_told_with_its_gap():
    whole = Face(ground(2, 30))
    with pytest.raises(GeometryError, match="No hole lies round"):
        find_hole([whole], np.array([200.0, 150.0, 0.0]), 0.25)
    edges = window(ground(1, 60))
    with pytest.raises(GeometryError, match=r"No hole lies round|No loop of open edges closes"):
        find_hole([Face(e.surface) for e in edges[:2]], np.array([200.0, 150.0, 80.0]), 0.25)


def test_an_edge_leads_round_the_hole_that_it_borders():
    known = ground(4, 30, 9)
    face = pierced(
        known, hole(known, 5, radius=0.12, centre=(0.3, 0.6)), hole(known, 3, radius=0.12, centre=(0.72, 0.4))
    )
    edge = next(e for e in face.edges if e.name.startswith("h1"))
    found = hole_beside([face], 0, edge, 0.25)
    assert {s.edge.name[:2] for s in found.sides} == {"h1"}
    assert len(found.sides) == 3
    with pytest.raises(GeometryError, match="outer border"):
        hole_beside([face], 0, next(e for e in face.edges if e.name == "u0"), 0.25)


def test_a_patch_passes_curves_and_points_inside_and_says_which_it_cannot():
    known = ground(4, 30, 9)
    sides = [Asked(e) for e in hole(known, 5, radius=0.12, centre=(0.3, 0.6))]
    plain = trimmed_patch(sides, 500.0)
    point = surface_points(known, [0.3], [0.6])[0] + np.array([0, 0, 0.8])
    u = np.linspace(0.26, 0.34, 9)
    lifted = trimmed_patch(sides, 500.0, through=[point])
    assert to_surface(plain.face.surface, point[None]).distance[0] > 0.5
    assert to_surface(lifted.face.surface, point[None]).distance[0] < 0.005
    assert lifted.warnings == ()
    assert max(s.angle for s in lifted.sides) < 0.005
    assert max(s.curvature for s in lifted.sides) < 1.0
    bowed = surface_points(known, u[[0, 3, 5, 8]], np.full(4, 0.6)) + np.outer([0, 1, 1, 0], [0, 0, 0.4])
    line = Curve(3, basis.uniform_knots(3, 1), bowed)
    over = trimmed_patch(sides, 500.0, through=[line])
    off = to_surface(over.face.surface, curve_points(line, np.linspace(0, 1, 40))).distance
    assert off.max() < 0.005
    # Beside a side that is met with curvature there is no room.
    side = curve_points(sides[0].source.space, [0.5])[0]
    with pytest.raises(GeometryError, match="or move what it passes inside"):
        trimmed_patch(sides, 500.0, spans=2, through=[side + np.array([0, 0, 3.0])])
    near = side + np.array([0, 0, 0.05])
    missed = trimmed_patch(sides, 500.0, spans=2, through=[near])
    assert any("A point inside is missed by" in w for w in missed.warnings)


@pytest.mark.parametrize("order", [1, 2])
@pytest.mark.parametrize("seed", [1, 2])
def test_a_round_hole_in_a_cubic_sheet_of_many_knots_is_filled(seed, order):
    """Nothing but its rim leads the patch: it must not slide away from the hole, and what is trimmed away may fold."""
    rng = np.random.default_rng(seed)
    knots = basis.uniform_knots(3, 6)
    x, y = np.meshgrid(120 * basis.greville(knots, 3), 120 * basis.greville(knots, 3), indexing="ij")
    z = 8 * np.sin(x / 35 + seed) * np.cos(y / 40) + rng.normal(0, 0.15, x.shape)
    sheet = Surface(3, 3, knots, knots, np.dstack([x, y, z]))
    sides = [Asked(e, order) for e in hole(sheet, 3, bulge=0.29, radius=0.15)]
    made = trimmed_patch(sides, 170.0)
    assert {s.number for s in made.sides} == {0, 1, 2}
    assert max(s.gap for s in made.sides) < 0.002
    assert max(s.angle for s in made.sides) < 0.04


@pytest.mark.parametrize(("dent", "said"), [(0.45, "Sides 1 and 3 touch"), (0.28, None)])
def test_a_rim_that_crosses_itself_is_told_with_the_place(dent, said):
    known = ground(1, 60)
    a, b, c, d = ((0.3, 0.3), (0.7, 0.3), (0.7, 0.5), (0.3, 0.5))
    # The first side swings towards the third, across it at about a fifth of its length or short of it.
    ways = [(a, (a[0] + 0.13, 0.3 + 0.8 * dent), (b[0] - 0.13, 0.3 + 0.8 * dent), b), (b, c), (c, d), (d, a)]
    asked = [Asked(edge(known, f"e{k}", *way, inward=-1.0), 1) for k, way in enumerate(ways)]
    if said is None:
        assert max(s.angle for s in trimmed_patch(asked, 500.0).sides) < 0.01
        return
    for fills in (trimmed_patch, lay_out):
        with pytest.raises(GeometryError, match=said) as told:
            fills(asked, 500.0)
        near = np.array([float(x) for x in re.search(r"near \((.*?)\)", str(told.value))[1].split(",")])
        # Both lie on the panel, and the third is straight there.
        assert near[1] == pytest.approx(150.0, abs=0.02)
        assert to_surface(known, near[None]).distance[0] < 0.01


def test_an_edge_that_crosses_itself_is_told():
    known = ground(1, 60)
    loop = edge(known, "loop", (0.3, 0.3), (0.9, 0.7), (0.1, 0.7), (0.7, 0.3), inward=-1.0)
    rest = edge(known, "rest", (0.7, 0.3), (0.3, 0.3), inward=-1.0)
    with pytest.raises(GeometryError, match="Side 1 crosses itself"):
        trimmed_patch([Asked(loop), Asked(rest)], 500.0)


def test_the_quick_form_lies_along_its_sides_and_is_as_large_as_the_one_that_is_kept():
    known = ground(3, 40)
    kept = one_patch([Asked(e) for e in hole(known, 5)], 500.0)
    assert not kept.face.natural
    control = known.control.copy()
    control[3, 3, 2] += 1.5
    asked = [Asked(e) for e in hole(known.with_control(control), 5)]
    quick, exact = one_patch(asked, 500.0, before=kept.face), one_patch(asked, 500.0)
    assert max(s.angle for s in quick.sides) < 0.005
    assert [s.patch_side for s in quick.sides] == [s.patch_side for s in exact.sides]
    for e in quick.face.edges:
        t = np.linspace(*e.domain, 57)
        there = surface_points(quick.face.surface, *curve_points(e.pcurve, t).T)
        assert np.linalg.norm(there - curve_points(e.space, t), axis=1).max() < 0.002
    one, other = (shape_area(face_to_shape(m.face)) for m in (quick, exact))
    assert one == pytest.approx(other, rel=1e-6)


def test_an_edge_shorter_than_what_is_taken_for_a_gap_is_a_side_of_its_hole():
    def beside(a: tuple[float, float], b: tuple[float, float]) -> Face:
        out = 0.3 * (np.array(a) + b)
        rows = [[[*a, 0.0], [*b, 0.0]], [[*(a + out), 0.0], [*(b + out), 0.0]]]
        return Face(Surface.bezier(rows))

    corners = [(-10.0, -10.0), (10.0, -10.0), (10.0, 9.9), (9.9, 10.0), (-10.0, 10.0)]
    faces = [beside(a, b) for a, b in zip(corners, corners[1:] + corners[:1], strict=True)]
    found = find_hole(faces, np.zeros(3), 0.25)
    assert len(found.sides) == 5
    assert found.gap < 1e-9


def test_a_hole_with_one_round_edge_and_one_at_right_angles_to_its_faces_are_found():
    axes = gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))
    wall = [face_from_shape(f) for f in shape_faces(BRepPrimAPI_MakeCone(axes, 20.0, 10.0, 15.0).Shape())]
    wall = [f for f in wall if len({e.name for e in f.edges}) > 1]
    assert len(wall) == 1
    assert find_hole(wall, np.array([0.0, 0.0, 15.0]), 0.25).length == pytest.approx(2 * np.pi * 10, rel=1e-2)
    box = [face_from_shape(f) for f in shape_faces(BRepPrimAPI_MakeBox(30.0, 20.0, 10.0).Shape())]
    for gone in box:
        rest = [f for f in box if f is not gone]
        middle = np.mean([curve_points(e.space, [0.5 * sum(e.space.domain)])[0] for e in gone.edges], axis=0)
        found = find_hole(rest, middle, 0.25)
        around = [k for k, f in enumerate(rest) if any(near(e, o) for e in f.edges for o in gone.edges)]
        assert sorted(s.face for s in found.sides) == around


def near(one, other) -> bool:
    middles = [curve_points(e.space, [0.5 * sum(e.space.domain)])[0] for e in (one, other)]
    return bool(np.linalg.norm(middles[0] - middles[1]) < 1e-6)
