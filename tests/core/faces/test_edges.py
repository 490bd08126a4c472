"""Edges split, taken together and simplified: the face stays the one it was, as OpenCASCADE sees it."""

import numpy as np
import pytest
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder

from pamble.core.curves.fit import fit_points
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.edges import split_edge
from pamble.core.faces.face import Face
from pamble.core.faces.shapes import face_from_shape, shape_faces
from pamble.core.faces.simplify import edges_along, lay_along, simplify_edges
from pamble.core.faces.to_shape import face_to_shape
from pamble.core.faces.trim import Cutter
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_points
from tests.core.faces.test_trim import SLAB, native, pieces, valid

SHARES = np.linspace(0, 1, 400)
WAVY = fit_points(
    np.stack([-10 + 320 * SHARES, 40 + 6 * np.sin(7 * SHARES) + 0.05 * np.sin(40 * SHARES), 0 * SHARES], axis=1),
    tolerance=0.001,
).curve
UP = np.array([0.0, 0, 1])


@pytest.fixture(scope="module")
def halves():
    """A slab cut in two along a line of many CVs."""
    return pieces(SLAB, Cutter("w", "Line", WAVY, UP))


def edge_named(face, name):
    return next(e for e in face.edges if e.name == name)


def farthest(a, b):
    """Largest distance between two curves by points of their own, both ways."""
    points = [curve_points(c, np.linspace(*c.domain, 4001)) for c in (a, b)]
    return max(to_curve(b, points[0]).distance.max(), to_curve(a, points[1]).distance.max())


def test_an_edge_is_split_at_shares_of_its_length_and_put_together_again_without_a_trace(halves):
    face = halves[0]
    whole = edge_named(face, "w")
    split = split_edge(face, "w", [0.25, 0.6])
    lengths = [curve_length(edge_named(split, f"w.{k}of3").space) for k in (1, 2, 3)]
    assert lengths == pytest.approx(np.array([0.25, 0.35, 0.4]) * curve_length(whole.space), rel=1e-9)
    assert valid(split) == pytest.approx(valid(face), rel=1e-9)
    again = simplify_edges(split, ["w.2of3", "w.3of3", "w.1of3"], 0.01)
    assert (again.name, again.deviation, again.after) == ("w", 0.0, len(whole.space.control))
    two = simplify_edges(split, ["w.1of3", "w.2of3"], 0.01)
    assert two.deviation == 0
    assert curve_length(edge_named(two.face, two.name).space) == pytest.approx(sum(lengths[:2]), rel=1e-9)
    assert valid(two.face) == pytest.approx(valid(face), rel=1e-9)
    natural = split_edge(SLAB, "v0", [0.5])
    assert len(natural.edges) == 5
    assert valid(natural) == pytest.approx(valid(SLAB), rel=1e-9)
    assert simplify_edges(natural, ["v0.1of2", "v0.2of2"], 0.01).name == "v0"


@pytest.mark.parametrize(("tolerance", "most"), [(0.2, 14), (0.02, 30)])
def test_a_rim_of_many_cvs_becomes_one_of_few_within_the_tolerance_and_the_face_beside_goes_along(
    halves, tolerance, most
):
    one, other = halves
    old = edge_named(one, "w").space
    made = simplify_edges(one, ["w"], tolerance, exact=1e-3)
    new = edge_named(made.face, "w").space
    assert made.after == len(new.control) <= most < made.before == len(old.control)
    assert farthest(old, new) == pytest.approx(made.deviation, rel=2e-3)
    assert made.deviation <= tolerance
    assert to_curve(new, made.place[None]).distance[0] + to_curve(old, made.place[None]).distance[0] == pytest.approx(
        made.deviation, rel=1e-2
    )
    assert valid(made.face) == pytest.approx(valid(one), abs=tolerance * curve_length(old))
    (beside,) = edges_along(other, [edge_named(one, "w")])
    laid = lay_along(other, [beside], new)
    assert farthest(edge_named(laid.face, laid.name).space, new) < 2e-3
    assert laid.deviation < 2e-3
    # Beside a face that crosses, the new edge leaves it: what opens is told.
    crossing = Face(SLAB.surface.with_control(SLAB.surface.control + [0, 0, 1] * SLAB.surface.control[..., 1:2] * 0.5))
    wall = pieces(crossing, Cutter("w", "Line", WAVY, UP))[0]
    astray = lay_along(wall, ["w"], new)
    assert astray.deviation == pytest.approx(farthest(edge_named(astray.face, "w").space, new), rel=0.02)
    assert astray.deviation > 1
    assert valid(laid.face) + valid(made.face) == pytest.approx(valid(SLAB), rel=1e-6)


