"""A history of objects: steps that change what others made, their order, their states, what lasts."""

import numpy as np
import pytest

from pamble.core.errors import PambleError, StudyError
from pamble.study.document import study_from_json
from pamble.study.frame import read_frame
from pamble.study.handing_over import step_file
from pamble.study.kernel import Kernel
from pamble.study.taking import taken_from_step
from tests.conftest import ROOT
from tests.study.slabs import CUT, DECK, TRIM, WALL, WIDE, adds, edges, face, moved, ref, shown, slabs, step, told

CURVE = step("c", "edge_curve", edge=ref("deck", "t:wall"))
BLEND = step("b", "edge_blend", "Shoulder", first=ref("deck", "v0"), second=ref("wall", "v0"))


def test_a_step_changes_an_object_for_those_behind_it_and_for_nobody_before():
    kernel = slabs(TRIM)
    assert told(kernel, "t")["changes"] == ["deck", "wall"]
    assert edges(kernel, "deck") == {"u0", "u1", "v1", "t:wall"} or edges(kernel, "deck") == {
        "u0",
        "u1",
        "v0",
        "t:wall",
    }
    assert not kernel.now.states["deck"].made.shape.face.loops
    early = step("c", "edge_curve", edge=ref("deck", "v0"))
    kernel.commit(adds(early, at=[2]))
    assert told(kernel, "c")["status"] == "fresh"
    late = step("d", "edge_curve", edge=ref("deck", "t:wall"))
    kernel.commit(adds(late))
    assert told(kernel, "d")["status"] == "fresh"
    with pytest.raises(StudyError, match="cannot stand there"):
        kernel.commit({"op": "move_step", "id": "d", "to": 2})


def test_both_slabs_meet_along_one_edge_while_a_cv_is_dragged_and_afterwards():
    kernel = slabs(TRIM)
    for z in (3.0, 6.0, -4.0):
        header, floats = read_frame(kernel.preview(moved(kernel, "deck", 2, 2, (0, 0, z))))
        (seam,) = header["seams"]
        assert seam["gap"]["max"] < 1e-6
        lines = [
            floats[e["points"][0] : sum(e["points"])].reshape(-1, 3)
            for o in header["objects"]
            for e in o["edges"]
            if e["name"].startswith("t:")
        ]
        assert len(lines) == 2
        assert min(np.abs(lines[0] - l).max() for l in (lines[1], lines[1][::-1])) == 0
    kernel.commit(moved(kernel, "deck", 2, 2, (0, 0, 6.0)))
    fresh = Kernel(kernel.document())
    for id in ("deck", "wall"):
        a, b = (k.now.world[id].shape for k in (kernel, fresh))
        assert a.version == b.version


def test_what_waits_keeps_its_last_good_shape_is_marked_and_the_rest_goes_on():
    kernel = slabs(TRIM, CURVE, step("d", "edge_curve", edge=ref("wall", "u0")))
    good = kernel.now.world["c"].shape
    away = [[[0, 900, 0], [0, 990, 0]], [[100, 900, 0], [100, 990, 0]]]
    flat = {"degree_u": 1, "degree_v": 1, "knots_u": [0, 0, 1, 1], "knots_v": [0, 0, 1, 1], "control": away}
    kernel.commit({"op": "set_params", "id": "wall", "changes": {"face": {"surface": flat}}})
    trim = told(kernel, "t")
    assert (trim["status"], trim["stale"]) == ("failed", True)
    assert "Deck: Wall does not touch the face" in trim["problem"]
    assert told(kernel, "c")["status"] == "behind"
    assert kernel.now.world["c"].shape is good
    assert shown(kernel)["deck"]["stale"]
    kernel.commit(adds(step("free", "line", start=[0, 0, 0], end=[9, 0, 0])))
    assert told(kernel, "free")["status"] == "fresh"


def test_last_good_results_last_after_closing_and_reopening():
    kernel = slabs()
    stored = kernel.commit(adds(TRIM))["results"]
    broken = kernel.commit({"op": "set_params", "id": "t", "changes": {"by_faces": [ref("gone")]}})
    again = Kernel(broken["document"], results={**stored, **broken["results"]})
    assert told(again, "t")["status"] == "lost"
    assert edges(again, "deck") == edges(kernel, "deck")
    assert shown(again)["deck"]["stale"]


def test_opening_runs_nothing_that_was_stored():
    kernel = slabs()
    stored = {}
    for one in (TRIM, CURVE, BLEND):
        stored |= kernel.commit(adds(one))["results"]
    assert set(stored) == {"t", "c", "b"} - ({"b"} if told(kernel, "b")["status"] != "fresh" else set())
    again = Kernel(kernel.document(), results=stored)
    assert set(again.now.ran) <= {"deck", "wall", "b"}
    assert again.now.world["deck"].shape.version == kernel.now.world["deck"].shape.version


