"""Curves as they are used: points put in, caught, laid on planes, held over, broken free, related and cut."""

import numpy as np
import pytest
from scipy.interpolate import BSpline

from pamble.core.curves.measure import curve_length
from pamble.core.errors import PambleError, StudyError
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.study.features import KINDS
from pamble.study.kernel import Kernel

ZIGZAG = [[0, 0, 0], [60, 40, 5], [150, 10, 30], [220, 70, 0], [300, 20, -10], [400, 50, 0]]


def add(kernel, id, kind, **params):
    feature = {"id": id, "kind": kind, "name": id, "role": KINDS[kind].role, "params": params}
    return kernel.commit({"op": "add_features", "features": [feature]})


def curve(kernel, id):
    return kernel.now.world[id].shape.curves[0]


def strays(a, b) -> float:
    """How far b strays from a at a thousand places."""
    return float(to_curve(a, curve_points(b, np.linspace(*b.domain, 1000))).distance.max())


@pytest.mark.parametrize(
    "more",
    [{}, {"degree": 2}, {"degree": 4}, {"degree": 5}, {"closed": True}, {"closed": True, "degree": 5},
     {"directions": [{"point": 0, "direction": [1, 1, 0]}, {"point": 3, "direction": [1, 0, 0.2], "weight": 1.7}]},
     {"closed": True, "directions": [{"point": 2, "direction": [0.3, 1, 0]}]}],
)  # fmt: skip
def test_a_point_put_in_moves_nothing_and_what_is_moved_later_moves_only_by_that(kernel, more):
    add(kernel, "p", "point_curve", points=ZIGZAG, **more)
    before = curve(kernel, "p")
    kernel.commit({"op": "reshape", "id": "p", "action": "insert", "cvs": [1, 3]})
    after = curve(kernel, "p")
    assert len(kernel.study.feature("p").params["points"]) == len(ZIGZAG) + 2
    assert max(strays(before, after), strays(after, before)) < 1e-9
    points = kernel.now.world["p"].shape.net
    kernel.commit({"op": "move_cvs", "id": "p", "cvs": [{"i": 2, "j": 0, "to": (points[2] + [0, 3, 0]).tolist()}]})
    moved = curve(kernel, "p")
    assert to_curve(moved, points[[2]] + [0, 3, 0]).distance[0] < 1e-9
    assert to_curve(moved, np.delete(points, 2, axis=0)).distance.max() < 1e-9
    assert strays(before, moved) < 10
    kernel.commit({"op": "reshape", "id": "p", "action": "delete", "cvs": [2]})
    assert strays(before, curve(kernel, "p")) < 12


def test_closing_lets_go_of_the_directions_of_what_were_the_ends(kernel):
    ends = [{"point": 0, "direction": [1, -2, 0]}, {"point": 5, "direction": [1, 3, 0]}]
    add(kernel, "p", "point_curve", points=ZIGZAG, directions=[*ends, {"point": 2, "direction": [1, 0, 0]}])
    kernel.commit({"op": "set_params", "id": "p", "changes": {"closed": True}})
    assert [d["point"] for d in kernel.study.feature("p").params["directions"]] == [2]
    around = np.vstack([ZIGZAG, ZIGZAG[:1]])
    assert curve_length(curve(kernel, "p")) < 1.25 * np.linalg.norm(np.diff(around, axis=0), axis=1).sum()


