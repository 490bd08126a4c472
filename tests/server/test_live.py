"""The server as windows see it: REST, the live socket, two windows, crashes."""

import io
import json
import os
import signal
import subprocess
import urllib.error
import urllib.request

import pytest
import trimesh
from PIL import Image
from websockets.sync.client import connect

from pamble.server.app import schema
from pamble.server.frames import FrameHeader, LightsHeader
from pamble.server.routes import tools
from pamble.study.frame import read_frame
from tests.conftest import ROOT, RunningPamble
from tests.study.test_ops import ADD

MOVE = {"op": "move_cvs", "id": "crown", "cvs": [{"i": 2, "j": 3, "to": [30, 4, 70]}]}


def ask(pamble, path, data=None, method=None, kind="application/json"):
    body = json.dumps(data).encode() if isinstance(data, dict) else data
    request = urllib.request.Request(f"{pamble.url}/api{path}", body, {"Content-Type": kind}, method=method)
    try:
        with urllib.request.urlopen(request) as answer:
            return answer.status, answer.read()
    except urllib.error.HTTPError as error:
        return error.code, error.read()


def upload(pamble, path, name, content):
    edge = "----pamble"
    body = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
    status, answer = ask(
        pamble, path, body + content + f"\r\n--{edge}--\r\n".encode(), "POST", f"multipart/form-data; boundary={edge}"
    )
    return status, json.loads(answer)


class Window:
    """A window on a study, as the interface would be."""

    def __init__(self, pamble, study):
        url = pamble.url.replace("http", "ws") + f"/api/studies/{study}/live"
        self.socket = connect(url, compression=None, max_size=None, legacy=True)
        self.state, self.frame, self.last = None, None, None
        self.receive()

    def receive(self):
        message = self.socket.recv(timeout=20)
        if isinstance(message, bytes):
            return read_frame(message)[0]
        message = json.loads(message)
        if message["type"] == "state":
            self.state = message
            self.last = read_frame(self.socket.recv(timeout=20))[0]
            self.frame = merged(self.frame, self.last)
        return message

    def send(self, **message):
        self.socket.send(json.dumps({"seq": 7, **message}))
        return self.receive()

    def commit(self, op, base=None):
        return self.send(type="commit", base=self.state["version"] if base is None else base, op=op)


def merged(before, frame):
    """What a window knows after a frame, which tells only what changed."""
    if before is None or frame["whole"]:
        return frame
    out = dict(frame)
    for part, key in (("features", "id"), ("objects", "id"), ("seams", "key")):
        known = {x[key]: x for x in before[part]} | {x[key]: x for x in frame[part]}
        out[part] = list(known.values())
    out["objects"] = [o for o in out["objects"] if o["id"] not in frame["removed"]]
    seams = {s["key"]: s for s in out["seams"]}
    out["seams"] = [seams[k] for k in frame["order"]]
    return out


def figures(window):
    """The ledger of a window, without the places of arrays in its last frame."""
    return [{k: v for k, v in s.items() if k != "plot"} for s in window.frame["seams"]]


@pytest.fixture
def study(pamble):
    return json.loads(ask(pamble, "/studies", {"demo": "mirror-cap"})[1])["id"]


def test_studies_are_made_listed_exported_imported_deleted(pamble, study):
    assert json.loads(ask(pamble, "/health")[1])["status"] == "ok"
    assert study in [s["id"] for s in json.loads(ask(pamble, "/studies")[1])]
    status, data = ask(pamble, f"/studies/{study}/export.json")
    assert status == 200
    status, copy = upload(pamble, "/studies/import", "study.json", data)
    assert status == 201
    assert ask(pamble, f"/studies/{copy['id']}/export.json")[1] == data
    status, step = ask(pamble, f"/studies/{study}/export.step?face=crown")
    assert status == 200
    status, taken = upload(pamble, f"/studies/{copy['id']}/step", "crown.stp", step)
    assert (status, taken["taken"], taken["problems"]) == (200, 1, [])
    assert ask(pamble, f"/studies/{copy['id']}", method="DELETE")[0] == 204
    assert ask(pamble, f"/studies/{copy['id']}/export.json")[0] == 404


@pytest.mark.parametrize(
    ("path", "content", "words"),
    [
        ("/studies/import", b'{"format": "pamble-study", "name": "x", ', "breaks off"),
        ("/studies/import", b"", "empty"),
        ("/studies/{study}/step", b"\x00garbage", "not a STEP file"),
    ],
)
def test_bad_uploads_are_refused_in_words(pamble, study, path, content, words):
    status, answer = upload(pamble, path.format(study=study), "x.step", content)
    assert status == 400
    assert words in answer["message"]


