"""1e5 points of a surface with all derivatives to second order, against scipy and OpenCASCADE in the same run.

Usage: .venv/bin/python -m benchmarks.evaluation
"""

from __future__ import annotations

import numpy as np
from OCP.gp import gp_Pnt, gp_Vec
from scipy.interpolate import BSpline

from benchmarks.timing import line, median
from pamble.core.arrays import Array
from pamble.core.faces.kernel import surface_to_kernel
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import surface_derivatives, surface_grid
from pamble.core.spline.surface import Surface
from pamble.demo.mirror_cap import crown

SIDE = 316


def by_scipy(s: Surface, us: Array, vs: Array) -> list[Array]:
    """The same grid by scipy's BSpline, one direction after the other."""
    out = []
    for k in range(3):
        along = BSpline(s.knots_u, s.control, s.degree_u).derivative(k)(us) if k else BSpline(
            s.knots_u, s.control, s.degree_u
        )(us)  # fmt: skip
        spline = BSpline(s.knots_v, along.swapaxes(0, 1), s.degree_v)
        out += [spline(vs) if l == 0 else spline.derivative(l)(vs) for l in range(3 - k)]
    return out


def main() -> None:
    """Print the table."""
    s = crown()
    us = vs = np.linspace(0, 1, SIDE)
    u, v = (g.ravel() for g in np.meshgrid(us, vs, indexing="ij"))
    kernel = surface_to_kernel(s)

    def by_kernel() -> None:
        p, d1u, d1v, d2u, d2v, d2uv = gp_Pnt(), gp_Vec(), gp_Vec(), gp_Vec(), gp_Vec(), gp_Vec()
        for a, b in zip(u.tolist(), v.tolist(), strict=True):
            kernel.D2(a, b, p, d1u, d1v, d2u, d2v, d2uv)

    print(f"{SIDE * SIDE} points, second derivatives, degree 5 x 3")
    grid = median(lambda: surface_grid(s, us, vs, 2))
    line("grid", grid)
    line("scattered points", median(lambda: surface_derivatives(s, u, v, 2)), grid)
    line("scipy BSpline, grid", median(lambda: by_scipy(s, us, vs)), grid)
    line("OpenCASCADE, a call a point", median(by_kernel, 3), grid)
    rng = np.random.default_rng(0)
    some = rng.integers(0, len(u), 10_000)
    points = surface_grid(s, us, vs, 0)[0, 0].reshape(-1, 3)[some] + rng.normal(size=(10_000, 3))
    line("closest points on the surface, 1e4", median(lambda: to_surface(s, points), 3))


if __name__ == "__main__":
    main()
