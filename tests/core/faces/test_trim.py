"""Trims against closed forms and against what OpenCASCADE reads back; changes of a face that move nothing."""

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeSphere, BRepPrimAPI_MakeTorus
from OCP.gp import gp_Pnt

from pamble.core.curves.measure import curve_length
from pamble.core.curves.shapes import ellipse
from pamble.core.errors import GeometryError
from pamble.core.exchange.step import read_step, write_step
from pamble.core.faces.change import extended, shrunk, split, untrimmed
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.faces.shapes import face_from_shape, shape_faces
from pamble.core.faces.to_shape import face_to_shape
from pamble.core.faces.trim import Cutter, Pick, divide
from pamble.core.faces.twins import turn_over
from pamble.core.planes import plane_at
from pamble.core.spline import Curve
from pamble.core.spline.evaluate import curve_points, surface_grid, surface_points
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.extend import extend_surface
from pamble.core.surfaces.overlay import overlay_of
from pamble.core.surfaces.revolve import revolve
from tests.core.faces.test_crossing import freeform, turned
from tests.other_library import shape_area
from tests.shapes import panel

SLAB = Face(panel(lambda x, y: (x, y, 10 * np.sin(x / 60) + 0.001 * x * y)))


def flat(origin, normal, name="t:p"):
    return Cutter(name, "Plane", plane_at(np.array(origin, dtype=float), np.array(normal, dtype=float)))


def pieces(face, *cutters):
    """All regions as faces, each picked alone."""
    cut = divide(face, cutters, 1e-4)
    groups = {r.group: r for r in cut.regions}
    return [f for r in groups.values() for f in cut.keeping([Pick(r.at, r.sides)])]


def valid(face):
    shape = face_to_shape(face)
    assert BRepCheck_Analyzer(shape).IsValid()
    return shape_area(shape)


def native(maker):
    return face_from_shape(shape_faces(maker.Shape())[0])


@pytest.mark.parametrize(
    ("face", "cutter", "wanted"),
    [
        (native(BRepPrimAPI_MakeCylinder(50, 150)), flat((0, 0, 70), (0.3, 0.1, 1)), 2 * np.pi * 50 * 70),
        (native(BRepPrimAPI_MakeCylinder(50, 150)), flat((0, 20, 0), (0, 1, 0)), 2 * 50 * 150 * np.arccos(0.4)),
        (native(BRepPrimAPI_MakeSphere(25)), flat((0, 0, 10), (0, 0, 1)), 2 * np.pi * 25 * 15),
        (native(BRepPrimAPI_MakeSphere(25)), flat((5, 0, 0), (1, 0, 0)), 2 * np.pi * 25 * 20),
        (
            native(BRepPrimAPI_MakeTorus(30, 8)),
            flat((0, 0, 2), (0, 0, 1)),
            2 * np.pi * 30 * 8 * (np.pi - 2 * np.arcsin(0.25)),
        ),
    ],
)
def test_trims_of_round_bodies_have_the_areas_of_their_closed_forms(face, cutter, wanted):
    whole = shape_area(face_to_shape(face))
    areas = [valid(f) for f in pieces(face, cutter)]
    assert sum(areas) == pytest.approx(whole, rel=1e-6)
    # What is asked for is one of the two sides; a side may consist of several pieces.
    sums = {round(sum(a for a, keep in zip(areas, choice, strict=True) if keep), 6) for choice in _choices(len(areas))}
    assert min(abs(s - wanted) for s in sums) < 2e-6 * wanted


def _choices(count):
    return [[bool(n >> i & 1) for i in range(count)] for n in range(2**count)]


def test_a_hole_across_the_joint_of_a_cylinder_has_the_rim_of_one_elsewhere():
    barrel = native(BRepPrimAPI_MakeCylinder(50, 150))
    lengths = []
    for at, way in (((60.0, 0, 75), (1.0, 0, 0)), ((0, 60.0, 75), (0, 1.0, 0))):
        ring = ellipse(np.array(at), np.array(way), (20, 20), np.array([0, 0, 1.0]), 360)
        outer = max(pieces(barrel, Cutter("t:c", "Ring", ring, np.array(way))), key=valid)
        lengths.append(sum(curve_length(e.space) for e in outer.edges if e.name.startswith("t:c")))
    assert lengths[0] == pytest.approx(lengths[1], rel=1e-5)


def whole_area(surface):
    """Of an untrimmed surface, by Gauss-Legendre in every span: OpenCASCADE's own is off by 2e-5 on some."""
    x, w = np.polynomial.legendre.leggauss(24)

    def nodes(knots):
        breaks = np.unique(knots)
        half = np.diff(breaks) / 2
        return (breaks[:-1, None] + half[:, None] * (1 + x)).ravel(), (half[:, None] * w).ravel()

    (u, wu), (v, wv) = nodes(surface.knots_u), nodes(surface.knots_v)
    d = surface_grid(surface, u, v, 1)
    return float(wu @ np.linalg.norm(np.cross(d[1, 0], d[0, 1]), axis=-1) @ wv)


