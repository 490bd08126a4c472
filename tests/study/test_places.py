"""What hangs on other things follows them: places, planes, measures, relations to other curves."""

import numpy as np
import pytest

from pamble.core.errors import StudyError
from pamble.study.frame import read_frame
from pamble.study.handing_over import step_file
from pamble.study.kernel import Kernel
from pamble.study.taking import taken_from_step
from tests.shapes import bezier_of
from tests.study.test_curves import add, bezier, facts, line

RIM = [(0, 0, 0), (30, 0, 20), (80, 0, 25), (120, 0, 0)]


def shown(kernel, id, frame=None):
    header = read_frame(kernel.frame() if frame is None else frame)[0]
    return next(o for o in header["objects"] if o["id"] == id)


def cvs(kernel, id, frame=None):
    return np.array(shown(kernel, id, frame)["cvs"]["points"]).reshape(-1, 3)


def pull(kernel, id, i, to):
    return kernel.commit({"op": "move_cvs", "id": id, "cvs": [{"i": i, "j": 0, "to": list(to)}]})


@pytest.fixture
def kernel() -> Kernel:
    k = Kernel({"name": "Places"})
    add(k, "rim", "cv_curve", curve=bezier(*RIM))
    return k


def test_a_line_between_a_curve_s_end_and_a_cv_follows_both(kernel):
    add(kernel, "stay", "line", start={**line("rim"), "at": 1}, end={"feature": "rim", "cv": 1})
    assert np.allclose(cvs(kernel, "stay"), [RIM[3], RIM[1]])
    pull(kernel, "rim", 3, (140, 10, 5))
    pull(kernel, "rim", 1, (20, 5, 30))
    assert np.allclose(cvs(kernel, "stay"), [[140, 10, 5], [20, 5, 30]])
    assert [d["id"] for d in kernel.dependents(["rim"])] == ["stay"]
    kernel.commit({"op": "set_params", "id": "stay", "changes": {"end": [1, 2, 3]}})
    assert np.allclose(cvs(kernel, "stay")[1], [1, 2, 3])
    kernel.commit({"op": "set_params", "id": "stay", "changes": {"end": {"feature": "rim", "cv": 9}}})
    assert facts(kernel, "stay")["problem"] == "rim: CV 10 is no longer there."


def test_planes_hang_on_what_they_were_given(kernel):
    end = {**line("rim"), "at": 1}
    add(kernel, "three", "plane_points", first=[0, 0, 0], second=[0, 50, 0], third=end, offset=2)
    add(kernel, "square", "plane_normal", curve=line("rim"), at=0.5)
    add(kernel, "along", "plane_line", start=[0, 0, 0], end=end, degrees=90)
    add(kernel, "beside", "plane_parallel", parallel_to={"feature": "three"}, through=end, offset=-7)

    def height(id, point):
        origin, x, y = np.array(shown(kernel, id)["plane"])
        return float((point - origin) @ np.cross(x, y))

    pull(kernel, "rim", 3, (100, 20, 40))
    assert abs(height("three", np.array([100, 20, 40.0]))) == pytest.approx(2)
    assert height("beside", np.array([100, 20, 40.0])) == pytest.approx(7)
    assert height("along", np.array([100, 20, 40.0])) == pytest.approx(0)
    rim, t = bezier_of(cvs(kernel, "rim")), np.linspace(0, 1, 20001)
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(rim(t), axis=0), axis=1))])
    middle = np.interp(0.5 * along[-1], along, t)
    origin, x, y = np.array(shown(kernel, "square")["plane"])
    assert np.allclose(origin, rim(middle), atol=1e-4)
    assert np.allclose([x @ rim(middle, 1), y @ rim(middle, 1)], 0, atol=1e-3)
    wall = {"surface": plane_data((50, -50, -50), (0, 200, 0), (0, 0, 200))}
    add(kernel, "wall", "face", face=wall)
    add(kernel, "section", "section_curve", face={"feature": "wall"}, plane={"feature": "three"})
    ends = cvs(kernel, "section")[[0, -1]]
    assert [abs(height("three", p)) for p in ends] == pytest.approx([0, 0], abs=1e-6)
    kernel.commit({"op": "set_params", "id": "three", "changes": {"second": end}})
    assert "on a line" in facts(kernel, "three")["problem"]
    assert "is not up to date" in facts(kernel, "section")["problem"]


