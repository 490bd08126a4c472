"""Holes cut back to four sides: what one patch then fills lies on the surface that the hole was cut from."""

from itertools import pairwise

import numpy as np
import pytest

from pamble.core.corners.corner import lay_out
from pamble.core.corners.four import Border, border, chosen, cut_to
from pamble.core.corners.layouts import of_kind
from pamble.core.corners.outline import corners_of, outlines, ways
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.patches.loop import Asked
from pamble.core.patches.running import taken_together
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import curve_points, surface_grid
from pamble.core.spline.surface import Surface
from tests.core.corners.test_corners import worst
from tests.core.patches.grounds import edge, ground
from tests.shapes import plane


def branches(surface: Surface, angles: tuple[float, ...], wide: float, far: float) -> list[Face]:
    """Faces round a hole in which branches of a panel run into each other: the end of each, and what lies between."""
    corners = []
    for a in np.radians(angles):
        d = np.array([np.cos(a), np.sin(a)])
        n = wide * np.array([-d[1], d[0]])
        corners.append((0.5 + far * d - n, 0.5 + far * d + n, 0.5 + 0.4 * d - n, 0.5 + 0.4 * d + n, d))
    out = []
    for a, b in zip(corners, corners[1:] + corners[:1], strict=True):
        reach = 0.5 * np.linalg.norm(b[0] - a[1])
        for hole, ends in (
            ((a[1], a[0]), (a[0], a[2], a[3], a[1])),
            ((b[0], b[0] - reach * b[4], a[1] - reach * a[4], a[1]), (a[1], a[3], b[2], b[0])),
        ):
            sides = [edge(surface, n, p, q) for n, p, q in zip("abc", ends, ends[1:], strict=False)]
            out.append(Face(surface, ((edge(surface, "hole", *hole), *sides),)))
    return out


def bordered(faces: list[Face]) -> tuple[dict[int, Face], Border]:
    part = dict(enumerate(faces))
    return part, border(part, [(n, e) for n, f in part.items() for e in f.edges if e.name == "hole"])


def gap_of(part: dict[int, Face], changed: dict[int, Face], cut: str) -> list[tuple[int, Edge]]:
    """Edges round what the cut leaves open."""
    return [(n, e) for n, f in {**part, **changed}.items() for e in f.edges if e.name.startswith(("hole", cut))]


@pytest.mark.parametrize("angles", [(90, 130, 290), (20, 110, 205, 290)])
def test_where_branches_meet_faces_are_cut_so_that_one_patch_fills_what_is_left(angles):
    known = ground(2, 25)
    part, hole = bordered(branches(known, angles, 0.05, 0.18))
    best = outlines(hole.sides)[0]
    assert len(best.corners) == 2 * len(angles) - 4
    assert max(best.angles) < 170
    changed = cut_to(part, hole, best, "cut")
    left = gap_of(part, changed, "cut")
    assert len(border({**part, **changed}, left).sides) == 4
    made = lay_out(taken_together([Asked(e) for _, e in left]).asked, 500.0, of_kind(4, "four"))
    gap, angle, curvature = worst(made)
    assert gap < 0.006
    assert angle < 0.005
    assert curvature < 1.5
    t = np.linspace(0, 1, 12)
    cloud = surface_grid(made.faces[0].surface, t, t)[0, 0].reshape(-1, 3)
    assert to_surface(known, cloud).distance.max() < 0.12  # a thousandth of the hole


def test_a_cut_passes_its_corner_by_as_much_as_is_said_and_what_does_not_go_is_told():
    known = ground(1, 25)
    _, hole = bordered(branches(known, (95, 215, 325), 0.05, 0.18))
    best = outlines(hole.sides)[0]
    deeper = chosen(hole, best.corners, [x.depth + 2 for x in best.lines])
    for x in deeper.lines:
        points = curve_points(x.line, np.linspace(0, 1, 2001))
        assert np.linalg.norm(points - x.place, axis=1).min() <= x.depth + 1e-3
        assert np.linalg.norm(points - (x.place + x.depth * x.outward), axis=1).min() < 0.3
    with pytest.raises(GeometryError, match=r"near \(.*mm, 900 mm beyond it, stays on the faces that are picked"):
        chosen(hole, best.corners, [900.0, None])
    with pytest.raises(GeometryError, match="is not cut back at corner 9: there are corners 1, 3"):
        corners_of("corner 9", 6)
    with pytest.raises(GeometryError, match="has 4 sides: one of five to eight"):
        ways(4)


def test_a_crease_between_the_faces_is_no_place_for_a_cut():
    """Five walls that lean against each other round a flat opening."""
    angle = np.arange(6) * 2 * np.pi / 5
    ring = np.stack([np.cos(angle), np.sin(angle), 0 * angle], axis=1)
    walls = [plane(20 * a, 20 * (b - a), 20 * a - np.array([0, 0, 15])) for a, b in pairwise(ring)]
    part = dict(enumerate(Face(w) for w in walls))
    hole = border(part, [(n, f.edge("v0")) for n, f in part.items()])
    with pytest.raises(GeometryError, match=r"meet at 47.11°: a cut over that crease would leave a corner"):
        outlines(hole.sides)
