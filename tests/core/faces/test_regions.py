"""Regions of a face: areas that add up, borders on their curves, names, and what is said of a bad cutter."""

import re

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.regions.arrange import arrange
from pamble.core.faces.regions.choose import Pick, chosen, complaints, regions
from pamble.core.faces.regions.cut import faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.faces.shapes import face_from_shape, shape_faces
from pamble.core.faces.twins import twin
from pamble.core.spline import Curve, basis
from pamble.core.spline.evaluate import curve_points, surface_points
from tests.other_library import face_area
from tests.shapes import panel

FACE = Face(panel(lambda x, y: (x, y, 0.001 * x * y)))


def cutter(name, curve, face=FACE):
    return Source(name, curve, twin(face.surface, curve, 1e-6), cutter=name, label=name.upper())


def laid(*cutters, face=FACE):
    made = arrange([*border_sources(face), *cutters], plane_scale(face.surface))
    return made, regions(made, face.surface)


def circle(centre, radius):
    """A whole circle in the parameter plane (The NURBS Book, section 7.5)."""
    w = np.sqrt(0.5)
    ring = [(1, 0), (1, 1), (0, 1), (-1, 1), (-1, 0), (-1, -1), (0, -1), (1, -1), (1, 0)]
    knots = [0, 0, 0, 0.25, 0.25, 0.5, 0.5, 0.75, 0.75, 1, 1, 1]
    return Curve(2, knots, np.array(ring) * radius + np.array(centre), [1, w, 1, w, 1, w, 1, w, 1])


def wave(seed, spans=4):
    """A wavy curve from the left of the unit square to its right."""
    rng = np.random.default_rng(seed)
    knots = basis.uniform_knots(3, spans)
    x = np.linspace(-0.1, 1.1, spans + 3)
    return Curve(3, knots, np.column_stack([x, rng.uniform(0.05, 0.95, spans + 3)]))


def test_a_disc_has_the_area_of_its_circle():
    made, found = laid(cutter("k", circle((0.5, 0.5), 0.2)))
    ring, disc = found
    scale = plane_scale(FACE.surface)
    assert made.area[disc.number] == pytest.approx(np.pi * 0.04 * scale[0] * scale[1], rel=1e-12)
    # On the surface, as a lattice sees it.
    assert disc.area == pytest.approx(face_area(faces_of(FACE.surface, made, [disc.number])[0]), rel=0.01)
    assert (disc.sides, ring.sides) == ({"k": 1}, {"k": -1})
    kept = faces_of(FACE.surface, made, [ring.number])[0]
    assert [[e.name for e in loop] for loop in kept.loops][1] == ["k"]


@settings(max_examples=60)
@given(st.lists(st.integers(0, 10_000), min_size=1, max_size=5, unique=True), st.floats(0.05, 0.45))
def test_areas_of_random_arrangements_add_up_and_pieces_lie_on_their_curves(seeds, radius):
    curves = [wave(s) for s in seeds] + [circle((0.5, 0.5), radius)]
    made, found = laid(*(cutter(f"k{i}", c) for i, c in enumerate(curves)))
    whole = float(np.prod(plane_scale(FACE.surface)))
    assert sum(made.area[r.number] for r in found) == pytest.approx(whole, rel=1e-9)
    for region in found:
        assert shapely.contains_xy(made.polygon(region.number), *(region.at * made.scale))
    for piece in made.pieces:
        source = made.sources[piece.source]
        ends = curve_points(source.curve, [piece.t0, piece.t1]) * made.scale
        assert np.abs(ends - piece.points[[0, -1]]).max() < 1e-6


@settings(max_examples=30)
@given(st.lists(st.integers(0, 10_000), min_size=2, max_size=2, unique=True))
def test_keeping_everything_gives_the_whole_face_back(seeds):
    made, found = laid(*(cutter(f"k{s}", wave(s)) for s in seeds))
    kept = faces_of(FACE.surface, made, [r.number for r in found])
    assert len(kept) == 1
    assert kept[0].natural
    assert kept[0].surface is FACE.surface


def test_edges_are_named_by_what_cut_them_and_sides_keep_their_names():
    made, found = laid(cutter("k", Curve.line([0.5, -0.1], [0.5, 1.1])))
    left = next(r for r in found if r.at[0] < 0.5)
    face = faces_of(FACE.surface, made, [left.number])[0]
    assert {e.name for e in face.edges} == {"u0", "v0", "v1", "k"}
    assert face.edge("v0").side == "v0"
    assert face.edge("k").side is None
    half = surface_points(FACE.surface, [0.5], [0.5])[0]
    away = np.abs(curve_points(face.edge("k").space, np.linspace(*face.edge("k").domain, 201)) - half).max(axis=1)
    assert away.min() < 1.0


def test_a_side_that_is_left_in_two_pieces_says_so():
    made, found = laid(cutter("k", circle((0.5, 0.0), 0.2)))
    outer = faces_of(FACE.surface, made, [found[0].number])[0]
    names = {e.name for e in outer.edges}
    assert {"u0", "u1", "v1", "v0.1of2", "v0.2of2"} < names
    assert all(n == "k" or n.startswith("k.") for n in names if n[0] == "k")


def test_regions_over_the_joint_of_a_closed_surface_are_one():
    barrel = face_from_shape(shape_faces(BRepPrimAPI_MakeCylinder(50, 150).Shape())[0])
    (u0, u1), (v0, v1) = barrel.surface.domain
    middle = 0.5 * (u0 + u1)
    crossing = Curve.line([middle, v0 - 10], [middle, v1 + 10])
    _, found = laid(cutter("k", crossing, barrel), face=barrel)
    assert len(found) == 2
    assert len({r.group for r in found}) == 1


@pytest.mark.parametrize(
    ("curve", "words"),
    [
        (Curve.line([0.2, -0.1], [0.2, 0.6]), "ends inside the face, .* short of v end: extend it"),
        (Curve.line([1.2, -0.1], [1.2, 1.1]), "does not touch the face"),
        (circle((0.5, -0.2), 0.2), "touch"),
    ],
)
def test_a_bad_cutter_is_named_with_what_is_wrong(curve, words):
    made, found = laid(cutter("k", curve))
    assert len(found) == 1
    (complaint,) = complaints(made, FACE.surface)
    assert "K" in complaint.words
    assert re.search(words, complaint.words)


def test_a_cutter_along_a_side_is_refused():
    with pytest.raises(GeometryError, match="K runs along u0 over about"):
        laid(cutter("k", Curve.line([0.0, 0.2], [0.0, 0.8])))


def test_a_region_is_found_again_by_its_sides_when_the_cutter_has_passed_its_place():
    _, found = laid(cutter("k", Curve.line([0.5, -0.1], [0.5, 1.1])))
    left = next(r for r in found if r.at[0] < 0.5)
    pick = Pick(left.at, dict(left.sides))
    moved, again = laid(cutter("k", Curve.line([0.1, -0.1], [0.1, 1.1])))
    (number,) = chosen(moved, again, [pick])
    assert next(r for r in again if r.number == number).at[0] < 0.1
