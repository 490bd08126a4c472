"""The kernel: evaluation that stops where nothing changed, failures that stay local, figures that follow."""

import numpy as np
import pytest

from pamble.core.errors import PambleError
from pamble.demo import cap_front
from pamble.demo.mirror_cap import study
from pamble.server.frames import FrameHeader
from pamble.study.apply import apply
from pamble.study.evaluate import Evaluator
from pamble.study.frame import read_frame
from pamble.study.handing_over import step_file
from pamble.study.kernel import Kernel
from pamble.study.ledger_packing import LEDGER
from pamble.study.operations import parse_op
from pamble.study.taking import taken_from_step
from tests.shapes import plane
from tests.study.slabs import face
from tests.study.test_ops import ADD, with_blend


@pytest.fixture
def kernel() -> Kernel:
    return Kernel(with_blend().model_dump())


def move(id="crown", i=2, j=3, z=70.0):
    return {"op": "move_cvs", "id": id, "cvs": [{"i": i, "j": j, "to": [30, 4, z]}]}


def header(frame: bytes) -> dict:
    return read_frame(frame)[0]


def test_frames_keep_to_their_typed_form(kernel):
    for frame in (kernel.frame(), kernel.preview(move(), [{"id": "crown", "edge": "v1", "teeth": 20}])):
        FrameHeader.model_validate(header(frame))


def test_blend_follows_a_moved_cv_in_preview_and_nothing_is_kept(kernel):
    before = kernel.document()
    h, floats = read_frame(kernel.preview(move(z=80.0)))
    assert {o["id"] for o in h["objects"]} == {"crown", "b1"}
    seams = {s["name"]: s for s in h["seams"]}
    assert seams["Shoulder · Crown"]["gap"]["max"] < 1e-6
    offset, count = seams["Shoulder · Crown"]["plot"]
    plot = floats[offset : offset + count].reshape(-1, 7)
    assert plot[-1, 0] == pytest.approx(seams["Shoulder · Crown"]["length"], rel=1e-4)
    assert kernel.document() == before
    assert {s["name"]: s["length"] for s in header(kernel.frame())["seams"]} != {
        n: s["length"] for n, s in seams.items()
    }


def test_a_preview_leaves_out_what_is_late_until_the_pointer_rests(kernel, monkeypatch):
    monkeypatch.setattr("pamble.study.evaluate._DEADLINE", -1.0)
    quick, rest = header(kernel.preview(move(), rest=False)), header(kernel.preview(move()))
    assert quick["late"]
    assert not quick["objects"]
    assert not rest["late"]
    assert {o["id"] for o in rest["objects"]} == {"crown", "b1"}


def test_a_change_that_reaches_nothing_stops_the_wave():
    evaluator = Evaluator()
    s = with_blend()
    first = evaluator.evaluate(s)

    def changed(after):
        return evaluator.evaluate(after, first)

    moved, _ = apply(s, parse_op({"op": "set_flags", "changes": [{"id": "crown", "name": "Roof"}]}))
    assert changed(moved).ran == ()
    same_place = {
        "op": "move_cvs",
        "id": "crown",
        "cvs": [{"i": 0, "j": 0, "to": s.feature("crown").params["face"]["surface"]["control"][0][0]}],
    }
    same = changed(apply(s, parse_op(same_place))[0])
    assert same.changed_objects(first) == set()
    assert same.states["b1"] is first.states["b1"]
    assert changed(apply(s, parse_op(move("flank", 0, 0)))[0]).ran == ("flank", "b1")


@pytest.mark.parametrize(
    ("op", "words"),
    [
        ({"op": "remove_features", "ids": ["crown"]}, "no longer there"),
        ({"op": "set_flags", "changes": [{"id": "crown", "on": False}]}, "Crown is switched off"),
        ({"op": "set_params", "id": "b1", "changes": {"second": {"feature": "crown", "edge": "v1"}}}, "picked twice"),
        ({"op": "set_params", "id": "b1", "changes": {"first": {"feature": "crown", "edge": "e7"}}}, "e7 is no longer"),
    ],
)
def test_a_failed_step_says_why_and_keeps_its_last_shape(kernel, op, words):
    done = kernel.commit(op)
    feature = next(f for f in header(kernel.frame())["features"] if f["id"] == "b1")
    assert words in feature["problem"]
    assert feature["stale"]
    assert "b1" in {o["id"] for o in header(kernel.frame())["objects"]}
    kernel.commit(done["inverse"])
    feature = next(f for f in header(kernel.frame())["features"] if f["id"] == "b1")
    assert feature["problem"] is None


