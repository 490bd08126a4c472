"""Secondaries grow from faces: fillets, feature lines and matches keep what they promise, and follow."""

import numpy as np
import pytest

from pamble.core.curves.measure import curve_length
from pamble.core.exchange.step import read_step
from pamble.core.faces.face import Face
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.evaluate import curve_points, surface_grid
from pamble.core.spline.knots import iso_curve, reverse_surface, surface_part, swap_directions
from pamble.study.frame import read_frame
from pamble.study.stored import FaceData, SurfaceData
from tests.cli.test_fillet_ends import blunted
from tests.cli.test_fillet_holes import necked
from tests.cli.test_fillet_joints import parted as in_two
from tests.cli.test_fillet_shells import box
from tests.core.fillets.test_dying import SLANTED, line_on
from tests.core.fillets.test_fillet import CREASES, LAWS, block, slab, turned_away
from tests.core.joining.test_chains import gap, parted
from tests.core.patches.grounds import ground, window
from tests.other_library import written
from tests.shapes import plane
from tests.study.bench import add, area, face, line
from tests.study.slabs import TRIM, slabs


def test_two_faces_that_do_not_touch_are_filleted_by_picking_them(kernel):
    for name, s in (
        ("floor", plane((0, 6, 0), (90, 0, 0), (0, 60, 0))),
        ("wall", plane((0, 0, 8), (90, 0, 0), (0, 0, 60))),
    ):
        add(kernel, name, "face", face={"surface": SurfaceData.of(s).model_dump()})
    state = add(kernel, "f", "fillet", faces=[{"feature": "floor"}, {"feature": "wall"}], radius=20)
    assert state.problem is None
    assert [(h.field, h.value) for h in state.made.handles] == [("radius", 20)]
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if "f" in (r["a"]["feature"], r["b"]["feature"])]
    assert [r["state"] for r in rows] == ["holds", "holds"]
    kernel.commit({"op": "set_params", "id": "f", "changes": {"faces": [{"feature": "floor"}]}})
    assert "Pick the edge of a crease, or two faces" in kernel.now.states["f"].problem


def test_a_feature_line_dies_out_in_its_face_and_follows_it(kernel):
    panel = slab()
    add(kernel, "panel", "face", face={"surface": SurfaceData.of(panel).model_dump()})
    drawn = line_on(panel, *SLANTED)
    add(
        kernel,
        "line",
        "cv_curve",
        curve={"degree": 5, "knots": drawn.knots.tolist(), "control": drawn.control.tolist()},
    )
    state = add(kernel, "f", "feature_line", face={"feature": "panel"}, line=line("line"), angle=9)
    assert state.problem is None

    def rows():
        return [r for r in read_frame(kernel.frame())[0]["seams"] if "f" in (r["a"]["feature"], r["b"]["feature"])]

    assert sorted((r["target"], r["state"]) for r in rows()) == [(0, "holds"), (2, "holds"), (2, "holds")]
    assert max(r["angle"]["max"] for r in rows()) == pytest.approx(9, abs=0.02)
    assert not any(r["stale"] for r in rows())
    assert [h.field for h in state.made.handles] == ["width", "turned"]
    kernel.commit({"op": "set_params", "id": "f", "changes": {"angle": -5, "width": 20, "other_side": True}})
    assert kernel.now.states["f"].problem is None
    kernel.commit({"op": "set_params", "id": "f", "changes": {"given": "height", "height": 0.5}})
    made = kernel.now.states["f"].made
    assert [made.handles[0].field, made.facts["height"]] == ["height", pytest.approx(0.5, abs=1e-6)]
    assert made.facts["angle"] > 0
    kernel.commit({"op": "set_params", "id": "f", "changes": {"turned": True}})
    assert "mm inside the face" in kernel.now.states["f"].problem
    # Its seams are those of its last good shape, and are told to be.
    assert [r["stale"] for r in rows()] == [True] * 3


