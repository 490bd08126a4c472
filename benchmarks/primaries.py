"""Patches, lofts, sweeps and matches: times, and how many random ones hold what is aimed at.

Usage: .venv/bin/python -m benchmarks.primaries [how many random ones]
"""

from __future__ import annotations

import sys

import numpy as np

from benchmarks.timing import line, median
from pamble.core.curves.interpolate import through_points
from pamble.core.errors import PambleError
from pamble.core.faces.face import Face
from pamble.core.patches.between import patch_between
from pamble.core.patches.boundary import boundary_patch
from pamble.core.patches.frames import along
from pamble.core.patches.loft import loft
from pamble.core.patches.loop import Asked
from pamble.core.patches.match import match_sides
from pamble.core.patches.match_pairs import Pair
from pamble.core.patches.sweep import sweep
from pamble.core.patches.told import PatchMade, worst_of
from pamble.core.patches.trimmed import trimmed_patch
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import iso_curve, surface_part
from tests.core.patches.grounds import ground, hole, window


def worst(made: PatchMade) -> str:
    """Gap, angle and curvature, the worst of all sides."""
    gap, angle, bend = (max(getattr(s, k) or 0.0 for s in made.sides) for k in ("gap", "angle", "curvature"))
    n, m = made.face.surface.control.shape[:2]
    return f"{n}x{m} CVs, gap {gap:.5f} mm, angle {angle:.4f}°, curvature {bend:.3f} %"


def bow(guide: Curve) -> Curve:
    """A guide on a skin of ten sections lifted 1 mm in the middle of every other stretch between two."""
    t = np.linspace(*guide.domain, 181)
    points = curve_points(guide, t)
    points[:, 2] += np.maximum(np.sin(np.pi * 9 * np.linspace(0, 1, 181)), 0) ** 3
    return through_points(points, 3)


def times() -> None:
    """One of each."""
    edges = window(ground(1, 60))
    asked = [Asked(e) for e in edges]
    line(
        "boundary patch, four sides, G2, figures closed in on",
        median(lambda: boundary_patch(asked, 500.0), 7),
    )
    print("  " + worst(boundary_patch(asked, 500.0)))
    five = [Asked(e) for e in hole(ground(3, 40), 5)]
    line("loop of five sides, one trimmed patch, G2", median(lambda: trimmed_patch(five, 500.0), 5))
    print("  " + worst(trimmed_patch(five, 500.0)))
    stirred = surface_part(ground(1, 60), (0.35, 0.65), (0.3, 0.7))
    lid = Face(stirred.with_control(stirred.control + np.random.default_rng(1).normal(size=stirred.control.shape)))
    line("match of a side, G2, three rounds", median(lambda: match_sides(lid, [Pair("u1", edges[1], 2)], 500.0), 7))
    sections = [section(y, i) for i, y in enumerate(np.linspace(0, 400, 10))]
    line("loft of 10 sections, exact", median(lambda: loft(sections, 500.0), 7))
    skin = loft(sections, 500.0).surface
    guides = [iso_curve(skin, "u", u) for u in (0.1, 0.35, 0.6, 0.85)]
    line("loft of 10 sections with 4 guides", median(lambda: loft(sections, 500.0, guides=guides), 3))
    bowed = [bow(g) for g in guides]
    line("the same, guides that bow 1 mm out of the skin", median(lambda: loft(sections, 500.0, guides=bowed), 3))
    made = loft(sections, 500.0, guides=bowed)
    print(f"  {made.surface.control.shape[:2]}, sections {max(made.sections):.5f} mm, guides {max(made.guides):.5f} mm")
    way = [[0, 0, 0], [60, 0, 10], [120, 10, 25], [180, 30, 25], [240, 60, 10], [300, 70, 0]]
    rail = Curve(5, basis.uniform_knots(5, 1), way)
    arch = Curve(
        5, basis.uniform_knots(5, 1), [[0, 0, 0], [0, 5, 10], [0, 15, 20], [0, 30, 22], [0, 40, 15], [0, 50, 5]]
    )
    line("sweep of a degree-5 section", median(lambda: sweep([arch], along(rail)), 7))
    swept = sweep([arch], along(rail))
    print(f"  {swept.surface.control.shape[1]} rows, {swept.deviation:.5f} mm off the true sweep")


def section(y: float, seed: int) -> Curve:
    """A freeform section across, of changing degree and spans."""
    degree, count = 5 if seed % 2 else 4, 6 + seed % 3
    x = np.linspace(0, 200, count)
    z = 12 * np.sin(x / 60 + y / 90) + np.random.default_rng(seed).normal(size=count)
    return Curve(degree, basis.uniform_knots(degree, count - degree), np.stack([x, np.full(count, y), z], axis=1))


def random_ones(count: int) -> None:
    """How many random holes and matches hold .002 mm, .005° and .5 %, and .01°, 2 %."""
    rows: dict[str, list[tuple[bool, bool, str]]] = {}
    for seed in range(count):
        rng = np.random.default_rng(1000 + seed)
        known = ground(seed, float(rng.uniform(10, 90)), int(rng.integers(6, 10)))
        sides = int(rng.integers(2, 9))
        turn, bulge = float(rng.uniform(0, 6)), float(rng.uniform(0.02, 0.12)) if sides > 2 else 0.3
        kinds = {
            "window": lambda k=known: boundary_patch([Asked(e) for e in window(k)], 500.0),
            "four sides across": lambda k=known, t=turn, b=bulge: patch_between(
                [Asked(e) for e in hole(k, 4, b, t, 0.2)], 500.0
            ),
            "loop": lambda k=known, n=sides, t=turn, b=bulge: trimmed_patch(
                [Asked(e) for e in hole(k, n, b, t, 0.2)], 500.0
            ),
        }
        for name, run in kinds.items():
            try:
                made = run()
            except PambleError as error:
                rows.setdefault(name, []).append((False, False, f"{seed}: {error}"))
                continue
            ratio = worst_of(made.sides, made.corners)
            near = all((s.angle or 0) < 0.01 and (s.curvature or 0) < 2 and s.gap < 0.01 for s in made.sides)
            rows.setdefault(name, []).append((ratio <= 1.0, near, f"{seed}: {worst(made)}"))
    for name, found in rows.items():
        print(f"{name}: {sum(f[0] for f in found)} of {len(found)} hold, {sum(f[1] for f in found)} within .01°, 2 %")
        for _, near, words in found:
            if not near:
                print(f"  {words}")


if __name__ == "__main__":
    times()
    random_ones(int(sys.argv[1]) if len(sys.argv) > 1 else 12)
