"""Primaries grow from curves: closed forms, exact where they can be, joined to their neighbours, following their
curves.
"""

import re

import numpy as np
import pytest

from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import curve_points, surface_grid
from pamble.core.spline.knots import surface_part
from pamble.core.spline.surface import Surface
from pamble.study.evaluate import Evaluator
from pamble.study.frame import read_frame
from pamble.study.kernel import Kernel
from pamble.study.solving import solve_for
from pamble.study.states import exported
from pamble.study.stored import SurfaceData
from tests.core.patches.grounds import ground, window
from tests.study.bench import add, area, face, line


def circle(kernel, id, radius=30.0, z=0.0, normal=(0, 0, 1), centre=None):
    add(kernel, id, "ellipse", centre=centre or [0, 0, z], normal=list(normal), radius=radius)


def points(surface, n=30):
    t = np.linspace(0, 1, n)
    (u0, u1), (v0, v1) = surface.domain
    return surface_grid(surface, u0 + t * (u1 - u0), v0 + t * (v1 - v0))[0, 0].reshape(-1, 3)


def test_an_extrusion_keeps_the_cvs_of_its_curve_and_a_drafted_circle_is_a_cone(kernel):
    add(kernel, "c", "cv_curve", curve={"control": [[0, 0, 0], [30, 40, 0], [80, 50, 0], [120, 0, 0]]})
    add(kernel, "e", "extrude", curve=line("c"), along="z", forward=40, back=10)
    s = face(kernel, "e").surface
    assert (s.degree_u, s.degree_v, s.control.shape[:2]) == (3, 1, (4, 2))
    length = kernel.now.states["c"].made.facts["curves"][0]["length"]
    assert area(kernel, "e") == pytest.approx(50 * length, rel=1e-6)
    circle(kernel, "o")
    add(kernel, "cone", "extrude", curve=line("o"), forward=40, draft=15)
    # Lateral area of a frustum: pi (r1 + r2) slant.
    r2 = 30 + 40 * np.tan(np.radians(15))
    assert area(kernel, "cone") == pytest.approx(np.pi * (30 + r2) * 40 / np.cos(np.radians(15)), rel=1e-5)
    p = points(face(kernel, "cone").surface)
    assert np.hypot(p[:, 0], p[:, 1]) == pytest.approx(30 + p[:, 2] * np.tan(np.radians(15)), abs=1e-10)
    folded = add(kernel, "bad", "extrude", curve=line("o"), forward=40, draft=-60)
    assert "folds the rim" in folded.problem


def test_revolutions_against_closed_forms(kernel):
    circle(kernel, "tube", 10.0, normal=(0, 1, 0), centre=[40, 0, 0])
    add(kernel, "torus", "revolve", profile=line("tube"), about="z")
    assert area(kernel, "torus") == pytest.approx(4 * np.pi**2 * 40 * 10, rel=1e-6)
    p = points(face(kernel, "torus").surface)
    assert np.hypot(np.hypot(p[:, 0], p[:, 1]) - 40, p[:, 2]) == pytest.approx(10, abs=1e-10)
    add(kernel, "arc", "arc", start=[0, 0, -25], through=[25, 0, 0], end=[0, 0, 25])
    add(kernel, "axis", "line", start=[0, 0, 0], end=[0, 0, 9])
    add(kernel, "ball", "revolve", profile=line("arc"), axis=line("axis"), start=0, end=180)
    assert area(kernel, "ball") == pytest.approx(2 * np.pi * 25**2, rel=1e-6)
    add(kernel, "across", "line", start=[-5, 0, 0], end=[20, 0, 30])
    crossing = add(kernel, "bad", "revolve", profile=line("across"), about="z")
    assert "crosses the axis" in crossing.problem
    assert "5.00 mm beyond" in crossing.problem


def test_sweeps_against_a_torus_and_a_path_too_tight(kernel):
    add(kernel, "rail", "ellipse", centre=[0, 0, 0], normal=[0, 0, 1], radius=100, degrees=90)
    start = curve_points(kernel.now.world["rail"].shape.curves[0], [0.0])[0]
    axis = np.cross([0, 0, 1], start)
    circle(kernel, "small", 20.0, normal=axis, centre=start.tolist())
    kernel.commit({"op": "set_params", "id": "small", "changes": {"toward": start.tolist()}})
    kernel.commit({"op": "set_params", "id": "small", "changes": {"centre": (start * 0.8).tolist()}})
    made = add(kernel, "tube", "sweep", rail=line("rail"), sections=[line("small")])
    assert made.problem is None
    assert face(kernel, "tube").surface.control.shape[1] <= 8
    p = points(face(kernel, "tube").surface)
    assert np.hypot(np.hypot(p[:, 0], p[:, 1]) - 80, p[:, 2]) == pytest.approx(20, abs=0.004)
    kernel.commit({"op": "set_params", "id": "small", "changes": {"radius": 60, "centre": (start * 0.4).tolist()}})
    tight = kernel.now.states["tube"]
    assert "crosses itself" in tight.problem
    assert "radius there is 100.00 mm" in tight.problem