def test_a_blend_passes_a_section_that_is_moved_and_a_loft_runs_to_a_point():
    kernel = slabs()
    edges = {"first": {"feature": "deck", "edge": "u1"}, "second": {"feature": "wall", "edge": "u1"}}
    plain = add(kernel, "plain", "edge_blend", **edges)
    assert plain.problem is None
    middle = iso_curve(face(kernel, "plain").surface, "v", 0.5)
    control = middle.control + np.array([4.0, 0, 0])
    curve = {"degree": middle.degree, "knots": middle.knots.tolist(), "control": control.tolist()}
    add(kernel, "ridge", "cv_curve", curve=curve)
    state = add(kernel, "b", "edge_blend", **edges, sections=[line("ridge")])
    assert state.problem is None
    assert state.made.facts["off_sections"] < 0.002
    assert [h.field for h in state.made.handles] == ["fullness", "fullness"]
    rows = [
        r
        for r in read_frame(kernel.frame())[0]["seams"]
        if {r["a"]["feature"], r["b"]["feature"]} <= {"b", "deck", "wall"}
    ]
    assert [(r["target"], r["state"]) for r in rows if r["a"]["feature"] == "b"] == [(2, "holds"), (2, "holds")]
    before = face(kernel, "b").surface.control[2, 3]
    kernel.commit({"op": "move_cvs", "id": "ridge", "cvs": [{"i": 2, "j": 0, "to": (control[2] + [6, 0, 0]).tolist()}]})
    assert np.linalg.norm(face(kernel, "b").surface.control[2, 3] - before) > 1
    kernel.commit({"op": "set_params", "id": "b", "changes": {"level": True}})
    assert "do not hold its crest level" in kernel.now.states["b"].problem
    tip = add(kernel, "tip", "loft", sections=[edges["first"]], start="curvature", to_point=[420.0, 40.0, 30.0])
    assert tip.problem is None
    assert np.ptp(face(kernel, "tip").surface.control[:, -1], axis=0).max() == 0
    kernel.commit({"op": "set_params", "id": "tip", "changes": {"to_point": None}})
    assert "a point that the loft runs to" in kernel.now.states["tip"].problem


def test_a_step_dies_out_in_its_face_with_curvature_all_round(kernel):
    panel = slab()
    add(kernel, "panel", "face", face={"surface": SurfaceData.of(panel).model_dump()})
    drawn = line_on(panel, *SLANTED)
    curve = {"degree": 5, "knots": drawn.knots.tolist(), "control": drawn.control.tolist()}
    add(kernel, "line", "cv_curve", curve=curve)
    state = add(kernel, "s", "drafted_step", face={"feature": "panel"}, line=line("line"), height=5, angle=20, back=30)
    assert state.problem is None
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if {r["a"]["feature"], r["b"]["feature"]} & {"s", "s/2"}]
    assert [(r["target"], r["state"]) for r in rows] == [(2, "holds")] * 5
    height, back, _ = state.made.handles
    assert (height.field, height.value, back.field, back.value) == ("height", 5, "back", 30)
    kernel.commit({"op": "set_params", "id": "s", "changes": {"height": 8.0}})
    assert kernel.now.states["s"].made.facts["width"] == pytest.approx(1.875 * 8 / np.tan(np.radians(20)), rel=0.02)


def test_fillets_that_meet_are_one_step_with_a_radius_each_and_a_ball_where_all_are_one(kernel):
    for n, own in enumerate(block()):
        add(kernel, f"side{n}", "face", face={"surface": SurfaceData.of(own.surface).model_dump()})
    creases = [line(f"side{n}", edge) for n, edge in CREASES]
    state = add(kernel, "f", "fillet", edges=creases, faces=[], radius=4)
    assert state.problem is None
    assert [state.made.facts[k] for k in ("least_radius", "largest_radius")] == [4, 4]
    assert [h.label for h in state.made.handles] == ["Radius"]
    assert set(state.made.makes) == {"", "2", "3", "4"}
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if r["state"] != "none"]
    # Six along the faces, three round the ball.
    assert len(rows) == 9
    assert all(r["state"] == "holds" for r in rows)
    kernel.commit({"op": "set_params", "id": "f", "changes": {"radii": [None, 3.0]}})
    state = kernel.now.states["f"]
    assert set(state.made.makes) == {"", "2", "3"}
    assert [(h.field, h.index) for h in state.made.handles] == [("radius", -1), ("radii", 1)]
    assert any("round a hole" in w for w in state.made.warnings)


