"""Curves in the build: they follow, dimensions drive them, a tool's failure stays its own."""

import json
from itertools import pairwise

import numpy as np
import pytest

from pamble.core.errors import StudyError
from pamble.demo.mirror_cap import study as mirror_cap
from pamble.server.frames import FrameHeader
from pamble.study.dimensions import dimension_values, evaluate
from pamble.study.document import study_from_json
from pamble.study.features import KINDS
from pamble.study.frame import read_frame
from pamble.study.handing_over import study_file
from pamble.study.kernel import Kernel
from pamble.study.stored import SurfaceData
from tests.conftest import ROOT
from tests.shapes import plane

EXAMPLE = ROOT / "docs" / "examples" / "kettle-lid.json"


def add(kernel, id, kind, **params):
    feature = {"id": id, "kind": kind, "name": id, "role": KINDS[kind].role, "params": params}
    return kernel.commit({"op": "add_features", "features": [feature]})


def line(feature, edge="c0"):
    return {"feature": feature, "edge": edge}


def facts(kernel, id):
    return next(f for f in read_frame(kernel.frame())[0]["features"] if f["id"] == id)


def bezier(*points):
    n = len(points)
    return {"degree": n - 1, "knots": [0.0] * n + [1.0] * n, "control": [list(map(float, p)) for p in points]}


@pytest.fixture
def kernel() -> Kernel:
    return Kernel(EXAMPLE.read_bytes())


@pytest.fixture
def bench() -> Kernel:
    """Two curves and the demo's primaries: something for every tool."""
    k = Kernel(mirror_cap().model_dump())
    add(k, "a", "cv_curve", curve=bezier((0, 60, 150), (40, 100, 150), (90, 110, 150)))
    add(k, "b", "cv_curve", curve=bezier((90, 110, 150), (110, 150, 140), (90, 190, 150)))
    add(k, "mid", "line", start=[60, 150, 145], end=[140, 150, 145])
    wall = SurfaceData.of(plane((30, -50, 0), (0, 300, 0), (10, 0, 200)))
    add(k, "wall", "face", face={"surface": wall.model_dump()})
    add(k, "post", "line", start=[0, 60, 150], end=[-30, 160, 150])
    return k


TOOLS = {
    "cv_curve": {"curve": bezier((0, 0, 0), (1, 2, 3))},
    "point_curve": {"points": [[0, 0, 0], [50, 5, 0], [60, 40, 9]], "closed": True},
    "two_view": {"first": line("a"), "first_view": [0, 1, 0], "second": line("a"), "second_view": [0, 0, 1]},
    "blend_curve": {"first": line("crown", "u0"), "second": line("b")},
    "match_curve": {"curve": line("b"), "to": line("a"), "both": True},
    "offset_curve": {"curve": line("a"), "distance": 5},
    "surface_offset": {"curve": line("crown", "v1"), "face": {"feature": "crown"}, "distance": -9},
    "mid_curve": {"first": line("a"), "second": line("b"), "ratio": 0.3},
    "fit_curve": {"curve": line("crown", "v0"), "degree": 3},
    "corner_curve": {"first": line("a"), "second": line("post"), "radius": 9},
    "trim_curve": {"curve": line("a"), "start": 0.2, "end": 0.7, "pieces": True, "reverse": True},
    "cut_curve": {"curve": line("b"), "by": line("mid")},
    "extend_curve": {"curve": line("a"), "shape": "straight"},
    "meet_curves": {"first": line("mid"), "second": line("post"), "tolerance": 10},
    "join_curves": {"curves": [line("a"), line("b")]},
    "copy_curve": {"curve": line("a"), "how": "turn", "by": [0, 0, 1], "degrees": 20, "copies": 3},
    "project_curve": {"curve": line("a"), "faces": [{"feature": "crown"}]},
    "iso_curve": {"face": {"feature": "crown"}, "at": [0.25, 0.5]},
    "edge_curve": {"edge": line("flank", "u1")},
    "surface_line": {"face": {"feature": "crown"}, "start": [0.1, 0.2], "end": [0.9, 0.7]},
    "body_sections": {"faces": [{"feature": "crown"}], "along": "x", "count": 3},
    "section_curve": {"faces": [{"feature": "crown"}, {"feature": "flank"}], "point": [20, 0, 0]},
    "intersection_curve": {"first": {"feature": "crown"}, "second": {"feature": "wall"}},
    "line": {"start": [0, 0, 0], "end": [1, 2, 3]},
    "arc": {"by": "radius", "start": [0, 0, 0], "end": [30, 0, 0], "normal": [0, 0, 1], "radius": 20},
    "ellipse": {"centre": [0, 0, 0], "second": 20, "degrees": 200},
    "rectangle": {"centre": [0, 0, 0]},
}