def test_two_rails_carry_the_section_from_one_to_the_other(kernel):
    add(kernel, "a", "cv_curve", curve={"control": [[0, 0, 0], [60, 0, 10], [120, 10, 25], [180, 20, 10]]})
    add(kernel, "b", "cv_curve", curve={"control": [[0, 50, 0], [60, 60, 5], [120, 80, 20], [180, 70, 5]]})
    add(kernel, "s", "cv_curve", curve={"control": [[0, 0, 0], [0, 10, 15], [0, 40, 15], [0, 50, 0]]})
    made = add(kernel, "sw", "sweep", rail=line("a"), sections=[line("s")], second=line("b"))
    assert made.problem is None
    surface = face(kernel, "sw").surface
    for rail in ("a", "b"):
        rim = curve_points(kernel.now.world[rail].shape.curves[0], np.linspace(0, 1, 60))
        assert to_surface(surface, rim).distance.max() < 0.004


def test_a_sweep_between_edges_meets_the_faces_beside_them(kernel):
    below, _, above, _ = window(ground(6, 30))
    for name, e in (("below", below), ("above", above)):
        add(kernel, name, "face", face={"surface": SurfaceData.of(e.surface).model_dump()})
    a, b = (face(kernel, n).edge(e).space.control[0] for n, e in (("below", "v1"), ("above", "v0")))
    bulge = 0.25 * float(np.linalg.norm(b - a)) * np.array([0, 0, 1.0])
    inner = [(a + share * (b - a) + bulge).tolist() for share in (0.3, 0.7)]
    add(kernel, "s", "cv_curve", curve={"control": [a.tolist(), *inner, b.tolist()]})
    both = {"rail": line("below", "v1"), "second": line("above", "v0"), "sections": [line("s")]}
    made = add(kernel, "w", "sweep", meets=[2, 1], **both)
    assert made.problem is None
    one, two = made.made.facts["joints"]
    assert max(one["angle"], two["angle"]) < 0.01
    assert max(one["gap"], two["gap"]) < 0.002
    assert one["curvature"] < 1
    states = [r.row["state"] for r in kernel._snapshot.ledger.worst_first() if "w" in (r.seam.a[0], r.seam.b[0])]
    assert states == ["holds", "holds"]
    add(kernel, "loose", "line", start=a.tolist(), end=[float(a[0]) + 300, float(a[1]), float(a[2])])
    no = add(kernel, "n", "sweep", rail=line("loose"), sections=[line("s")], meets=[1, 0])
    assert "is no edge of a face" in no.problem


def test_a_sweep_round_an_arc_is_exact_unless_it_meets_a_face(kernel):
    add(kernel, "arc", "arc", start=[40, 0, 0], through=[28.28427, 28.28427, 0], end=[0, 40, 0])
    add(kernel, "wall", "extrude", curve=line("arc"), along="given", direction=[0, 0, -1], forward=30)
    add(kernel, "s", "cv_curve", curve={"degree": 3, "control": [[40, 0, 0], [39, 0, 8], [34, 0, 12], [25, 0, 12]]})
    plain = add(kernel, "p", "sweep", rail=line("wall", "v0"), sections=[line("s")])
    assert (plain.made.facts["deviation"], face(kernel, "p").surface.control.shape[1]) == (0.0, 3)
    joined = add(kernel, "j", "sweep", rail=line("wall", "v0"), sections=[line("s")], meets=[2, 0])
    (joint,) = joined.made.facts["joints"]
    assert joint["angle"] < 0.01
    assert joint["curvature"] < 1