def test_what_was_caught_follows_and_is_released(kernel):
    add(kernel, "post", "line", start=[0, 0, 0], end=[0, 0, 100])
    add(kernel, "pole", "cv_curve", curve={"control": [[200, 0, 0], [210, 0, 60], [200, 0, 120]]})
    end = {"feature": "post", "edge": "c0", "at": 1.0}
    add(kernel, "p", "point_curve", points=[end, [100, 40, 80], {"feature": "pole", "cv": 2}])
    add(kernel, "c", "cv_curve", curve={"control": [[0, 0, 99], [50, 0, 140], [150, 0, 140], [200, 0, 121]]})
    on = [{"i": 0, "j": 0, "to": [0, 0, 100], "on": end}]
    on.append({"i": 3, "j": 0, "to": [200, 0, 120], "on": {"feature": "pole", "cv": 2}})
    kernel.commit({"op": "move_cvs", "id": "c", "cvs": on})
    kernel.commit({"op": "set_params", "id": "post", "changes": {"end": [20, 0, 100]}})
    kernel.commit({"op": "move_cvs", "id": "pole", "cvs": [{"i": 2, "j": 0, "to": [200, 30, 120]}]})
    for id in ("p", "c"):
        assert curve_points(curve(kernel, id), curve(kernel, id).domain) == pytest.approx(
            np.array([[20, 0, 100], [200, 30, 120]]), abs=1e-9
        )
    with pytest.raises(StudyError, match="Point 1 of p hangs on something: release it"):
        kernel.commit({"op": "move_cvs", "id": "p", "cvs": [{"i": 0, "j": 0, "to": [5, 5, 5]}]})
    kernel.commit({"op": "reshape", "id": "p", "action": "insert", "cvs": [0]})
    done = {}
    for id in ("p", "c"):
        free = {"i": 0, "j": 0, "to": [20, 0, 100], "freed": True}
        done[id] = kernel.commit({"op": "move_cvs", "id": id, "cvs": [free]})
    kernel.commit({"op": "set_params", "id": "post", "changes": {"end": [0, 0, 50]}})
    for id in ("p", "c"):
        assert curve_points(curve(kernel, id), [0.0])[0] == pytest.approx([20, 0, 100], abs=1e-9)
    kernel.commit(done["c"]["inverse"])
    assert curve_points(curve(kernel, "c"), [0.0])[0] == pytest.approx([0, 0, 50], abs=1e-9)


LAID = {
    "cv_curve": {"curve": {"control": [[0, 0, 30], [40, 20, 30], [90, 0, 30]]}},
    "point_curve": {"points": [[0, 0, 30], [40, 20, 30], [90, 0, 30]]},
    "line": {"start": [0, 0, 30], "end": [90, 5, 30]},
    "arc": {"by": "radius", "start": [0, 0, 30], "end": [60, 0, 30], "normal": [0, 0, 1], "radius": 50},
    "ellipse": {"centre": [10, 0, 30], "normal": [0, 0, 1], "second": 20.0},
    "rectangle": {"centre": [10, 0, 30], "normal": [0, 0, 1]},
}


@pytest.mark.parametrize("kind", LAID)
def test_what_lies_on_a_plane_goes_with_it_until_it_is_freed(kernel, kind):
    kernel.commit({"op": "set_dimension", "name": "height", "value": "30"})
    add(kernel, "deck", "plane_parallel", square_to="z", through=[0, 0, 0], offset="=height")
    add(kernel, "x", kind, plane={"feature": "deck"}, **LAID[kind])
    before = kernel.document()
    first = curve_points(curve(kernel, "x"), np.linspace(0, 1, 50))
    done = kernel.commit({"op": "set_dimension", "name": "height", "value": "45"})
    lifted = curve_points(curve(kernel, "x"), np.linspace(0, 1, 50))
    assert lifted == pytest.approx(first + np.array([0, 0, 15]), abs=1e-9)
    again = Kernel(kernel.document())
    assert curve_points(curve(again, "x"), np.linspace(0, 1, 50)) == pytest.approx(lifted, abs=1e-9)
    kernel.commit(done["inverse"])
    assert kernel.document() == before
    kernel.commit({"op": "set_params", "id": "x", "changes": {"plane": None}})
    kernel.commit({"op": "set_dimension", "name": "height", "value": "60"})
    assert curve_points(curve(kernel, "x"), np.linspace(0, 1, 50)) == pytest.approx(first, abs=1e-9)