def test_every_tool_of_the_curves_stage_is_tried_here():
    assert set(TOOLS) == {k for k, v in KINDS.items() if v.stage == "curves"}


@pytest.mark.parametrize("kind", TOOLS)
def test_a_tool_makes_its_curves_and_they_travel_undo_and_come_back(bench, kind):
    before = bench.document()
    done = add(bench, "t", kind, **TOOLS[kind])
    made = facts(bench, "t")
    assert made["problem"] is None
    assert made["facts"]["curves"][0]["length"] > 0.1
    header, floats = read_frame(done["frame"])
    FrameHeader.model_validate(header)
    shown = next(o for o in header["objects"] if o["id"] == "t")
    assert len(shown["edges"]) == len(made["facts"]["curves"])
    offset, count = shown["edges"][0]["points"]
    assert np.isfinite(floats[offset : offset + count]).all()
    again = study_from_json(study_file(bench.study, {}))
    assert json.loads(study_file(bench.study, {}))["features"][-1]["id"] == again.features[-1].id
    bench.commit(done["inverse"])
    assert bench.document() == before


def test_moving_one_cv_of_a_view_moves_all_that_hangs_on_it(kernel):
    before = {i: facts(kernel, i)["facts"]["curves"][0]["length"] for i in ("line", "inner", "lead", "light")}
    move = {"op": "move_cvs", "id": "top", "cvs": [{"i": 1, "j": 0, "to": [80, 60, 0]}]}
    assert {o["id"] for o in read_frame(kernel.preview(move))[0]["objects"]} == {
        "top",
        "line",
        "inner",
        "lead",
        "light",
    }
    done = kernel.commit(move)
    after = {i: facts(kernel, i)["facts"]["curves"][0]["length"] for i in before}
    assert all(abs(after[i] - before[i]) > 0.1 for i in before)
    assert facts(kernel, "lead")["facts"]["joints"][0]["curvature"] < 1e-6
    kernel.commit(done["inverse"])
    assert {i: facts(kernel, i)["facts"]["curves"][0]["length"] for i in before} == before


def test_a_held_end_keeps_its_curvature_while_its_cvs_are_pulled(bench):
    bench.commit({"op": "set_params", "id": "a", "changes": {"hold_start": 2}})
    add(bench, "c", "cv_curve", curve=bezier(*[(i * 20, i * i, 3 * i) for i in range(6)]), hold_start=2)
    curve = bench.study.feature("c").params["curve"]
    tangent = np.subtract(curve["control"][1], curve["control"][0])
    target = [float(x) for x in np.add(curve["control"][1], 0.5 * tangent)]
    bench.commit({"op": "move_cvs", "id": "c", "cvs": [{"i": 1, "j": 0, "to": target}]})
    new = np.array(bench.study.feature("c").params["curve"]["control"])
    old = np.array(curve["control"])
    assert np.allclose(new[0], old[0])
    assert np.linalg.norm(new[2] - old[2]) > 1
    assert np.allclose(new[3:], old[3:])

    def bend(p):
        d1, d2 = 5 * (p[1] - p[0]), 20 * (p[2] - 2 * p[1] + p[0])
        return np.linalg.norm(np.cross(d1, d2)) / np.linalg.norm(d1) ** 3

    assert bend(new) == pytest.approx(bend(old))


