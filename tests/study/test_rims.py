"""Closed blends, rims in pieces, and holes that are cut back and filled: by steps, and by command."""

import numpy as np
import pytest

from pamble.cli.main import main
from pamble.core.curves.interpolate import through_points
from pamble.core.curves.measure import curve_length
from pamble.core.exchange.step import read_step, write_step
from pamble.core.faces.edges import split_edge
from pamble.core.faces.face import Face, side_curve
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import surface_part
from pamble.core.surfaces.revolve import revolve
from pamble.study.frame import read_frame
from pamble.study.stored import FaceData, SurfaceData
from tests.cli.test_fillet_shells import ring_and_rod, shell
from tests.core.corners.test_four import branches
from tests.core.patches.grounds import ground
from tests.core.patches.test_hole import pierced
from tests.core.patches.test_strip import sides
from tests.other_library import written
from tests.shapes import plane
from tests.study.bench import add, face, line, step


def test_seams_round_a_closed_blend_over_two_faces_are_each_as_long_as_their_edge(kernel):
    def ring(start, end):
        return revolve(Curve.line(start, end), np.zeros(3), np.array([0, 0, 1.0]), 0, 360)

    below = ring([20, 0, 0], [24, 0, -30])
    for n, stretch in enumerate(((0, 0.4), (0.4, 1))):
        part = SurfaceData.of(surface_part(below, stretch)).model_dump()
        add(kernel, f"foot{n}", "face", face={"surface": part})
    add(kernel, "neck", "face", face={"surface": SurfaceData.of(ring([10, 0, 20], [9, 0, 50])).model_dump()})
    state = add(kernel, "b", "edge_blend", first=line("neck", "v0"), second=line("foot1", "v0"))
    assert "One edge comes round to its start and the other does not" in state.problem
    kernel.commit({"op": "set_params", "id": "b", "changes": {"second_on": [line("foot0", "v0")]}})
    rows = [
        r for r in read_frame(kernel.frame())[0]["seams"] if (r["a"]["feature"] == "b") != (r["b"]["feature"] == "b")
    ]
    assert [r["state"] for r in rows] == ["holds"] * 3
    assert sorted(r["length"] for r in rows) == pytest.approx([16 * np.pi, 20 * np.pi, 24 * np.pi], rel=0.02)


def test_the_rim_of_a_hole_in_pieces_is_taken_whole_where_the_other_edge_comes_round(kernel, tmp_path, capsys):
    """A flat plate with a round hole, its rim in two, and a tube over it: by the step's offer, and by command."""
    tube = revolve(Curve.line([12, 0, 25], [12, 0, 60]), np.zeros(3), np.array([0, 0, 1.0]), 0, 360)
    rim = revolve(Curve.line([20, 0, 0], [20, 0, 9]), np.zeros(3), np.array([0, 0, 1.0]), 0, 360)
    plate = pierced(plane((-60, -60, 0), (120, 0, 0), (0, 120, 0)), [Face(rim).edge("v0")])
    own = next(e for e in plate.edges if e.side is None)
    plate = split_edge(plate, own.name, [0.3 * own.domain[1]])
    part, other = (e for e in plate.edges if e.side is None)
    add(kernel, "plate", "face", face=FaceData.of(plate).model_dump(mode="json"))
    add(kernel, "tube", "face", face={"surface": SurfaceData.of(tube).model_dump()})
    state = add(kernel, "b", "edge_blend", first=line("plate", part.name), second=line("tube", "v0"))
    assert state.problem == "One edge comes round to its start and the other does not."
    assert state.offer.changes == {"first_on": [line("plate", other.name)]}
    kernel.commit({"op": "set_params", "id": "b", "changes": state.offer.changes})
    assert kernel.now.states["b"].problem is None
    near = [",".join(f"{x:.4f}" for x in curve_points(e.space, [0.4 * e.domain[0] + 0.6 * e.domain[1]])[0])
            for e in (part, Face(tube).edge("v0"))]  # fmt: skip
    write_step([("Plate", plate), ("Tube", Face(tube))], tmp_path / "in.step")
    out = tmp_path / "out.step"
    assert main(["blend", str(tmp_path / "in.step"), *(f"--edge={p}" for p in near), "-o", str(out)]) == 0
    capsys.readouterr()
    assert shell(out)[0] == 5


def test_a_hole_is_cut_back_to_four_sides_by_one_step_and_filled_by_the_next(kernel):
    faces = branches(ground(2, 25), (95, 215, 325), 0.05, 0.18)
    for n, f in enumerate(faces):
        add(kernel, f"s{n}", "face", face=FaceData.of(f).model_dump(mode="json"))
    rim = [line(f"s{n}", "hole") for n in range(6)]
    cut = add(kernel, "c", "cut_back", edges=rim)
    assert cut.problem is None
    (best,) = (w for w in cut.made.facts["ways"] if w["chosen"])
    assert best["name"] == cut.made.facts["corners"]
    assert [h.field for h in cut.made.handles] == ["depths", "depths"]
    other = next(w["name"] for w in cut.made.facts["ways"] if not w["chosen"])
    at = cut.made.handles[0].index
    kernel.commit({"op": "set_params", "id": "c", "changes": {"depths": [3.0 if k == at else None for k in range(6)]}})
    assert kernel.now.states["c"].made.facts["beyond"][at] == 3.0
    kernel.commit({"op": "set_params", "id": "c", "changes": {"corners": "picked", "way": other}})
    assert kernel.now.states["c"].made.facts["corners"] == other
    kernel.commit({"op": "set_params", "id": "c", "changes": {"way": "corners 1, 2"}})
    assert "is not cut back at corners 1, 2" in kernel.now.states["c"].problem
    kernel.commit({"op": "set_params", "id": "c", "changes": {"way": other}})
    left = [line(f"s{n}", e.name) for n in range(6) for e in face(kernel, f"s{n}").edges if e.name[:2] in ("ho", "c:")]
    filled = add(kernel, "f", "fill_hole", edges=left, layout="picked", way="four")
    assert filled.problem is None
    assert len(filled.made.facts["sides"]) == 4
    assert max(s["angle"] for s in filled.made.facts["sides"]) < 0.005


