"""The two demo parts: whole, sound, and following their first curve."""

import pytest
from OCP.BRepBuilderAPI import BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer

from pamble.core.faces.face import Face
from pamble.core.faces.to_shape import face_to_shape
from pamble.demo import DEMOS
from pamble.study.kernel import Kernel
from pamble.study.states import exported

RIM = {"steam-iron": 10, "van-cap": 13}
"""Open edges: those along the sole; those along the rim and the glass."""

FIRST = {"steam-iron": ("edge", 2, [20.0, 28.5, 104.0]), "van-cap": ("character", 3, [-32.0, -11.0, 77.0])}
"""The first curve of each, and where one of its CVs is pulled."""


@pytest.fixture(scope="module", params=list(FIRST))
def demo(request):
    return request.param, Kernel(DEMOS[request.param].study().model_dump())


def over(kernel):
    return [line.row["name"] for line in kernel._snapshot.ledger.worst_first() if line.row["state"] == "over"]


def shell(kernel):
    sewing = BRepBuilderAPI_Sewing(5e-3)
    for items in exported(kernel.study, kernel.now).values():
        for _, shape in items:
            if isinstance(shape, Face):
                sewing.Add(face_to_shape(shape))
    sewing.Perform()
    return sewing


def test_a_demo_is_whole_and_no_seam_is_over_its_limit(demo):
    name, kernel = demo
    assert {id: s.problem for id, s in kernel.now.states.items() if s.problem} == {}
    assert over(kernel) == []
    sewn = shell(kernel)
    assert sewn.NbFreeEdges() == RIM[name]
    assert sewn.NbMultipleEdges() == 0
    assert BRepCheck_Analyzer(sewn.SewedShape()).IsValid()
    told = {id: s.made.warnings for id, s in kernel.now.states.items() if s.made and s.made.warnings}
    assert set(told) <= {"roundings"}  # which tells of the hole that is filled next


def test_everything_follows_a_cv_of_the_first_curve(demo):
    name, kernel = demo
    id, cv, to = FIRST[name]
    before = dict(kernel.now.world)
    curve = kernel.study.feature(id).params["curve"]
    control = [to if i == cv else p for i, p in enumerate(curve["control"])]
    kernel.commit({"op": "set_params", "id": id, "changes": {"curve": {**curve, "control": control}}})
    assert {i: s.problem for i, s in kernel.now.states.items() if s.problem} == {}
    assert over(kernel) == []
    changed = {i for i, o in kernel.now.world.items() if before[i].shape is not o.shape}
    assert {"steam-iron": {"grip", "corner", "heel-round", "frame"}, "van-cap": {"shoulder", "step", "y-corner"}}[
        name
    ] <= changed
    assert shell(kernel).NbFreeEdges() == RIM[name]