@pytest.mark.parametrize(
    "kind", ["offset_curve", "project_curve", "two_view", "mid_curve", "fit_curve", "surface_offset"]
)
def test_what_is_shown_while_the_pointer_is_down_is_near_what_is_kept(bench, kind):
    """Hurried fits stay within a hundredth of a millimetre or so of the full ones."""
    add(bench, "t", kind, **TOOLS[kind])
    move = {"op": "move_cvs", "id": "a", "cvs": [{"i": 1, "j": 0, "to": [42, 104, 151]}]}
    if kind in ("fit_curve", "surface_offset"):
        cv = bench.study.feature("crown").params["face"]["surface"]["control"][2][3]
        move = {"op": "move_cvs", "id": "crown", "cvs": [{"i": 2, "j": 3, "to": [cv[0], cv[1], cv[2] + 3]}]}

    def line_of(frame):
        header, floats = read_frame(frame)
        offset, count = next(o for o in header["objects"] if o["id"] == "t")["edges"][0]["points"]
        return floats[offset : offset + count].reshape(-1, 3)

    quick, full = line_of(bench.preview(move)), line_of(bench.commit(move)["frame"])
    legs = np.linalg.norm(np.diff(full, axis=0), axis=1)
    dense = np.concatenate([np.linspace(p, q, 20) for p, q in pairwise(full)])
    away = np.linalg.norm(quick[:, None] - dense[None], axis=2).min(axis=1)
    assert away.max() < 0.05 + legs.max() / 40


def test_a_locked_step_is_not_changed_or_deleted(bench):
    bench.commit({"op": "set_flags", "changes": [{"id": "a", "locked": True}]})
    for op in (
        {"op": "move_cvs", "id": "a", "cvs": [{"i": 0, "j": 0, "to": [0, 0, 0]}]},
        {"op": "set_params", "id": "a", "changes": {"hold_start": 1}},
        {"op": "remove_features", "ids": ["a"]},
    ):
        with pytest.raises(StudyError, match="a is locked"):
            bench.commit(op)
    bench.commit({"op": "set_flags", "changes": [{"id": "a", "locked": False}]})
    bench.commit({"op": "remove_features", "ids": ["a"]})


def test_an_arc_given_as_a_conic_passes_its_shoulder(bench):
    ends = {"start": [0, 0, 0], "through": [50, 0, 60], "end": [100, 0, 0]}
    add(bench, "t", "arc", by="conic", rho=0.5, **ends)
    # The shoulder of a parabola lies half way from the middle of the chord to the corner.
    shown = facts(bench, "t")["facts"]["curves"][0]
    assert shown["rational"]
    assert np.allclose(shown["least_point"], [50, 0, 30], atol=0.5)


def test_relations_are_kept_while_a_cv_is_pulled_and_follow_a_dimension(bench):
    bench.commit({"op": "set_dimension", "name": "arm", "value": "40"})
    relations = [
        {"kind": "length", "cvs": [0, 1], "value": "=arm"},
        {"kind": "same", "cvs": [1, 2], "axis": 2},
        {"kind": "fixed", "cvs": [0], "point": [0, 60, 150]},
    ]
    before = bench.study.feature("a").params["curve"]
    done = bench.commit({"op": "set_params", "id": "a", "changes": {"relations": relations}})

    def control():
        return np.array(bench.study.feature("a").params["curve"]["control"])

    assert np.linalg.norm(control()[1] - control()[0]) == pytest.approx(40)
    assert facts(bench, "a")["facts"]["free"] == 9 - 5
    bench.commit({"op": "move_cvs", "id": "a", "cvs": [{"i": 2, "j": 0, "to": [95, 105, 170]}]})
    assert np.linalg.norm(control()[1] - control()[0]) == pytest.approx(40)
    assert control()[1][2] == pytest.approx(control()[2][2])
    assert np.allclose(control()[2], [95, 105, 170], atol=0.1)
    assert np.allclose(control()[0], [0, 60, 150])
    bench.commit({"op": "set_dimension", "name": "arm", "value": "55"})
    shown = next(o for o in read_frame(bench.frame())[0]["objects"] if o["id"] == "a")["cvs"]["points"]
    assert np.linalg.norm(np.subtract(shown[3:6], shown[0:3])) == pytest.approx(55)
    bad = [*relations, {"kind": "length", "cvs": [0, 1], "value": 10}]
    bench.commit({"op": "set_params", "id": "a", "changes": {"relations": bad}})
    assert "Relation 4 (length) contradicts" in facts(bench, "a")["warnings"][0]
    with pytest.raises(StudyError, match="names CV 9"):
        bench.commit({"op": "set_params", "id": "a", "changes": {"relations": [{"kind": "fixed", "cvs": [8]}]}})
    bench.commit(done["inverse"])
    assert bench.study.feature("a").params["curve"] == before