def filleted(kernel, solid, place, radius, tmp_path):
    """Faces of a body of the other library, and the fillet "r" of its edge at a place, with all that lies about it."""
    found = [item.face for item in read_step(written(solid, tmp_path / "solid.step"))]
    for n, one in enumerate(found):
        add(kernel, f"f{n}", "face", face=FaceData.of(one).model_dump())
    owner, edge = min(
        ((f"f{n}", e) for n, one in enumerate(found) for e in one.edges),
        key=lambda row: float(to_curve(row[1].space, np.array([place], dtype=float)).distance[0]),
    )
    faces = [{"feature": id} for id in kernel.about_crease(owner, edge.name, 3.0 * radius) if id != owner]
    return found, add(kernel, "r", "fillet", edges=[line(owner, edge.name)], faces=faces, radius=radius)


def test_a_small_face_that_a_fillet_consumes_is_gone_and_back_after_an_undo(kernel, tmp_path):
    found, state = filleted(kernel, blunted(), (50, 0, 40), 5, tmp_path)
    small = f"f{int(np.argmin([sum(curve_length(e.space) for e in one.edges) for one in found]))}"
    assert (state.problem, state.made.warnings, state.made.removes) == (None, (), (small,))
    assert small not in kernel.now.world
    kernel.commit({"op": "set_params", "id": "r", "changes": {"radius": 0.5}})
    assert small in kernel.now.world


def test_a_neck_that_a_fillet_consumes_leaves_two_pieces_of_a_face_each_with_its_seam(kernel, tmp_path):
    state = filleted(kernel, necked(), (-30, -0.5, 40), 2, tmp_path)[1]
    assert (state.problem, state.made.warnings, set(state.made.makes)) == (None, (), {"", "2"})
    sides = [row for row in promised(kernel, "r") if "v0" in row[0] or "v1" in row[0]]
    assert len(sides) == 3
    assert {row[2] for row in sides} == {"holds"}
    assert sum("r/2." in row[0] for row in sides) == 1
    kernel.commit({"op": "set_params", "id": "r", "changes": {"radius": 0.5}})
    assert set(kernel.now.states["r"].made.makes) == {""}
    assert {row[2] for row in promised(kernel, "r")} == {"holds"}


def test_a_fillet_over_a_joint_has_a_seam_with_each_face_that_goes_on_in_the_other(kernel, tmp_path):
    """The joint leaves the edge at its end, and the contact runs over it: two faces on that side, one on the other."""
    state = filleted(kernel, in_two(box(), (0, 0, 0), (-0.08, 1, 0)), (50, 0, 40), 5, tmp_path)[1]
    assert (state.problem, state.made.warnings, state.made.removes) == (None, (), ())
    sides = [row[0].split("|") for row in promised(kernel, "r")]
    assert sorted(next(k for k in row if k.startswith("r.")) for row in sides) == ["r.v0", "r.v1", "r.v1"]
    assert {row[2] for row in promised(kernel, "r")} == {"holds"}


def test_a_fillet_trims_both_faces_and_follows_and_a_match_moves_a_face(kernel):
    a = slab()
    for name, s in (("deck", a), ("apron", turned_away(a, LAWS["30 to 60"]))):
        add(kernel, name, "face", face={"surface": SurfaceData.of(s).model_dump()})
    made = add(kernel, "f", "fillet", edges=[line("deck", "v1")], faces=[{"feature": "apron"}], radius=10)
    assert made.problem is None
    assert made.made.facts["radius_error"] < 0.002
    assert not face(kernel, "deck").natural
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if "f" in (r["a"]["feature"], r["b"]["feature"])]
    assert [r["state"] for r in rows] == ["holds", "holds"]
    at = face(kernel, "deck").surface.control[2, 3] + [0, 0, 3.0]
    kernel.commit({"op": "set_params", "id": "f", "changes": {"radius": 14, "radius_end": 8}})
    kernel.commit(
        {"op": "move_cvs", "id": "apron", "cvs": [{"i": 3, "j": 3, "to": (at + np.array([0, 60, -60])).tolist()}]}
    )
    assert kernel.now.states["f"].problem is None
    kernel.commit({"op": "set_params", "id": "f", "changes": {"at": [0.3, 0.6], "radii_at": [12.0]}})
    handles = {(h.field, h.index): h.value for h in kernel.now.states["f"].made.handles}
    assert handles == {("radius", -1): 14, ("at", 0): 0.3, ("radii_at", 0): 12, ("at", 1): 0.6}
    kernel.commit({"op": "set_params", "id": "f", "changes": {"gap": True}})
    made = kernel.now.states["f"].made
    assert (dict(made.makes), set(made.changes), made.seams) == ({}, {"deck", "apron"}, ())
    kernel.commit({"op": "set_params", "id": "f", "changes": {"gap": False, "at": [], "radii_at": []}})
    kernel.commit({"op": "set_params", "id": "f", "changes": {"radius": 900, "radius_end": None}})
    assert "The largest radius that works is" in kernel.now.states["f"].problem
    edges = window(ground(1, 60))
    middle = surface_part(ground(1, 60), (0.35, 0.65), (0.3, 0.7))
    stirred = middle.with_control(middle.control + np.random.default_rng(1).normal(size=middle.control.shape))
    parts = [surface_part(edges[1].surface, None, v) for v in ((0.3, 0.42), (0.42, 0.7))]
    for name, s in (("lid", stirred), ("rest", parts[0]), ("right", parts[1])):
        add(kernel, name, "face", face={"surface": SurfaceData.of(s).model_dump()})
    matched = add(kernel, "m", "match_face", edge=line("lid", "u1"), to=line("right", "u0"))
    assert "pick its edge there, too" in matched.made.warnings[-1]
    kernel.commit({"op": "set_params", "id": "m", "changes": {"on": [line("rest", "u0")]}})
    matched = kernel.now.states["m"]
    assert (matched.made.warnings, matched.made.facts["joints"][0]["curvature"] < 0.5) == ((), True)
    assert [row[1:] for row in promised(kernel, "m")] == [(2, "holds")] * 2
    assert face(kernel, "lid").surface.control[:4] == pytest.approx(stirred.control[:4])


