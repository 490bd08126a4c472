"""Blends that run to a single point: smooth in it, as read from the exported file by OpenCASCADE alone."""

import numpy as np
import pytest

from pamble.core.curves.shapes import circle
from pamble.core.errors import BlendError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face, natural_edge
from pamble.core.joining.blend import build_blend, preview_blend
from pamble.core.joining.spec import BlendSpec
from pamble.core.joining.tip import free_tip, tip_on
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_points
from pamble.core.surfaces.extrude import extrude
from pamble.core.surfaces.revolve import revolve
from tests import readback
from tests.core.joining.test_loops import UP, holed, oval
from tests.shapes import panel

WALL = panel(lambda x, y: (x, 120 + 8 * (x / 150 - 1) ** 2 + 6e-4 * (y - 50) ** 2, -20 - y))
DECK = panel(lambda x, y: (x, y - 8 * (x / 150 - 1) ** 2, -1.5e-3 * (y - 100) ** 2))


def off(face, points):
    """Distances of points from a face of a file."""
    return np.array([readback.distance(face, p) for p in points])


@pytest.mark.parametrize("continuity", [1, 2, 3])
def test_a_blend_keeps_to_a_face_in_its_point(continuity, tmp_path):
    """Contact of order k: the distance from the face falls with the power k + 1 of that from the point (Taylor)."""
    edge, at = natural_edge(DECK, "v1"), surface_points(WALL, [0.45], [0.3])[0]
    made = build_blend(edge, tip_on(Face(WALL), at), BlendSpec((2, continuity)))
    assert all(r.ratio(g) < 1 for r, g in zip(made.residuals, (2, continuity), strict=True))
    write_step([("Wall", Face(WALL)), ("Deck", Face(DECK)), ("Blend", Face(made.surface))], tmp_path / "tip.step")
    wall, deck, blend = readback.faces(tmp_path / "tip.step")
    seam = readback.nearest_seam(blend, deck, 1 / 400)
    assert seam.gap < 0.001
    assert seam.angle < 0.003
    assert seam.curvature < 0.5
    u = np.linspace(0.1, 0.9, 9)
    near, far = (off(wall, surface_points(made.surface, u, np.full(9, 1 - reach))) for reach in (0.01, 0.02))
    assert np.log2(far.sum() / near.sum()) > continuity + 0.8


def test_a_pipe_is_closed_by_a_dome_that_is_round_in_its_apex(tmp_path):
    """A rim of radius 30 and an apex as high above it: by symmetry one tangent plane and the curvature of a ball."""
    pipe = natural_edge(extrude(circle(np.zeros(3), UP, 30.0), UP, 0.0, 80.0), "v1")
    tip, spec = free_tip(pipe, np.array([0, 0, 110.0])), BlendSpec((1, 2), (1.17, 1.0))
    made = build_blend(pipe, tip, spec)
    assert max(r.ratio(g) for r, g in zip(made.residuals, (1, 2), strict=True)) < 1
    write_step([("Dome", Face(made.surface))], tmp_path / "dome.step")
    (dome,) = readback.faces(tmp_path / "dome.step")
    share = np.linspace(0, 0.9, 10)
    rise = 110 - surface_points(made.surface, share, np.full(10, 0.99))[:, 2]
    wide = np.hypot(*surface_points(made.surface, share, np.full(10, 0.99))[:, :2].T)
    assert np.ptp(wide) < 1e-3
    assert 2 * rise / wide**2 == pytest.approx(1 / 30, rel=2e-2)
    assert readback.distance(dome, [0, 0, 110]) < 1e-9
    quick = preview_blend(pipe, tip, spec, made.surface.knots_u)
    assert np.abs(quick.surface.control - made.surface.control).max() < 1e-9


def test_a_freeform_hole_runs_up_to_a_point_with_curvature():
    edge = holed(3, 0, oval(40, 28, 20))
    made = build_blend(edge, free_tip(edge, np.array([3.0, -2.0, 25.0])), BlendSpec((2, 2)))
    assert max(r.ratio(2) for r in made.residuals) < 1
    assert not made.warnings
    assert len(made.starts) == 1


def test_points_that_nothing_can_run_to_are_refused():
    edge = natural_edge(DECK, "v1")
    end = surface_points(DECK, [1.0], [1.0])[0]
    flat = natural_edge(panel(lambda x, y: (x, y, 0 * x)), "v1")
    with pytest.raises(BlendError, match="in line with the edge"):
        free_tip(flat, surface_points(flat.surface, [1.0], [1.0])[0] + [30, 0, 0])
    cone = revolve(Curve.line([0, 0, 0], [20, 0, 30]), np.zeros(3), UP, 0, 90)
    with pytest.raises(BlendError, match="no tangent plane"):
        tip_on(Face(cone), np.zeros(3))
    with pytest.raises(BlendError, match="touch at"):
        build_blend(edge, free_tip(edge, end), BlendSpec((2, 1)))
