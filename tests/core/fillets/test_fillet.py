"""Rolling-ball fillets against closed forms, on creases that fade, and by balls laid into them anew."""

from itertools import pairwise

import numpy as np
import pytest

from pamble.core.arrays import cross, dot, unit
from pamble.core.errors import GeometryError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Edge, Face, natural_edge
from pamble.core.fillets.chain import follow
from pamble.core.fillets.ends import end_edges
from pamble.core.fillets.fillet import fillet
from pamble.core.fillets.strip import Ask
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import curvatures, normals
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives, surface_grid
from pamble.core.spline.knots import insert_knots, surface_part
from pamble.core.spline.surface import Surface
from tests import readback
from tests.core.patches.grounds import ground
from tests.shapes import cylinder, plane, revolved

LAWS = {
    "30 to 60": lambda u: np.radians(30 + 30 * u),
    "90 to 110": lambda u: np.radians(90 + 20 * u),
    "fades evenly": lambda u: np.radians(30) * np.clip(1 - u, 0, None),
    "fades to third order": lambda u: np.radians(30) * np.clip(1 - u, 0, None) ** 3,
}


def knotted(seed: int) -> list[Face]:
    """Two cubic faces of several spans at a crease: their third derivatives jump at every knot."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(6, 11))
    k = basis.uniform_knots(3, n - 3)
    edge = np.column_stack([np.linspace(0, 200, n), rng.normal(0, 4, n), rng.normal(0, 3, n)])
    out = []
    for away in ((0, -20, 0), (0, 3, -18)):
        rows = [edge + j * np.array(away) + (rng.normal(0, 1.5, (n, 3)) if j else 0) for j in range(4)]
        out.append(Face(Surface(3, 3, k, basis.uniform_knots(3, 1), np.stack(rows, axis=1))))
    return out


def slab(seed=0) -> Surface:
    k = basis.uniform_knots(5, 1)
    g = basis.greville(k, 5)
    x, y = np.meshgrid(300 * g, 120 * g, indexing="ij")
    stir = np.random.default_rng(seed).standard_normal(x.shape)
    z = 20 * (np.sin(2.1 * x / 300 + 0.3) * np.cos(1.7 * y / 120) + 0.08 * stir)
    return Surface(5, 5, k, k, np.stack([x, y, z], axis=-1))


def turned_away(a: Surface, law, width=110.0, bend=0.004) -> Surface:
    """A face on the edge v1 of another that turns down from it by an angle; where that fades it has the same
    curvature."""
    k = basis.uniform_knots(5, 6)
    u = basis.greville(k, 5)
    d = surface_derivatives(a, u, np.full(len(u), 1.0), 2)
    t, n = unit(d[1, 0]), unit(cross(d[1, 0], d[0, 1]))
    out = cross(n, t)
    out = out * np.where(dot(out, d[0, 1]) > 0, 1.0, -1.0)[:, None]
    th = law(u)[:, None]
    share = np.minimum(th[:, 0] / np.radians(15), 1)
    own = dot(n, d[0, 2]) / dot(out, d[0, 1]) ** 2
    b = basis.matrix(k, 5, u)[0]
    p0 = np.linalg.solve(b, d[0, 0])
    p1 = p0 + np.linalg.solve(b, (np.cos(th) * out - np.sin(th) * n) * width) / 3
    down = (np.sin(th) * out + np.cos(th) * n) * (own * (1 - share) - bend * share)[:, None] * width**2
    p2 = 2 * p1 - p0 + np.linalg.solve(b, down) / 6
    return Surface(5, 3, k, basis.uniform_knots(3, 1), np.stack([p0, p1, p2, 3 * p2 - 3 * p1 + p0], axis=1))


def inside(face: Face, n=24) -> tuple[np.ndarray, np.ndarray]:
    """Points and normals over a fillet between its ends."""
    s = face.surface
    (a, b), (c, d) = s.domain
    low, high = (a, b) if face.natural else (0.12, 0.88)
    g = surface_grid(s, np.linspace(low, high, n), np.linspace(c, d, n), 1)
    return g[0, 0].reshape(-1, 3), normals(g).reshape(-1, 3)


@pytest.mark.parametrize("degrees", [35, 90, 140])
def test_between_two_planes_it_is_a_cylinder(degrees):
    th = np.radians(degrees)
    a = Face(plane((0, 0, 0), (100, 0, 0), (0, 60, 0)))
    b = Face(plane((0, 0, 0), (100, 0, 0), (0, 50 * np.cos(th), 50 * np.sin(th))))
    made = fillet([a, b], [Ask(0, a.edge("v0"), (4.0, 4.0))])
    p, _ = inside(made.faces[0].face)
    # The ball's centre runs at R / sin(th/2) from the edge, halfway between both planes.
    centre = 4 / np.sin(th / 2) * np.array([np.cos(th / 2), np.sin(th / 2)])
    assert np.hypot(p[:, 1] - centre[0], p[:, 2] - centre[1]) == pytest.approx(4, abs=1e-5)
    assert (p[:, 0].min(), p[:, 0].max()) == pytest.approx((0, 100), abs=1e-6)
    touch = 4 / np.tan(th / 2)
    contact = next(e for e in made.changed[0].edges if e.name == "fillet")
    assert contact.space.control[:, 1] == pytest.approx(touch, abs=1e-6)


def test_between_a_plane_and_a_cylinder_it_is_a_torus():
    wall = Face(cylinder(40, 60))
    floor = Face(revolved(Curve.line([40, 0, 0], [100, 0, 0]), 90))
    assert follow([floor, wall], 0, floor.edge("v0"), 0.25).runs[0].names == (("v0",), ("v0",))
    made = fillet([floor, wall], [Ask(0, floor.edge("v0"), (8.0, 8.0))])
    p, _ = inside(made.faces[0].face)
    assert np.hypot(np.hypot(p[:, 0], p[:, 1]) - 48, p[:, 2] - 8) == pytest.approx(8, abs=0.002)
    assert max(made.faces[0].figures.angle) < 0.005


@pytest.mark.parametrize("law", LAWS)
@pytest.mark.parametrize("radius", [(12.0, 12.0), (8.0, 20.0)])
def test_a_ball_laid_in_anywhere_touches_both_faces(law, radius, tmp_path):
    a = slab()
    b = turned_away(a, LAWS[law])
    made = fillet([Face(a), Face(b)], [Ask(0, natural_edge(a, "v1"), radius)], diagonal=400.0)
    f = made.faces[0].figures
    assert max(f.gap) < 0.002
    assert max(f.angle) < 0.005
    assert f.radius < 0.002
    assert made.faces[0].face.surface.control.shape[0] <= 13
    if radius[0] == radius[1]:
        p, n = inside(made.faces[0].face)
        # The centre of the ball through any of its points is one radius from both faces.
        off = [[np.abs(to_surface(s, p + 12 * way * n).distance - 12).max() for s in (a, b)] for way in (1, -1)]
        # Where it is a thread, a twentieth of a millimetre wide, its normal says little.
        assert min(max(o) for o in off) < (0.1 if "third" in law else 0.004)
    path = tmp_path / "fillet.step"
    write_step([("a", made.changed[0]), ("b", made.changed[1]), ("f", made.faces[0].face)], path)
    assert len(readback.faces(path)) == 3


def test_a_crease_with_a_short_first_span_runs_on_along_its_faces_and_not_along_that_span():
    a = slab()
    b = turned_away(a, LAWS["90 to 110"])
    side = natural_edge(a, "v1")
    short = insert_knots(side.space, np.full(5, 0.01))
    control = short.control.copy()
    control[3] += 2e-7
    stored = Edge(a, "stored", side.pcurve, side.inward, Curve(5, short.knots, control), "v1")
    border = [natural_edge(a, name) for name in ("v0", "u1")] + [stored, natural_edge(a, "u0")]
    (made,) = fillet([Face(a, (tuple(border),)), Face(b)], [Ask(0, stored, (12.0, 12.0))]).faces
    whole = fillet([Face(a), Face(b)], [Ask(0, side, (12.0, 12.0))]).faces[0]
    assert made.face.surface.control.shape == whole.face.surface.control.shape
    assert made.face.surface.control == pytest.approx(whole.face.surface.control, abs=1e-5)


@pytest.mark.parametrize(("section", "order"), [("g2", 2), ("g3", 3)])
def test_blended_sections_hold_curvature_between_the_same_contacts(section, order):
    a = slab(1)
    b = turned_away(a, LAWS["30 to 60"])
    made = fillet([Face(a), Face(b)], [Ask(0, natural_edge(a, "v1"), (12.0, 12.0))], section, diagonal=400.0)
    assert max(made.faces[0].figures.gap) < 0.002
    assert max(made.faces[0].figures.angle) < 0.005
    assert max(made.faces[0].figures.curvature) < 1.0
    assert made.faces[0].face.surface.degree_v == 2 * order + 1 or made.faces[0].face.surface.degree_u == 2 * order + 1


def test_a_chord_keeps_its_width_where_the_crease_turns():
    a = slab(2)
    b = turned_away(a, LAWS["30 to 60"])
    made = fillet([Face(a), Face(b)], [Ask(0, natural_edge(a, "v1"), (1.0, 1.0))], "chord", 6.0, 400.0)
    s = np.linspace(0.15, 0.85, 40)
    ends = [surface_derivatives(made.faces[0].face.surface, s, np.full(40, v))[0, 0] for v in (0.0, 1.0)]
    assert np.linalg.norm(ends[1] - ends[0], axis=1) == pytest.approx(6, abs=0.01)
    assert made.radii[1] > 1.5 * made.radii[0]


def test_what_cannot_be_filleted_is_told_before_anything_is_built():
    hollow = Face(cylinder(10, 80))
    top = Face(revolved(Curve.line([10, 0, 80], [2, 0, 80]), 90))
    with pytest.raises(GeometryError, match=r"No fillet of this size: near .* largest radius that works is"):
        fillet([top, hollow], [Ask(0, top.edge("v0"), (40.0, 40.0))])
    flat = surface_part(ground(1, 20), (0.0, 0.5), None), surface_part(ground(1, 20), (0.5, 1.0), None)
    a, b = map(Face, flat)
    with pytest.raises(GeometryError, match="go on into each other"):
        fillet([a, b], [Ask(0, a.edge("u1"), (5.0, 5.0))])
    with pytest.raises(GeometryError, match="No other face shares this edge"):
        fillet([a, b], [Ask(0, a.edge("u0"), (5.0, 5.0))])
    with pytest.raises(GeometryError, match="above zero"):
        fillet([a, b], [Ask(0, a.edge("u1"), (0.0, 5.0))])


@pytest.mark.parametrize("section", ["g2", "g3", "rho"])
def test_a_blended_section_over_several_faces_is_the_one_over_their_whole(section, tmp_path):
    deck, whole = slab(), turned_away(slab(), LAWS["30 to 60"])
    thirds = [surface_part(whole, (a / 3, (a + 1) / 3), None) for a in range(3)]
    one, three = (
        fillet([Face(s) for s in (deck, *walls)], [Ask(0, Face(deck).edge("v1"), (8.0, 14.0))], section, diagonal=400.0)
        for walls in ([whole], thirds)
    )
    assert [f.beside[1] for f in three.faces] == [1, 2, 3]
    for f in three.faces:
        assert to_surface(one.faces[0].face.surface, inside(f.face)[0]).distance.max() < 0.001
        assert max(f.figures.gap) < 0.002
        assert max(f.figures.angle) < 0.005
    path = tmp_path / "part.step"
    fillets = [(f"fillet{k}", f.face) for k, f in enumerate(three.faces)]
    write_step([*fillets, *((f"f{n}", f) for n, f in three.changed.items())], path)
    blend, *others = readback.faces(path)
    seam = readback.nearest_seam(blend, others[2], 1 / 400)
    assert (seam.gap < 0.002, seam.angle < 0.005) == (True, True)
    assert section == "rho" or seam.curvature < 0.5
    assert readback.nearest_seam(others[0], others[1], 1 / 400).gap < 0.002


def test_one_edge_beside_several_faces_is_filleted_with_all_of_them_from_either_side():
    a = slab(3)
    whole = turned_away(a, LAWS["90 to 110"])
    walls = [surface_part(whole, stretch, None) for stretch in ((0, 0.4), (0.4, 0.7), (0.7, 1))]
    part = [Face(s) for s in (a, *walls)]
    made = fillet(part, [Ask(0, part[0].edge("v1"), (8.0, 14.0))], diagonal=400.0)
    turned = fillet(part, [Ask(2, part[2].edge("v0"), (8.0, 14.0))], diagonal=400.0)
    assert [[f.beside[1] for f in m.faces] for m in (made, turned)] == [[1, 2, 3]] * 2
    for f in made.faces:
        assert (max(f.figures.gap), max(f.figures.angle)) < (0.002, 0.005)
    for one, two in pairwise(made.faces):
        ends = [end_edges(f.face, end)[0].space for f, end in ((one, -1), (two, 0))]
        sections = [curve_points(e, np.linspace(*e.domain, 30)) for e in ends]
        assert to_curve(ends[0], sections[1]).distance.max() < 0.001
    # The largest ball anywhere is at the end; a single fillet over the whole wall has its radius there too.
    single = fillet([part[0], Face(whole)], [Ask(0, part[0].edge("v1"), (8.0, 14.0))], diagonal=400.0)
    p, _ = inside(made.faces[1].face)
    assert to_surface(single.faces[0].face.surface, p).distance.max() < 0.002


def test_a_sharp_corner_ends_the_crease_on_the_face_across_it():
    deck = Face(plane((0, 0, 0), (60, 0, 0), (0, 40, 0)))
    wall = Face(plane((0, 0, 0), (60, 0, 0), (0, 0, -30)))
    side = Face(plane((60, 0, 0), (0, 40, 0), (10, 0, -30)))
    made = fillet([deck, wall, side], [Ask(0, deck.edge("v0"), (5.0, 5.0))])
    assert [f.beside for f in made.faces] == [(0, 1)]
    assert set(made.changed) == {0, 1, 2}


def block(sides: int = 3) -> list[Face]:
    """Curved faces of degree 3 that meet at no right angle in the corner (1, 1, 1) of a deformed block; all of its six,
    those at 0 and at 1 in turn, for 6.
    """
    rng = np.random.default_rng(3)
    g, k = basis.greville(basis.uniform_knots(3, 1), 3), basis.uniform_knots(3, 1)
    lean, bend = np.eye(3) + 0.3 * rng.uniform(-1, 1, (3, 3)), 0.08 * rng.uniform(-1, 1, (3, 3, 3))
    out = []
    for axis in range(3):
        for end in (0.5,) if sides == 3 else (-0.5, 0.5):
            a, b = (i for i in range(3) if i != axis)
            net = np.full((4, 4, 3), end)
            net[..., a], net[..., b] = (g - 0.5)[:, None], (g - 0.5)[None, :]
            bent = net @ lean.T + np.einsum("kij,...i,...j->...k", bend, net, net)
            out.append(Face(Surface(3, 3, k, k, bent * [60, 45, 35])))
    return out


CREASES = ((0, "v1"), (1, "u1"), (2, "v1"))
"""One edge for each pair of them."""


def test_a_ball_lies_in_the_corner_of_three_fillets_of_one_radius_and_touches_all_faces():
    part = block()
    made = fillet(part, [Ask(n, part[n].edge(e), (4.0, 4.0), f"f{n}") for n, e in CREASES])
    (ball,), ends = made.corners, [row.face for row in made.faces]
    assert made.left == ()
    assert all(row.figures.radius < 1e-4 for row in made.faces)
    points = np.concatenate([curve_points(e.space, np.linspace(*e.domain, 9)) for e in ball.edges])
    # Its edges are the fillets' ends, and its centre is 4 mm from all three faces.
    off = [to_curve(end_edges(f, -1)[0].space, points).distance for f in ends]
    assert np.min(off, axis=0).max() < 1e-3
    s = surface_derivatives(ball.surface, np.array([0.5]), np.array([0.5]), 1)
    normal = unit(cross(s[1, 0], s[0, 1]))
    centres = s[0, 0] + np.array([[-4.0], [4.0]]) * normal
    away = np.array([to_surface(f.surface, centres).distance for f in part])
    assert np.abs(away - 4.0).max(axis=0).min() < 1e-3


def test_fillets_of_unlike_radii_leave_a_clean_corner():
    part = block()
    radii = (4.0, 3.0, 5.0)
    asked = [Ask(n, part[n].edge(e), (r, r), f"f{n}") for (n, e), r in zip(CREASES, radii, strict=True)]
    made = fillet(part, asked)
    assert made.corners == ()
    assert len(made.left) == 1
    assert "round a hole" in made.warnings[0]
    # Each end leaves a contact as the other fillet's contact on that face arrives: only so a patch can be tangent.
    ends = [end_edges(row.face, -1)[0].space for row in made.faces]
    for n in range(3):
        borders = [e.space for e in made.changed[n].edges if e.name.startswith("f")]
        corner = min(((curve_points(a, [x]), curve_points(b, [y])) for a in borders[:1] for b in borders[1:]
                      for x in a.domain for y in b.domain), key=lambda p: np.linalg.norm(p[0] - p[1]))[0]  # fmt: skip
        ways = []
        for curve in (*borders, *ends):
            t = min(curve.domain, key=lambda x: np.linalg.norm(curve_points(curve, [x]) - corner))
            if np.linalg.norm(curve_points(curve, [t]) - corner) < 0.01:
                ways.append(unit(curve_derivatives(curve, [t], 1)[1])[0])
        assert len(ways) == 4
        lean = np.abs(np.array(ways[:2]) @ np.array(ways[2:]).T)
        assert np.sort(lean.max(axis=1)) == pytest.approx([1, 1], abs=1e-6)


def test_two_fillets_beside_a_sharp_edge_end_in_one_line_that_lies_on_both():
    part = block()
    made = fillet(
        part, [Ask(n, part[n].edge(e), (r, r), f"f{n}") for (n, e), r in zip(CREASES[:2], (4.0, 5.5), strict=True)]
    )
    assert made.left == ()
    ends = [[e.space for e in row.face.edges if e.name.startswith(("start", "end"))] for row in made.faces]
    shared = next(a for a in ends[0] for b in ends[1] if to_curve(b, curve_points(a, [0.5])).distance[0] < 1e-3)
    points = curve_points(shared, np.linspace(*shared.domain, 41))
    for row in made.faces:
        assert to_surface(row.face.surface, points).distance.max() < 2e-5


def test_radii_at_points_along_the_crease_are_kept_there():
    a = slab()
    part = [Face(a), Face(turned_away(a, LAWS["90 to 110"]))]
    law = ((0.3, 14.0), (0.7, 9.0))
    made = fillet(part, [Ask(0, part[0].edge("v1"), (8.0, 12.0), "fillet", law)], diagonal=400.0)
    assert made.faces[0].figures.radius < 0.002
    crease = part[0].edge("v1").space
    steps = np.linalg.norm(np.diff(curve_points(crease, np.linspace(0, 1, 4001)), axis=0), axis=1)
    length = np.concatenate([[0], np.cumsum(steps)])
    s = made.faces[0].face.surface
    u, v = (np.linspace(lo, hi, n) for (lo, hi), n in zip(s.domain, (161, 3), strict=True))
    d = surface_grid(s, u, v, 2)
    _, bend = curvatures(d[:, :, :, 1])
    radius = 1 / np.maximum(np.abs(bend.largest), np.abs(bend.smallest))
    share = np.interp(to_curve(crease, d[0, 0][:, 1]).t, np.linspace(0, 1, 4001), length / length[-1])
    for at, wanted in law:
        assert np.interp(at, share, radius) == pytest.approx(wanted, abs=0.15)
    turned = fillet(part, [Ask(1, part[1].edge("v0"), (8.0, 12.0), "fillet", law)], diagonal=400.0)
    assert turned.radii == pytest.approx(made.radii, abs=1e-6)
    with pytest.raises(GeometryError, match="rising shares"):
        fillet(part, [Ask(0, part[0].edge("v1"), (8.0, 8.0), "fillet", law[::-1])])


def test_a_conic_section_has_its_shoulder_at_rho_and_a_gap_leaves_only_the_contacts():
    a, b = Face(plane((0, 0, 0), (100, 0, 0), (0, 60, 0))), Face(plane((0, 0, 0), (100, 0, 0), (0, 0, 60)))
    for rho in (0.3, 0.45, 0.6):
        made = fillet([a, b], [Ask(0, a.edge("v0"), (10.0, 10.0))], "rho", rho=rho)
        s = made.faces[0].face.surface
        middle = surface_grid(s, np.array([0.5]), np.array([0.5]))[0, 0, 0, 0]
        # From the chord's middle (5, 5) the shoulder stands at rho of the way to the crease.
        assert middle[1:] == pytest.approx([5 - 5 * rho] * 2)
        assert max(made.faces[0].figures.angle) < 1e-6
    gap = fillet([a, b], [Ask(0, a.edge("v0"), (1.0, 1.0))], "chord", 14.0, gap=True)
    assert gap.faces == ()
    one, two = (next(e for e in gap.changed[n].edges if e.name == "fillet").space for n in (0, 1))
    points = curve_points(one, np.linspace(*one.domain, 9))
    assert to_curve(two, points).distance == pytest.approx(14.0)


def test_a_ball_between_two_faces_that_do_not_touch_is_the_one_between_their_planes():
    floor, wall = Face(plane((0, 6, 0), (100, 0, 0), (0, 60, 0))), Face(plane((0, 0, 8), (100, 0, 0), (0, 0, 60)))
    made = fillet([floor, wall], [Ask(0, None, (20.0, 20.0), other=1)])
    p, _ = inside(made.faces[0].face)
    assert np.hypot(p[:, 1] - 20, p[:, 2] - 20) == pytest.approx(20, abs=1e-6)
    for n in (0, 1):
        ends = np.concatenate([curve_points(e.space, e.space.domain) for e in made.changed[n].edges])
        assert ends[:, 1 + n].min() == pytest.approx(20, abs=1e-6)
    with pytest.raises(GeometryError, match="where it does not reach"):
        fillet([floor, wall], [Ask(0, None, (5.0, 5.0), other=1)])
    with pytest.raises(GeometryError, match="do not meet where they would run on"):
        fillet([Face(plane((0, 200, 0), (100, 0, 0), (0, 60, 0))), wall], [Ask(0, None, (5.0, 5.0), other=1)])
    # On curved faces it is the fillet of the crease that was cut away.
    a = slab()
    b = turned_away(a, LAWS["90 to 110"])
    whole = fillet([Face(a), Face(b)], [Ask(0, natural_edge(a, "v1"), (18.0, 18.0))], diagonal=400.0)
    short = [Face(surface_part(a, None, (0, 0.93))), Face(surface_part(b, None, (0.1, 1)))]
    apart = fillet(short, [Ask(0, None, (18.0, 18.0), other=1)], diagonal=400.0)
    assert apart.faces[0].figures.radius < 0.002
    p, _ = inside(apart.faces[0].face)
    assert to_surface(whole.faces[0].face.surface, p).distance.max() < 0.002


@pytest.mark.parametrize("seed", range(3))
def test_sections_of_curvature_meet_faces_of_many_knots(seed):
    made = fillet(knotted(seed), [Ask(0, knotted(seed)[0].edge("v0"), (6.0, 6.0))], "g2", diagonal=300.0)
    (only,) = made.faces
    assert max(only.figures.gap) < 0.002
    assert max(only.figures.angle) < 0.015
    assert max(only.figures.curvature) < 2.0


@pytest.mark.parametrize("seed", range(4))
def test_faces_of_many_knots_are_met_as_well_as_smooth_ones(seed):
    made = fillet(knotted(seed), [Ask(0, knotted(seed)[0].edge("v0"), (6.0, 6.0))], diagonal=300.0)
    (only,) = made.faces
    assert made.warnings == ()
    assert max(only.figures.angle) < 0.005
    assert max(only.figures.gap) < 0.0005
    assert only.figures.radius < 0.001
    assert only.face.surface.control.shape[0] < 90