def test_a_loft_through_circles_is_a_cylinder_and_freeform_sections_are_kept(kernel):
    for i, z in enumerate((0, 20, 60)):
        circle(kernel, f"o{i}", 30.0, z)
    add(kernel, "cyl", "loft", sections=[line(f"o{i}") for i in range(3)])
    p = points(face(kernel, "cyl").surface)
    assert np.hypot(p[:, 0], p[:, 1]) == pytest.approx(30, abs=1e-9)
    rng = np.random.default_rng(3)
    for i, y in enumerate((0, 60, 130, 200)):
        n = 6 + i % 2
        x = np.linspace(0, 200, n) if i != 2 else np.linspace(200, 0, n)
        net = np.stack([x, np.full(n, float(y)), 12 * np.sin(x / 60 + y / 90) + rng.normal(size=n)], axis=1)
        add(kernel, f"s{i}", "cv_curve", curve={"control": net.tolist()})
    made = add(kernel, "l", "loft", sections=[line(f"s{i}") for i in range(4)])
    assert made.made.facts["off_sections"] < 1e-6
    assert face(kernel, "l").surface.control.shape[0] <= 14
    iso = add(kernel, "g", "iso_curve", face={"feature": "l"}, held="u", at=[0.4])
    assert iso.problem is None
    guided = add(kernel, "lg", "loft", sections=[line(f"s{i}") for i in range(4)], guides=[line("g")])
    assert guided.made.facts["off_sections"] < 0.002
    assert guided.made.facts["off_guides"] < 0.005
    add(kernel, "far", "line", start=[100, -20, 80], end=[100, 220, 80])
    miss = add(kernel, "bad", "loft", sections=[line(f"s{i}") for i in range(4)], guides=[line("far")])
    assert "Guide 1 misses section 1 by" in miss.problem
    wrong = add(kernel, "mixed", "loft", sections=[line("s0"), line("s2"), line("s1"), line("s3")])
    assert "out of order" in wrong.problem
    matched = add(kernel, "lm", "loft", sections=[line("s0"), line("s1")], matching=2, matched=[[None, 0.5]])
    assert [(h.field, h.index, round(h.value, 4)) for h in matched.made.handles if h.form == "slide"] == [
        ("matched.0", 0, 0.3333), ("matched.0", 1, 0.5), ("matched.1", 0, 0.6667), ("matched.1", 1, 0.6667),
    ]  # fmt: skip
    assert matched.made.facts["off_sections"] < 0.002
    open_closed = add(kernel, "oc", "loft", sections=[line("s0"), line("o0")])
    assert "closed and the first is not" in open_closed.problem


def test_a_loft_meets_the_faces_at_its_ends_with_curvature(kernel):
    below, _, above, _ = window(ground(1, 40))
    for name, e in (("below", below), ("above", above)):
        add(kernel, name, "face", face={"surface": SurfaceData.of(e.surface).model_dump()})
    sections = [line("below", "v1"), line("above", "v0")]
    made = add(kernel, "l", "loft", sections=sections, start="curvature", end="curvature")
    assert made.problem is None
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if "l" in (r["a"]["feature"], r["b"]["feature"])]
    assert len(rows) == 2
    assert {r["state"] for r in rows} == {"holds"}
    assert max(r["angle"]["max"] for r in rows) < 0.005
    assert max(r["curvature"]["max"] for r in rows) < 1.0


def test_a_boundary_patch_follows_its_neighbours_and_promises_its_seams(kernel):
    """One of its sides runs along two faces."""
    around = [e.surface for e in window(ground(2, 40))]
    parts = [surface_part(around[1], None, v) for v in ((0.3, 0.45), (0.45, 0.7))]
    for i, surface in enumerate([around[0], parts[0], *around[2:], parts[1]]):
        add(kernel, f"n{i}", "face", face={"surface": SurfaceData.of(surface).model_dump()})
    edges = [line("n0", "v1"), line("n1", "u0"), line("n2", "v0"), line("n3", "u1"), line("n4", "u0")]
    made = add(kernel, "p", "boundary_patch", edges=edges, continuity=[2, 2, 1, 0, 2])
    assert [s.continuity for s in sorted(made.made.seams, key=lambda s: s.feature)] == [2, 2, 1, 0, 2]
    assert len({s.edge for s in made.made.seams}) == len(made.made.facts["sides"]) == 4
    sides = made.made.facts["sides"]
    assert max(s["gap"] for s in sides) < 0.002
    assert max(s["angle"] for s in sides[:3]) < 0.005
    at = face(kernel, "n0").surface.control[2, 2] + [0, 0, 2.0]
    move = {"op": "move_cvs", "id": "n0", "cvs": [{"i": 2, "j": 2, "to": at.tolist()}]}
    kernel.preview(move)
    kernel.commit(move)
    assert kernel.now.states["p"].problem is None
    same = add(kernel, "twice", "boundary_patch", edges=[edges[0], edges[0]])
    assert "picked twice" in same.problem
    gap = add(kernel, "open", "boundary_patch", edges=[edges[0], edges[1], edges[4], edges[3], line("n2", "v1")])
    assert "do not meet" in gap.problem


