"""Studies that grow step by step, for trials: profiles, caps, and what becomes of the exported body."""

from __future__ import annotations

import tempfile
import time
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BRepCheck import BRepCheck_Analyzer

from benchmarks.solids import asked, sewn
from pamble.core.checks.body import body_of
from pamble.core.errors import PambleError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face
from pamble.study.kernel import Kernel
from tests.other_library import shape_area

_SAME = 2e-5
"""Share by which OpenCASCADE's area may be another: it errs by so much on walls whose rims wave."""

Ref = dict[str, str]


class Refused(Exception):
    """A step that could not be built, in its words."""


@dataclass
class Bench:
    """A study that grows step by step. aside: faces that are no part of the body."""

    rng: np.random.Generator
    kernel: Kernel = field(default_factory=lambda: Kernel({"name": "Grown", "features": []}))
    aside: Sequence[str] = ()

    def add(self, id: str, kind: str, **params: Any) -> list[str]:
        """Adds a step; the ids of the objects that it makes."""
        step = {"id": id, "kind": kind, "name": id.title(), "role": "primary", "params": params}
        self.kernel.commit({"op": "add_features", "features": [step], "at": None})
        problem = self.kernel.now.states[id].problem
        if problem:
            raise Refused(f"{kind}: {problem}")
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
        made = ((i, s.shape.face) for i, s in self.kernel.now.world.items())
        return [(i, face) for i, face in made if face is not None and i not in self.aside]


def polygon(bench: Bench, height: float) -> dict[str, Any]:
    count = int(bench.rng.integers(3, 7))
    t = np.linspace(0, 2 * np.pi, count, endpoint=False) + bench.rng.uniform(-0.15, 0.15, count)
    r = bench.rng.uniform(35, 55, count)
    ring = np.column_stack([r * np.cos(t), r * np.sin(t), np.full(count, height)])
    return {"curve": {"degree": 1, "control": np.vstack([ring, ring[:1]]).tolist()}}


def profile(bench: Bench, id: str, height: float, grown: float, kinds: Sequence[str]) -> tuple[str, float]:
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
    bench.add(id, "cv_curve", **polygon(bench, height))
    return kind, 40.0


def capped(bench: Bench, walls: Sequence[str]) -> None:
    for id, side in (("lid", "v1"), ("floor", "v0")):
        bench.add(id, "cap", edges=[{"feature": w, "edge": side} for w in walls])


Kind = Callable[[Bench], str]
"""Builds a body; what it is, in words."""


def one(seed: int, kinds: Sequence[Kind], folder: Path) -> tuple[str, str]:
    """How the body of a seed came out, and what it is."""
    bench = Bench(np.random.default_rng(seed))
    try:
        what = kinds[seed % len(kinds)](bench)
    except (Refused, PambleError) as words:
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


def tried(kinds: Sequence[Kind]) -> None:
    """Bodies of the seeds that the command line asks for."""
    counted(lambda seed, folder: one(seed, kinds, folder))


def counted(trial: Callable[[int, Path], tuple[str, str]]) -> None:
    """Trials of the seeds that the command line asks for, counted by how they came out."""
    count = Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(*asked(30)):
            start = time.perf_counter()
            how, what = trial(seed, Path(folder))
            count[how] += 1
            if how != "closed":
                print(f"  {how}: {seed} {what}, {time.perf_counter() - start:.1f} s", flush=True)
    print(", ".join(f"{n} {how}" for how, n in count.most_common()))
