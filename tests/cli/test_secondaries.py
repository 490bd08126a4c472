"""Matches, fillets and the cause of a bad blend by command."""

import numpy as np
import pytest
from OCP.BRep import BRep_Tool

from pamble.cli.main import main
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import surface_part
from tests import readback
from tests.cli.test_cli import answer
from tests.core.fillets.test_fillet import LAWS, slab, turned_away
from tests.core.patches.grounds import ground, window
from tests.core.trace.panels import panels


def test_a_face_of_a_file_is_matched_to_its_neighbour(tmp_path, capsys):
    edges = window(ground(1, 60))
    middle = surface_part(ground(1, 60), (0.35, 0.65), (0.3, 0.7))
    lifted = middle.with_control(middle.control + np.random.default_rng(1).normal(size=middle.control.shape))
    path, out = tmp_path / "loose.step", tmp_path / "matched.step"
    write_step([("Lid", Face(lifted)), ("Right", Face(edges[1].surface))], path)
    own = ",".join(f"{x:.3f}" for x in surface_points(lifted, [0.65], [0.5])[0])
    other = ",".join(f"{x:.3f}" for x in curve_points(edges[1].space, [sum(edges[1].domain) / 2])[0])
    inside = [",".join(map(str, surface_points(s, [u], [0.5])[0])) for s, u in ((lifted, 0.5), (edges[1].surface, 0.8))]
    made = answer(capsys, "match", path, "--edge", f"{own}@{inside[0]}", "--to", f"{other}@{inside[1]}", "-o", out)
    assert (made["face"]["name"], made["to"]["face"]) == ("Lid", "Right")
    assert made["curvature"] < 0.5
    assert max(made["moved"][3:]) < 1e-9
    lid, right = readback.faces(out)
    seam = readback.nearest_seam(lid, right, 1 / 500)
    assert seam.gap < 0.002
    assert seam.angle < 0.005
    assert seam.curvature < 0.6
    assert main(["match", str(path), "--edge", own, "--to", own, "-o", str(out)]) == 2
    assert "name one place" in capsys.readouterr().err
    # Two sides at once, and the same side met in the middle.
    write_step([("Lid", Face(lifted)), ("Front", Face(edges[0].surface)), ("Right", Face(edges[1].surface))], path)
    near = ",".join(f"{x:.3f}" for x in surface_points(lifted, [0.5], [0.3])[0])
    front = ",".join(f"{x:.3f}" for x in curve_points(edges[0].space, [sum(edges[0].domain) / 2])[0])
    beyond = ",".join(map(str, surface_points(edges[0].surface, [0.5], [0.1])[0]))
    words = ["--edge", f"{own}@{inside[0]}", "--to", f"{other}@{inside[1]}"]
    two = answer(capsys, "match", path, *words, "--edge", f"{near}@{inside[0]}", "--to", f"{front}@{beyond}", "-o", out)
    assert [s["to"]["face"] for s in two["sides"]] == ["Right", "Front"]
    lid, fore, right = readback.faces(out)
    for neighbour in (fore, right):
        seam = readback.nearest_seam(lid, neighbour, 1 / 500)
        assert max(seam.gap, seam.angle) < 0.005
        assert seam.curvature < 0.6
    # A neighbour in two: the side runs on along both.
    parts = [Face(surface_part(edges[1].surface, None, v)) for v in ((0.3, 0.42), (0.42, 0.7))]
    write_step([("Lid", Face(lifted)), ("Rest", parts[0]), ("Right", parts[1])], path)
    both = answer(capsys, "match", path, *words, "-o", out)
    assert both["to"]["face"] in ("Rest + Right", "Right + Rest")
    lid, *others = readback.faces(out)
    surface = BRep_Tool.Surface_s(lid)
    _, end, *v = surface.Bounds()
    for place in (surface.Value(end, x) for x in np.linspace(*v, 61)):
        at = np.array([place.X(), place.Y(), place.Z()])
        near = min(others, key=lambda face, at=at: readback.distance(face, at))
        mine, theirs = (readback.frame(s, at) for s in (surface, BRep_Tool.Surface_s(near)))
        assert readback.distance(near, at) < 0.002
        assert np.degrees(np.linalg.norm(np.cross(mine[1], theirs[1]))) < 0.005
    write_step([("Lid", Face(lifted)), ("Right", Face(edges[1].surface))], path)
    middle = answer(capsys, "match", path, *words, "--both", "-o", out)
    assert middle["curvature"] < 0.5
    assert 0.3 < max(middle["moved"]) / max(made["moved"]) < 0.8


def test_a_crease_of_a_file_is_filleted_and_both_faces_are_trimmed(tmp_path, capsys):
    a = slab()
    b = turned_away(a, LAWS["30 to 60"])
    path, out = tmp_path / "crease.step", tmp_path / "fillet.step"
    write_step([("Deck", Face(a)), ("Apron", Face(b))], path)
    at = ",".join(f"{x:.2f}" for x in surface_points(a, [0.5], [1.0])[0])
    made = answer(capsys, "fillet", path, "--edge", at, "--radius", "10", "--radius-end", "14", "-o", out)
    assert made["fillets"][0]["radius_error"] < 0.002
    assert (made["radii"]["least"], made["radii"]["most"]) == pytest.approx((10, 14), abs=0.1)
    after = answer(capsys, "check", out)
    assert [f["trimmed"] for f in after["faces"]][:2] == [True, True]
    assert sorted(s["reaches"] for s in after["seams"]) == ["G1", "G1"]
    assert len(readback.faces(out)) == 3
    round_off = answer(capsys, "fillet", path, "--edge", at, "--radius", "12", "--section", "g2", "-o", out)
    assert max(s["curvature"] for s in round_off["fillets"][0]["sides"]) < 1
    assert main(["fillet", str(path), "--edge", at, "--section", "chord", "-o", str(out)]) == 2
    assert "--chord" in capsys.readouterr().err


def test_the_cause_of_a_bad_blend_is_told_with_its_place_and_nothing_of_a_sound_one(tmp_path, capsys):
    faces, names, who = panels(np.random.default_rng(3), "primary")
    path, out = tmp_path / "panels.step", tmp_path / "blended.step"
    write_step([("Lid", faces[0]), ("Side", faces[1])], path)
    a, b = (
        ",".join(str(x) for x in curve_points(f.edge(n).space, [0.5])[0]) for f, n in zip(faces, names, strict=True)
    )
    found = answer(capsys, "why", path, "--edge", a)
    assert found["causes"][0]["name"] == "wavy primary"
    assert found["causes"][0]["face"] == ("Lid", "Side")[who]
    assert found["spans"] == {"needed": found["causes"][0]["spans_needed"], "have": None}
    answer(capsys, "blend", path, "--edge", a, "--edge", b, "-o", out)
    sound = answer(capsys, "why", out, "--edge", a)
    assert (sound["sound"], sound["causes"], sound["blend"]) == (True, [], "Blend")
    assert main(["why", str(path), "--edge", a, "--continuity", "G9"]) == 2
    assert "Continuity is one of" in capsys.readouterr().err
