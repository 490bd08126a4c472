"""The command line: figures as JSON, exit codes, one clear line for every mistake."""

import json
import math
import random
import re
import subprocess
import sys

import pytest
from OCP.BRepBuilderAPI import BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps

from pamble.cli.main import main
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face
from pamble.core.faces.to_shape import face_to_shape
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import surface_part
from tests import readback
from tests.conftest import ROOT
from tests.core.patches.grounds import ground, hole, window
from tests.core.patches.test_hole import pierced
from tests.damage import damaged
from tests.study.slabs import DECK, WALL


@pytest.fixture
def cap(tmp_path):
    path = tmp_path / "cap.step"
    assert main(["demo", "mirror-cap", "-o", str(path)]) == 0
    return path


def answer(capsys, *words):
    capsys.readouterr()
    assert main([*map(str, words), "--json"]) == 0
    return json.loads(capsys.readouterr().out)


def middles(report, face, edge):
    found = next(f for f in report["faces"] if f["name"] == face)
    return ",".join(f"{x:.3f}" for x in next(e for e in found["edges"] if e["name"] == edge)["midpoint"])


def test_check_blend_check(cap, tmp_path, capsys):
    before = answer(capsys, "check", cap)
    assert [f["name"] for f in before["faces"]] == ["Crown", "Flank"]
    assert before["faces"][0]["degree"] == [5, 3]
    assert before["faces"][0]["cvs"] == [6, 4]
    assert before["seams"] == []
    assert len(before["open_edges"]) == 8
    out = tmp_path / "out.step"
    points = [middles(before, "Crown", "v1"), middles(before, "Flank", "v0")]
    made = answer(capsys, "blend", cap, "--edge", points[0], "--edge", points[1], "--continuity", "G2,G3", "-o", out)
    assert made["blend"]["degree"] == [5, 6]
    assert all(s["gap"] < 0.005 and s["angle"] < 0.01 and s["curvature"] < 1 for s in made["sides"])
    after = answer(capsys, "check", out)
    assert [f["name"] for f in after["faces"]] == ["Crown", "Flank", "Blend"]
    assert [s["reaches"] for s in after["seams"]] == ["G2", "G2"]
    in_file = readback.faces(out)
    assert all(readback.nearest_seam(in_file[2], n, 1 / 400).angle < 0.01 for n in in_file[:2])


def test_numbers_are_obeyed(cap, tmp_path, capsys):
    report = answer(capsys, "check", cap)
    words = ["blend", cap, "--edge", middles(report, "Crown", "v1"), "--edge", middles(report, "Flank", "v0")]
    made = answer(
        capsys,
        *words,
        "--degree",
        6,
        "--spans",
        3,
        "--fullness",
        "0.7,1.1",
        "--ends",
        "straight",
        "-o",
        tmp_path / "o.step",
    )
    assert made["blend"]["degree"] == [6, 5]
    assert made["blend"]["spans"] == [3, 1]
    assert made["fullness"] == [0.7, 1.1]


def test_a_blend_runs_to_a_point_on_a_face_by_command(cap, tmp_path, capsys):
    report = answer(capsys, "check", cap)
    crown, flank = middles(report, "Crown", "v1"), middles(report, "Flank", "v0")
    out = tmp_path / "o.step"
    made = answer(capsys, "blend", cap, "--edge", crown, "--point", f"{flank}@{flank}", "-o", out)
    edge, point = made["sides"]
    assert (edge["face"], point["face"]) == ("Crown", "Point")
    assert max(edge["angle"], point["angle"]) < 0.003
    assert readback.distance(readback.faces(out)[1], point["at"]) < 1e-6


