"""What keeps a hole or a blend from being calm is mended by a step put in before; and where a blend ends."""

import numpy as np
import pytest

from pamble.core.faces.face import Face
from pamble.core.spline.evaluate import curve_points
from pamble.study.frame import read_frame
from pamble.study.stored import FaceData
from tests.core.patches.grounds import ground, hole, mitred, twisted, wavy, window
from tests.core.patches.test_hole import pierced
from tests.core.trace.panels import panels
from tests.study.bench import add, area, face, line


@pytest.mark.parametrize("shared", [True, False])
def test_a_corner_that_contradicts_is_named_and_one_step_before_mends_it(kernel, shared):
    if shared:
        faces, names = mitred(0.4), ["v0"] * 4
    else:
        edges = window(ground(2, 40))
        faces, names = [Face(e.surface) for e in edges], [e.name for e in edges]
        faces[1] = twisted(edges, 1, 0.7)
    for i, f in enumerate(faces):
        add(kernel, f"n{i}", "face", face=FaceData.of(f).model_dump())
    rim = [line(f"n{i}", name) for i, name in enumerate(names)]
    before = add(kernel, "fill", "fill_hole", edges=rim, layout="single")
    assert any("contradict each other" in w for w in before.made.warnings)
    offered = [r for r in before.made.facts["remedies"] if "n1" in r["label"].split(" to ")[0]]
    assert {r["kind"] for r in offered} == {"match_face" if shared else "mend_corner"}
    steps = [
        {k: r[k] for k in ("kind", "name", "params")} | {"id": f"r{i}", "role": "primary"}
        for i, r in enumerate(offered)
    ]
    kernel.commit({"op": "add_features", "features": steps, "at": [4 + i for i in range(len(steps))]})
    after = kernel.now.states["fill"]
    assert kernel.now.states["r0"].problem is None
    assert after.made.warnings == ()
    assert after.made.facts["remedies"] == []
    assert max(s["curvature"] for s in after.made.facts["sides"]) < min(
        2, max(s["curvature"] for s in before.made.facts["sides"])
    )


def test_an_edge_that_is_more_complex_than_it_need_be_is_told_and_simplified_by_one_step(kernel):
    known = ground(2, 40)
    face_ = pierced(known, hole(known, 5))
    loop = tuple(wavy(e, 0.006) if e.name == "h02" else e for e in face_.loops[1])
    add(kernel, "n", "face", face=FaceData.of(Face(known, (face_.loops[0], loop))).model_dump())
    rim = [line("n", e.name) for e in face(kernel, "n").loops[1]]
    before = add(kernel, "fill", "fill_hole", edges=rim, layout="single")
    (offered,) = before.made.facts["remedies"]
    assert offered["kind"] == "simplify_edges"
    assert any("An edge of n has" in w for w in before.made.warnings)
    step = {"id": "s", "kind": offered["kind"], "name": "s", "role": "primary", "params": offered["params"]}
    kernel.commit({"op": "add_features", "features": [step], "at": [1]})
    facts = kernel.now.states["s"].made.facts
    assert 2 * facts["cvs_after"] < facts["cvs_before"]
    after = kernel.now.states["fill"]
    assert (after.problem, after.made.warnings, after.made.facts["remedies"]) == (None, (), [])


def test_an_edge_that_is_allowed_to_slide_makes_a_calm_blend_and_its_face_is_trimmed_to_it(kernel):
    faces, names, who = panels(np.random.default_rng(311), "edge")
    for i, f in enumerate(faces):
        add(kernel, f"n{i}", "face", face=FaceData.of(f).model_dump())
    before = add(kernel, "b", "edge_blend", first=line("n0", names[0]), second=line("n1", names[1]))
    assert before.made.facts["spans"] > 8
    (offered,) = before.made.facts["remedies"]
    assert f"Let the edge slide on n{who}, by " in offered["label"]
    area_before = area(kernel, f"n{who}")
    step = {"id": "s", "kind": offered["kind"], "name": "s", "role": "primary", "params": offered["params"]}
    kernel.commit({"op": "add_features", "features": [step], "at": [2]})
    assert 0.1 < kernel.now.states["s"].made.facts["deviation"] < 3
    assert area(kernel, f"n{who}") != pytest.approx(area_before, abs=1)
    after = kernel.now.states["b"]
    assert after.problem is None
    assert after.made.facts["spans"] <= 3
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if "b" in (r["a"]["feature"], r["b"]["feature"])]
    assert [r["state"] for r in rows] == ["holds", "holds"]


def test_a_blends_ends_are_trimmed_to_curves_over_it(kernel):
    faces, names, _ = panels(np.random.default_rng(5), "none", gap=40)
    for i, f in enumerate(faces):
        add(kernel, f"n{i}", "face", face=FaceData.of(f).model_dump())
    for k, x in enumerate((80.0, 400.0)):
        ends = ((x - 10.0, -30.0, 5.0), (x + 40.0, 75.0, -20.0))
        add(kernel, f"c{k}", "line", start=ends[0], end=ends[1])
    whole = add(kernel, "b", "edge_blend", first=line("n0", names[0]), second=line("n1", names[1]))
    before = area(kernel, "b")
    kernel.commit({"op": "set_params", "id": "b", "changes": {"ends_by": [line("c0"), line("c1")]}})
    state = kernel.now.states["b"]
    assert (whole.problem, state.problem) == (None, None)
    face_ = face(kernel, "b")
    assert area(kernel, "b") < 0.75 * before
    ends = [e for e in face_.edges if e.name.startswith("b:c")]
    assert len(ends) == 2
    for e, x in zip(sorted(ends, key=lambda e: e.space.control[0, 0]), (80.0, 400.0), strict=True):
        points = curve_points(e.space, np.linspace(*e.space.domain, 9))
        # Laid on along the face's own normal, a line stays near its plan.
        assert np.abs(points[:, 0] - (x - 10 + 50 * (points[:, 1] + 30) / 105)).max() < 4
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if "b" in (r["a"]["feature"], r["b"]["feature"])]
    assert sorted((r["target"], r["state"]) for r in rows) == [(2, "holds"), (2, "holds")]
    kernel.commit({"op": "set_params", "id": "b", "changes": {"ends_by": [line("n0", "u0")]}})
    assert "ends cannot be trimmed" in kernel.now.states["b"].problem