@pytest.mark.parametrize("distance", [-6.0, 9.0])
def test_an_offset_lies_at_its_distance_everywhere_and_says_where_it_folds(kernel, distance):
    add(kernel, "g", "face", face={"surface": SurfaceData.of(ground(4, 30)).model_dump()})
    made = add(kernel, "o", "offset_face", face={"feature": "g"}, distance=distance)
    assert made.made.facts["deviation"] <= 0.001
    feet = to_surface(face(kernel, "g").surface, points(face(kernel, "o").surface))
    assert feet.distance == pytest.approx(abs(distance), abs=0.003)
    circle(kernel, "c", 12.0)
    add(kernel, "wall", "extrude", curve=line("c"), forward=40)
    fold = [add(kernel, f"f{s}", "offset_face", face={"feature": "wall"}, distance=s * 20.0).problem for s in (-1, 1)]
    assert sum("least radius on that side is 12.00 mm" in (p or "") for p in fold) == 1


def test_of_a_trimmed_face_only_what_is_there_must_not_fold(kernel):
    def bent(x):
        return [[x, 0, 0], [x, 40, 0], [x, 50, x], [x, 60, 0], [x, 100, 0]]

    sheet = Surface(1, 4, [0, 0, 1, 1], [0] * 5 + [1] * 5, np.array([bent(0.0), bent(60.0)]))
    add(kernel, "s", "face", face={"surface": SurfaceData.of(sheet).model_dump()})
    assert "least radius" in add(kernel, "whole", "offset_face", face={"feature": "s"}, distance=-25.0).problem
    add(kernel, "cut", "line", start=[30, -10, 0], end=[20, 110, 0])
    keep = [{"feature": "s", "at": [0.1, 0.5]}]
    add(kernel, "t", "trim_faces", faces=[{"feature": "s"}], by_curves=[line("cut")], along="direction", keep=keep)
    made = add(kernel, "o", "offset_face", face={"feature": "s"}, distance=-25.0)
    assert made.problem is None
    assert made.made.handles[0].point[0] < 30


def test_copies_of_faces_are_exact_and_mirror_with_their_trims(kernel):
    add(kernel, "g", "face", face={"surface": SurfaceData.of(ground(4, 30)).model_dump()})
    add(kernel, "cut", "line", start=[200, -50, 0], end=[210, 350, 0])
    trim = add(kernel, "t", "trim_faces", faces=[{"feature": "g"}], by_curves=[line("cut")], along="direction")
    before = area(kernel, "g")
    made = add(kernel, "m", "copy_faces", faces=[{"feature": "g"}], how="mirror", normal=[1, 0, 0], pivot=[0, 0, 0])
    assert trim.problem is None
    assert made.problem is None
    assert area(kernel, "m") == pytest.approx(before, rel=1e-9)
    image = face(kernel, "g").surface.control * [-1, 1, 1]
    assert face(kernel, "m").surface.control == pytest.approx(image.swapaxes(0, 1))  # turned: outside stays outside
    add(kernel, "r", "copy_faces", faces=[{"feature": "g"}], how="turn", degrees=60, copies=5)
    assert sum(id.startswith("r") for id in kernel.now.world) == 5


def test_a_net_follows_its_curves_and_says_which_does_not_cross(kernel):
    for i, y in enumerate((0, 50, 90)):
        add(kernel, f"a{i}", "cv_curve", curve={"control": [[0, y, 0], [30, y, 14], [70, y, 20], [100, y, 5]]})
    for i, x in enumerate((0, 100)):
        add(
            kernel,
            f"b{i}",
            "cv_curve",
            curve={"control": [[x, 0, i * 5], [x, 40, i * 5], [x, 60, i * 5], [x, 90, i * 5]]},
        )
    state = add(kernel, "n", "net", curves=[line(f) for f in ("a0", "b0", "a2", "b1", "a1")])
    assert state.problem is None
    assert state.made.facts["off_curves"] < 0.002
    assert state.made.facts["directions"] == "3 along u, 2 along v"
    kernel.commit({"op": "move_cvs", "id": "a1", "cvs": [{"i": 1, "j": 0, "to": [30, 50, 30]}]})
    assert kernel.now.states["n"].made.facts["off_curves"] < 0.01
    kernel.commit({"op": "move_cvs", "id": "a1", "cvs": [{"i": 3, "j": 0, "to": [100, 50, 8]}]})
    assert re.search(r"do not cross: they pass at 3\.000 mm near \(100.00, 50.00", kernel.now.states["n"].problem)