def test_a_crest_is_held_and_a_limit_is_met_by_command(cap, tmp_path, capsys):
    report = answer(capsys, "check", cap)
    edges = ["--edge", middles(report, "Crown", "v1"), "--edge", middles(report, "Flank", "v0")]

    def blended(*more):
        return answer(capsys, "blend", cap, *edges, *more, "-o", tmp_path / "o.step")

    free, held, given = blended(), blended("--level-crest"), blended("--level-crest", 3.2)
    assert free["crest"]["most"] > 1.02 * free["crest"]["least"]
    assert free["clearance"] is None
    assert held["crest"]["most"] < 1.005 * held["crest"]["least"]
    assert list(given["crest"].values()) == pytest.approx([3.2, 3.2], rel=0.005)
    limit = ["--limit-plane", "0,-10,72,0,-1,1"]
    met = blended(*limit, "--meet-limit")
    assert abs(met["clearance"]["value"]) < 2e-4 < abs(blended(*limit)["clearance"]["value"])
    assert met["fullness"] != free["fullness"]


@pytest.mark.parametrize(
    ("words", "line"),
    [
        (["check", "{dir}/none.step"], "no file none.step"),
        (["check", "{bad}"], "not a STEP file"),
        (["check", "{lines}"], "holds curves only"),
        (["blend", "{lines}", "--edge", "0,0,0", "--edge", "1,0,0", "-o", "{dir}/o.step"], "holds curves only"),
        (["blend", "{cap}", "--edge", "0,0,0", "-o", "{dir}/o.step"], "needs two edges"),
        (["blend", "{cap}", *2 * ["--edge", "0,1,74"], "--point", "0,0,0", "-o", "{dir}/o.step"], "beside its --point"),
        (["blend", "{cap}", "--edge", "0,0", "--edge", "0,0,0", "-o", "{dir}/o.step"], "3 numbers"),
        (["blend", "{cap}", "--edge", "0,0,900", "--edge", "-3,-4,5", "-o", "{dir}/o.step"], "No edge is near"),
        (["blend", "{cap}", "--edge", "0,1,74", "--edge", "1,1,74", "-o", "{dir}/o.step"], "same edge"),
        (
            ["blend", "{cap}", "--edge", "0,1,74", "--edge", "0,0,0", "--continuity", "G2,G4", "-o", "{dir}/o.step"],
            "two of them with a comma",
        ),
        (
            ["blend", "{cap}", "--edge", "0,1,74", "--edge", "0,0,0", "--fullness", "0,1", "-o", "{dir}/o.step"],
            "Fullness 0",
        ),
        (["blend", "{cap}", "--edge", "0,1,74", "--edge", "0,0,0", "-o", "{dir}/no/o.step"], "no folder"),
        (["trim", "{cap}", "--face", "0,1,74", "--by", "9", "--keep", "0,1,74", "-o", "{dir}/o.step"], "3 numbers"),
        (
            ["trim", "{cap}", "--face", "0,1,74", "--by", "0,1,74", "--keep", "0,1,74", "-o", "{dir}/o.step"],
            "another cutter",
        ),
        (["demo", "teapot", "-o", "{dir}/o.step"], "no demo 'teapot'"),
        (["paint"], "invalid choice"),
    ],
)
def test_mistakes_end_with_code_2_and_one_line(cap, tmp_path, capsys, words, line):
    bad = tmp_path / "bad.step"
    bad.write_text("hello")
    lines = tmp_path / "lines.step"
    write_step([("Leg", Curve.line([0, 0, 0], [9, 0, 0]))], lines)
    capsys.readouterr()
    assert main([w.format(cap=cap, dir=tmp_path, bad=bad, lines=lines) for w in words]) == 2
    text = capsys.readouterr()
    assert text.out == ""
    assert line in text.err
    assert text.err.count("\n") == 1
    assert not (tmp_path / "o.step").exists()


