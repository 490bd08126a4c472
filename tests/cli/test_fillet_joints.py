"""Fillets wider than a face beside their crease that goes on in another over a joint: the ball passes over it."""

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeHalfSpace
from OCP.gp import gp_Ax2, gp_Dir, gp_Pln, gp_Pnt

from pamble.cli.main import main
from pamble.core.exchange.step import read_step
from tests.cli.test_fillet_ends import near, solid_of
from tests.cli.test_fillet_shells import box, shell
from tests.other_library import volume, written


def parted(solid, place, way):
    """A solid whose faces are in two where a plane through a place, square to a way, cuts them."""
    plane = BRepBuilderAPI_MakeFace(gp_Pln(gp_Pnt(*place), gp_Dir(*way))).Face()
    half = BRepPrimAPI_MakeHalfSpace(plane, gp_Pnt(*np.add(place, way))).Solid()
    pieces = BRepAlgoAPI_Common(solid, half), BRepAlgoAPI_Cut(solid, half)
    return BRepAlgoAPI_Fuse(*(p.Shape() for p in pieces)).Shape()


def drum():
    return BRepPrimAPI_MakeCylinder(30.0, 40.0).Shape()


def drum_and_rod():
    """A rod that leaves a drum at its foot: their crease closes on itself over the joints of both."""
    axes = gp_Ax2(gp_Pnt(5, 0, 20), gp_Dir(1, 0, 0.2), gp_Dir(0, 1, 0))
    return BRepAlgoAPI_Fuse(drum(), BRepPrimAPI_MakeCylinder(axes, 9.0, 45.0).Shape()).Shape()


def in_triangles():
    """A block of which top and front are in two triangles each, from the end of the edge between them on."""
    top = [(0, 0, 40), (100, 0, 40), (100, 60, 40), (0, 60, 40)]
    rows = (0, 1, 2), (0, 2, 3), (0, 5, 1), (0, 4, 5), (1, 5, 6, 2), (2, 6, 7, 3), (3, 7, 4, 0), (4, 7, 6, 5)
    return solid_of([*top, *((x, y, 0) for x, y, _ in top)], *rows)


def slantly(solid):
    """In two beside the edge, and again below it, so that the upright edges are in two as well."""
    return parted(parted(solid, (0, 3, 0), (0, 1, 0)), (0, 0, 38), (0, 0.03, 1))


EDGE, RIM = ((50, 0, 40),), ((0, 30, 40),)
AROUND = (*EDGE, *RIM, (50, 60, 40), (100, 30, 40))
CASES = {
    "a strip that goes whole": (box, lambda s: parted(s, (0, 3, 0), (0, 1, 0)), EDGE, 5.0, 1),
    "a contact that runs along the joint": (box, lambda s: parted(s, (0, 3, 0), (0, 1, 0)), EDGE, 3.0, 1),
    "a joint from the end of the edge": (box, lambda s: parted(s, (0, 0, 0), (-0.08, 1, 0)), EDGE, 5.0, 0),
    "triangles from there on": (box, lambda _: in_triangles(), EDGE, 3.0, 0),
    "a ring of a round wall": (drum, lambda s: parted(s, (0, 0, 37), (0, 0, 1)), RIM, 5.0, 1),
    "a wedge of one": (drum, lambda s: parted(s, (0, 0, 37), (0.1, 0, 1)), RIM, 5.0, 0),
    "a crease that runs over the joints": (
        drum_and_rod,
        lambda s: parted(s, (0, 0, 13), (0.1, 0.3, 1)),
        ((29, -8, 24),),
        2.0,
        0,
    ),
    "mitres above upright edges in two": (box, slantly, AROUND, 5.0, 7),
}


@pytest.mark.parametrize("name", CASES)
def test_a_ball_passes_over_joints_as_if_there_were_none(name, tmp_path):
    """The shell closes, with the volume of OpenCASCADE's fillet of the solid whose faces are whole."""
    make, part, places, radius, gone = CASES[name]
    whole, out = make(), tmp_path / "filleted.step"
    known = BRepFilletAPI_MakeFillet(whole)
    for place in places:
        known.Add(radius, near(whole, place))
    into = written(part(whole), tmp_path / "solid.step")
    picked = [word for place in places for word in ("--edge", ",".join(map(str, place)))]
    assert main(["fillet", into, *picked, "--radius", str(radius), "-o", str(out)]) == 0
    free, sewn = shell(out)
    assert free == 0
    change = volume(known.Shape()) - volume(whole)
    assert volume(sewn) - volume(whole) == pytest.approx(change, rel=2e-3, abs=1e-6 * volume(whole))
    # Nothing is made one for good: joints outside the fillet stay where they were.
    assert len(read_step(str(out))) == len(read_step(into)) + len(places) - gone


def test_a_narrow_face_that_does_not_go_on_is_told_and_no_wrong_radius(tmp_path, capsys):
    """Beyond it another lies, but turned by a tenth of a degree."""
    low = 40 - 57 * np.tan(np.radians(0.1))
    at = [(x, y, z) for x in (0, 100) for y, z in ((0, 0), (60, 0), (60, low), (3, 40), (0, 40))]
    around = [(k, (k + 1) % 5, 5 + (k + 1) % 5, 5 + k) for k in range(5)]
    solid = written(solid_of(at, (4, 3, 2, 1, 0), (5, 6, 7, 8, 9), *around), tmp_path / "solid.step")
    words = ["fillet", solid, "--edge", "50,0,40", "-o", str(tmp_path / "out.step")]
    assert main([*words, "--radius", "5"]) == 2
    told = capsys.readouterr().err
    assert "does not part its face" in told
    assert "largest radius" not in told
    assert main([*words, "--radius", "2.9"]) == 0