def test_the_marker_shows_the_part_as_it_was_and_new_steps_land_behind_it():
    kernel = slabs(TRIM, step("x", "extend_face", edge=ref("wall", "u0"), length=10.0))
    kernel.commit({"op": "set_marker", "step": "wall"})
    assert told(kernel, "t")["status"] == "beyond"
    assert edges(kernel, "deck") == {"u0", "u1", "v0", "v1"}
    kernel.commit(adds(step("s", "turn_face", face=ref("deck"))))
    assert [f.id for f in kernel.study.features] == ["deck", "wall", "s", "t", "x"]
    assert kernel.study.marker == "s"
    assert set(shown(kernel)) == {"deck", "wall"}
    kernel.commit({"op": "set_marker", "step": "x"})
    assert kernel.study.marker is None
    assert told(kernel, "t")["status"] == "fresh"


def test_a_step_is_moved_where_its_needs_allow_and_a_circle_is_refused():
    kernel = slabs(TRIM, step("e", "extend_face", edge=ref("deck", "u0"), length=10.0))
    kernel.commit({"op": "move_step", "id": "e", "to": 2})
    assert [f.id for f in kernel.study.features] == ["deck", "wall", "e", "t"]
    with pytest.raises(StudyError, match="needs Deck, which comes later"):
        kernel.commit({"op": "move_step", "id": "t", "to": 0})
    with pytest.raises(StudyError, match="made from itself"):
        kernel.commit({"op": "set_params", "id": "t", "changes": {"by_faces": [ref("t")]}})
    kernel.commit(adds(step("y", "edge_curve", edge=ref("deck", "u1")), step("z", "trim_curve", curve=ref("y", "c0"))))
    with pytest.raises(StudyError, match="hang on each other in a circle"):
        kernel.commit({"op": "set_params", "id": "y", "changes": {"edge": ref("z", "c0")}})


def test_what_hangs_on_a_trim_is_what_asks_for_the_edges_that_it_cut():
    kernel = slabs(TRIM, CURVE, step("d", "edge_curve", edge=ref("wall", "u0")))
    assert [d["id"] for d in kernel.dependents(["t"])] == ["c"]
    assert [d["id"] for d in kernel.dependents(["deck"])] == ["t", "c"]


def test_a_step_asked_for_the_same_as_another_names_what_it_cuts_itself():
    kernel = slabs(CUT)
    again = {**CUT, "id": "twin", "name": "twin"}
    kernel.commit(adds(again, at=[2]))
    kernel.commit({"op": "remove_features", "ids": ["t"]})
    cut = [e.name for e in kernel.now.world["deck"].shape.face.edges]
    assert "twin:wall" in cut
    assert "t:wall" not in cut


def test_an_edge_that_has_become_two_is_told_with_what_may_be_meant():
    ring = step("r", "ellipse", "Ring", centre=[150, 0, 40], normal=[0, 0, 1], radius=20.0)
    bite = step("h", "trim_faces", "Bite", faces=[ref("deck")], by_curves=[ref("r", "c0")], along="direction")
    kernel = slabs(step("c", "edge_curve", edge={**ref("deck", "v0"), "near": [20, 0, 0]}))
    kernel.commit(adds(ring, bite, at=[2, 3]))
    curve = told(kernel, "c")
    assert curve["status"] == "lost", (told(kernel, "h"), edges(kernel, "deck"))
    assert "has become 2" in curve["problem"]
    assert curve["lost"]["candidates"][:2] == ["v0.1of2", "v0.2of2"]
    kernel.commit({"op": "set_params", "id": "c", "changes": {"edge": ref("deck", curve["lost"]["candidates"][0])}})
    assert told(kernel, "c")["status"] == "fresh"
    assert np.abs(kernel.now.world["c"].shape.curves[0].control[:, 0]).max() < 150


NAMES = [
    ("the cutter moved", lambda k: k.commit(moved(k, "wall", 2, 2, (0, 8, 0)))),
    ("a CV of the face moved", lambda k: k.commit(moved(k, "deck", 1, 1, (0, 0, 4)))),
    ("a second cutter added", lambda k: _second(k)),
    ("another face trimmed first", lambda k: _first(k)),
    ("the face extended before", lambda k: k.commit(adds(step("e", "extend_face", edge=ref("deck", "u1")), at=[2]))),
    ("the cutter renamed", lambda k: k.commit({"op": "set_flags", "changes": [{"id": "wall", "name": "Rib"}]})),
]


def _second(kernel):
    kernel.commit(adds(step("p", "plane_parallel", square_to="x", through=[290, 0, 0]), at=[2]))
    kernel.commit({"op": "set_params", "id": "t", "changes": {"by_planes": [ref("p")]}})