def test_trim_keeps_what_is_pointed_at_and_the_file_is_valid_elsewhere(tmp_path, capsys):
    slabs, out = tmp_path / "slabs.step", tmp_path / "cut.step"
    write_step([("Deck", Face(DECK)), ("Wall", Face(WALL))], slabs)

    def point(surface, u, v):
        return ",".join(f"{x:.9g}" for x in surface_points(surface, [u], [v])[0])

    def area(kept):
        given = ["--face", point(DECK, 0.5, 0.9), "--by", point(WALL, 0.3, 0.9), "--keep", kept, "-o", out]
        told = answer(capsys, "trim", slabs, *given)
        assert [f["name"] for f in told["faces"]] == ["Deck"]
        (edge,) = told["edges"]
        assert edge["cutter"] == "Wall"
        assert max(edge["off_face"], edge["off_cutter"]) <= 1e-4
        in_file = readback.faces(out)
        assert all(BRepCheck_Analyzer(f).IsValid() for f in in_file)
        figures = GProp_GProps()
        BRepGProp.SurfaceProperties_s(in_file[0], figures)
        return figures.Mass()

    low, high = area(point(DECK, 0.5, 0.1)), area(point(DECK, 0.5, 0.95))
    whole = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face_to_shape(Face(DECK)), whole)
    assert low + high == pytest.approx(whole.Mass(), rel=1e-6)
    assert low != pytest.approx(high, rel=0.01)


def test_run_builds_a_study_file_and_a_dimension_changes_it(tmp_path, capsys):
    example, out = ROOT / "docs" / "examples" / "kettle-lid.json", tmp_path / "lid.step"
    plain = answer(capsys, "run", example)
    wide = answer(capsys, "run", example, "--set", "width=20", "-o", out)

    def length(report, name):
        return next(f for f in report["features"] if f["name"] == name)["facts"]["curves"][0]["length"]

    assert all(f["problem"] is None for f in plain["features"])
    assert wide["dimensions"]["width"] == 20
    assert length(wide, "Outline") == length(plain, "Outline")
    assert abs(length(wide, "Rim") - length(plain, "Rim")) > 1
    lengths = sorted(readback.curve_lengths(out))
    assert lengths == pytest.approx(sorted(length(wide, f["name"]) for f in wide["features"]), rel=1e-6)
    assert main(["run", str(example), "--set", "height=3"]) == 2
    assert "it has width, blend_fullness" in capsys.readouterr().err


def test_run_lists_a_step_that_fails_and_writes_the_rest(tmp_path, capsys):
    study = json.loads((ROOT / "docs" / "examples" / "kettle-lid.json").read_text())
    spout = next(f for f in study["features"] if f["id"] == "spout")
    spout["params"]["end"] = spout["params"]["start"]
    path, out = tmp_path / "lid.json", tmp_path / "lid.step"
    path.write_text(json.dumps(study))
    assert main(["run", str(path), "-o", str(out)]) == 0
    text = capsys.readouterr().out
    assert "failed: The two ends of the line are one point." in text
    assert "failed: Spout axis has no shape: mend it first." in text
    assert len(readback.curve_lengths(out)) == len(study["features"]) - 2
    path.write_text(path.read_text()[:400])
    assert main(["run", str(path)]) == 2
    assert "no whole study file" in capsys.readouterr().err


def test_run_measures_what_a_dimension_drives(tmp_path, capsys):
    """The lamp's arm ends where its dimensions say, touches the highest line and leaves the foot with its curvature."""
    example, out = ROOT / "docs" / "examples" / "desk-lamp.json", tmp_path / "lamp.step"
    for reach in (180, 200):
        made = answer(capsys, "run", example, "--set", f"reach={reach}", "-o", out)
        found = {f["name"]: f for f in made["features"]}
        assert [f["problem"] for f in found.values()] == [None] * 8
        assert found["Arm"]["facts"]["broken"] == []
        span = found["Span"]["facts"]["measured"]["value"]
        assert span == pytest.approx(math.hypot(110 + reach, reach / 3 + 10))
        assert len(readback.curve_lengths(out)) == 5
    capsys.readouterr()
    assert main(["run", str(example), "--set", "reach=180"]) == 0
    assert f"Span (measure_points)\n    {math.hypot(290, 70):.4f} mm" in capsys.readouterr().out


