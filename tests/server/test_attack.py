"""Damaged files over HTTP: every answer is in words, no face is lost without one, and no study notices."""

import json
import random
import re
import threading

import pytest
import trimesh

from pamble.core.errors import PambleError
from pamble.core.exchange.step import write_step
from pamble.core.ticking import Cancelled
from pamble.demo import demo_faces
from pamble.work.apart import Apart
from tests.damage import damaged
from tests.server.test_live import Window, ask, children, upload
from tests.study.slabs import step


@pytest.fixture(scope="module")
def cap(tmp_path_factory):
    path = tmp_path_factory.mktemp("attack") / "cap.step"
    write_step(demo_faces("mirror-cap-front"), path)
    return path.read_bytes()


@pytest.fixture
def study(pamble):
    return told(pamble, "/studies", {"name": "Bench"})["id"]


def told(pamble, path, data=None):
    """What the server answers, as it says it."""
    status, body = ask(pamble, path, data)
    assert status in (200, 201), body
    return json.loads(body)


def test_damaged_step_files_end_in_words_and_lose_no_face_silently(pamble, study, cap):
    told(pamble, f"/studies/{study}/export.json")
    before = children(pamble.process.pid)
    faces = len(re.findall(rb"ADVANCED_FACE", cap))
    rng = random.Random(20)
    codes = set()
    for _ in range(12):
        way, content = damaged(cap, rng)
        code, answer = upload(pamble, f"/studies/{study}/step", "cap.step", content)
        codes.add(code)
        assert code in (200, 400), (way, answer)
        if code == 400:
            assert "cap.step" in answer["message"]
        elif way != "cut":
            named = {p["name"] for p in answer["problems"]}
            assert answer["taken"] >= faces or named, way
    assert codes == {200, 400}
    assert set(before) <= set(children(pamble.process.pid))
    assert told(pamble, f"/studies/{study}/export.json")["features"] == []


def test_damaged_meshes_are_told_and_not_taken_short(pamble, study):
    ball = trimesh.creation.icosphere(subdivisions=2)
    for form, shares in (("stl", (0.02, 0.99)), ("ply", (0.61,)), ("obj", (0.3, 0.99))):
        whole = ball.export(file_type=form)
        whole = whole.encode() if isinstance(whole, str) else whole
        assert (
            upload(pamble, f"/studies/{study}/mesh", f"ball.{form}", whole + (b"\n" if form == "obj" else b""))[0]
            == 200
        )
        for share in shares:
            short = whole[: int(share * len(whole))]
            # A text that ends with a whole line says nothing of what should come.
            short = short[:-1] if short[-1:] == b"\n" else short
            code, answer = upload(pamble, f"/studies/{study}/mesh", f"ball.{form}", short)
            assert code == 400 or answer["problems"], (form, share)


@pytest.mark.parametrize(
    "change",
    [
        lambda d: d["features"][0]["params"]["face"]["surface"].update(degree_u=2**70),
        lambda d: d["features"][0].update(name="a\0b"),
        lambda d: d.update(dimensions={"a": "b", "b": "a"}),
        lambda d: d["features"][0].update(params={"face": [[[[[[1]]]]]] * 50}),
        lambda d: d.update(assets={"x" * 4000: "AAAA"}),
        lambda d: d.update(dimensions={"a": "+".join(["1"] * 20_000)}),
    ],
)
def test_a_study_file_that_is_taken_opens_and_what_is_refused_is_refused_in_words(pamble, change):
    demo = told(pamble, "/studies", {"demo": "mirror-cap"})["id"]
    document = told(pamble, f"/studies/{demo}/export.json")
    change(document)
    code, answer = upload(pamble, "/studies/import", "study.json", json.dumps(document).encode())
    assert code in (201, 200, 400), answer
    if code != 400:
        assert told(pamble, f"/studies/{answer['id']}/export.json")["name"] == document["name"]


def test_a_net_with_a_row_too_short_is_told_at_its_step(pamble):
    document = told(pamble, f"/studies/{told(pamble, '/studies', {'demo': 'mirror-cap'})['id']}/export.json")
    document["features"][0]["params"]["face"]["surface"]["control"][1].pop()
    w = Window(pamble, upload(pamble, "/studies/import", "study.json", json.dumps(document).encode())[1]["id"])
    # Before: a fault of Pamble's own, with a traceback.
    problems = {f["id"]: f["problem"] for f in w.frame["features"]}
    assert problems["crown"] == "face.surface.control: its rows are not all of one length"
    assert problems["flank"] is None
    w.socket.close()


@pytest.mark.parametrize("value", ["NaN", "1e999", "-Infinity", "1180591620717411303424"])
def test_numbers_that_are_none_are_refused_and_the_study_goes_on(pamble, study, value):
    w = Window(pamble, study)
    op = {"op": "set_dimension", "name": "rim", "value": "12"}
    assert w.commit(op)["type"] == "state"
    bad = {"op": "add_features", "features": [step("l", "line", start=[0, 0, "X"], end=[1, 0, 0])], "at": None}
    w.socket.send(json.dumps({"type": "commit", "seq": 77, "base": 1, "op": bad}).replace('"X"', value))
    answer = json.loads(w.socket.recv(timeout=20))
    assert (answer["type"], answer["seq"]) == ("error", 77)
    assert "restarted" not in answer["message"]
    assert w.commit({**op, "value": "13"})["type"] == "state"
    w.socket.close()


def test_a_reader_that_runs_on_or_is_unwanted_is_given_up(cap):
    arguments = (cap, "cap.step", [])
    with pytest.raises(PambleError, match=r"cap.step took too long"):
        Apart().do("step", arguments, "cap.step", 0.01)
    unwanted = threading.Event()
    unwanted.set()
    with pytest.raises(Cancelled):
        Apart().do("step", arguments, "cap.step", 60.0, unwanted=unwanted)