def _first(kernel):
    plane = step("p", "plane_parallel", square_to="x", through=[280, 0, 0])
    kernel.commit(adds(plane, step("f", "trim_faces", faces=[ref("deck")], by_planes=[ref("p")]), at=[2, 3]))


@pytest.mark.parametrize(("what", "change"), NAMES)
def test_an_edge_is_the_same_edge_after(what, change):
    kernel = slabs(CUT, CURVE, wall=WIDE)
    change(kernel)
    assert told(kernel, "c")["status"] == "fresh", (what, told(kernel, "c"))
    curve = kernel.now.world["c"].shape.curves[0]
    wall = kernel.now.states["wall"].made.shape.face.surface
    from pamble.core.spline.closest import to_surface
    from pamble.core.spline.evaluate import curve_points

    assert to_surface(wall, curve_points(curve, np.linspace(*curve.domain, 50))).distance.max() < 1e-3


def test_cvs_of_a_face_that_its_step_draws_are_moved_there_though_it_is_trimmed_later():
    kernel = slabs(TRIM)
    done = kernel.commit(moved(kernel, "deck", 3, 2, (0, 0, 5)))
    assert done["op"]["op"] == "move_cvs"
    assert [f.id for f in kernel.study.features] == ["deck", "wall", "t"]
    assert kernel.now.world["deck"].shape.face.surface.control[3, 2, 2] == pytest.approx(DECK.control[3, 2, 2] + 5)


def test_cvs_of_every_other_face_get_a_step_that_holds_its_change_when_the_face_is_rebuilt():
    kernel = slabs(step("e", "extend_face", edge=ref("deck", "u1"), length=30.0))
    first = kernel.commit(moved(kernel, "deck", 2, 2, (0, 0, 7), step="m"))
    assert first["op"]["op"] == "add_features"
    kernel.commit(moved(kernel, "deck", 2, 2, (0, 0, 3)))
    assert [f.kind for f in kernel.study.features] == ["face", "face", "extend_face", "move_cvs"]
    before = kernel.now.states["e"].made.changes["deck"].face.surface
    assert kernel.now.world["deck"].shape.face.surface.control[2, 2] == pytest.approx(before.control[2, 2] + [0, 0, 10])
    kernel.commit({"op": "set_params", "id": "e", "changes": {"length": 45.0}})
    after = kernel.now.states["e"].made.changes["deck"].face.surface
    assert kernel.now.world["deck"].shape.face.surface.control[2, 2] == pytest.approx(after.control[2, 2] + [0, 0, 10])
    kernel.commit({"op": "set_params", "id": "m", "changes": {"hold_u0": 2}})
    assert kernel.now.world["deck"].shape.face.surface.control[2, 2] == pytest.approx(after.control[2, 2])


def test_a_trim_follows_cvs_that_move_in_a_step_of_their_own():
    kernel = slabs(
        step("longer", "extend_face", edge=ref("deck", "u1"), length=30.0),
        {**TRIM, "params": {**TRIM["params"], "extend": True}},
    )
    move = moved(kernel, "deck", 2, 2, (0, 0, 12), step="m")
    header, _ = read_frame(kernel.preview(move))
    done = kernel.commit(move)
    assert [f.id for f in kernel.study.features] == ["deck", "wall", "longer", "m", "t"]
    for seams in (header["seams"], read_frame(done["frame"])[0]["seams"]):
        assert max(s["gap"]["max"] for s in seams) < 0.002
    kernel.commit(done["inverse"])
    assert [f.id for f in kernel.study.features] == ["deck", "wall", "longer", "t"]


def test_mirrored_cvs_move_mirrored_and_held_sides_keep_their_rows():
    x, y = np.meshgrid(np.linspace(0, 90, 4), np.linspace(-40, 40, 5), indexing="ij")
    from pamble.core.spline import Surface

    even = Surface.bezier(np.stack([x, y, 0.01 * y**2], axis=-1))
    kernel = Kernel({"name": "x", "features": [face("f", "Half", even)]})
    kernel.commit(moved(kernel, "f", 1, 1, (0, 2, 5), mirror="y"))
    now = kernel.now.world["f"].shape.face.surface.control
    assert now[1, 1] == pytest.approx(even.control[1, 1] + [0, 2, 5])
    assert now[1, 3] == pytest.approx(even.control[1, 3] + [0, -2, 5])
    kernel.commit({"op": "set_params", "id": "f", "changes": {"hold_v0": 1}})
    kernel.commit(moved(kernel, "f", 2, 1, (0, 0, 9)))
    assert kernel.now.world["f"].shape.face.surface.control[2, 1] == pytest.approx(now[2, 1])
    with pytest.raises(PambleError, match="not the same on both sides of x = 0"):
        kernel.commit(moved(kernel, "f", 2, 1, (0, 0, 9), mirror="x"))


