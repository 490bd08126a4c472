"""A body tried by sections: block or cylinder, sections moved in their planes, a new skin that follows."""

import numpy as np
import pytest

from pamble.core.checks.body import body_of
from pamble.core.spline.evaluate import curve_points
from tests.study.bench import add, area, face, line


def faces(*ids):
    return [{"feature": i} for i in ids]


def sections(kernel, id):
    return kernel.now.world[id].shape.curves


def test_a_block_is_cut_into_sections_and_the_skin_follows_them(kernel):
    add(kernel, "b", "start_body", middle=[10.0, 0.0, 0.0], x=100.0, y=60.0, z=40.0)
    sides = ["b", *(f"b/{i}" for i in range(2, 7))]
    body = body_of([face(kernel, i) for i in sides])
    assert (body.volume, body.area) == pytest.approx((240_000, 24_800), rel=1e-9)  # x y z; 2 (xy + yz + zx)
    made = add(kernel, "s", "body_sections", faces=faces(*sides), along="x", count=3)
    assert made.problem is None
    assert [len(c.control) for c in sections(kernel, "s")] == [5, 5, 5]  # four straight legs, no more
    add(kernel, "skin", "loft", sections=[line("s", f"c{i}") for i in range(3)])
    walls = ["skin", *(f"skin/{i}" for i in range(2, 5))]
    assert sum(area(kernel, w) for w in walls) == pytest.approx(96 * 200, rel=1e-9)  # 96 % of the length, all round
    kernel.commit({"op": "set_params", "id": "s", "changes": {"sized": [None, 1.5, None], "turned": [None, 20.0]}})
    ends = [np.linalg.norm(c.control[:, 1:], axis=1).max() for c in sections(kernel, "s")]
    assert ends == pytest.approx([np.hypot(30, 20), 1.5 * np.hypot(30, 20), np.hypot(30, 20)])
    assert kernel.now.states["skin"].problem is None
    corners = sections(kernel, "s")[1].control[:-1]
    angles = np.sort(np.degrees(np.arctan2(corners[:, 2], corners[:, 1])) % 360)
    lean = np.degrees(np.arctan2(20, 30))
    assert angles == pytest.approx(np.sort((20 + np.array([lean, 180 - lean, 180 + lean, -lean])) % 360))
    kernel.commit({"op": "set_params", "id": "s", "changes": {"middles": [None, [999.0, 7.0, 4.0]], "at": [-30.0]}})
    moved = sections(kernel, "s")
    assert moved[1].control[:-1].mean(axis=0) == pytest.approx([10, 7, 4])  # it stays in its plane
    assert moved[0].control[:, 0] == pytest.approx(-30)


def test_a_cylinder_is_cut_and_what_cannot_be_cut_is_told(kernel):
    add(kernel, "c", "start_body", shape="cylinder", along="z", radius=25.0, length=80.0)
    body = body_of([face(kernel, i) for i in ("c", "c/2", "c/3")])
    assert body.volume == pytest.approx(np.pi * 25**2 * 80, rel=1e-6)
    made = add(kernel, "s", "body_sections", faces=faces("c"), along="z", count=4)
    assert 0 < made.made.facts["deviation"] < 0.005
    handles = {(h.field, h.index) for h in made.made.handles}
    assert handles == {(f, k) for f in ("at", "middles", "turned") for k in range(4)}
    for curve in sections(kernel, "s"):
        p = curve_points(curve, np.linspace(*curve.domain, 90))
        assert np.hypot(p[:, 0], p[:, 1]) == pytest.approx(25, abs=0.006)
    assert add(kernel, "skin", "loft", sections=[line("s", f"c{i}") for i in range(4)]).problem is None
    miss = add(kernel, "m", "body_sections", faces=faces("c"), along="z", count=2, at=[0.0, 90.0])
    assert "Plane 2 misses all faces" in miss.problem
    apart = add(kernel, "a", "body_sections", faces=faces("c"), along="x", count=2, at=[0.0, 5.0])
    assert "pieces that lie" in apart.problem