def test_a_patch_between_edges_of_a_file_is_read_back_with_its_figures(tmp_path, capsys):
    edges = window(ground(1, 60))
    path, out = tmp_path / "window.step", tmp_path / "patched.step"
    write_step([(f"N{i}", Face(e.surface)) for i, e in enumerate(edges)], path)
    near = [",".join(f"{x:.2f}" for x in curve_points(e.space, [sum(e.domain) / 2])[0]) for e in edges]
    inside = ",".join(map(str, surface_points(edges[0].surface, [0.5], [0.1])[0]))
    words = [w for p in [f"{near[0]}@{inside}", *near[1:]] for w in ("--edge", p)]
    made = answer(capsys, "patch", path, *words, "--continuity", "G2,G2,G1,G2", "-o", out)
    assert [s["continuity"] for s in made["sides"]] == ["G2", "G2", "G1", "G2"]
    assert made["patch"]["cvs"] == [6, 6]
    assert len(made["corners"]) == 4
    patch = readback.faces(out)[-1]
    for n in readback.faces(out)[:-1]:
        assert readback.nearest_seam(patch, n, 1 / 500).angle < 0.005
    led = answer(capsys, "patch", path, *words, "--continuity", "G1", "--influence", "1.4,,0.8,", "-o", out)
    assert led["sides"] != made["sides"]
    assert not led["patch"]["trimmed"]
    three = answer(capsys, "patch", path, *words[:6], "-o", out)
    assert max(s["curvature"] for s in three["sides"]) < 0.5
    for wrong, said in (
        (["--edge", near[0]], "two sides or more"),
        ([*words[:2], *words[:2]], "named twice"),
        ([*words, "--continuity", "G2,G1"], "G0, G1, G2"),
        ([*words, "--influence", "1,9,1,1"], "up to 5"),
    ):
        assert main(["patch", str(path), *wrong, "-o", str(out)]) == 2
        assert said in capsys.readouterr().err


@pytest.mark.parametrize("named", ["one edge each", "all"])
def test_a_side_of_a_patch_runs_on_over_several_faces(named, tmp_path, capsys):
    """Two sides run along two faces and three; one edge names a side, or all of its edges do."""
    below, *others = window(ground(1, 60))
    path, out = tmp_path / "window.step", tmp_path / "patched.step"
    parts = [surface_part(below.surface, (a, b), None) for a, b in ((0.35, 0.42), (0.42, 0.65))]
    parts += [surface_part(others[0].surface, None, (a, b)) for a, b in ((0.3, 0.41), (0.41, 0.5), (0.5, 0.7))]
    edges = [Face(s).edge(name) for s, name in zip(parts, ("v1", "v1", "u0", "u0", "u0"), strict=True)]
    write_step([(f"N{i}", Face(e.surface)) for i, e in enumerate([*edges, *others[1:]])], path)
    asked = [edges[0], edges[3], *others[1:]] if named == "one edge each" else [*edges, *others[1:]]
    near = [",".join(f"{x:.2f}" for x in curve_points(e.space, [sum(e.domain) / 2])[0]) for e in asked]
    made = answer(capsys, "patch", path, *(w for p in near for w in ("--edge", p)), "-o", out)
    assert sorted(len(s["face"].split(" + ")) for s in made["sides"]) == [1, 1, 2, 3]
    assert made["patch"]["cvs"] == [6, 6]
    seams = answer(capsys, "check", out)["seams"]
    assert [s["reaches"] for s in seams if "Patch" in str(s)] == ["G2"] * 7


