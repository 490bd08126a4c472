"""Fillets that run out with a crease that fades to nothing."""

import numpy as np
import pytest

from pamble.core.checks.measured import measure_seam
from pamble.core.checks.seams import find_seams
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face, natural_edge
from pamble.core.fillets.fillet import fillet
from pamble.core.fillets.strip import Ask
from tests.core.fillets.test_fillet import LAWS, slab, turned_away


@pytest.mark.parametrize("radius", [12.0, 40.0])
def test_a_fillet_is_told_to_meet_both_faces_up_to_its_tip(radius):
    """At the tip it has no width and no normal: up to 180 degrees were told of it, and seams of no length. The contacts
    left the crease up to .04 mm before its end.
    """
    a = slab()
    b = turned_away(a, LAWS["fades evenly"])
    made = fillet([Face(a), Face(b)], [Ask(0, natural_edge(a, "v1"), (radius, radius))], diagonal=400.0)
    seams, _ = find_seams([*made.changed.values(), made.faces[0].face], 0.25)
    told = [measure_seam(s, 400.0) for s in seams]
    assert len(told) == 2
    cut = made.changed.values()
    # No edges are left between the tip and the faces' own corner.
    assert all(curve_length(e.space) > 1 for face in cut for e in face.edges)
    assert min(m.length[-1] for m in told) > 299
    assert max(m.worst["angle"].value for m in told) < 0.01


@pytest.mark.parametrize("law", ["fades evenly", "fades to third order"])
@pytest.mark.parametrize(("section", "radius"), [("g2", 40.0), ("g3", 12.0)])
def test_sections_of_curvature_run_out_with_a_crease_that_fades(law, section, radius):
    """They were refused."""
    a = slab()
    b = turned_away(a, LAWS[law])
    made = fillet([Face(a), Face(b)], [Ask(0, natural_edge(a, "v1"), (radius, radius))], section, diagonal=400.0)
    assert not any("folds" in words for words in made.warnings)
    seams, _ = find_seams([*made.changed.values(), made.faces[0].face], 0.25)
    long = [measure_seam(s, 400.0).worst for s in seams if 2 in s.faces and measure_seam(s, 400.0).length[-1] > 100]
    assert len(long) == 2
    for worst in long:
        assert worst["gap"].value < 0.002
        assert worst["angle"].value < 0.007
        assert worst["curvature"].value < 2.0
    dip = turned_away(a, lambda u: np.radians(60) * (u - 0.5) ** 2)
    with pytest.raises(GeometryError, match="on its way"):
        fillet([Face(a), Face(dip)], [Ask(0, natural_edge(a, "v1"), (radius, radius))], section, diagonal=400.0)