def test_imported_trims_follow_the_cvs_of_their_surface():
    kernel = slabs(TRIM)
    data = step_file(kernel.study, kernel.now, ["deck"])
    taken = taken_from_step(data, "deck.step", ())["op"]
    other = Kernel({"name": "x"})
    other.commit(taken)
    id = other.study.features[0].id
    other.commit(moved(other, id, 3, 2, (0, 0, 12)))
    face_now = other.now.world[id].shape.face
    from pamble.core.spline.evaluate import curve_points, surface_points

    for e in face_now.edges:
        t = np.linspace(*e.domain, 60)
        uv = curve_points(e.pcurve, t)
        assert np.abs(surface_points(face_now.surface, *uv.T) - curve_points(e.space, t)).max() < 1e-3


@pytest.mark.parametrize(
    ("params", "words"),
    [
        ({"faces": [ref("deck")]}, "Pick what cuts"),
        ({"faces": [ref("deck")], "by_faces": [ref("deck")]}, "cannot cut itself"),
        ({"faces": [ref("deck")], "by_faces": [ref("wall")], "keep": []}, "nothing is kept"),
        ({"faces": [ref("deck"), ref("deck")], "by_faces": [ref("wall")]}, "picked twice"),
        ({"faces": [ref("deck")], "by_planes": [ref("wall")]}, "is no plane"),
    ],
)
def test_a_trim_that_makes_no_sense_says_why_at_the_step(params, words):
    kernel = slabs(step("t", "trim_faces", **params))
    assert words in told(kernel, "t")["problem"]
    assert set(shown(kernel)) == {"deck", "wall"}


def test_a_short_cut_is_offered_carried_on():
    line = step("l", "line", start=[-20, 40, 60], end=[200, 40, 60])
    cut = step("t", "trim_faces", faces=[ref("deck")], by_curves=[ref("l", "c0")], along="direction")
    kernel = slabs(line, cut)
    state = told(kernel, "t")
    assert "ends inside the face" in state["problem"]
    assert state["offer"] == {"label": "Carry the cut on", "changes": {"extend": True}}
    kernel.commit({"op": "set_params", "id": "t", "changes": state["offer"]["changes"]})
    assert told(kernel, "t")["status"] == "fresh"


def test_old_studies_and_operations_open_in_the_form_of_today():
    example = (ROOT / "docs" / "examples" / "kettle-lid.json").read_bytes()
    assert study_from_json(example).format_version == 3
    rim = study_from_json((ROOT / "docs" / "examples" / "tray-rim.json").read_bytes()).feature("rim")
    assert rim.params["edges"] == [{"feature": "deck", "edge": "v1"}]
    kernel = slabs()
    old = step("s", "section_curve", face=ref("deck"), point=[100, 0, 0])
    kernel.commit(adds(old))
    assert kernel.study.feature("s").params["faces"] == [{"feature": "deck"}]
    repicked = {"op": "set_params", "id": "s", "changes": {"face": ref("wall")}}
    kernel.commit({"op": "several", "ops": [repicked]})
    assert kernel.study.feature("s").params["faces"] == [{"feature": "wall"}]


def test_one_of_a_thousand_steps_changes_alone():
    lines = [step(f"l{i}", "line", start=[0, i, 0], end=[9, i, 0]) for i in range(1000)]
    kernel = Kernel({"name": "x", "features": lines})
    kernel.commit({"op": "set_params", "id": "l500", "changes": {"end": [12, 500, 0]}})
    assert kernel.now.ran == ("l500",)
    header = read_frame(kernel.preview({"op": "set_params", "id": "l7", "changes": {"end": [12, 7, 0]}}))[0]
    assert [o["id"] for o in header["objects"]] == ["l7"]
    assert [f["id"] for f in header["features"]] == ["l7"]


def test_lines_of_a_section_keep_their_names_when_one_face_is_missed():
    section = step("s", "section_curve", faces=[ref("deck"), ref("wall")], point=[150, 0, 0])
    kernel = slabs(section, step("c", "trim_curve", curve=ref("s", "wall"), end=0.5))
    assert told(kernel, "c")["status"] == "fresh"
    away = [[[0, 0, 0], [0, 50, 0]], [[100, 0, 0], [100, 50, 0]]]
    flat = {"degree_u": 1, "degree_v": 1, "knots_u": [0, 0, 1, 1], "knots_v": [0, 0, 1, 1], "control": away}
    kernel.commit({"op": "set_params", "id": "deck", "changes": {"face": {"surface": flat}}})
    assert told(kernel, "c")["status"] == "fresh"
    assert WALL.control.shape == (5, 5, 3)
