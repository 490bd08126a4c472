"""Faces in pieces: together while they are worked on, one for each at the end."""

from itertools import pairwise

import pytest

from pamble.core.faces.face import Face
from pamble.core.faces.pieces import pieces_of
from pamble.core.faces.trim import Cutter, divide
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface
from tests.other_library import face_area


def test_pieces_of_a_face_keep_their_holes_and_the_names_of_their_edges():
    deck = Face(Surface.bezier([[[0, 0, 0], [0, 40, 0]], [[60, 0, 0], [60, 40, 0]]]))
    lines = [Cutter(f"t:{x}", "Line", Curve.line([x, -5, 0], [x, 45, 0])) for x in (20, 25)]
    corners = [(35, 10), (50, 10), (50, 30), (35, 30), (35, 10)]
    square = [Cutter(f"h:{k}", "Side", Curve.line([*a, 0], [*b, 0])) for k, (a, b) in enumerate(pairwise(corners))]
    divided = divide(deck, [*lines, *square], 1e-4)
    kept = [r.number for r in divided.regions if round(r.area) in (800, 1100)]
    whole = divided.together(kept)
    parts = pieces_of(whole)
    assert [len(part.loops) for part in parts] == [2, 1]
    assert [face_area(part) for part in parts] == [pytest.approx(1100), pytest.approx(800)]
    names = [e.name for part in parts for e in part.edges]
    assert sorted(names) == sorted(e.name for e in whole.edges)
    assert len(set(names)) == len(names)
    assert pieces_of(parts[1]) == [parts[1]]
