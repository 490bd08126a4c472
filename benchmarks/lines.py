"""Parts whose rims are filleted over feature lines and steps on their decks; prisms with corners inward, each edge of
their rims with a radius of its own.

Usage: .venv/bin/python -m benchmarks.lines [how many, or from-to]. Each is exported, read back, sewn and checked by
OpenCASCADE: closed, valid, and of the areas that Pamble tells.
"""

from __future__ import annotations

import numpy as np
import shapely

from benchmarks.growing import Bench, profile, tried
from benchmarks.parts import deck, edge_ref, face_ref, line
from pamble.core.faces.inside import inside
from pamble.core.spline.evaluate import curve_points, surface_points

_SAMPLES, _PICKS = 49, 60


def _lined(bench: Bench) -> str:
    """A deck with a line or a step that dies out, trimmed by walls across it; at times its rim filleted."""
    rng = bench.rng
    kind, size = profile(bench, "rim", 0.0, 1.0, ("rectangle", "ellipse", "spline"))
    draft = float(rng.choice([0.0, bench.between(1, 6)]))
    height, bulge = bench.between(0.3, 0.6) * size, bench.between(0.05, 0.3) * size
    how = deck(bench, "deck", height, 110.0, bulge)
    turn = rng.uniform(0, 2 * np.pi)
    along, across = np.array([[np.cos(turn), np.sin(turn), 0], [-np.sin(turn), np.cos(turn), 0]])
    ways = np.linspace(175, -rng.uniform(-15, 25), 4)
    drawn = line(bench, "drawn", ways[:, None] * along + rng.uniform(-12, 12, 4)[:, None] * across, 3)
    bench.add("line", "project_curve", curve=drawn, faces=[face_ref("deck")], tolerance=0.002)
    on = {"face": face_ref("deck"), "line": edge_ref("line", "c0")}
    if rng.random() < 0.5:
        rise = bench.between(0.02, 0.08) * size * rng.choice([1, -1])
        numbers = {"height": rise, "angle": bench.between(10, 30), "back": bench.between(15, 40)}
        made, what = bench.add("crease", "drafted_step", **on, **numbers, other_side=bool(rng.random() < 0.5)), "step"
    else:
        numbers = {"angle": bench.between(4, 15) * rng.choice([1, -1]), "width": bench.between(12, 35)}
        made, what = bench.add("crease", "feature_line", **on, **numbers, other_side=bool(rng.random() < 0.5)), "line"
    walls = bench.add("wall", "extrude", curve=edge_ref("rim", "c0"), forward=height + bulge + 15, draft=draft)
    others = [face_ref(w) for w in walls]
    keep = [{"feature": id, "at": at} for id in ("deck", *made) for at in _within(bench, id)]
    decks = list(dict.fromkeys(pick["feature"] for pick in keep))
    keep += [{"feature": w, "at": [0.37, 0.05]} for w in walls]
    cut = [face_ref(id) for id in decks]
    bench.add("cut", "trim_faces", faces=cut, by_faces=others, each_other=True, keep=keep)
    bench.add("floor", "cap", edges=[edge_ref(w, "v0") for w in walls])
    bench.aside = [id for id in ("deck", *made) if id not in decks]
    words = f"{kind} with draft {draft:.1f}°, {how}, {what}"
    if rng.random() < 0.5:
        return words
    section, radius = str(rng.choice(["ball", "g2", "g3"])), bench.between(0.02, 0.08) * min(size, height)
    edges = [e for id, _ in bench.faces() if id not in ("floor", *walls) for e in bench.edges(id) if "cut" in e["edge"]]
    bench.add("round", "fillet", edges=edges, faces=others, radius=radius, section=section)
    return f"{words}, {section} {radius:.2f} mm"


def _within(bench: Bench, id: str) -> list[list[float]]:
    """Fractions of a face's parameters at places well inside the rim."""
    rim, face = bench.kernel.now.world["rim"].shape.curves[0], bench.face(id)
    outline = shapely.Polygon(curve_points(rim, np.linspace(*rim.domain, 400))[:, :2]).buffer(-2)
    shares = np.stack(np.meshgrid(*[np.linspace(0.02, 0.98, _SAMPLES)] * 2), axis=2).reshape(-1, 2)
    low, high = np.transpose(face.surface.domain)
    u, v = (low + shares * (high - low)).T
    x, y, _ = surface_points(face.surface, u, v).T
    held = shares[inside(face, u, v) & shapely.contains_xy(outline, x, y)]
    return [list(at) for at in held[:: max(1, len(held) // _PICKS)].tolist()]


def _star(bench: Bench) -> str:
    """A prism with corners inward; every edge of its rim has a radius of its own."""
    rng = bench.rng
    n = int(rng.integers(5, 9))
    turns = np.linspace(0, 2 * np.pi, n, endpoint=False) + rng.uniform(-0.1, 0.1, n)
    far = np.where(np.arange(n) % 2 == 0, rng.uniform(45, 60, n), rng.uniform(20, 50, n))
    ring = np.column_stack([far * np.cos(turns), far * np.sin(turns), 0 * turns])
    rim = line(bench, "rim", np.vstack([ring, ring[:1]]), 1)
    draft = float(rng.choice([0.0, 0.0, bench.between(1, 8)]))
    walls = bench.add("wall", "extrude", curve=rim, forward=30.0, draft=draft)
    for id, side in (("lid", "v1"), ("floor", "v0")):
        bench.add(id, "cap", edges=[edge_ref(w, side) for w in walls])
    edges, section = bench.edges("lid"), str(rng.choice(["ball", "ball", "g2", "rho"]))
    radii = [bench.between(1, 5) for _ in edges]
    others = [face_ref(w) for w in walls]
    bench.add("round", "fillet", edges=edges, faces=others, radius=radii[0], radii=radii, section=section)
    return f"star of {n} with draft {draft:.1f}°, {section}"


if __name__ == "__main__":
    tried((_lined, _star))