def test_a_cv_of_a_laid_curve_is_moved_where_the_plane_has_taken_it_and_turning_turns_it(kernel):
    add(kernel, "deck", "plane_line", start=[0, 0, 0], end=[100, 0, 0], degrees=90)
    net = [[0, 10, 0], [40, 30, 0], [90, 10, 0]]
    add(kernel, "c", "cv_curve", plane={"feature": "deck"}, curve={"control": net})
    kernel.commit({"op": "set_params", "id": "deck", "changes": {"degrees": 60}})
    control = curve(kernel, "c").control
    assert np.linalg.norm(np.diff(control, axis=0), axis=1) == pytest.approx(
        np.linalg.norm(np.diff(np.array(net, dtype=float), axis=0), axis=1), abs=1e-9
    )
    assert kernel.now.world["deck"].shape.plane.height(control) == pytest.approx([0, 0, 0], abs=1e-9)
    assert abs(control[1, 2]) == pytest.approx(15, abs=1e-9)
    kernel.commit({"op": "move_cvs", "id": "c", "cvs": [{"i": 1, "j": 0, "to": [50, 1, 2]}]})
    assert curve(kernel, "c").control[1] == pytest.approx([50, 1, 2], abs=1e-9)
    assert curve(kernel, "c").control[0] == pytest.approx(control[0], abs=1e-9)


def test_a_change_is_held_over_a_curve_that_follows_and_it_can_be_broken_free(kernel):
    add(kernel, "a", "cv_curve", curve={"control": [[0, 0, 0], [30, 40, 0], [80, 50, 0], [120, 0, 0]]})
    add(kernel, "o", "offset_curve", curve={"feature": "a", "edge": "c0"}, distance=5)
    add(kernel, "end", "extend_curve", curve={"feature": "o", "edge": "c0"}, length=10)
    plain = curve(kernel, "o")
    lift = [{"i": 2, "j": 0, "to": (plain.control[2] + [0, 0, 4]).tolist()}]
    kernel.commit({"op": "move_cvs", "id": "o", "cvs": lift})
    assert curve(kernel, "o").control - plain.control == pytest.approx(
        np.eye(len(plain.control))[2][:, None] * [0, 0, 4], abs=1e-9
    )
    kernel.commit({"op": "set_params", "id": "o", "changes": {"distance": 7}})
    held = curve(kernel, "o")
    assert held.control[:, 2].max() == pytest.approx(4, abs=1e-9)
    tail = curve(kernel, "end")
    done = kernel.commit({"op": "break_free", "id": "o"})
    assert kernel.study.feature("o").kind == "cv_curve"
    assert curve(kernel, "o").control == pytest.approx(held.control)
    assert curve(kernel, "end").control == pytest.approx(tail.control)
    kernel.commit({"op": "set_params", "id": "a", "changes": {"curve": {"control": [[0, 0, 0], [9, 9, 9]]}}})
    assert curve(kernel, "o").control == pytest.approx(held.control)
    kernel.commit({"op": "remove_features", "ids": ["a"]})
    assert "o" in kernel.now.world
    assert done["inverse"]["op"] == "several"


def test_cvs_keep_to_a_plane_an_axis_a_coordinate_and_a_neighbours_line(kernel):
    add(kernel, "deck", "plane_line", start=[0, 0, 10], end=[100, 0, 10], degrees=70)
    add(kernel, "a", "cv_curve", curve={"control": [[-50, 0, 0], [-20, 5, 3], [-5, 6, 9]]})
    relations = [
        {"kind": "inline", "cvs": [0, 1, 2], "line": {"feature": "a", "edge": "c0"}, "end": 0},
        {"kind": "plane", "cvs": [3], "plane": {"feature": "deck"}, "value": 6},
        {"kind": "axis", "cvs": [4], "axis": 0},
        {"kind": "at", "cvs": [5], "axis": 1, "value": 12},
    ]
    control = [[0, 8, 11], [10, 12, 20], [30, 10, 20], [60, 10, 30], [90, 4, 4], [120, 3, 2]]
    add(kernel, "c", "cv_curve", curve={"control": control}, relations=relations)
    c = curve(kernel, "c").control
    end, way = np.array([-5, 6, 9.0]), np.array([15, 1, 6]) / np.linalg.norm([15, 1, 6])
    off = c[:3] - end - ((c[:3] - end) @ way)[:, None] * way
    assert np.abs(off).max() < 1e-7
    assert kernel.now.world["deck"].shape.plane.height(c[[3]])[0] == pytest.approx(6, abs=1e-7)
    assert c[4, 1:] == pytest.approx([0, 0], abs=1e-7)
    assert c[5, 1] == pytest.approx(12, abs=1e-7)
    assert not kernel.now.states["c"].made.warnings


