"""Blends from hole to hole between two freeform faces, by `pamble blend`, read back by OpenCASCADE.

Usage: .venv/bin/python -m benchmarks.tunnels [how many, or from-to]. Two faces of degree 3 to 5 with up to six spans
each way, one above the other, waved and leaning; in each a hole: a circle, an ellipse, a rounded rectangle, a rectangle
with round ends or a closed spline, mostly of unlike kinds, sizes and places; G1 to G3.
"""

from __future__ import annotations

import contextlib
import io
import json
import time
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.gp import gp_Ax2, gp_Dir, gp_Elips, gp_Vec
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS

from benchmarks.holes import above, panel
from benchmarks.pads import outline
from benchmarks.solids import UP, asked, point, wire
from pamble.cli.main import main as pamble
from pamble.core.exchange.step import write_step
from pamble.core.faces.kernel import surface_to_kernel
from tests import readback

_DEEP = 1e3
_HOLDS = 0.002, 0.006, 0.6
"""Gap mm, angle degrees, curvature %."""


def rim(rng: Any, size: float, at: Any) -> tuple[str, Any]:
    """Name and wire of an outline below the part."""
    if rng.random() < 0.6:
        return "outline", outline(rng, size)(1.0, -_DEEP, at)
    turn, flat = rng.uniform(0, 3), float(rng.choice([1.0, rng.uniform(0.5, 0.85)]))
    axes = gp_Ax2(point(*at, -_DEEP), UP, gp_Dir(np.cos(turn), np.sin(turn), 0))
    return "ellipse" if flat < 1 else "circle", wire(BRepBuilderAPI_MakeEdge(gp_Elips(axes, size, flat * size)).Edge())


def pair(seed: int) -> tuple[int, list[str], list[Any], list[Any], float]:
    """Order asked for, names of the holes, both faces with them, a place on each rim, and the size of the part."""
    rng = np.random.default_rng(seed)
    names, faces, places = list[str](), list[Any](), list[Any]()
    size, surface = panel(rng)
    wide, high = rng.uniform(0.12, 0.25), rng.uniform(0.3, 0.7)
    for k in range(2):
        if k:
            own, surface = panel(rng)
            surface = surface.with_control(surface.control * (size / own) + np.array([0, 0, high * size]))
        geometry = surface_to_kernel(surface)
        name, loop = rim(rng, size * wide * rng.uniform(0.8, 1.2), size * (0.5 + rng.uniform(-0.05, 0.05, 2)))
        body = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(loop).Face(), gp_Vec(0, 0, 2 * _DEEP)).Shape()
        cut = BRepAlgoAPI_Cut(BRepBuilderAPI_MakeFace(geometry, 1e-7).Face(), body).Shape()
        faces += readback.explored(cut, TopAbs_ShapeEnum.TopAbs_FACE)
        along = TopoDS.Edge(readback.explored(loop, TopAbs_ShapeEnum.TopAbs_EDGE)[0])
        places.append(above(along, geometry)[10])
        names.append(name)
    return int(rng.integers(1, 4)), names, faces, places, size


def trial(seed: int, folder: Path) -> str:
    """What became of one: it holds, misses, folds or is refused; says how well it does."""
    order, names, faces, places, size = pair(seed)
    before, after = folder / "before.step", folder / "after.step"
    write_step([(f"face {i}", f) for i, f in enumerate(faces)], before)
    given = ["blend", str(before), "--chain", "--continuity", f"G{order},G{order}", "-o", str(after), "--json"]
    for place in places:
        given += ["--edge", ",".join(f"{x:.4f}" for x in place)]
    said, wrong, start = io.StringIO(), io.StringIO(), time.perf_counter()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(wrong):
        code = pamble(given)
    words = f"{seed:4d} {' to '.join(names)} G{order} {time.perf_counter() - start:4.1f} s"
    if code:
        print(words, wrong.getvalue().strip(), flush=True)
        return "refused"
    *around, made = readback.faces(after)
    seams = [readback.nearest_seam(made, face, 1 / size, 80) for face in around]
    worst = np.array([[s.gap, s.angle, s.curvature] for s in seams]).max(axis=0)
    told = json.loads(said.getvalue())
    out = "holds" if (worst <= _HOLDS)[: 2 + (order > 1)].all() else "misses"
    out = "folds" if any("folds" in w for w in told["warnings"]) else out
    full = "{:.2f} {:.2f} full".format(*told["fullness"])
    print(words, told["blend"]["cvs"], full, "{:.5f} mm {:.4f}° {:.2f} %".format(*worst), out, flush=True)
    return out


if __name__ == "__main__":
    first, last = asked()
    with TemporaryDirectory() as made:
        results = [trial(seed, Path(made)) for seed in range(first, last)]
    print(", ".join(f"{results.count(k)} {k}" for k in ("holds", "misses", "folds", "refused")))