def test_the_other_half_follows_and_its_seams_lie_in_the_plane(kernel):
    arch = [[0, 0, 40], [30, 0, 42], [60, 0, 40], [90, 0, 30]]
    add(kernel, "middle", "cv_curve", curve={"control": arch})
    add(kernel, "side", "cv_curve", curve={"control": [[x, 50, z - 25] for x, _, z in arch]})
    add(kernel, "roof", "loft", sections=[line("middle"), line("side")])
    add(kernel, "far", "extrude", curve=line("side"), along="z", forward=-20)
    state = add(kernel, "half", "other_half", faces=[{"feature": "roof"}, {"feature": "far"}])
    assert (state.problem, state.made.warnings, state.made.facts["seams"]) == (None, (), 1)
    u, v = np.linspace(0, 1, 9), np.linspace(0, 1, 9)
    here, there = (surface_grid(face(kernel, id).surface, u, v)[0, 0] for id in ("roof", "half"))
    assert np.sort((here * [1, -1, 1]).reshape(-1, 3), axis=0) == pytest.approx(np.sort(there.reshape(-1, 3), axis=0))

    def seam():
        (row,) = [
            r
            for r in read_frame(kernel.frame())[0]["seams"]
            if {r["a"]["feature"], r["b"]["feature"]} == {"half", "roof"}
        ]
        return row

    # A straight loft leaves the plane at a slope: a crease with its image, of twice the angle.
    assert seam()["target"] == 2
    assert seam()["state"] == "over"
    assert seam()["angle"]["max"] == pytest.approx(2 * np.degrees(np.arctan2(25, 50)), rel=0.05)
    kernel.commit({"op": "set_params", "id": "roof", "changes": {"start": "square"}})
    assert kernel.now.states["roof"].problem is None
    assert seam()["angle"]["max"] < 1e-6
    assert seam()["state"] == "holds"
    kernel.commit({"op": "move_cvs", "id": "middle", "cvs": [{"i": 1, "j": 0, "to": [30, -4, 42]}]})
    assert "roof reaches over the plane by" in kernel.now.states["half"].made.warnings[0]


def test_a_trimmed_face_is_rebuilt_and_its_trims_follow():
    kernel = slabs(TRIM)
    before, old = area(kernel, "deck"), face(kernel, "deck").surface
    state = add(kernel, "r", "rebuild_face", face={"feature": "deck"}, degree_u=old.degree_u + 2)
    assert (state.problem, state.made.facts["deviation"]) == (None, 0.0)
    assert face(kernel, "deck").surface.degree_u == old.degree_u + 2
    assert not face(kernel, "deck").natural
    assert area(kernel, "deck") == pytest.approx(before, rel=1e-7)
    kernel.commit({"op": "set_params", "id": "r", "changes": {"degree_u": 2, "spans_u": 1, "spans_v": 1}})
    facts = kernel.now.states["r"].made.facts
    assert facts["deviation"] > 0.01
    assert area(kernel, "deck") == pytest.approx(before, rel=1e-2)