@example(708)
@settings(max_examples=12)
@given(st.integers(0, 100_000))
def test_random_trims_are_valid_for_opencascade_and_add_up_after_a_round_trip(tmp_path_factory, seed):
    rng = np.random.default_rng(seed)
    face = Face(freeform(rng, rng.integers(2, 6, 2), rng.integers(1, 4, 2)))
    cutters = [Cutter(f"t:{i}", f"Cutter {i}", Face(turned(rng, freeform(rng, (3, 3), (1, 1), (900.0, 900.0)))))
               for i in range(2)]  # fmt: skip
    made = pieces(face, *cutters)
    whole = whole_area(face.surface)
    # Its areas of trimmed faces are off by up to 2e-6.
    assert sum(valid(f) for f in made) == pytest.approx(whole, rel=1e-5)
    path = tmp_path_factory.mktemp("trims") / "out.step"
    write_step([(f"piece {i}", f) for i, f in enumerate(made)], path)
    back = read_step(path)
    assert all(item.face is not None and BRepCheck_Analyzer(item.shape).IsValid() for item in back)
    assert sum(shape_area(item.shape) for item in back) == pytest.approx(whole, rel=1e-5)


def test_a_cut_that_ends_short_is_told_and_can_be_carried_on():
    short = Curve.bezier([[-20, 50, 0], [100, 80, 20], [220, 60, 0]])
    cut = divide(SLAB, [Cutter("t:c", "Line", short)], 1e-4)
    assert len(cut.regions) == 1
    assert cut.complaints[0].short == pytest.approx(40, rel=0.1)
    assert "short of v end: extend it" in cut.complaints[0].words
    longer = divide(SLAB, [Cutter("t:c", "Line", short, extend=True)], 1e-4)
    assert len(longer.regions) == 2


def test_cuts_whose_ends_lie_apart_by_their_tolerance_run_on_in_each_other():
    deck = Face(Surface.bezier([[[0, 0, 0], [0, 40, 0]], [[60, 0, 0], [60, 40, 0]]]))
    rows = [Curve.line([10, 10, 0], [30, 20, 0]), Curve.line([30, 20 + 3e-4, 0], [50, 12, 0])]
    divided = divide(deck, [Cutter(f"t:{i}", f"Line {i}", row, extend=True) for i, row in enumerate(rows)], 1e-4)
    assert len(divided.regions) == 2
    kept = divided.holding([divided.regions[0].number])[0]
    assert min(curve_length(e.space) for e in kept.edges) > 5  # no slivers where they meet


def test_trim_then_untrim_gives_the_same_surface_and_sides():
    for face in pieces(SLAB, flat((150, 50, 0), (1, 0.4, 0.1))):
        back = untrimmed(face)
        assert back.natural
        assert back.surface is SLAB.surface
        assert back.names == ("u0", "u1", "v0", "v1")


def test_a_hole_or_one_edge_can_be_given_back_alone():
    ring = ellipse(np.array([80.0, 50, 60]), np.array([0, 0, 1.0]), (15, 15), np.array([1.0, 0, 0]), 360)
    hole = Cutter("h", "Ring", ring, np.array([0, 0, 1.0]))
    with_hole = max(pieces(SLAB, hole), key=valid)
    left = next(f for f in pieces(with_hole, flat((200, 50, 0), (1, 0.2, 0))) if len(f.loops) == 2)
    assert valid(untrimmed(left, [e.name for e in left.loops[1]][:1])) > valid(left)
    back = untrimmed(left, ["t:p"])
    assert len(back.loops) == 2
    assert valid(back) == pytest.approx(valid(with_hole), rel=1e-7)
    with pytest.raises(GeometryError, match="a side of the surface itself"):
        untrimmed(left, ["u0"])


def test_a_plane_of_a_file_ends_at_its_trims_and_can_be_untrimmed_and_extended_there():
    corners = [(0, 0), (60, 0), (60, 20), (25, 20), (25, 45), (0, 45)]
    outline = BRepBuilderAPI_MakePolygon()
    for x, y in corners:
        outline.Add(gp_Pnt(x, y, 0))
    outline.Close()
    angle = native(BRepBuilderAPI_MakeFace(outline.Wire()))
    middle = {e.name: curve_points(e.space, [np.mean(e.domain)])[0] for e in angle.edges}
    names = [min(middle, key=lambda n, at=at: np.linalg.norm(middle[n] - at)) for at in ((40, 20, 0), (30, 0, 0))]
    inner, low = names
    assert valid(untrimmed(angle, [inner])) == pytest.approx(60 * 45)
    assert valid(extended(angle, low, 7.0, "straight", 1e-4)) == pytest.approx(60 * 20 + 25 * 25 + 60 * 7)
    with pytest.raises(GeometryError, match="a side of the surface itself"):
        untrimmed(angle, [low])
    with pytest.raises(GeometryError, match="was cut"):
        extended(angle, inner, 7.0, "straight", 1e-4)


