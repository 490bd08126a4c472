"""Random nets and guided lofts: how far their curves lie off the surface, its CVs, and the time.

Usage: .venv/bin/python -m benchmarks.skins [how many of each]
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Sequence

import numpy as np
from scipy.spatial import cKDTree

from pamble.core.errors import PambleError
from pamble.core.patches.loft import loft
from pamble.core.patches.net import net_surface
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_grid
from pamble.core.spline.surface import Surface
from tests.core.patches.drawn import random_loft, random_net

HOLDS = 0.003, 0.01
_GRID = 600


def farthest(surface: Surface, curves: Sequence[Curve]) -> float:
    """How far curves lie off a surface, mm: from the nearest of so many places of it."""
    t = np.linspace(0, 1, _GRID)
    grid = cKDTree(surface_grid(surface, t, t)[0, 0].reshape(-1, 3))
    worst = 0.0
    for c in curves:
        points = curve_points(c, np.linspace(*c.domain, 401))
        at = np.asarray(grid.query(points)[1])
        worst = max(worst, float(to_surface(surface, points, (t[at // _GRID], t[at % _GRID])).distance.max()))
    return worst


def net(seed: int) -> tuple[Surface, list[Curve]]:
    curves = random_net(seed)
    return net_surface(curves).surface, curves


def guided(seed: int) -> tuple[Surface, list[Curve]]:
    sections, guides = random_loft(seed)
    return loft(sections, 200.0, guides=guides).surface, [*sections, *guides]


def trial(name: str, make: Callable[[int], tuple[Surface, list[Curve]]], count: int) -> None:
    """So many at random; what is refused is listed with its words."""
    off, cvs, times = [], [], []
    for seed in range(count):
        start = time.perf_counter()
        try:
            surface, curves = make(seed)
        except PambleError as error:
            print(f"  {name} {seed}: {error}")
            continue
        times.append(time.perf_counter() - start)
        off.append(farthest(surface, curves))
        cvs.append(surface.control.shape[0] * surface.control.shape[1])
    held = " ".join(f"{sum(x < h for x in off)} within {h:g} mm," for h in HOLDS)
    print(
        f"{name}: {len(off)} of {count} made, {held} worst {max(off):.4f} mm; CVs {np.median(cvs):.0f} "
        f"({max(cvs)} at most); {np.median(times):.2f} s ({max(times):.2f} s at most)"
    )


if __name__ == "__main__":
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    trial("nets", net, wanted)
    trial("guided lofts", guided, wanted)