def test_a_dimension_drives_what_is_written_with_it(kernel):
    before = facts(kernel, "inner")["facts"]["curves"][0]["length"]
    done = kernel.commit({"op": "set_dimension", "name": "width", "value": "6 + 2*3"})
    assert facts(kernel, "inner")["facts"]["curves"][0]["length"] == pytest.approx(before)
    kernel.commit({"op": "set_dimension", "name": "width", "value": "20"})
    assert facts(kernel, "inner")["facts"]["curves"][0]["length"] != pytest.approx(before, abs=1)
    assert kernel.document()["features"][3]["params"]["distance"] == "=width"
    with pytest.raises(StudyError, match=r"width is used by Rim"):
        kernel.commit({"op": "set_dimension", "name": "width", "value": None})
    kernel.commit(done["inverse"])
    assert kernel.study.dimensions["width"] == "12"


def test_expressions():
    values = dimension_values({"R": "2*w", "w": "12/3", "a": "sin(30) + sqrt(R + 1)"})
    assert values == {"w": 4, "R": 8, "a": pytest.approx(3.5)}
    for text, words in (
        ("1/0", "division by zero"),
        ("__import__('os')", "no expression"),
        ("2 +", "no expression"),
        ("x + 1", "no dimension x"),
        ("9**9**9", "not worked out"),
    ):
        with pytest.raises(StudyError, match=words):
            evaluate(text, {})
    with pytest.raises(StudyError, match="in a circle"):
        dimension_values({"a": "b + 1", "b": "a"})


def test_a_tool_that_cannot_do_it_says_so_at_its_step_and_the_rest_goes_on(kernel):
    add(
        kernel, "bad", "two_view", first=line("side"), first_view=[0, 1, 0], second=line("spout"), second_view=[0, 0, 1]
    )
    add(kernel, "on", "offset_curve", curve=line("bad"))
    add(kernel, "good", "offset_curve", curve=line("side"))
    assert "do not overlap" in facts(kernel, "bad")["problem"]
    assert "has no shape" in facts(kernel, "on")["problem"]
    assert facts(kernel, "good")["problem"] is None
    add(kernel, "wrong", "edge_blend", first=line("side"), second=line("top"))
    assert "an edge of a face is needed" in facts(kernel, "wrong")["problem"]


def test_studies_written_before_a_field_was_divided_are_read_as_they_were_meant(bench):
    add(bench, "old", "project_curve", curve=line("a"), face={"feature": "crown"})
    assert bench.study.feature("old").params["faces"] == [{"feature": "crown"}]
    add(bench, "turned", "copy_curve", curve=line("a"), how="turn", by=[0, 1, 0], degrees=90)
    params = bench.study.feature("turned").params
    assert (params["axis"], params["shift"], "by" in params) == ([0, 1, 0], [0, 20, 0], False)
    assert facts(bench, "turned")["problem"] is None


def test_one_curve_is_not_picked_twice(bench):
    add(bench, "t", "join_curves", curves=[line("a"), line("a")])
    assert facts(bench, "t")["problem"] == "a is picked twice: pick another curve."


def test_a_section_runs_over_several_faces_and_names_those_it_misses(bench):
    add(bench, "cut", "section_curve", faces=[{"feature": "crown"}, {"feature": "flank"}], point=[20, 0, 0])
    assert len(facts(bench, "cut")["facts"]["curves"]) == 2
    high = {"faces": [{"feature": "crown"}, {"feature": "flank"}], "point": [0, 0, 100], "normal": [0, 0, 1]}
    add(bench, "high", "section_curve", **high)
    assert facts(bench, "high")["warnings"] == ["The plane does not meet Flank."]
    for changes, words in (({"point": [0, 0, 9000]}, "any of the faces"), ({"normal": [0, 0, 0]}, "not zero")):
        bench.commit({"op": "set_params", "id": "high", "changes": changes})
        assert words in facts(bench, "high")["problem"]