@settings(max_examples=20)
@given(st.sampled_from(["u0", "u1", "v0", "v1"]), st.floats(1, 60), st.sampled_from(["curvature", "straight"]))
def test_an_extension_moves_nothing_of_the_surface_and_is_as_long_as_asked(side, length, shape):
    s = SLAB.surface
    long = extend_surface(s, side, length, shape)
    us, vs = (np.linspace(*d, 9) for d in s.domain)
    assert np.abs(surface_grid(long, us, vs)[0, 0] - surface_grid(s, us, vs)[0, 0]).max() < 1e-8
    along, end = (0 if side[0] == "u" else 1), int(side[1])
    assert abs(long.domain[along][end] - s.domain[along][end]) > 0
    if shape == "straight":
        grown, old = long.domain[along][end], s.domain[along][end]
        at = np.linspace(old, grown, 7)
        path = surface_grid(long, at, [0.3])[0, 0][:, 0] if along == 0 else surface_grid(long, [0.3], at)[0, 0][0]
        assert np.abs(np.cross(path[1:] - path[0], path[-1] - path[0])).max() < 1e-6 * length**2


@pytest.mark.parametrize(
    "profile", [Curve.line([30, 0, 0], [10, 0, 40]), Curve.bezier([[30, 0, 0], [30, 0, 20], [22, 0, 30]])]
)
def test_a_face_round_an_axis_is_carried_on_to_its_point_but_not_over_it(profile):
    cone = revolve(profile, np.zeros(3), np.array([0, 0, 1.0]), 0, 360)
    sides = [s for s in ("u0", "u1", "v0", "v1") if not cone.closed["uv".index(s[0])]]
    top = max(sides, key=lambda s: Face(cone).edge(s).space.control[:, 2].max())
    assert extend_surface(cone, top, 10).diagonal > 0
    with pytest.raises(GeometryError, match="the point in which the surface ends"):
        extend_surface(cone, top, 30)


def test_a_trimmed_face_extended_keeps_its_cut_and_its_names():
    left = next(f for f in pieces(SLAB, flat((150, 50, 0), (1, 0.4, 0.1))) if any(e.name == "u0" for e in f.edges))
    before = valid(left)
    longer = extended(left, "v1", 20.0, "curvature", 1e-4)
    assert {e.name for e in longer.edges} == {e.name for e in left.edges}
    assert valid(longer) > before
    assert inside(longer, np.array([0.2]), np.array([1.01]))[0]
    with pytest.raises(GeometryError, match="was cut"):
        extended(left, "t:p", 5.0, "curvature", 1e-4)


def test_a_split_face_falls_into_four_sided_surfaces_that_keep_their_names():
    first, second, third = split(SLAB, "u", [0.25, 0.5], "s")
    assert (first.names, second.names) == (("u0", "s:1", "v0", "v1"), ("s:1", "s:2", "v0", "v1"))
    assert third.names[1] == "u1"
    assert sum(valid(f) for f in (first, second, third)) == pytest.approx(valid(SLAB), rel=1e-9)
    inner, whole = (surface_points(f.surface, [0.3], [0.7]) for f in (second, SLAB))
    assert np.abs(inner - whole).max() < 1e-9


def test_shrinking_a_surface_to_its_trim_moves_nothing():
    left = next(f for f in pieces(SLAB, flat((150, 50, 0), (1, 0.4, 0.1))) if any(e.name == "u0" for e in f.edges))
    small = shrunk(left, 1e-4)
    assert small.surface.domain[0][1] < SLAB.surface.domain[0][1]
    assert valid(small) == pytest.approx(valid(left), rel=1e-9)
    assert {e.name for e in small.edges} == {e.name for e in left.edges}
    with pytest.raises(GeometryError, match="not trimmed"):
        shrunk(SLAB, 1e-4)


def test_a_turned_face_keeps_the_names_of_its_edges_in_space():
    for face in (SLAB, *pieces(SLAB, flat((150, 50, 0), (1, 0.4, 0.1)))):
        turned_face = turn_over(face)
        for edge in face.edges:
            t = np.linspace(0, 1, 9)
            ends = [np.interp(t, [0, 1], e.domain) for e in (edge, turned_face.edge(edge.name))]
            a, b = (surface_of(f, n, s) for f, n, s in ((face, edge.name, ends[0]), (turned_face, edge.name, ends[1])))
            assert min(np.abs(a - b).max(), np.abs(a - b[::-1]).max()) < 1e-9


def surface_of(face, name, t):
    return curve_points(face.edge(name).space, t)


@settings(max_examples=20)
@given(st.integers(0, 1000))
def test_a_change_laid_over_a_rebuilt_surface_adds_the_same_movement(seed):
    rng = np.random.default_rng(seed)
    a, b = freeform(rng, (3, 4), (1, 2)), freeform(rng, (5, 3), (2, 1))
    movement = rng.normal(size=a.control.shape)
    change = overlay_of(a, movement)
    assert np.array_equal(change.applied(a).control, a.control + movement)
    uv = rng.random((2, 30))
    moved = surface_points(change.surface, *uv)
    assert np.abs(surface_points(change.applied(b), *uv) - surface_points(b, *uv) - moved).max() < 1e-9