def test_two_windows_see_each_other_and_stay_consistent(pamble, study):
    a, b = Window(pamble, study), Window(pamble, study)
    a.commit(ADD)
    b.receive()
    assert b.state["version"] == a.state["version"] == 1
    assert b.state["by"] == a.state["window"]
    assert {o["id"] for o in b.last["objects"]} == {"b1"}
    late = b.commit(MOVE, base=0)
    assert (late["type"], late["code"]) == ("error", "conflict")
    b.commit(MOVE)
    a.receive()
    assert {o["id"] for o in a.last["objects"]} == {"crown", "b1"}
    a.send(type="undo", base=2)
    b.receive()
    assert a.state["can_redo"]
    assert b.state["version"] == 3
    assert figures(Window(pamble, study)) == figures(a)


def test_messages_of_every_kind_are_answered(pamble, study):
    w = Window(pamble, study)
    FrameHeader.model_validate(w.frame)
    preview = w.send(type="preview", op=ADD, combs=[{"id": "crown", "edge": "v1"}])
    assert preview["preview"]
    assert preview["combs"][0]["least_radius"] > 0
    w.commit(ADD)
    assert w.send(type="dependents", ids=["crown"])["items"] == [{"id": "b1", "name": "Shoulder"}]
    assert w.send(type="probe", id="b1", u=0.5, v=0.5)["radius"] > 0
    corner = w.send(type="locate", id="crown", edge="v1", point=[900, 0, 0])
    assert corner["at"] in (0, 1)
    assert w.send(type="locate", id="crown", edge=None, point=corner["point"])["point"] == pytest.approx(
        corner["point"]
    )
    bank = {"kind": "highlight", "toward": [0, 0, 1], "turn": 0, "eye": [0, 0, 1]}
    lit = w.send(type="lights", lights=bank)
    LightsHeader.model_validate(lit)
    assert {row["id"]: row["lines"] > 3 for row in lit["lights"]} == {"crown": True, "flank": True, "b1": True}
    assert [(row["lines"] > 1, row["jump"] < 0.02, row["kink"] < 0.1) for row in lit["seams"]] == [
        (True, True, True)
    ] * 2
    bank |= {"spacing": lit["spacing"], "height": lit["height"]}
    followed = w.send(type="preview", op=MOVE, lights=bank, rest=True)
    assert {row["id"] for row in followed["lights"]} == {"crown", "b1"}
    assert "not zero" in w.send(type="lights", lights={**bank, "toward": [0, 0, 0]})["message"]
    assert w.send(type="combs", combs=[{"id": "gone", "edge": "v1"}])["combs"] == []
    assert "nothing to redo" in w.send(type="redo", base=1)["message"]
    assert w.send(type="magic")["code"] == "message"
    refused = w.send(type="preview", op={"op": "set_params", "id": "b1", "changes": {"degree": 99}})
    assert "Degree along: a number of at most 9 is needed" in refused["message"]


def test_only_the_latest_of_many_previews_is_worked_off(pamble, study):
    w = Window(pamble, study)
    for z in range(200):
        op = {"op": "move_cvs", "id": "crown", "cvs": [{"i": 2, "j": 1, "to": [0, 0, float(z)]}]}
        w.socket.send(json.dumps({"type": "preview", "seq": z, "op": op}))
    answered, shown = [], []
    while len(answered) < 200:
        message = w.receive()
        answered.append(message["seq"])
        if message["type"] == "frame":
            crown = next(o for o in message["objects"] if o["id"] == "crown")
            shown.append(crown["cvs"]["points"][(2 * 4 + 1) * 3 + 2])
    assert sorted(answered) == list(range(200))
    assert shown[-1] == 199.0
    assert len(shown) < 200


def children(pid: int) -> list[int]:
    found = subprocess.run(["pgrep", "-P", str(pid)], capture_output=True, text=True, check=False)
    return [int(p) for p in found.stdout.split()]


def test_a_kernel_that_dies_is_started_again_and_nothing_is_lost(pamble, study):
    w = Window(pamble, study)
    w.commit(ADD)
    kernels = [pid for child in children(pamble.process.pid) for pid in children(child)]
    assert kernels
    for pid in kernels:
        os.kill(pid, signal.SIGKILL)
    answers = [w.send(type="probe", id="b1", u=0.5, v=0.5), w.receive()]
    assert {a["type"] for a in answers} == {"state", "error"}
    assert w.state["version"] == 1
    assert w.send(type="probe", id="b1", u=0.5, v=0.5)["type"] == "probed"


def test_what_was_acknowledged_survives_kill_9():
    own = RunningPamble(durable=True)
    own.start()
    try:
        study = json.loads(ask(own, "/studies", {"demo": "mirror-cap"})[1])["id"]
        w = Window(own, study)
        w.commit(ADD)
        w.commit(MOVE)
        seams = figures(w)
        own.kill()
        own.start()
        again = Window(own, study)
        assert again.state["version"] == 2
        assert figures(again) == seams
        assert again.state["can_undo"]
        again.send(type="undo", base=2)
        assert again.state["version"] == 3
    finally:
        own.close()