def promised(kernel, step):
    """Seams that a step promises, as the ledger has them: key, target, state."""
    rows = [r.row for r in kernel._snapshot.ledger.rows.values()]
    return [(r["key"], r["target"], r["state"]) for r in rows if r["by"] == step]


def test_two_sides_are_matched_at_once_and_two_faces_meet_in_the_middle(kernel):
    edges = window(ground(1, 60))
    middle = surface_part(ground(1, 60), (0.35, 0.65), (0.3, 0.7))
    stirred = middle.with_control(middle.control + np.random.default_rng(1).normal(size=middle.control.shape))
    for name, s in (("lid", stirred), ("right", edges[1].surface), ("front", edges[0].surface)):
        add(kernel, name, "face", face={"surface": SurfaceData.of(s).model_dump()})
    sides = {"edge": line("lid", "u1"), "to": line("right", "u0"), "sides": [line("lid", "v0")]}
    assert "there are 2 sides and 1 edges" in add(kernel, "m", "match_face", **sides).problem
    kernel.commit({"op": "set_params", "id": "m", "changes": {"edges": [line("front", edges[0].side)]}})
    joints = kernel.now.states["m"].made.facts["joints"]
    assert len(joints) == 2
    assert max(max(j["gap"], j["angle"]) for j in joints) < 0.005
    assert max(j["curvature"] for j in joints) < 0.5
    assert promised(kernel, "m") == [("lid.u1|right.u0", 2, "holds"), (f"front.{edges[0].side}|lid.v0", 2, "holds")]
    kernel.commit({"op": "remove_features", "ids": ["m"]})
    before = face(kernel, "right").surface
    made = add(kernel, "b", "match_both", edge=line("lid", "u1"), to=line("right", "u0")).made
    assert made.facts["joints"][0]["curvature"] < 0.5
    assert promised(kernel, "b") == [("lid.u1|right.u0", 2, "holds")]
    assert set(made.changes) == {"lid", "right"}
    at = [np.linspace(*d, 9) for d in before.domain]
    went = [surface_grid(s, *at)[0, 0] for s in (before, face(kernel, "right").surface)]
    away = np.linalg.norm(went[1] - went[0], axis=2)
    assert 0.2 < away[0].max() < 2.0
    assert away[-1].max() < 1e-9


def test_a_bad_patch_is_replaced_from_its_neighbours_edges_and_what_hangs_on_it_follows(kernel):
    known, edges = ground(1, 60), window(ground(1, 60))
    middle = surface_part(known, (0.35, 0.65), (0.3, 0.7))
    # The patch is stirred, and runs the other way round.
    stirred = middle.with_control(middle.control + 4 * np.random.default_rng(1).normal(size=middle.control.shape))
    bad = reverse_surface(swap_directions(stirred), "u")
    add(kernel, "bad", "face", face={"surface": SurfaceData.of(bad).model_dump()})
    for k, edge in enumerate(edges):
        add(kernel, f"n{k}", "face", face={"surface": SurfaceData.of(edge.surface).model_dump()})
    add(kernel, "rim", "edge_curve", edge=line("bad", "u0"))
    beside = [line(f"n{k}", edge.side) for k, edge in enumerate(edges)]
    state = add(kernel, "again", "replace_patch", face={"feature": "bad"}, edges=beside, continuity=[2, 1, 2, 1])
    assert (state.problem, state.made.warnings) == (None, ())
    assert all(s["gap"] < 0.002 and s["angle"] < 0.005 for s in state.made.facts["sides"])
    assert all(state.made.facts["sides"][k]["curvature"] < 0.5 for k in (0, 2))
    assert state.made.facts["off_old"] > 1
    assert sorted(row[1:] for row in promised(kernel, "again")) == [(1, "holds")] * 2 + [(2, "holds")] * 2
    new = face(kernel, "bad").surface
    points = surface_grid(new, np.linspace(0, 1, 9), np.linspace(0, 1, 9))[0, 0].reshape(-1, 3)
    assert to_surface(known, points).distance.max() < 0.05
    for side in ("u0", "u1", "v0", "v1"):
        old, now = (curve_points(f.edge(side).space, f.edge(side).domain) for f in (Face(bad), face(kernel, "bad")))
        assert np.linalg.norm(old - now, axis=1).max() < 15
    kernel.commit({"op": "move_step", "id": "rim", "to": len(kernel.study.features) - 1})
    assert kernel.now.states["rim"].problem is None
    kernel.commit({"op": "set_params", "id": "again", "changes": {"edges": [*beside[:3], beside[0]]}})
    assert "twice" in kernel.now.states["again"].problem