def test_a_closed_rim_stays_smooth_where_it_closes():
    a = 2 * np.pi * SHARES
    ring = np.stack([120 + 25 * np.cos(a), 50 + 16 * np.sin(a) + 0.05 * np.sin(9 * a), 0 * a], axis=1)
    oval = fit_points(ring, tolerance=1e-4).curve
    holed = next(f for f in pieces(SLAB, Cutter("r", "Oval", oval, UP)) if len(f.loops) == 2)
    (rim,) = holed.loops[1]
    made = simplify_edges(holed, [rim.name], 0.05, exact=1e-3)
    space = made.face.loops[1][0].space
    d = curve_derivatives(space, space.domain, 2)
    bend = np.cross(d[1], d[2]) / np.linalg.norm(d[1], axis=1)[:, None] ** 3
    way = d[1] / np.linalg.norm(d[1], axis=1)[:, None]
    assert np.degrees(np.linalg.norm(np.cross(*way))) < 0.01
    assert bend[0] == pytest.approx(bend[1], abs=0.01 * np.linalg.norm(bend[0]))
    assert BRepCheck_Analyzer(face_to_shape(made.face)).IsValid()
    assert made.after < made.before


def test_a_rim_over_the_quarters_of_a_tube_is_smooth_in_space_and_true_to_its_trim_curve():
    """Where a circle's quarters meet its parameters jump, not its curvature: the rim runs on there."""
    a = np.pi * SHARES
    row = np.stack([60 * np.cos(2 * a), 60 * np.sin(2 * a), 40 + 9 * np.cos(2 * a) + 5 * np.sin(4 * a)], axis=1)
    tube = native(BRepPrimAPI_MakeCylinder(60, 90))
    cut = pieces(tube, Cutter("w", "Rim", fit_points(row, tolerance=1e-6).curve))[0]
    made = simplify_edges(cut, ["w"], 0.01)
    rim = edge_named(made.face, made.name)
    assert made.after <= 40 < 120 < made.before
    assert made.deviation < 0.01
    t = np.linspace(*rim.domain, 800)
    on_face = surface_points(cut.surface, *curve_points(rim.pcurve, t).T)
    assert np.linalg.norm(on_face - curve_points(rim.space, t), axis=1).max() < 2e-4
    lid = face_from_shape(shape_faces(BRepPrimAPI_MakeCylinder(60, 90).Shape())[1])
    with pytest.raises(GeometryError, match=r"It has 7 CVs already, and within 0\.01 mm it would take"):
        simplify_edges(lid, [lid.edges[0].name], 0.01)


@pytest.mark.parametrize(
    ("names", "words"),
    [
        (["u0"], "side of the surface itself"),
        (["w", "v1"], "do not follow"),
        (["w", "w"], "picked twice"),
    ],
)
def test_what_cannot_be_one_edge_is_told(halves, names, words):
    with pytest.raises(GeometryError, match=words):
        simplify_edges(halves[0], names, 0.01)
    with pytest.raises(GeometryError, match="between its ends"):
        split_edge(halves[0], "w", [0.0])
    with pytest.raises(GeometryError, match=r"spans stays within .* at \("):
        simplify_edges(halves[0], ["w"], 1e-9)
