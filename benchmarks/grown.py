"""Bodies that grow from a curve in a study: a profile extruded, revolved or lofted, capped, its edges filleted.

Usage: .venv/bin/python -m benchmarks.grown [how many, or from-to]. Each is exported, read back, sewn and checked by
OpenCASCADE: closed, valid, and of the areas that Pamble tells.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BRepCheck import BRepCheck_Analyzer

from benchmarks.solids import sewn
from pamble.core.checks.body import body_of
from pamble.core.errors import PambleError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face
from pamble.study.kernel import Kernel
from tests.other_library import shape_area

_SAME = 1e-6
"""Share by which OpenCASCADE's area may be another."""

Ref = dict[str, str]


class _Refused(Exception):
    """A step that could not be built, in its words."""


@dataclass
class _Bench:
    """A study that grows step by step."""

    rng: np.random.Generator
    kernel: Kernel = field(default_factory=lambda: Kernel({"name": "Grown", "features": []}))

    def add(self, id: str, kind: str, **params: Any) -> list[str]:
        """Adds a step; the ids of the objects that it makes."""
        step = {"id": id, "kind": kind, "name": id.title(), "role": "primary", "params": params}
        self.kernel.commit({"op": "add_features", "features": [step], "at": None})
        problem = self.kernel.now.states[id].problem
        if problem:
            raise _Refused(f"{kind}: {problem}")
        return [i for i in self.kernel.now.world if i.split("/")[0] == id]

    def face(self, id: str) -> Face:
        face = self.kernel.now.world[id].shape.face
        assert face is not None
        return face

    def edges(self, id: str) -> list[Ref]:
        return [{"feature": id, "edge": e.name} for e in self.face(id).edges]

    def between(self, low: float, high: float) -> float:
        return float(self.rng.uniform(low, high))

    def faces(self) -> list[tuple[str, Face]]:
        return [(i, s.shape.face) for i, s in self.kernel.now.world.items() if s.shape.face is not None]


def _polygon(bench: _Bench, height: float) -> dict[str, Any]:
    count = int(bench.rng.integers(3, 7))
    t = np.linspace(0, 2 * np.pi, count, endpoint=False) + bench.rng.uniform(-0.15, 0.15, count)
    r = bench.rng.uniform(35, 55, count)
    ring = np.column_stack([r * np.cos(t), r * np.sin(t), np.full(count, height)])
    return {"curve": {"degree": 1, "control": np.vstack([ring, ring[:1]]).tolist()}}


def _profile(bench: _Bench, id: str, height: float, grown: float, kinds: Sequence[str]) -> tuple[str, float]:
    """A closed profile at a height, and how wide it is."""
    kind, flat = str(bench.rng.choice(kinds)), {"centre": [0, 0, height], "normal": [0, 0, 1.0]}
    if kind == "rectangle":
        w, h = grown * bench.between(50, 140), grown * bench.between(35, 90)
        corner = bench.between(0.1, 0.4) * min(w, h)
        bench.add(id, "rectangle", **flat, width=w, height=h, corner=corner)
        return kind, min(w, h)
    if kind == "ellipse":
        a, b = grown * bench.between(25, 70), grown * bench.between(25, 60)
        bench.add(id, "ellipse", **flat, radius=a, second=b)
        return kind, 2 * min(a, b) ** 2 / max(a, b)
    if kind == "spline":
        count = int(bench.rng.integers(5, 9))
        t, r = np.linspace(0, 2 * np.pi, count, endpoint=False), bench.rng.uniform(30, 45, count)
        points = np.column_stack([r * np.cos(t), r * np.sin(t), np.full(count, height)])
        bench.add(id, "point_curve", points=points.tolist(), closed=True)
        return kind, 40.0
    bench.add(id, "cv_curve", **_polygon(bench, height))
    return kind, 40.0


def _capped(bench: _Bench, walls: Sequence[str]) -> None:
    for id, side in (("lid", "v1"), ("floor", "v0")):
        bench.add(id, "cap", edges=[{"feature": w, "edge": side} for w in walls])


def _extruded(bench: _Bench) -> str:
    kind, size = _profile(bench, "rim", 0.0, 1.0, ("rectangle", "ellipse", "spline", "polygon"))
    draft = float(bench.rng.choice([0.0, bench.between(1, 10), -bench.between(1, 6)]))
    height = bench.between(0.2, 0.8) * size
    walls = bench.add("wall", "extrude", curve={"feature": "rim", "edge": "c0"}, forward=height, draft=draft)
    _capped(bench, walls)
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


def _revolved(bench: _Bench) -> str:
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


def _lofted(bench: _Bench) -> str:
    first, _ = _profile(bench, "one", 0.0, 1.0, ("rectangle", "ellipse"))
    second, size = _profile(bench, "two", bench.between(20, 60), 0.7, ("rectangle", "ellipse"))
    walls = bench.add("wall", "loft", sections=[{"feature": "one", "edge": "c0"}, {"feature": "two", "edge": "c0"}])
    _capped(bench, walls)
    section, radius = str(bench.rng.choice(["ball", "g2", "g3", "rho"])), bench.between(0.01, 0.08) * size
    others = [{"feature": w} for w in walls]
    bench.add("round", "fillet", edges=bench.edges("lid"), faces=others, radius=radius, section=section)
    return f"loft of {first} and {second}, rim {section} {radius:.2f} mm"


_KINDS = (_extruded, _revolved, _lofted)


def one(seed: int, folder: Path) -> tuple[str, str]:
    """How the body of a seed came out, and what it is."""
    bench = _Bench(np.random.default_rng(seed))
    try:
        what = _KINDS[seed % 3](bench)
    except (_Refused, PambleError) as words:
        return "refused", str(words)
    faces = bench.faces()
    body = body_of([face for _, face in faces])
    path = folder / f"{seed}.step"
    write_step(faces, str(path))
    shape, free = sewn(str(path))
    if free or not body.closed:
        return "open", f"{what}: {free} free edges"
    if not BRepCheck_Analyzer(shape).IsValid():
        return "invalid", what
    if abs(shape_area(shape) - body.area) > _SAME * body.area:
        return "of another area", what
    return "closed", what


def main() -> None:
    asked = sys.argv[1] if len(sys.argv) > 1 else "30"
    first, last = (int(x) for x in asked.split("-")) if "-" in asked else (0, int(asked))
    count = Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(first, last):
            start = time.perf_counter()
            how, what = one(seed, Path(folder))
            count[how] += 1
            if how != "closed":
                print(f"  {how}: {seed} {what}, {time.perf_counter() - start:.1f} s")
    print(", ".join(f"{n} {how}" for how, n in count.most_common()))


if __name__ == "__main__":
    main()