def test_a_blend_keeps_to_a_limit_plane_or_line_and_meets_it(kernel):
    add(
        kernel,
        "low",
        "face",
        face={"surface": SurfaceData.of(plane((0, 15, -15), (80, 0, 0), (0, 40, -40))).model_dump()},
    )
    add(
        kernel,
        "far",
        "face",
        face={"surface": SurfaceData.of(plane((0, -15, -15), (80, 0, 0), (0, -40, -40))).model_dump()},
    )
    add(kernel, "roof", "plane_parallel", square_to="z", through=[0.0, 0.0, -10.0])
    add(kernel, "ridge", "line", start=[0, 0, -11], end=[80, 0, -11])
    asked = {"first": line("low", "v0"), "second": line("far", "v0"), "continuity": [1, 1]}
    facts = add(kernel, "b", "edge_blend", **asked, limit={"feature": "roof"}).made.facts
    # A G1 section of fullness f over a gap w of a right angle stands f w sin(45) / 4 above its chord.
    assert facts["clearance"] == pytest.approx(5 - 30 * np.sqrt(0.5) / 4, abs=1e-6)
    ((start, end),) = facts["marked"]["lines"]
    assert np.linalg.norm(np.subtract(start, end)) == pytest.approx(abs(facts["clearance"]), abs=1e-6)
    for limit, height in (({"limit": {"feature": "roof"}}, 5), ({"limit": None, "limit_line": line("ridge")}, 4)):
        kernel.commit({"op": "set_params", "id": "b", "changes": {**limit, "meet": True}})
        facts = kernel.now.states["b"].made.facts
        assert facts["fullness"][0] == pytest.approx(height / (30 * np.sqrt(0.5) / 4), rel=1e-3)
        assert (facts["crest_least"], facts["crest_most"]) == pytest.approx((height, height), rel=1e-3)
        assert abs(facts["clearance"]) < 2e-4
    kernel.commit({"op": "set_params", "id": "b", "changes": {"limit": {"feature": "roof"}}})
    assert "one limit" in kernel.now.states["b"].problem
    kernel.commit({"op": "set_params", "id": "b", "changes": {"limit_line": None, "meet": False, "fullness": [1, 1]}})
    kernel.commit({"op": "solve", "measure": "b.clearance", "aim": 1.0, "by": "b.fullness.0"})
    assert kernel.now.states["b"].made.facts["clearance"] == pytest.approx(1, abs=1e-6)
    kernel.commit({"op": "set_params", "id": "b", "changes": {"fullness": [None, None], "meet": True}})
    kernel.commit({"op": "set_params", "id": "b", "changes": {"limit": None, "limit_line": None}})
    assert "no limit to meet" in kernel.now.states["b"].problem
    # Spans that are chosen leave what fewer and more would reach in sight.
    kernel.commit({"op": "set_params", "id": "b", "changes": {"meet": False, "spans": 2}})
    assert [t["spans"] for t in kernel.now.states["b"].made.facts["trials"]] == [1, 2]


def test_a_blend_and_a_blended_fillet_over_several_faces_have_a_seam_with_each(kernel):
    deck, wall = gap(1, "90 to 110")
    row = parted(wall, 5)
    add(kernel, "deck", "face", face={"surface": SurfaceData.of(deck.surface).model_dump()})
    for n, (own, _) in enumerate(row):
        add(kernel, f"wall{n}", "face", face={"surface": SurfaceData.of(own.surface).model_dump()})
    first, *others = (line(f"wall{n}", edge.name) for n, (_, edge) in enumerate(row))
    state = add(kernel, "b", "edge_blend", first=line("deck", "v1"), second=first, second_on=others)
    assert state.problem is None
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if "b" in (r["a"]["feature"], r["b"]["feature"])]
    assert [(r["target"], r["state"]) for r in rows] == [(2, "holds")] * 4
    assert sum(r["length"] for r in rows) == pytest.approx(2 * 300, rel=0.01)
    kernel.commit({"op": "set_params", "id": "b", "changes": {"second_on": others[1:]}})
    assert "do not follow each other" in kernel.now.states["b"].problem
