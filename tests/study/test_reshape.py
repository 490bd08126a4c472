"""Changes of a whole curve say how far it moved, keep what they can, and are undone."""

import numpy as np
import pytest

from pamble.core.errors import StudyError
from pamble.study.frame import read_frame
from pamble.study.kernel import Kernel
from tests.study.test_curves import add, bezier, facts, line
from tests.study.test_places import cvs

ARCH = [(0, 0, 0), (20, 0, 30), (50, 0, 38), (80, 0, 45), (100, 0, 10), (130, 0, 0)]
POINTS = [[0, 0, 0], [35, 0, 30], [80, 0, 10], [120, 0, 40], [160, 0, 0]]


@pytest.fixture
def kernel() -> Kernel:
    k = Kernel({"name": "Reshape"})
    add(k, "arch", "cv_curve", curve=bezier(*ARCH))
    add(k, "way", "point_curve", points=POINTS)
    return k


def change(kernel, id, action, cvs=(), value=None):
    """The words that were said."""
    before = kernel.document()
    done = kernel.commit({"op": "reshape", "id": id, "action": action, "cvs": list(cvs), "value": value})
    after = kernel.document()
    kernel.commit(done["inverse"])
    assert kernel.document() == before
    kernel.commit(done["op"])
    assert kernel.document() == after
    return read_frame(done["frame"])[0]["said"]


def make(kernel, id="arch"):
    c = facts(kernel, id)["facts"]["curves"][0]
    return c["degree"], c["spans"], c["cvs"]


def test_a_raised_degree_moves_nothing_and_comes_back_lower_ones_tell_how_far(kernel):
    assert change(kernel, "arch", "degree", value=7) == "Degree 7, 1 span, 8 CVs: nothing moved."
    assert change(kernel, "arch", "degree", value=5).startswith("Degree 5, 1 span, 6 CVs: ")
    assert np.allclose(cvs(kernel, "arch"), ARCH, atol=1e-4)
    assert "moved by up to" in change(kernel, "arch", "degree", value=3)
    assert make(kernel) == (3, 1, 4)
    assert change(kernel, "arch", "spans", value=4) == "Degree 3, 4 spans, 7 CVs: nothing moved."
    kernel.commit({"op": "move_cvs", "id": "arch", "cvs": [{"i": 3, "j": 0, "to": [60, 0, 50]}]})
    assert "moved by up to" in change(kernel, "arch", "spans", value=2)
    assert make(kernel) == (3, 2, 5)


def test_an_inserted_knot_moves_nothing_and_a_deleted_cv_is_told(kernel):
    assert change(kernel, "arch", "insert", [2]) == "Degree 5, 2 spans, 7 CVs: nothing moved."
    assert "6 CVs: moved by" in change(kernel, "arch", "delete", [3])
    assert "5 CVs: moved by" in change(kernel, "arch", "delete", [3])
    assert make(kernel) == (4, 1, 5)


def test_the_polygon_is_offset_and_evened_with_its_ends_held(kernel):
    kernel.commit({"op": "set_params", "id": "arch", "changes": {"hold_start": 0, "hold_end": 0}})
    old = cvs(kernel, "arch")
    change(kernel, "arch", "even", [2, 3])
    new = cvs(kernel, "arch")
    assert np.allclose(new[[0, 1, 4, 5]], old[[0, 1, 4, 5]])
    third = np.diff(new, 3, axis=0)
    assert np.linalg.norm(third) < 0.5 * np.linalg.norm(np.diff(old, 3, axis=0))
    kernel.commit({"op": "set_params", "id": "arch", "changes": {"hold_start": None, "hold_end": None}})
    change(kernel, "arch", "offset", value=5.0)
    moved = cvs(kernel, "arch")
    for a, b in zip(np.diff(new, axis=0), np.diff(moved, axis=0), strict=True):
        assert np.linalg.norm(np.cross(a, b)) < 1e-9 * np.linalg.norm(a) * np.linalg.norm(b)