def test_the_whole_chain_follows_the_first_curve(kernel):
    add(kernel, "c", "cv_curve", curve={"control": [[0, 0, 0], [30, 40, 0], [80, 50, 0], [120, 0, 0]]})
    add(kernel, "e", "extrude", curve=line("c"), along="z", forward=40)
    add(kernel, "o", "offset_face", face={"feature": "e"}, distance=3)
    add(kernel, "l", "loft", sections=[line("e", "v1"), line("o", "v1")])
    add(kernel, "apart", "line", start=[0, 0, 0], end=[1, 2, 3])
    kernel.commit({"op": "move_cvs", "id": "c", "cvs": [{"i": 1, "j": 0, "to": [30, 60, 0]}]})
    assert set(kernel.now.ran) == {"c", "e", "o", "l"}
    assert all(s.problem is None for s in kernel.now.states.values())


def test_caps_close_a_body_and_its_volume_is_reached_by_a_radius(kernel):
    add(kernel, "c", "ellipse", centre=[0, 0, 0], normal=[0, 0, 1], radius=20)
    add(kernel, "h", "ellipse", centre=[5, 0, 0], normal=[0, 0, 1], radius=6)
    add(kernel, "wall", "extrude", curve=line("c"), along="z", forward=30)
    add(kernel, "bore", "extrude", curve=line("h"), along="z", forward=30)
    faces = [{"feature": f} for f in ("wall", "bore", "floor", "lid")]
    add(kernel, "floor", "cap", edges=[line("wall", "v0"), line("bore", "v0")])
    add(kernel, "open", "measure_body", faces=faces[:3])
    add(kernel, "lid", "cap", edges=[line("bore", "v1"), line("wall", "v1")])
    state = add(kernel, "body", "measure_body", faces=faces)
    assert [s.problem for s in kernel.now.states.values() if s.problem] == []
    assert kernel.now.states["open"].made.facts["closed"] == "open at 2 edges"
    assert kernel.now.states["open"].made.facts["open_length"] == pytest.approx(2 * np.pi * 26)
    facts = state.made.facts
    assert facts["closed"] == "closed"
    assert facts["volume"] == pytest.approx(np.pi * (400 - 36) * 30, rel=1e-9)
    assert facts["area"] == pytest.approx(np.pi * (2 * (400 - 36) + 2 * 26 * 30), rel=1e-9)
    solved = solve_for(kernel.study, "body.volume", 30000.0, "c.radius", Evaluator())
    assert solved.value == pytest.approx(np.sqrt(1000 / np.pi + 36), rel=1e-9)
    bent = add(kernel, "b", "cap", edges=[line("wall", "v1"), line("wall", "v0")])
    assert "lie in no plane: they leave the nearest one by 20.000 mm" in bent.problem
    add(kernel, "l", "line", start=[0, 0, 0], end=[9, 0, 0])
    add(kernel, "m", "line", start=[9, 0, 0], end=[9, 9, 0])
    assert "do not close at (9.00, 9.00, 0.00) mm" in add(kernel, "o", "cap", edges=[line("l"), line("m")]).problem


def test_faces_that_run_on_become_one_and_what_hung_on_the_second_is_told(kernel):
    known = ground(1, 40)
    (u0, u1), _ = known.domain
    for name, (a, b) in {"left": (0, 0.4), "right": (0.4, 1)}.items():
        part = surface_part(known, (u0 + a * (u1 - u0), u0 + b * (u1 - u0)))
        add(kernel, name, "face", face={"surface": SurfaceData.of(part).model_dump()})
    pair = [{"feature": "left"}, {"feature": "right"}]
    state = add(kernel, "whole", "join_faces", faces=pair)
    assert state.problem is None
    assert state.made.facts["joint"] == "gone without a trace"
    assert "right" not in kernel.now.world
    assert kernel.now.world["left"].shape.face.surface.control.shape == known.control.shape
    header = read_frame(kernel.frame())[0]
    assert [o["id"] for o in header["objects"]] == ["left"]
    assert set(exported(kernel.study, kernel.now)) == {"left"}
    after = add(kernel, "wall", "extrude", curve={"feature": "right", "edge": "v0"}, along="z", forward=10)
    assert (after.status, after.problem) == ("lost", "right is part of another face since whole: pick that.")
    # What is stored says it too: the study opens as it was.
    results = kernel.commit({"op": "set_params", "id": "whole", "changes": {"tolerance": 0.002}})["results"]
    again = Kernel(kernel.document(), {}, results)
    assert "right" not in again.now.world
    kernel.commit({"op": "set_flags", "changes": [{"id": "whole", "on": False}]})
    assert kernel.now.states["wall"].status == "fresh"
