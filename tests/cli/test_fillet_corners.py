"""Corners in which fillets meet: holes that are filled, and fillets that run on over the ends of others, weighed
against another library's.
"""

import json

import numpy as np
import pytest
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeSolid
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS

from pamble.cli.main import main
from pamble.core.checks.body import body_of
from pamble.core.exchange.step import write_step
from pamble.core.faces.shapes import face_from_shape, shape_faces
from pamble.core.spline.evaluate import curve_points
from tests import readback
from tests.cli.test_fillet_shells import box, named, shell
from tests.core.fillets.test_fillet import CREASES, block
from tests.other_library import written


def flux_volume(shape) -> float:
    found = body_of([face_from_shape(face) for face in shape_faces(shape)], 0.005)
    assert found.volume is not None
    return found.volume


def nearest_edge(shape, point):
    edges = [TopoDS.Edge(e) for e in readback.explored(shape, TopAbs_ShapeEnum.TopAbs_EDGE)]
    return min(edges, key=lambda e: readback.distance(e, point))


@pytest.mark.parametrize("section", ["ball", "g2"])
def test_a_corner_of_unlike_radii_on_curved_faces_is_filled_and_sews_closed(section, tmp_path, capsys):
    path, out, full = (tmp_path / f"{n}.step" for n in ("block", "filleted", "filled"))
    write_step([(f"F{i}", f) for i, f in enumerate(block(6))], path)
    where = [block(6)[2 * n + 1].edge(e).space for n, e in CREASES]
    places = [",".join(f"{x:.6f}" for x in curve_points(c, [0.5])[0]) for c in where]
    radii = [word for r in (3.2, 5.0, 4.4) for word in ("--radius", str(r))]
    words = ["fillet", str(path), *named(" ".join(places)), *radii, "--section", section, "--out", str(out), "--json"]
    capsys.readouterr()
    assert main(words) == 0
    corner = np.array(json.loads(capsys.readouterr().out)["corners_left"][0])
    inside = ",".join(f"{x:.4f}" for x in corner - 4.0 * corner / np.linalg.norm(corner))
    asked = {"ball": "G1", "g2": "G2"}[section]
    assert main(["fill", str(out), f"--at={inside}", "--continuity", asked, "-o", str(full), "--json"]) == 0
    sides = json.loads(capsys.readouterr().out)["sides"]
    assert max(s["gap"] for s in sides) < 0.002
    assert max(s["angle"] for s in sides) < 0.005
    assert section == "ball" or max(s["curvature"] for s in sides) < 2.0
    assert shell(full)[0] == 0


def test_a_fill_does_not_sway_beside_the_end_of_a_narrow_fillet(tmp_path, capsys):
    solid, out, full = written(box(), tmp_path / "solid.step"), tmp_path / "filleted.step", tmp_path / "filled.step"
    words = ["fillet", solid, *named("50,60,40 100,30,40 100,60,20"), "--section", "g2", "-o", str(out), "--json"]
    capsys.readouterr()
    assert main([*words, "--radius", "2", "4", "6"]) == 0
    assert len(json.loads(capsys.readouterr().out)["corners_left"]) == 1
    # The corner that the fillets round off is a place in the hole.
    assert main(["fill", str(out), "--at", "100,60,40", "--continuity", "G2", "-o", str(full), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert max(s["curvature"] for s in found["sides"]) < 4.0
    assert sum(np.prod(p["cvs"]) for p in found["patches"]) < 250
    assert shell(full)[0] == 0


@pytest.mark.parametrize(("first", "radii"), [(2, (6.0, 4.2)), (1, (4.0, 2.8))])
def test_a_fillet_runs_on_over_the_end_of_one_before_it_and_takes_what_another_library_takes(first, radii, tmp_path):
    """The ball rolls inside the first fillet, askew, beyond whose sides the faces curl up."""
    path, one, two = (tmp_path / f"{n}.step" for n in ("block", "one", "two"))
    write_step([(f"F{i}", f) for i, f in enumerate(block(6))], path)
    middles = [curve_points(block(6)[2 * n + 1].edge(e).space, [0.5])[0] for n, e in CREASES]
    theirs = BRepBuilderAPI_MakeSolid(TopoDS.Shell(shell(path)[1])).Solid()
    whole, given = flux_volume(theirs), path
    for k, radius, out in zip((first, (first + 1) % 3), radii, (one, two), strict=True):
        at = ",".join(f"{x:.6f}" for x in middles[k])
        assert main(["fillet", str(given), f"--edge={at}", "--radius", str(radius), "-o", str(out)]) == 0
        made = BRepFilletAPI_MakeFillet(theirs)
        made.Add(radius, nearest_edge(theirs, middles[k]))
        made.Build()
        theirs, given = made.Shape(), out
    free, own = shell(two)
    assert free == 0
    assert whole - flux_volume(own) == pytest.approx(whole - flux_volume(theirs), rel=5e-3)
