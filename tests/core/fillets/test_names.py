"""Edges that fillets leave on faces have names of their own, by which later steps point to them."""

import itertools

import numpy as np

from pamble.core.faces.cap import cap
from pamble.core.faces.face import Face
from pamble.core.fillets.fillet import Ask, fillet
from pamble.core.spline.curve import Curve
from pamble.core.surfaces.extrude import extrude

CORNERS = np.array([[0, 0, 0], [60, 0, 0], [60, 40, 0], [0, 40, 0], [0, 0, 0.0]])


def test_a_face_on_which_four_fillets_end_has_eight_edges_of_eight_names():
    sides = [Curve.line(a, b) for a, b in itertools.pairwise(CORNERS)]
    walls = [Face(extrude(side, np.array([0, 0, 1.0]), 0, 20)) for side in sides]
    lid, floor = (cap([w.edge(e).space for w in walls], list("abcd")) for e in ("v1", "v0"))
    asked = [Ask(n, wall.edge("u1"), (5.0, 5.0), f"round{n}") for n, wall in enumerate(walls)]
    made = fillet([*walls, lid, floor], asked)
    for number in (4, 5):
        names = [e.name for e in made.changed[number].edges]
        assert len(names) == len(set(names)) == 8
        assert {"a", "b", "c", "d", "fillet", "fillet-4"} < set(names)
