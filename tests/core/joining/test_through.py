"""Blends through sections and along guides: cut out of known panels and given back; refused in words."""

import numpy as np
import pytest

from pamble.core.errors import BlendError, GeometryError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face
from pamble.core.joining.blend import build_blend
from pamble.core.joining.spec import BlendSpec
from pamble.core.joining.through import blend_through
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import iso_curve, reverse_curve, surface_part
from tests import readback
from tests.core.patches.grounds import ground, knotted


def gap_in(seed):
    """A panel, the faces on both sides of a gap in it, two lines along the gap and three across."""
    panel = surface_part(ground(seed, 60), (0.1, 0.9), None)
    first, second = Face(surface_part(panel, None, (0, 0.3))), Face(surface_part(panel, None, (0.75, 1)))
    across = surface_part(panel, None, (0.3, 0.75))
    return panel, first, second, [iso_curve(panel, "v", v) for v in (0.6, 0.45)], [
        iso_curve(across, "u", u) for u in (0.1, 0.5, 0.9)
    ]  # fmt: skip


@pytest.mark.parametrize("seed", [0, 1, 2, 3])
def test_what_passes_lines_of_a_panel_is_the_panel(seed, tmp_path):
    panel, first, second, along, across = gap_in(seed)
    a, b = first.edge("v1"), second.edge("v0")
    made = blend_through(a, b, BlendSpec((2, 2)), 500.0, [along[0], reverse_curve(along[1])], across)
    assert max(*made.sections, *made.guides) < 0.003
    t = np.linspace(0, 1, 30)
    assert to_surface(panel, surface_grid(made.surface, t, t)[0, 0].reshape(-1, 3)).distance.max() < 0.01
    write_step([("First", first), ("Blend", Face(made.surface)), ("Second", second)], tmp_path / "out.step")
    one, blend, two = readback.faces(tmp_path / "out.step")
    for other in (one, two):
        seam = readback.nearest_seam(blend, other, 1 / 500)
        assert seam.gap < 0.001
        assert seam.angle < 0.003
        assert seam.curvature < 0.5
    # Guides and sections alone lead it, too.
    for lines, guides in ((along, ()), ((), across)):
        own = blend_through(a, b, BlendSpec((3, 1)), 500.0, lines, guides)
        assert max(*own.sections, *own.guides, 0.0) < 0.003
        assert max(end["angle"] for end in own.ends) < 0.003
        assert own.ends[0]["rate_percent"] < 3.0


@pytest.mark.parametrize("seed", [0, 1, 5])
def test_edges_of_many_knots_keep_their_own_pace(seed):
    a, b = (face.edge("v0") for face in knotted(seed))
    middle = iso_curve(build_blend(a, b, BlendSpec((2, 2))).surface, "v", 0.5)
    raised = Curve(middle.degree, middle.knots, middle.control + np.array([0, 0.8, 0.8]))
    made = blend_through(a, b, BlendSpec((2, 2)), 400.0, [raised])
    assert made.sections[0] < 0.001
    for end in made.ends:
        assert end["gap"] < 0.001
        assert end["angle"] < 0.005
        assert end["curvature"] < 1.0


def test_what_does_not_go_together_is_refused():
    _, first, second, along, _ = gap_in(0)
    a, b = first.edge("v1"), second.edge("v0")
    with pytest.raises(BlendError, match="do not hold its crest level"):
        blend_through(a, b, BlendSpec((2, 2), level=True), 500.0, along)
    with pytest.raises(GeometryError, match="Guide 1 misses section 1 by"):
        blend_through(a, b, BlendSpec((2, 2)), 500.0, [], [Curve.line([100, 160, 200], [300, 100, 90])])
