"""Blends over chains of edges: the same as along one edge, whatever way the faces lie, read back by another library."""

import itertools
import json

import numpy as np
import pytest

from pamble.cli.main import main
from pamble.core.checks.measured import measure_seam
from pamble.core.checks.seams import find_seams
from pamble.core.errors import BlendError, GeometryError
from pamble.core.exchange.step import write_step
from pamble.core.faces.edge_chain import edge_chain, followed
from pamble.core.faces.face import Edge, Face
from pamble.core.joining.blend import build_blend
from pamble.core.joining.directions import side_of
from pamble.core.joining.spec import BlendSpec
from pamble.core.patches.rebuild import farthest
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.kinks import chain
from pamble.core.spline.knots import reverse_surface, surface_part, swap_directions
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.extrude import extrude
from tests import readback
from tests.core.fillets.test_fillet import LAWS, slab, turned_away

TURNS = (lambda s: s, lambda s: reverse_surface(s, "u"), lambda s: reverse_surface(s, "v"), swap_directions)
CUTS = (0, 0.3, 0.62, 1)


def gap(seed: int, law: str) -> tuple[Face, Face]:
    """A deck and a wall on both sides of a gap along their crease: between v1 of the one and v0 of the other."""
    deck = slab(seed)
    wall = turned_away(deck, LAWS[law])
    (a, b), (c, d) = deck.domain[1], wall.domain[1]
    return Face(surface_part(deck, None, (a, a + 0.9 * (b - a)))), Face(
        surface_part(wall, None, (c + 0.1 * (d - c), d))
    )


def parted(wall: Face, seed: int) -> list[tuple[Face, Edge]]:
    """The wall in three faces that lie all ways, each with its edge along the gap."""
    u0, u1 = wall.surface.domain[0]
    line = wall.edge("v0").space
    rng = np.random.default_rng(seed)
    out = []
    for a, b in itertools.pairwise(CUTS):
        face = Face(TURNS[rng.integers(4)](surface_part(wall.surface, (u0 + a * (u1 - u0), u0 + b * (u1 - u0)))))
        away = [to_curve(line, curve_points(e.space, np.linspace(*e.domain, 9))).distance.max() for e in face.edges]
        out.append((face, face.edges[int(np.argmin(away))]))
    return out


@pytest.mark.parametrize(("seed", "law"), [(1, "90 to 110"), (4, "30 to 60")])
def test_a_blend_over_three_faces_is_the_one_along_their_common_edge(seed, law, tmp_path):
    deck, wall = gap(seed, law)
    whole = build_blend(deck.edge("v1"), wall.edge("v0"), BlendSpec((2, 2)))
    row = parted(wall, seed)
    order = np.random.default_rng(seed).permutation(3)
    side, beyond = side_of([row[i] for i in order])
    made = build_blend(deck.edge("v1"), side, BlendSpec((2, 2)), beyond=(None, beyond))
    assert made.surface.control.shape == whole.surface.control.shape
    path = tmp_path / "chain.step"
    write_step([("blend", Face(made.surface)), ("deck", deck), *((f"w{i}", f) for i, (f, _) in enumerate(row))], path)
    # The blend along the one edge is checked with curvature elsewhere; a neighbour that is shorter than the blend has
    # its own edge measured, where the blend's curvature runs up steeply.
    assert farthest(whole.surface, made.surface)[0] < 0.01
    blend, *others = readback.faces(path)
    for other in others:
        seam = readback.nearest_seam(other, blend, 1 / 400)
        assert (seam.gap < 0.003, seam.angle < 0.005) == (True, True)
    parts = [Face(made.surface), deck, *(f for f, _ in row)]
    found = [measure_seam(s, 400.0).worst["curvature"].value for s in find_seams(parts, 0.25)[0] if 0 in s.faces]
    assert len(found) == 4
    assert max(found) < 0.5


def test_both_sides_may_run_over_several_faces_by_command(tmp_path, capsys):
    deck, wall = gap(3, "90 to 110")
    u0, u1 = deck.surface.domain[0]
    halves = [surface_part(deck.surface, (u0, 0.5 * (u0 + u1))), surface_part(deck.surface, (0.5 * (u0 + u1), u1))]
    row = parted(wall, 3)
    faces = [Face(h) for h in halves] + [f for f, _ in row]
    path, out = tmp_path / "in.step", tmp_path / "out.step"
    write_step([(f"f{i}", f) for i, f in enumerate(faces)], path)
    points = [curve_points(e.space, [np.mean(e.domain)])[0] for e in (faces[0].edge("v1"), row[1][1])]
    named = [",".join(f"{x:.6f}" for x in p) for p in points]
    command = ["blend", str(path), "--edge", named[0], "--edge", named[1], "-o", str(out), "--json"]
    assert main([*command, "--chain"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert [len(side["over"]) for side in told["sides"]] == [2, 3]
    assert max(side["angle"] for side in told["sides"]) < 0.005
    blend = readback.faces(out)[-1]
    for other in readback.faces(out)[:-1]:
        assert readback.nearest_seam(other, blend, 1 / 400).angle < 0.005
    assert main(command) == 0
    assert [len(side["over"]) for side in json.loads(capsys.readouterr().out)["sides"]] == [1, 1]


def test_a_chain_is_followed_in_order_and_what_is_none_is_told():
    _, wall = gap(0, "30 to 60")
    row = parted(wall, 0)
    faces = [f for f, _ in row]
    assert [i for i, _ in followed(faces, 1, row[1][1])] in ([0, 1, 2], [2, 1, 0])
    with pytest.raises(GeometryError, match="do not follow each other"):
        edge_chain([row[0][1], row[2][1]])
    plate = Face(Surface.bezier([[[0, 0, 0], [0, 40, 0]], [[60, 0, 0], [60, 40, 0]]]))
    with pytest.raises(GeometryError, match=r"meet at a corner of 90\.0°"):
        edge_chain([plate.edge("v0"), plate.edge("u1")])


def test_an_edge_with_a_kink_is_refused_with_its_place():
    bent = chain([Curve.line([0, 0, 0], [30, 0, 0]), Curve.line([30, 0, 0], [60, 20, 0])], [0, 0.5, 1])
    wall = Face(extrude(bent, np.array([0, 0, 1.0]), 0, 20))
    plate = Face(Surface.bezier([[[0, 40, 0], [0, 80, 0]], [[60, 40, 0], [60, 80, 0]]]))
    with pytest.raises(BlendError, match=r"a kink of 33\.7° at \(30\.00, 0\.00, 0\.00\) mm: split it there"):
        build_blend(wall.edge("v0"), plate.edge("v0"), BlendSpec((2, 2)))