def test_relations_of_the_ends_move_along_and_others_ask_to_be_removed_first(kernel):
    ends = [{"kind": "fixed", "cvs": [0], "point": [0, 0, 0]}, {"kind": "same", "cvs": [0, 5], "axis": 2}]
    kernel.commit({"op": "set_params", "id": "arch", "changes": {"relations": ends}})
    change(kernel, "arch", "degree", value=6)
    assert [r["cvs"] for r in kernel.study.feature("arch").params["relations"]] == [[0], [0, 6]]
    change(kernel, "arch", "reverse")
    assert [r["cvs"] for r in kernel.study.feature("arch").params["relations"]] == [[6], [6, 0]]
    inner = [{"kind": "same", "cvs": [2, 3], "axis": 2}]
    kernel.commit({"op": "set_params", "id": "arch", "changes": {"relations": inner}})
    with pytest.raises(StudyError, match="A relation names CV 3"):
        change(kernel, "arch", "degree", value=8)


def test_points_are_inserted_on_the_curve_deleted_and_smoothed_with_their_directions(kernel):
    assert change(kernel, "way", "direct", [2]) == "Degree 3, 4 spans, 7 CVs: nothing moved."
    change(kernel, "way", "insert", [1])
    assert len(cvs(kernel, "way")) == 6
    assert kernel.study.feature("way").params["directions"][0]["point"] == 3
    assert np.allclose(cvs(kernel, "way")[3], POINTS[2])
    change(kernel, "way", "delete", [1])
    assert kernel.study.feature("way").params["directions"][0]["point"] == 2
    rough = np.abs(np.diff(cvs(kernel, "way"), 3, axis=0)).max()
    change(kernel, "way", "smooth", [1, 2, 3])
    assert np.abs(np.diff(cvs(kernel, "way"), 3, axis=0)).max() < rough
    assert np.allclose(cvs(kernel, "way")[[0, -1]], [POINTS[0], POINTS[4]])
    change(kernel, "way", "free", [2])
    assert kernel.study.feature("way").params["directions"] == []


def test_a_direction_has_its_tip_on_the_part(kernel):
    way = {"point": 1, "direction": [0, 3, 4], "weight": 2.0}
    kernel.commit({"op": "set_params", "id": "way", "changes": {"directions": [way]}})
    (tip,) = facts(kernel, "way")["facts"]["tips"]
    out = np.subtract(tip["at"], POINTS[1])
    assert np.allclose(out / np.linalg.norm(out), [0, 0.6, 0.8])
    assert np.linalg.norm(out) == pytest.approx(2 * tip["reach"])


@pytest.mark.parametrize(
    ("id", "action", "picked", "value", "words"),
    [
        ("arch", "degree", [], 12, "whole number from 1 to 9"),
        ("arch", "spans", [], None, "whole number from 1 to 60"),
        ("arch", "even", [0], None, "ends stay"),
        ("arch", "delete", [0, 1, 2, 3, 4], None, "at least two CVs"),
        ("arch", "insert", [17], None, "has no CV 18"),
        ("arch", "smooth", [], None, "cannot be changed by 'smooth'"),
        ("way", "delete", [], None, "Pick the points"),
        ("way", "direct", [], None, "no direction yet"),
    ],
)
def test_what_cannot_be_done_is_told_and_nothing_changes(kernel, id, action, picked, value, words):
    before = kernel.document()
    with pytest.raises(StudyError, match=words):
        kernel.commit({"op": "reshape", "id": id, "action": action, "cvs": picked, "value": value})
    assert kernel.document() == before


def test_what_hangs_on_a_reshaped_curve_follows(kernel):
    add(kernel, "beside", "offset_curve", curve=line("arch"), distance=4, normal=[0, 1, 0])
    before = facts(kernel, "beside")["facts"]["curves"][0]["length"]
    change(kernel, "arch", "degree", value=3)
    assert abs(facts(kernel, "beside")["facts"]["curves"][0]["length"] - before) > 0.01


def test_a_direction_goes_along_a_line_and_follows_it(kernel):
    add(kernel, "guide", "line", start=[35, 0, 30], end=[35, 40, 60])
    add(kernel, "bow", "point_curve", points=POINTS, directions=[
        {"point": 1, "direction": [0, -1, 0], "along": line("guide")}
    ])  # fmt: skip

    def way():
        (tip,) = facts(kernel, "bow")["facts"]["tips"]
        out = np.subtract(tip["at"], POINTS[1])
        return out / np.linalg.norm(out)

    assert np.allclose(way(), [0, -0.8, -0.6])
    kernel.commit({"op": "set_params", "id": "guide", "changes": {"end": [35, 30, 30]}})
    assert np.allclose(way(), [0, -1, 0])
