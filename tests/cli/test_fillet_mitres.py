"""Fillets that meet beside edges that stay sharp: at corners, round posts, where a crease kinks."""

from itertools import pairwise

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import BRepPrimAPI_MakeHalfSpace, BRepPrimAPI_MakePrism
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt, gp_Vec
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from scipy.integrate import dblquad

from pamble.cli.main import main
from tests.cli.test_fillet_ends import near
from tests.cli.test_fillet_shells import CORNER, RIM, box, named, post, shell, solid_of
from tests.other_library import volume, written


def under(slope, slant):
    """A block with a front that stands aslant, below a plane that rises by a slope through its middle."""
    outline = BRepBuilderAPI_MakePolygon()
    for x, y in ((0, 0), (100, slant), (100, 60), (0, 60)):
        outline.Add(gp_Pnt(x, y, 0))
    outline.Close()
    block = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(outline.Wire()).Face(), gp_Vec(0, 0, 80)).Shape()
    top = BRepBuilderAPI_MakeFace(gp_Pln(gp_Pnt(50, 0, 40), gp_Dir(-slope, 0, 1))).Face()
    return BRepAlgoAPI_Common(block, BRepPrimAPI_MakeHalfSpace(top, gp_Pnt(50, 0, 0)).Solid()).Shape()


@pytest.mark.parametrize(
    ("slopes", "slant", "radius"),
    [((0.007, -0.008), 15, 12), ((-0.007, 0.008), 40, 20), ((0.03, -0.02), 15, 12), ((-0.03, 0.02), 15, 12)],
    ids=["ridge", "valley", "sharper ridge", "sharper valley"],
)
def test_over_a_roof_both_fillets_take_what_each_takes_alone(slopes, slant, radius, tmp_path):
    """Below both planes lies what the other library's fillets of both blocks share, below either what one has."""
    both = BRepAlgoAPI_Common if slopes[0] > slopes[1] else BRepAlgoAPI_Fuse
    blocks, filleted = [under(slope, slant) for slope in slopes], []
    for block in blocks:
        known = BRepFilletAPI_MakeFillet(block)
        known.Add(float(radius), near(block, (50, slant / 2, 40)))
        filleted.append(known.Shape())
    merged = ShapeUpgrade_UnifySameDomain(both(*blocks).Shape())
    merged.Build()
    solid, out = written(merged.Shape(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    edge = f"25,{slant / 4},{40 - 25 * slopes[0]}"
    assert main(["fillet", solid, "--edge", edge, "--radius", str(radius), "-o", str(out)]) == 0
    free, sewn = shell(out)
    assert free == 0
    assert volume(solid_of(sewn)) == pytest.approx(volume(both(*filleted).Shape()), rel=5e-9)


def test_fillets_of_unlike_radii_beside_sharp_edges_take_what_each_takes_alone(tmp_path):
    places, radii = RIM.split(), ("4", "9", "6", "7.5")
    solid, out = written(box(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    assert main(["fillet", solid, *named(RIM), "--radius", *radii, "-o", str(out)]) == 0
    free, sewn = shell(out)
    assert free == 0
    common = None
    for place, radius in zip(places, radii, strict=True):
        alone = tmp_path / "alone.step"
        assert main(["fillet", solid, "--edge", place, "--radius", radius, "-o", str(alone)]) == 0
        body = solid_of(shell(alone)[1])
        common = body if common is None else BRepAlgoAPI_Common(common, body).Shape()
    assert volume(solid_of(sewn)) == pytest.approx(volume(common), rel=1e-6)


def test_round_a_post_walls_grow_up_to_the_larger_of_two_fillets(tmp_path):
    solid, out = written(post(), tmp_path / "post.step"), tmp_path / "filleted.step"
    places, radii = named("50,20,40 70,30,40 50,40,40 30,30,40"), (4.0, 9.0, 6.0, 7.5)
    assert main(["fillet", solid, *places, "--radius", *map(str, radii), "-o", str(out)]) == 0
    free, sewn = shell(out)
    assert free == 0

    def height(radius, away):
        return radius - np.sqrt(radius**2 - (radius - min(away, radius)) ** 2)

    # Along a wall the corner of a square about its circle; beyond two walls what lies below both fillets.
    want = volume(post()) + sum(CORNER * r * r * length for r, length in zip(radii, (40, 20) * 2, strict=True))
    for a, b in pairwise([*radii, radii[0]]):
        want += dblquad(lambda y, x, a=a, b=b: min(height(a, x), height(b, y)), 0, a, 0, b)[0]
    assert volume(solid_of(sewn)) == pytest.approx(want, rel=1e-8)
