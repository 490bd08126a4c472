"""Faces that other programs would not take are told."""

import numpy as np
import pytest

from pamble.core.faces.face import Edge, Face
from pamble.core.faces.sound import sound, told_unsound
from pamble.core.spline.curve import Curve
from tests.shapes import plane

PLATE = plane((0, 0, 0), (60, 0, 0), (0, 40, 0))


def bordered(corners: list[tuple[float, float]]) -> Face:
    """A part of the plate between straight lines from corner to corner, mm."""
    loop = []
    for k, (start, end) in enumerate(zip(corners, np.roll(corners, -1, axis=0), strict=True)):
        flat = Curve.line(*(np.array(p) / [60.0, 40.0] for p in (start, end)))
        loop.append(Edge(PLATE, f"e{k}", flat, 1.0, Curve.line([*start, 0.0], [*end, 0.0])))
    return Face(PLATE, (tuple(loop),))


@pytest.mark.parametrize(
    ("corners", "holds"),
    [
        ([(10, 10), (50, 10), (50, 30), (10, 30)], True),
        ([(10, 10), (50, 30), (50, 10), (10, 30)], False),
    ],
)
def test_a_border_that_crosses_itself_is_told_with_its_place(corners, holds):
    face = bordered(corners)
    assert sound(face) is holds
    assert sound(Face(PLATE))
    words = told_unsound([Face(PLATE), face])
    assert words == [] if holds else words[0].startswith("The face about (30.00, 20.00, 0.00) mm is not sound")