def test_middle_pieces_both_cut_in_one_step_and_an_end_meets_a_place_inside(kernel):
    add(kernel, "ring", "ellipse", centre=[0, 0, 0], normal=[0, 0, 1], radius=40)
    add(kernel, "bar", "line", start=[-100, 10, 0], end=[100, 10, 0])
    line, ring = {"feature": "bar", "edge": "c0"}, {"feature": "ring", "edge": "c0"}
    add(kernel, "m", "cut_curve", curve=line, by=ring, keep="middle", keep_other="middle")
    half = np.sqrt(40**2 - 10**2)
    inner, arc = kernel.now.world["m"].shape.curves
    assert curve_length(inner) == pytest.approx(2 * half, abs=1e-8)
    turned = 2 * np.pi - 2 * np.arcsin(10 / 40) - np.pi
    assert curve_length(arc) == pytest.approx(40 * turned, abs=1e-6)
    add(kernel, "short", "line", start=[-100, 10, 0], end=[0, 10, 0])
    with pytest.raises(PambleError, match="no middle"):
        raise_problem(kernel, add, "n", "cut_curve", curve={"feature": "short", "edge": "c0"}, by=ring, keep="middle")
    add(kernel, "c", "cv_curve", curve={"control": [[0, 200, 9], [0, 150, 9], [20, 100, 9], [30, 60, 0], [40, 20, 0]]})
    add(kernel, "s", "match_curve", curve={"feature": "c", "edge": "c0"}, to=ring, at=0.1, continuity=2)
    joint = kernel.now.states["s"].made.facts["joints"][0]
    assert joint["gap"] < 1e-9
    assert max(joint["angle"], joint["curvature"]) < 1e-6


def raise_problem(kernel, act, id, *args, **params):
    """The problem of a step, raised."""
    act(kernel, id, *args, **params)
    problem = kernel.now.states[id].problem
    if problem:
        raise StudyError(problem)


def test_arcs_carry_handles_at_centre_ends_and_radius(kernel):
    add(kernel, "r", "arc", by="radius", start=[0, 0, 0], end=[60, 0, 0], normal=[0, 0, 1], radius=50)
    handles = {h.label: h for h in kernel.now.states["r"].made.handles}
    assert set(handles) == {"Start", "End", "Radius", "Centre"}
    assert handles["Centre"].point == pytest.approx([30, 40, 0], abs=1e-9)
    assert np.linalg.norm(handles["Radius"].point - handles["Centre"].point) == pytest.approx(50)
    assert handles["Centre"].along == ("end",)


@pytest.mark.parametrize("seed", range(6))
def test_how_far_curves_stray_agrees_with_a_dense_evaluation(seed):
    from pamble.core.curves.measure import deviation
    from pamble.core.spline.curve import Curve

    rng = np.random.default_rng(seed)
    knots = np.concatenate([[0.0] * 4, np.sort(rng.uniform(0, 1, 4)), [1.0] * 4])
    control = np.cumsum(rng.normal(size=(8, 3)) * [1, 20, 8] + [40, 0, 0], axis=0)
    a, b = Curve(3, knots, control), Curve(3, knots, control + rng.normal(size=(8, 3)) * 0.5)
    dense = BSpline(knots, b.control, 3)(np.linspace(0, 1, 40001))
    assert deviation(a, b).distance >= to_curve(a, dense).distance.max() - 1e-7