def test_a_strip_is_filled_alike_while_it_is_chosen_and_when_it_is_kept(kernel):
    asked = sides(20)
    for n, one in enumerate(asked):
        add(kernel, f"s{n}", "face", face=FaceData.of(Face(one.source.surface)).model_dump())
    edges = [line(f"s{n}", one.source.name) for n, one in enumerate(asked)]
    op = {"op": "add_features", "features": [step("f", "fill_hole", edges=edges, continuity=[1] * 4, layout="single")]}
    shown = next(f for f in read_frame(kernel.preview(op))[0]["features"] if f["id"] == "f")
    kernel.commit(op)
    kept = kernel.now.states["f"]
    assert shown["problem"] is kept.problem is None
    assert shown["facts"]["sides"] == kept.made.facts["sides"]


def test_a_contact_over_a_joint_is_measured_along_each_of_its_pieces(kernel, tmp_path):
    faces = [item.face for item in read_step(written(ring_and_rod(), tmp_path / "part.step"))]
    for n, made in enumerate(faces):
        add(kernel, f"f{n}", "face", face=FaceData.of(made).model_dump(mode="json"))
    foot = np.array([37.332, -12.2003, 7.6141])
    near = [(to_curve(e.space, foot[None]).distance[0], n, e.name) for n, f in enumerate(faces) for e in f.edges]
    _, n, name = min(near)
    state = add(
        kernel,
        "fillet",
        "fillet",
        edges=[line(f"f{n}", name)],
        faces=[{"feature": f"f{k}"} for k in range(3)],
        radius=3,
    )
    assert state.problem is None
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if "fillet" in (r["a"]["feature"], r["b"]["feature"])]
    # The ring's contact is in three pieces; taken for one, the first was told to lie 19 mm off the fillet's whole side.
    ring = [r for r in rows if {r["a"]["feature"], r["b"]["feature"]} == {"f0", "fillet"}]
    assert len(ring) == 3
    assert all(r["state"] == "holds" for r in rows)
    side = curve_length(kernel.now.world["fillet"].shape.face.edge("v0").space)
    assert sum(r["length"] for r in ring) == pytest.approx(side, abs=0.01)


def test_a_hole_with_one_round_edge_is_filled_as_the_ball_that_it_was_cut_from(kernel):
    """A zone of a ball of 40 mm, open at 60° of latitude: the cap over it rises 40 (1 - sin 60°)."""
    low, high = np.radians([10, 60])
    t = np.linspace(low, high, 41)
    arc = through_points(40 * np.column_stack([np.cos(t), 0 * t, np.sin(t)]))
    zone = revolve(arc, np.zeros(3), np.array([0, 0, 1.0]), 0, 360)
    add(kernel, "zone", "face", face={"surface": SurfaceData.of(zone).model_dump()})
    rim = max(("u0", "u1", "v0", "v1"), key=lambda e: side_curve(zone, e)[2].control[:, 2].min())
    assert add(kernel, "cap", "fill_hole", edges=[line("zone", rim)], continuity=[2]).problem is None
    cap = face(kernel, "cap")
    top = to_surface(cap.surface, np.array([[0, 0, 40.0]]))
    assert top.distance[0] < 0.1
    state = add(kernel, "side", "fill_hole", edges=[line("zone", "u0" if rim[0] == "v" else "v0")])
    assert "This side does not come round" in state.problem


def test_sides_that_keep_others_from_their_tangents_are_met_only_until_more_is_asked_of_them(kernel):
    """A box of 60 x 30 mm without its lid."""
    corners = [(0, 0, 0), (60, 0, 0), (60, 30, 0), (0, 30, 0)]
    for n, (a, b) in enumerate(zip(corners, [*corners[1:], corners[0]], strict=True)):
        wall = plane(a, tuple(np.subtract(b, a)), (0, 0, -20))
        add(kernel, f"w{n}", "face", face=FaceData.of(Face(wall)).model_dump(mode="json"))
    rim = [line(f"w{n}", "v0") for n in range(4)]
    made = add(kernel, "fill", "fill_hole", edges=rim).made
    assert made.facts["orders"] == [2, 0, 2, 0]
    assert "Sides 2 and 4 are met without tangents: faces that follow each other there stand at 90°." in made.warnings
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if "fill" in (r["a"]["feature"], r["b"]["feature"])]
    assert sorted((r["b"]["feature"], r["target"]) for r in rows) == [("w0", 2), ("w1", 0), ("w2", 2), ("w3", 0)]
    kernel.commit({"op": "set_params", "id": "fill", "changes": {"continuity": [1, 1, 1, 1]}})
    made = kernel.now.states["fill"].made
    assert made.facts["orders"] == [1, 1, 1, 1]
    assert sum("contradict each other: their normals by 90.000°" in w for w in made.warnings) == 4
