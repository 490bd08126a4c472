"""Fillets that run over holes and beside posts: OpenCASCADE fillets the body without them first, then drills or adds
them; it fails, or errs, the other way round.
"""

import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder

from pamble.cli.main import main
from pamble.core.checks.body import body_of
from pamble.core.exchange.step import read_step
from tests.cli.test_fillet_ends import block, near
from tests.cli.test_fillet_shells import box, rod, shell
from tests.other_library import volume, written

UP = (0, 0, 1)


def drum():
    return BRepPrimAPI_MakeCylinder(30.0, 40.0).Shape()


POCKET = block(-20.5, -20.5, 20, 60, 60, 40)


def necked():
    """A drum with a pocket, a corner of it .9 mm from the rim."""
    return BRepAlgoAPI_Cut(drum(), POCKET).Shape()


def angle():
    return BRepAlgoAPI_Fuse(block(0, 0, 0, 100, 60, 20), block(0, 40, 0, 100, 20, 60)).Shape()


EDGE, RIM, FOOT = (20, 0, 40), (30, 0, 40), (20, 40, 20)

CASES = {
    "a hole that the contact crosses": (box, EDGE, 8.0, [rod(50, 8, -5, UP, 4, 60)], BRepAlgoAPI_Cut),
    "a hole under the fillet": (box, EDGE, 10.0, [rod(50, 5, -5, UP, 2, 60)], BRepAlgoAPI_Cut),
    "holes in both faces": (
        box, EDGE, 8.0, [rod(30, 8, -5, UP, 4, 60), rod(60, -5, 33, (0, 1, 0), 4, 80)], BRepAlgoAPI_Cut,
    ),
    "a slanted hole": (box, EDGE, 8.0, [rod(50, 10, 50, (0, -0.3, -1), 4, 90)], BRepAlgoAPI_Cut),
    "a square hole": (box, EDGE, 8.0, [block(40, 5, -5, 20, 10, 60)], BRepAlgoAPI_Cut),
    "a hole beside a rim": (drum, RIM, 5.0, [rod(0, 24, 20, UP, 4, 40)], BRepAlgoAPI_Cut),
    "a hole across a rim from its start": (drum, RIM, 5.0, [rod(-20, -13, 20, UP, 4, 40)], BRepAlgoAPI_Cut),
    "a hole over the joint of a rim": (drum, (0, 30, 40), 5.0, [rod(24, 0, 20, UP, 4, 40)], BRepAlgoAPI_Cut),
    "a corner of a pocket, by a neck from a rim": (
        drum, (-30, 0, 40), 2.0, [POCKET], BRepAlgoAPI_Cut,
    ),
    "a hole beside a foot": (angle, FOOT, 6.0, [rod(50, 36, -5, UP, 3, 60)], BRepAlgoAPI_Cut),
    "a hole under a foot": (angle, FOOT, 9.0, [rod(50, 34, -5, UP, 2, 60)], BRepAlgoAPI_Cut),
    "a post beside an edge": (box, EDGE, 7.0, [rod(50, 9, 30, UP, 4, 40)], BRepAlgoAPI_Fuse),
}  # fmt: skip

BLENDED = ("holes in both faces", "a hole over the joint of a rim", "a hole under a foot", "a post beside an edge")


def with_all(solid, tools, how):
    for tool in tools:
        solid = how(solid, tool).Shape()
    return solid


@pytest.mark.parametrize("name", CASES)
def test_a_fillet_goes_round_what_pierces_it(name, tmp_path, capsys):
    make, place, radius, tools, how = CASES[name]
    solid, out = with_all(make(), tools, how), tmp_path / "filleted.step"
    body = make()
    before = BRepFilletAPI_MakeFillet(body)
    before.Add(radius, near(body, place))
    known = volume(with_all(before.Shape(), tools, how)) - volume(solid)
    words = ["fillet", written(solid, tmp_path / "solid.step"), "--edge", ",".join(map(str, place)), "-o", str(out)]
    assert main([*words, "--radius", str(radius)]) == 0
    free, sewn = shell(out)
    assert free == 0
    assert volume(sewn) - volume(solid) == pytest.approx(known, abs=1e-5 * volume(solid))
    if name in BLENDED:
        assert main([*words, "--radius", str(radius), "--section", "g2"]) == 0
        assert shell(out)[0] == 0
    assert "note" not in capsys.readouterr().out


def test_a_neck_goes_beside_several_fillets_and_nothing_else(tmp_path):
    """A pocket leaves .9 mm of a block's top along two of its four filleted edges."""
    edges, pocket = [(20, 0, 40), (20, 60, 40), (0, 30, 40), (100, 30, 40)], block(40, 0.9, 20, 30, 58.2, 60)
    solid, out = BRepAlgoAPI_Cut(box(), pocket).Shape(), tmp_path / "filleted.step"
    body = box()
    before = BRepFilletAPI_MakeFillet(body)
    for place in edges:
        before.Add(2.0, near(body, place))
    known = volume(BRepAlgoAPI_Cut(before.Shape(), pocket).Shape()) - volume(solid)
    words = ["fillet", written(solid, tmp_path / "solid.step"), "-o", str(out), "--radius", "2"]
    assert main([*words, *(w for place in edges for w in ("--edge", ",".join(map(str, place))))]) == 0
    free, sewn = shell(out)
    assert free == 0
    assert volume(sewn) - volume(solid) == pytest.approx(known, abs=1e-5 * volume(solid))


def test_the_rim_of_a_hole_is_no_hole_under_its_own_fillet(tmp_path, capsys):
    drilled, out = with_all(box(), [rod(50, 30, -5, UP, 10, 60)], BRepAlgoAPI_Cut), tmp_path / "rim.step"
    words = ["fillet", written(drilled, tmp_path / "in.step"), "--edge", "60,30,40", "--radius", "3", "-o", str(out)]
    assert main(words) == 0
    assert "note" not in capsys.readouterr().out
    assert shell(out)[0] == 0
    assert body_of([item.face for item in read_step(out)]).turned == ()