def test_a_hole_in_a_file_is_filled_where_one_points(tmp_path, capsys):
    known = ground(3, 40)
    path, out = tmp_path / "holed.step", tmp_path / "filled.step"
    write_step([("Panel", pierced(known, hole(known, 5)))], path)
    at = ",".join(f"{x:.2f}" for x in surface_points(known, [0.5], [0.5])[0])
    made = answer(capsys, "fill", path, "--at", at, "-o", out)
    assert made["layout"] == "single"
    assert made["hole"]["sides"] == 5
    assert max(s["angle"] for s in made["sides"]) < 0.003
    assert max(s["curvature"] for s in made["sides"]) < 0.3
    after = answer(capsys, "check", out)
    assert [s["reaches"] for s in after["seams"]] == ["G2"] * 5
    assert len(after["open_edges"]) == 4
    assert len(readback.faces(out)) == 2
    laid = answer(capsys, "fill", path, "--at", at, "--layout", "spokes", "-o", out)
    assert [p["cvs"] for p in laid["patches"]] == [[6, 6]] * 5
    # Sides and seams inside alike, hub included, as the file has them.
    assert max(s["angle"] for s in [*laid["sides"], *laid["inside"]]) < 0.003
    assert max(s["curvature"] for s in [*laid["sides"], *laid["inside"]]) < 0.8
    seams = answer(capsys, "check", out)["seams"]
    assert [s["reaches"] for s in seams] == ["G2"] * 15
    sewing = BRepBuilderAPI_Sewing(0.003)
    for face in readback.faces(out):
        sewing.Add(face)
    sewing.Perform()
    assert sewing.NbFreeEdges() == 4
    assert BRepCheck_Analyzer(sewing.SewedShape()).IsValid()
    assert main(["fill", str(path), "--at", at, "--layout", "four", "-o", str(out)]) == 2
    assert "has no layout 'four': there are spokes, corners, two, all, 5 spokes" in capsys.readouterr().err
    answer(capsys, "fill", path, "--at", at, "-o", out)
    assert main(["fill", str(out), "--at", at, "-o", str(path)]) == 2
    assert "No hole" in capsys.readouterr().err


def test_a_hole_beside_a_face_in_two_pieces_has_four_sides(tmp_path, capsys):
    known = ground(3, 40)
    path, out = tmp_path / "pieces.step", tmp_path / "filled.step"
    below, *others = [e.surface for e in window(known)]
    (a, b), _ = below.domain
    pieces = [surface_part(below, (a, a + 0.3 * (b - a))), surface_part(below, (a + 0.3 * (b - a), b))]
    write_step([(f"N{i}", Face(s)) for i, s in enumerate([*pieces, *others])], path)
    at = ",".join(f"{x:.2f}" for x in surface_points(known, [0.5], [0.5])[0])
    made = answer(capsys, "fill", path, "--at", at, "--layout", "four", "-o", out)
    assert (made["hole"]["sides"], made["hole"]["edges"]) == (4, 5)
    assert max(s["curvature"] for s in made["sides"]) < 0.5
    assert sum(" + " in s["face"] for s in made["sides"]) == 1
    patch = readback.faces(out)[-1]
    assert all(readback.nearest_seam(patch, n, 1 / 500).angle < 0.005 for n in readback.faces(out)[2:-1])
    assert [s["reaches"] for s in answer(capsys, "check", out)["seams"]] == ["G2"] * 6


def test_a_file_that_breaks_the_reader_off_ends_in_words(tmp_path):
    path = tmp_path / "cap.step"
    run_cli = [sys.executable, "-m", "pamble.cli.main"]
    subprocess.run([*run_cli, "demo", "mirror-cap", "-o", path], check=True, capture_output=True)
    whole, rng, ends = path.read_bytes(), random.Random(5), set()
    for _ in range(2):
        path.write_bytes(damaged(whole, rng)[1])
        run = subprocess.run([*run_cli, "check", path], capture_output=True, text=True, check=False)
        assert run.returncode in (0, 2)
        if run.returncode:
            assert re.fullmatch(r"pamble: .*\n", run.stderr)
            assert run.stdout == ""
            ends.add("broke off" in run.stderr)
    assert True in ends