def plane_data(origin, u, v):
    o, u, v = (np.array(x, dtype=float) for x in (origin, u, v))
    net = [[o.tolist(), (o + v).tolist()], [(o + u).tolist(), (o + u + v).tolist()]]
    return {"degree_u": 1, "degree_v": 1, "knots_u": [0, 0, 1, 1], "knots_v": [0, 0, 1, 1], "control": net}


def value(kernel, id):
    return facts(kernel, id)["facts"]["measured"]["value"]


def test_measures_are_those_of_closed_forms_and_live_while_the_pointer_is_down(kernel):
    add(kernel, "leg", "line", start=[120, 0, 0], end=[120, 60, 80])
    add(kernel, "ring", "ellipse", centre=[300, 0, 0], normal=[0, 0, 1], radius=40, second=25, toward=[1, 0, 0])
    add(kernel, "bar", "line", start=[250, 90, 0], end=[350, 90, 0])
    add(kernel, "between", "measure_points", start={**line("rim"), "at": 0}, end={**line("leg"), "at": 1})
    add(kernel, "gap", "measure_lines", first=line("ring"), second=line("bar"))
    add(kernel, "angle", "measure_angle", first=line("rim"), second=line("leg"))
    add(kernel, "least", "measure_radius", curve=line("ring"))
    add(kernel, "flat", "measure_radius", curve=line("bar"), at=0.5)
    add(kernel, "wide", "measure_width", lines=[line("ring"), line("bar")], direction=[0, 2, 0])
    assert value(kernel, "between") == pytest.approx(np.sqrt(120**2 + 60**2 + 80**2))
    assert value(kernel, "gap") == pytest.approx(90 - 25)
    # rim leaves its end along (40, 0, -25) backward; leg along (0, 60, 80).
    u, v = np.array([-40, 0, 25.0]), np.array([0, 60, 80.0])
    assert value(kernel, "angle") == pytest.approx(np.degrees(np.arccos(u @ v / 100 / np.linalg.norm(u))))
    assert value(kernel, "least") == pytest.approx(25**2 / 40)
    assert value(kernel, "flat") is None
    assert value(kernel, "wide") == pytest.approx(90 + 25)
    move = {"op": "move_cvs", "id": "rim", "cvs": [{"i": 0, "j": 0, "to": [-10, 0, 0]}]}
    live = next(f for f in read_frame(kernel.preview(move))[0]["features"] if f["id"] == "between")
    assert live["facts"]["measured"]["value"] == pytest.approx(np.sqrt(130**2 + 60**2 + 80**2))
    assert step_file(kernel.study, kernel.now, ["rim"])
    with pytest.raises(StudyError, match="without a shape"):
        step_file(kernel.study, kernel.now, ["gap"])


def test_a_curve_stays_joined_to_its_neighbour_and_to_a_cv_while_they_move(kernel):
    joint = {"kind": "joint", "end": 0, "order": 2, "line": line("rim")}
    far = {"kind": "coincident", "cvs": [6, {"feature": "post", "cv": 1}]}
    add(kernel, "post", "line", start=[300, 0, 0], end=[300, 0, 60])
    control = [(120 + 25 * i, 0, (-1) ** i * 3) for i in range(7)]
    add(kernel, "run", "cv_curve", curve=bezier(*control), relations=[joint, far])
    assert facts(kernel, "run")["facts"]["free"] == 21 - 7 - 3

    def check():
        rim, run = bezier_of(cvs(kernel, "rim")), bezier_of(cvs(kernel, "run"))
        assert np.allclose(run(0), rim(1))
        assert np.allclose(bend(run, 0), bend(rim, 1), atol=1e-8)
        assert np.allclose(cvs(kernel, "run")[6], cvs(kernel, "post")[1])

    def bend(curve, t):
        d1, d2 = curve(t, 1), curve(t, 2)
        tangent = d1 / np.linalg.norm(d1)
        return np.append((d2 - (d2 @ tangent) * tangent) / (d1 @ d1), tangent)

    check()
    pull(kernel, "rim", 2, (85, 9, 40))
    check()
    kernel.commit({"op": "set_params", "id": "post", "changes": {"end": [310, 5, 70]}})
    check()
    pull(kernel, "run", 3, (200, -20, 30))
    check()
    before = kernel.document()
    raised = kernel.commit({"op": "reshape", "id": "run", "action": "degree", "value": 8})
    assert read_frame(raised["frame"])[0]["said"].endswith("nothing moved.")
    kernel.commit(raised["inverse"])
    assert kernel.document() == before
    with pytest.raises(StudyError, match="no dimension"):
        kernel.commit({"op": "set_params", "id": "run", "changes": {"relations": [{**far, "value": "=x"}]}})


