"""The crest of a blend against closed forms, held level, and brought to a limit.

Between two planes at right angles a G1 section with fullness f over a gap w is the cubic with arms f w / 3 at 45
degrees to the chord: its crest stands f w sin(45) / 4 above it.
"""

import numpy as np
import pytest

from pamble.core.errors import BlendError
from pamble.core.faces.face import Edge, natural_edge
from pamble.core.joining.blend import build_blend, preview_blend
from pamble.core.joining.crest import clearance, crest_heights
from pamble.core.joining.spec import BlendSpec
from pamble.core.planes import plane_at
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface

X = np.linspace(0, 200, 6)
SLOPE = np.sqrt(0.5) / 4


def roof(setback: np.ndarray) -> tuple[Edge, Edge]:
    """Edges of both sides of a roof with its ridge along x at z = 0, set back from it at the CVs along x."""
    out = []
    for side in (-1.0, 1.0):
        rows = [np.stack([X, side * d, -d], axis=1) for d in (np.full(6, 60.0), setback)]
        knots = basis.uniform_knots(5, 1)
        surface = Surface(5, 1, knots, basis.uniform_knots(1, 1), np.stack(rows[:: int(-side)], axis=1))
        out.append(natural_edge(surface, "v1" if side < 0 else "v0"))
    return out[0], out[1]


WAVY = 10 + np.array([0, 6, 9, 9, 6, 0.0])


def test_the_crest_is_that_of_the_closed_form_and_low_where_the_gap_is_narrow():
    made = build_blend(*roof(WAVY), BlendSpec((1, 1), (0.8, 0.8)))
    s = np.linspace(0, 1, 9)
    width = 2 * np.interp(s, np.linspace(0, 1, 4001), bernstein(WAVY, np.linspace(0, 1, 4001)))
    assert crest_heights(made.surface, s) == pytest.approx(0.8 * width * SLOPE, rel=1e-6)
    assert made.crest == pytest.approx((0.8 * 20 * SLOPE, 0.8 * width.max() * SLOPE), rel=1e-4)


def bernstein(values: np.ndarray, t: np.ndarray) -> np.ndarray:
    return np.asarray(basis.matrix(basis.uniform_knots(5, 1), 5, t)[0] @ values)


@pytest.mark.parametrize("continuity", [(1, 1), (2, 2), (3, 1)])
def test_a_crest_that_is_held_stays_at_one_height_and_the_seams_hold(continuity):
    edges = roof(WAVY)
    free = build_blend(*edges, BlendSpec(continuity))
    held = build_blend(*edges, BlendSpec(continuity, level=True))
    given = build_blend(*edges, BlendSpec(continuity, level=True, crest=4.5))
    assert free.crest[1] > 1.5 * free.crest[0]
    assert held.crest[1] < 1.005 * held.crest[0]
    assert free.crest[0] < held.crest[0] < free.crest[1]
    assert given.crest == pytest.approx((4.5, 4.5), rel=0.005)
    for made in (held, given):
        assert max(r.gap for r in made.residuals) < 0.002
        assert max(r.angle for r in made.residuals) < 0.005


def test_the_fullness_that_just_meets_a_plane_or_a_line_is_that_of_the_closed_form():
    edges = roof(np.full(6, 15.0))
    width = 2 * 15.0
    for height in (3.0, 5.0):
        limit = plane_at(np.array([0, 0, -15.0 + height]), np.array([0, 0, 1.0]))
        wanted = height / (width * SLOPE)
        made = build_blend(*edges, BlendSpec((1, 1)), limit=limit, meet=True)
        assert made.factor == pytest.approx(wanted, rel=1e-4)
        assert abs(made.clearance.value) < 2e-4
        quick = preview_blend(*edges, BlendSpec((1, 1)), made.surface.knots_u, limit=limit, meet=True)
        assert quick.factor == pytest.approx(wanted, rel=1e-4)
        line = Curve.line([0, 0, -15.0 + height], [200, 0, -15.0 + height])
        assert build_blend(*edges, BlendSpec((1, 1)), limit=line, meet=True).factor == pytest.approx(wanted, rel=1e-3)
    # Only measured: what is left to the plane at the default fullness.
    measured = build_blend(*edges, BlendSpec((1, 1)), limit=limit)
    assert measured.clearance.value == pytest.approx(5.0 - width * SLOPE, abs=1e-6)


def test_a_limit_that_cannot_be_met_is_told_with_what_is_missing():
    edges = roof(np.full(6, 15.0))
    for z, words in ((-20.0, "Even the fullest"), (30.0, "short of the limit")):
        with pytest.raises(BlendError, match=words):
            build_blend(*edges, BlendSpec((1, 1)), limit=plane_at(np.array([0, 0, z]), np.eye(3)[2]), meet=True)
    tilted = plane_at(np.array([0, 0, -15.0]), np.array([0, 0.5, 1.0]))
    with pytest.raises(BlendError, match=r"through the blend.s edges, by 6\.708 mm"):
        clearance(build_blend(*edges, BlendSpec((1, 1))).surface, tilted)
    with pytest.raises(BlendError, match="runs beside"):
        build_blend(*edges, BlendSpec((1, 1)), limit=Curve.line([0, 90, 0], [200, 90, 0]))