def test_generated_types_are_those_of_the_server():
    stored = json.loads((ROOT / "web/src/generated/openapi.json").read_text())
    assert stored == json.loads(json.dumps(schema())), "run bin/generate"
    told = json.loads((ROOT / "web/src/generated/tools.json").read_text())
    assert told == json.loads(json.dumps([t.model_dump(mode="json") for t in tools()])), "run bin/generate"


def test_a_mesh_is_stored_with_its_study_and_travels_in_its_file(pamble, study):
    data = trimesh.creation.icosphere(subdivisions=3, radius=40.0).export(file_type="stl")
    status, taken = upload(pamble, f"/studies/{study}/mesh", "scan.stl", data)
    assert status == 200
    w = Window(pamble, study)
    w.commit(taken["op"])
    (shown,) = (o for o in w.frame["objects"] if o["kind"] == "mesh")
    assert shown["triangles"][1] == 3 * 1280
    copy = upload(pamble, "/studies/import", "study.json", ask(pamble, f"/studies/{study}/export.json")[1])[1]
    again = Window(pamble, copy["id"])
    facts = {f["id"]: f for f in again.frame["features"]}[shown["id"]]["facts"]
    assert (facts["triangles"], facts["open_edges"]) == (1280, 0)
    assert upload(pamble, f"/studies/{study}/mesh", "scan.stl", data[:999])[0] == 400
    w.send(type="undo", base=w.state["version"])
    assert shown["id"] in w.frame["removed"]
    w.send(type="redo", base=w.state["version"])
    assert shown["id"] in {o["id"] for o in w.frame["objects"]}


def test_tools_are_told_with_labels_units_and_what_they_ask(pamble):
    tools = {t["kind"]: t for t in json.loads(ask(pamble, "/tools")[1])}
    offset = tools["offset_curve"]
    assert (offset["stage"], offset["label"]) == ("curves", "Offset")
    distance = next(f for f in offset["fields"] if f["name"] == "distance")
    assert (distance["widget"], distance["unit"], distance["title"]) == ("number", "mm", "Distance")
    fullness = next(f for f in tools["edge_blend"]["fields"] if f["name"] == "fullness")
    assert (fullness["widget"], fullness["sides"], fullness["high"]) == ("slider", ["first", "second"], 4)
    assert [f["unit"] for f in offset["figures"]] == ["mm"]
    assert tools["cv_curve"]["movable"]
    assert not tools["two_view"]["movable"]
    assert all(t["ask"] for t in tools.values() if t["stage"])


def test_a_study_is_told_without_its_bulk_and_with_values_of_its_dimensions(pamble, study):
    w = Window(pamble, study)
    w.commit({"op": "set_dimension", "name": "R", "value": "3*4"})
    w.commit({"op": "set_dimension", "name": "half", "value": "R/2"})
    told = w.state["study"]
    assert told["dimensions"] == [
        {"name": "R", "written": "3*4", "value": 12.0},
        {"name": "half", "written": "R/2", "value": 6.0},
    ]
    assert all("face" not in f["params"] for f in told["features"])
    refused = w.commit({"op": "set_dimension", "name": "R", "value": "half + 1"})
    assert "in a circle" in refused["message"]
    assert w.state["version"] == 2


def test_what_a_study_file_leaves_out_is_filled_in(pamble):
    example = (ROOT / "docs" / "examples" / "desk-lamp.json").read_bytes()
    made = upload(pamble, "/studies/import", "lamp.json", example)[1]
    arm = next(f for f in Window(pamble, made["id"]).state["study"]["features"] if f["id"] == "arm")
    assert arm["params"]["relations"][0]["cvs"] == []
    assert arm["params"]["relations"][2]["point"][0] == "=110 + reach"
    assert arm["params"]["hold_start"] is None


def test_a_picture_is_stored_and_given_back_as_it_was(pamble, study):
    buffer = io.BytesIO()
    Image.new("RGB", (80, 40), (90, 120, 150)).save(buffer, "PNG")
    status, taken = upload(pamble, f"/studies/{study}/picture", "side.png", buffer.getvalue())
    assert status == 200
    params = taken["op"]["features"][0]["params"]
    assert params["mm_per_pixel"] * params["width"] == 200
    assert ask(pamble, f"/studies/{study}/pictures/{params['asset']}") == (200, buffer.getvalue())
    assert ask(pamble, f"/studies/{study}/pictures/none")[0] == 404
    assert upload(pamble, f"/studies/{study}/picture", "side.png", b"no picture")[0] == 400
