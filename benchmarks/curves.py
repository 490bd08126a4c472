"""Curves: a CV drag with ten dependents, fits, projections. Usage: .venv/bin/python -m benchmarks.curves"""

from __future__ import annotations

import numpy as np
from OCP.GeomAPI import GeomAPI_ProjectPointOnSurf
from OCP.gp import gp_Pnt
from scipy.interpolate import make_lsq_spline

from benchmarks.timing import line, median
from pamble.core.curves.fit import fit_points
from pamble.core.curves.relations import Relation, solve_relations
from pamble.core.faces.face import Face
from pamble.core.faces.kernel import surface_to_kernel
from pamble.core.faces.landing import land
from pamble.core.spline.basis import uniform_knots
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.demo import DEMOS
from pamble.demo.mirror_cap import crown
from pamble.study.kernel import Kernel

POINTS = [[-110.0, 40, 140], [-40, 120, 160], [60, 130, 150], [110, 60, 140]]


def bench_kernel() -> Kernel:
    """The demo with a curve over it and ten steps that hang on that curve."""
    kernel = Kernel(DEMOS["mirror-cap"].study().model_dump())

    def add(id: str, kind: str, **params: object) -> None:
        feature = {"id": id, "kind": kind, "name": id, "role": "theoretical", "params": params}
        kernel.commit({"op": "add_features", "features": [feature]})

    own = {"feature": "own", "edge": "c0"}
    add("own", "cv_curve", curve={"degree": 3, "knots": [0.0] * 4 + [1.0] * 4, "control": POINTS})
    add("other", "line", start=[140, 40, 150], end=[200, 20, 150])
    other = {"feature": "other", "edge": "c0"}
    add("d0", "offset_curve", curve=own, distance=6, normal=[0, 0, 1])
    add("d1", "project_curve", curve=own, faces=[{"feature": "crown"}])
    add("d2", "blend_curve", first=own, second=other)
    add("d3", "two_view", first=own, first_view=[0, 0, 1], second=own, second_view=[0, 1, 0])
    add("d4", "match_curve", curve=other, to=own)
    add("d5", "fit_curve", curve=own)
    add("d6", "mid_curve", first=own, second={"feature": "d0", "edge": "c0"})
    add("d7", "trim_curve", curve=own, start=0.1, end=0.8)
    add("d8", "extend_curve", curve=own)
    add("d9", "copy_curve", curve=own, copies=4)
    return kernel


def main() -> None:
    """Print the table."""
    kernel = bench_kernel()
    step = 0

    def drag() -> None:
        nonlocal step
        step += 1
        to = [-40, 120 + 0.1 * (step % 20), 160]
        kernel.preview({"op": "move_cvs", "id": "own", "cvs": [{"i": 1, "j": 0, "to": to}]}, (), ["own"])

    line("CV drag with ten dependents, kernel and frame", median(drag, 25))
    polygon = np.column_stack([np.linspace(0, 200, 9), np.zeros(9), 40 * np.sin(np.linspace(0, 3, 9))])
    related = tuple(
        [Relation("length", (i, i + 1), value=25.0) for i in range(0, 8, 2)]
        + [Relation("same", (i, i + 1), axis=1) for i in range(4)]
        + [Relation("collinear", (2, 3, 4)), Relation("angle", (5, 4, 5, 6), value=150)]
    )
    curve = Curve(5, uniform_knots(5, 4), polygon)
    solve_relations(curve, related)
    line("a drag under ten relations, one step in the core", median(lambda: solve_relations(curve, related)))
    t = np.linspace(0, 1, 2000)
    points = np.column_stack([100 * t, 10 * np.sin(6 * t), 5 * np.cos(4 * t)])
    fit = fit_points(points, 5, 0.02)
    reference = median(lambda: make_lsq_spline(t, points, fit.curve.knots, k=5))
    line(
        f"fit of 2000 points, spans searched ({fit.curve.spans})",
        median(lambda: fit_points(points, 5, 0.02)),
        reference,
    )
    line("scipy, least squares on those knots alone", reference)
    surface = crown()
    face = Face(surface)
    rng = np.random.default_rng(0)
    cloud = np.column_stack([rng.uniform(-120, 120, 10_000), rng.uniform(20, 130, 10_000), np.full(10_000, 150.0)])
    near = median(lambda: to_surface(surface, cloud), 5)
    line("closest points of 1e4 points on a face", near)
    line("projection of 1e4 points along a direction", median(lambda: land(face, cloud, np.array([0, 0, 1.0])), 5))
    geom = surface_to_kernel(surface)
    few = cloud[:500].tolist()
    per_point = median(lambda: [GeomAPI_ProjectPointOnSurf(gp_Pnt(*p), geom).LowerDistance() for p in few], 1) * 20
    line("OpenCASCADE, closest points, a call a point (from 500)", per_point, near)


if __name__ == "__main__":
    main()
