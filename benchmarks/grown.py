"""Bodies that grow from a curve in a study: a profile extruded, revolved or lofted, capped, its edges filleted.

Usage: .venv/bin/python -m benchmarks.grown [how many, or from-to]. Each is exported, read back, sewn and checked by
OpenCASCADE: closed, valid, and of the areas that Pamble tells.
"""

from __future__ import annotations

import numpy as np

from benchmarks.growing import Bench, capped, profile, tried


def _extruded(bench: Bench) -> str:
    kind, size = profile(bench, "rim", 0.0, 1.0, ("rectangle", "ellipse", "spline", "polygon"))
    draft = float(bench.rng.choice([0.0, bench.between(1, 10), -bench.between(1, 6)]))
    height = bench.between(0.2, 0.8) * size
    walls = bench.add("wall", "extrude", curve={"feature": "rim", "edge": "c0"}, forward=height, draft=draft)
    capped(bench, walls)
    others = [{"feature": w} for w in walls]
    upright = [{"feature": w, "edge": "u1"} for w in walls]
    radius = bench.between(0.05, 0.15) * min(size, height)
    if kind == "polygon" and bench.rng.random() < 0.5:
        # Round all upright edges first, then the rim that they leave.
        bench.add("corners", "fillet", edges=upright, faces=[{"feature": "lid"}, {"feature": "floor"}], radius=radius)
        others = [{"feature": i} for i, _ in bench.faces() if i not in ("lid", "floor")]
        radius *= 0.6
    elif kind == "polygon" and bench.rng.random() < 0.5:
        bench.add("round", "fillet", edges=upright + bench.edges("lid"), faces=[{"feature": "floor"}], radius=radius)
        return f"{kind}, draft {draft:.1f}°, all edges {radius:.2f} mm"
    section = str(bench.rng.choice(["ball", "g2", "g3", "rho"]))
    bench.add("round", "fillet", edges=bench.edges("lid"), faces=others, radius=radius, section=section)
    return f"{kind}, draft {draft:.1f}°, rim {section} {radius:.2f} mm"


def _revolved(bench: Bench) -> str:
    count = int(bench.rng.integers(3, 6))
    z, r = np.sort(bench.rng.uniform(0, 80, count)), bench.rng.uniform(15, 45, count)
    degree = int(bench.rng.choice([1, min(3, count - 1)]))
    control = np.column_stack([r, 0 * r, z]).tolist()
    bench.add("rim", "cv_curve", curve={"degree": degree, "control": control})
    walls = bench.add("wall", "revolve", profile={"feature": "rim", "edge": "c0"}, about="z")
    for id, height in (("lid", z[-1]), ("floor", z[0])):
        edge = next(
            {"feature": w, "edge": e.name}
            for w in walls for e in bench.face(w).edges if np.abs(e.space.control[:, 2] - height).max() < 1e-9
        )  # fmt: skip
        bench.add(id, "cap", edges=[edge])
    edges = bench.edges("lid") + (bench.edges("floor") if bench.rng.random() < 0.5 else [])
    section, radius = str(bench.rng.choice(["ball", "g2", "g3"])), bench.between(0.5, 2.5)
    bench.add("round", "fillet", edges=edges, faces=[{"feature": w} for w in walls], radius=radius, section=section)
    return f"revolved, degree {degree}, {len(edges)} rims {section} {radius:.2f} mm"


def _lofted(bench: Bench) -> str:
    first, _ = profile(bench, "one", 0.0, 1.0, ("rectangle", "ellipse"))
    second, size = profile(bench, "two", bench.between(20, 60), 0.7, ("rectangle", "ellipse"))
    walls = bench.add("wall", "loft", sections=[{"feature": "one", "edge": "c0"}, {"feature": "two", "edge": "c0"}])
    capped(bench, walls)
    section, radius = str(bench.rng.choice(["ball", "g2", "g3", "rho"])), bench.between(0.01, 0.08) * size
    others = [{"feature": w} for w in walls]
    bench.add("round", "fillet", edges=bench.edges("lid"), faces=others, radius=radius, section=section)
    return f"loft of {first} and {second}, rim {section} {radius:.2f} mm"


if __name__ == "__main__":
    tried((_extruded, _revolved, _lofted))