def test_probe_is_exact_and_export_reads_back(kernel):
    probe = kernel.probe("crown", 0.5, 0.5)
    assert probe["gauss"] == pytest.approx(probe["largest"] * probe["smallest"])
    assert probe["radius"] == pytest.approx(1 / max(abs(probe["largest"]), abs(probe["smallest"])))
    taken = taken_from_step(step_file(kernel.study, kernel.now, ["b1"]), "part.step", ())
    assert taken["taken"] == 1
    assert taken["problems"] == []
    made = np.array(taken["op"]["features"][0]["params"]["face"]["surface"]["control"])
    assert made.shape == (6, 6, 3)
    with pytest.raises(PambleError, match="no shape"):
        kernel.probe("gone", 0, 0)


def test_found_seams_get_a_proposed_target_that_can_be_changed(kernel):
    other = Kernel(study().model_dump())
    data = step_file(kernel.study, kernel.now, None)
    other.commit(parse_op(taken_from_step(data, "cap.step", {f.name for f in other.study.features})["op"]).model_dump())
    rows = header(other.frame())["seams"]
    joint = [r for r in rows if r["promised"] is None and "Shoulder" in r["name"]]
    assert joint
    assert all(r["target"] == 1 for r in joint)
    other.commit({"op": "set_seam_target", "key": joint[0]["key"], "target": 2})
    changed = next(r for r in header(other.frame())["seams"] if r["key"] == joint[0]["key"])
    assert (changed["target"], changed["state"]) == (2, "holds")


def test_the_proposed_target_of_a_found_seam_is_that_of_the_part_as_it_stands_whatever_was_seen_before():
    """A crease that a drag opens from 3 to 10 degrees: the hand sees no flip, the kept part and a new window agree."""
    left, right = plane((0, 0, 0), (50, 0, 0), (0, 80, 0)), plane((50, 0, 0), (50, 0, 2.62), (0, 80, 0))
    kernel = Kernel({"name": "Crease", "features": [face("l", "Left", left), face("r", "Right", right)]})
    lifted = [{"i": 1, "j": j, "to": [100, 80 * j, 8.82]} for j in (0, 1)]
    op = {"op": "move_cvs", "id": "r", "cvs": lifted}

    def targets(frame: bytes) -> list[int]:
        return [s["target"] for s in header(frame)["seams"]]

    assert targets(kernel.frame()) == [1]
    assert targets(kernel.preview(op)) == [1]
    kernel.commit(op)
    assert targets(kernel.frame()) == targets(Kernel(kernel.document()).frame()) == [0]


def test_preview_of_a_new_blend_carries_handles_and_both_seams():
    h = header(Kernel(study().model_dump()).preview(ADD))
    feature = next(f for f in h["features"] if f["id"] == "b1")
    assert [x["index"] for x in feature["handles"]] == [0, 1]
    assert len(h["seams"]) == 2
    assert all(s["state"] == "holds" for s in h["seams"])


def rows(kernel):
    return [line.row for line in kernel._snapshot.ledger.worst_first()]


def test_an_undo_takes_the_figures_of_before(kernel):
    before = dict(kernel._snapshot.ledger.rows)
    done = kernel.commit(move(z=74.0))
    assert all(kernel._snapshot.ledger.rows[k] is not row for k, row in before.items())
    kernel.commit(done["inverse"])
    assert all(kernel._snapshot.ledger.rows[k] is row for k, row in before.items())
    assert len(before) == 2


def test_what_was_worked_out_to_load_a_study_is_given_to_be_stored_once():
    document = cap_front.study().model_dump()
    first = Kernel(document)
    made = first.made_anew()
    assert {"shoulder", "cap-front", "front-cap", LEDGER} == set(made)
    assert first.made_anew() == {}
    again = Kernel(document, None, made)
    assert again.made_anew() == {}  # nothing was computed
    assert rows(again) == rows(first)
    loose = {**document, "limits": {**document["limits"], "angle": 1e-9}}
    assert {r["state"] for r in rows(Kernel(loose, None, made))} == {"over", "holds"}  # judged by the limits of today