def test_a_touch_needs_a_straight_line(kernel):
    add(kernel, "sky", "line", start=[0, 0, 30], end=[120, 0, 34])
    kernel.commit({"op": "remove_features", "ids": ["rim"]})
    add(kernel, "rim", "cv_curve", curve=bezier(*RIM), relations=[{"kind": "touch", "line": line("sky")}])
    points = np.array([bezier_of(cvs(kernel, "rim"))(t) for t in np.linspace(0, 1, 2001)])
    heights = (points - [0, 0, 30]) @ np.array([-4, 0, 120]) / np.hypot(4, 120)
    assert heights.max() == pytest.approx(0, abs=1e-5)
    add(kernel, "bent", "cv_curve", curve=bezier(*RIM), relations=[{"kind": "touch", "line": line("rim")}])
    assert "A straight line is needed here" in facts(kernel, "bent")["problem"]


def test_the_exact_place_near_one_that_was_seen(kernel):
    found = kernel.locate("rim", "c0", [120.3, 0.2, -0.1])
    assert found == {"point": pytest.approx([120, 0, 0]), "at": 1.0}
    rim = bezier_of(np.array(RIM, dtype=float))
    middle = kernel.locate("rim", "c0", np.add(rim(0.5), [0, 3, 0]).tolist())
    assert middle["point"] == pytest.approx(rim(0.5).tolist(), abs=1e-6)
    assert 0.4 < middle["at"] < 0.6
    with pytest.raises(StudyError, match="no surface"):
        kernel.locate("rim", None, [0, 0, 0])


def test_curves_in_a_step_file_become_cv_curves_with_their_names(kernel):
    taken = taken_from_step(step_file(kernel.study, kernel.now, ["rim"]), "lines.step", {"rim"})
    assert (taken["taken"], taken["problems"]) == (1, [])
    kernel.commit(taken["op"])
    (new,) = (f for f in kernel.study.features if f.id != "rim")
    assert (new.kind, new.name, new.role, new.params["source"]) == ("cv_curve", "rim 2", "theoretical", "lines.step")
    assert np.allclose(cvs(kernel, new.id), RIM)


def test_a_cv_that_is_followed_keeps_its_name_when_others_come_and_go(kernel):
    control = [(0, 0, 0), (20, 30, 0), (60, 40, 0), (100, 0, 20)]
    add(kernel, "bow", "cv_curve", curve=bezier(*control))
    add(kernel, "last", "line", start={"feature": "bow", "cv": 3}, end=[0, 0, 100])
    before = kernel.document()
    done = kernel.commit({"op": "reshape", "id": "bow", "action": "insert", "cvs": [1]})
    assert np.allclose(cvs(kernel, "last")[0], control[3])
    assert kernel.study.feature("last").params["start"] == {"feature": "bow", "cv": 4}
    kernel.commit(done["inverse"])
    assert kernel.document() == before
    kernel.commit({"op": "reshape", "id": "bow", "action": "reverse"})
    assert np.allclose(cvs(kernel, "last")[0], control[3])
    add(kernel, "inner", "line", start={"feature": "bow", "cv": 1}, end=[0, 0, 100])
    with pytest.raises(StudyError, match="inner follows CV 2 of bow, which would go"):
        kernel.commit({"op": "reshape", "id": "bow", "action": "insert", "cvs": [1]})
