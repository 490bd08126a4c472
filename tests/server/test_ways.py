"""The ways to lay a hole out are built beside the kernel, told as they come, and stopped by the next thing asked."""

import json

import pytest

from pamble.study.stored import FaceData
from tests.core.patches.grounds import ground, hole
from tests.core.patches.test_hole import pierced
from tests.server.test_live import Window, upload


@pytest.fixture
def window(pamble):
    """A window on a panel with a hole of four sides."""
    known = ground(3, 40)
    face = FaceData.of(pierced(known, hole(known, 4))).model_dump(mode="json")
    panel = {"id": "p", "kind": "face", "name": "Panel", "role": "primary", "params": {"face": face}}
    study = {"format": "pamble-study", "name": "Tray", "features": [panel]}
    w = Window(pamble, upload(pamble, "/studies/import", "study.json", json.dumps(study).encode())[1]["id"])
    yield w
    w.socket.close()


def filled(window, seq, degree=5):
    """Show the hole filled by one patch; the rows of its ways."""
    edges = [{"feature": "p", "edge": f"h0{k}"} for k in range(4)]
    params = {"edges": edges, "degree": degree}
    step = {"id": "f", "kind": "fill_hole", "name": "Fill", "role": "tertiary", "params": params}
    frame = window.send(type="preview", rest=True, seq=seq, op={"op": "add_features", "features": [step], "at": None})
    assert frame["type"] == "frame", frame
    (made,) = (f for f in frame["features"] if f["id"] == "f")
    assert made["problem"] is None, made
    return made["facts"]["layouts"]


def test_all_ways_are_built_one_after_the_other_and_known_afterwards(window):
    assert all("over" not in row for row in filled(window, 1))
    told = [window.send(type="ways", seq=2, id="f")]
    while told[-1]["left"]:
        told.append(window.receive())
    assert [t["left"] for t in told] == list(range(8, -1, -1))
    assert {t["seq"] for t in told} == {2}
    rows = told[-1]["rows"]
    built = [r for r in rows if "over" in r]
    assert len(rows) == 8
    assert [r["score"] for r in built] == sorted(r["score"] for r in built)
    assert built[0]["best"]
    assert built[0]["over"] <= 1.0
    assert all(r["said"] == "no" and r["about"] for r in rows if "over" not in r)
    # They are known now, also when the step is shown anew; another degree is another matter.
    assert filled(window, 3) == rows
    assert window.send(type="ways", seq=4, id="f")["left"] == 0
    assert all("over" not in row for row in filled(window, 5, degree=6))


def test_what_is_asked_next_stops_them(window):
    filled(window, 1, degree=7)
    assert window.send(type="ways", seq=2, id="f")["left"] == 8
    window.socket.send(json.dumps({"type": "cancel", "seq": 3}))
    answer = window.receive()
    while answer["type"] == "ways":
        answer = window.receive()
    assert (answer["type"], answer["seq"]) == ("passed", 3)
    with pytest.raises(TimeoutError):
        window.socket.recv(timeout=3)
    # A step that is not there has none.
    assert window.send(type="ways", seq=4, id="nothing") == {
        "type": "ways", "seq": 4, "id": "nothing", "rows": [], "left": 0,
    }  # fmt: skip
