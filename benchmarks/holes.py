"""Holes cut into freeform faces and filled by `pamble patch`: figures read back by OpenCASCADE against the face before.

Usage: .venv/bin/python -m benchmarks.holes [how many, or from-to] [parted]. A face of degree 3 to 5, one to six spans
each way; three or four sides, straight, bowed or like an S; the face in one piece with the hole, or cut into one
piece for each side, or ``parted`` anywhere, so that sides run along several pieces; G1 to G3.
"""

from __future__ import annotations

import contextlib
import io
import json
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.Geom import Geom_Line
from OCP.GeomAPI import GeomAPI_IntCS
from OCP.gp import gp_Dir, gp_Vec
from OCP.TopAbs import TopAbs_ShapeEnum
from scipy.interpolate import make_interp_spline

from benchmarks.solids import asked, point, wire
from pamble.cli.main import main as pamble
from pamble.core.exchange.step import write_step
from pamble.core.faces.kernel import curve_to_kernel, surface_to_kernel
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface
from tests import readback

_DEEP = 1e3
_HOLDS = 0.002, 0.005, 0.6
"""Gap mm, angle degrees, curvature %."""


def panel(rng: Any) -> tuple[float, Surface]:
    """A face, and its size in mm."""
    size = rng.uniform(60, 300)
    knots = []
    for _ in range(2):
        degree, spans = int(rng.integers(3, 6)), int(rng.integers(1, 7))
        breaks = np.linspace(0, 1, spans + 1)
        breaks[1:-1] += rng.uniform(-0.25, 0.25, spans - 1) / spans
        knots.append((degree, basis.knots_from_breaks(breaks, degree)))
    (p, ku), (q, kv) = knots
    u, v = np.meshgrid(*(basis.greville(k, d) for d, k in knots), indexing="ij")
    f, a = rng.uniform(0.3, 1.3, 2), rng.uniform(0, 6, 3)
    height = np.sin(2 * np.pi * f[0] * u + a[0]) + np.cos(2 * np.pi * f[1] * v + a[1]) + 0.5 * np.sin(3 * u * v + a[2])
    x, y = u + 0.05 * np.sin(3 * v + a[0]), v + 0.05 * np.sin(3 * u + a[1])
    return size, Surface(p, q, ku, kv, size * np.stack([x, y, rng.uniform(0.02, 0.2) * height], axis=-1))


def side(a: Any, b: Any, bulge: float = 0.0, waves: int = 0) -> Any:
    """An edge from a to b (2,), below the part. waves: 0 straight, 1 bowed, 2 like an S."""
    t = np.linspace(0, 1, 7)
    swing = bulge * np.sin(np.pi * waves * t)
    places = np.column_stack([a + np.outer(t, b - a) + np.outer(swing, ((a - b)[1], (b - a)[0])), np.full(7, -_DEEP)])
    if waves == 0:
        return BRepBuilderAPI_MakeEdge(point(*places[0]), point(*places[-1])).Edge()
    made = make_interp_spline(t, places, 3)
    return BRepBuilderAPI_MakeEdge(curve_to_kernel(Curve(3, made.t, made.c))).Edge()


def upright(edges: list[Any]) -> Any:
    return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire(*edges)).Face(), gp_Vec(0, 0, 2 * _DEEP)).Shape()


def holed(seed: int, parted: bool = False) -> tuple[int, Surface, list[Any], list[Any], float]:
    """Order asked for, the face before, its pieces, edges below the sides, and the face's size."""
    rng = np.random.default_rng(seed)
    size, surface = panel(rng)
    count = int(rng.choice([3, 4, 4]))
    middle, r = size * rng.uniform(0.4, 0.6, 2), size * rng.uniform(0.1, 0.3)
    turn = rng.uniform(0, 6) + 2 * np.pi * (np.arange(count) + rng.uniform(-0.18, 0.18, count)) / count
    tips = middle + r * np.column_stack([np.cos(turn), rng.uniform(0.6, 1) * np.sin(turn)])
    ahead = np.roll(tips, -1, axis=0)
    bulges, waves = rng.uniform(-0.12, 0.12, count), rng.integers(0, 3, count)
    edges = [side(*x) for x in zip(tips, ahead, bulges.tolist(), waves.tolist(), strict=True)]
    whole = BRepBuilderAPI_MakeFace(surface_to_kernel(surface), 1e-7).Face()
    cut = BRepAlgoAPI_Cut(whole, upright(edges)).Shape()
    rays = tips if rng.random() < 0.6 else tips[:0]
    if parted:
        many = int(rng.integers(2, 5))
        at = rng.uniform(0, 6) + 2 * np.pi * (np.arange(many) + rng.uniform(-0.2, 0.2, many)) / many
        rays = middle + size * np.column_stack([np.cos(at), np.sin(at)])
    sectors = []
    for a, b in zip(rays, np.roll(rays, -1, axis=0), strict=True):
        c = [middle, *(middle + 20 * x for x in _fan(a - middle, b - middle))]
        sectors.append(upright([side(x, y) for x, y in zip(c, [*c[1:], c[0]], strict=True)]))
    shapes = [BRepAlgoAPI_Common(cut, s).Shape() for s in sectors]
    pieces = [f for s in shapes for f in readback.explored(s, TopAbs_ShapeEnum.TopAbs_FACE)]
    if not pieces or len(pieces) != len(rays):
        pieces = readback.explored(cut, TopAbs_ShapeEnum.TopAbs_FACE)
    return int(rng.integers(1, 4)), surface, pieces, edges, size


def _fan(a: Any, b: Any) -> list[Any]:
    """Ways (2,) from one to another round the left."""
    turn = np.arctan2(a[0] * b[1] - a[1] * b[0], a @ b) % (2 * np.pi)
    turns = np.linspace(0, turn, 4)
    return [np.array([np.cos(t) * a[0] - np.sin(t) * a[1], np.sin(t) * a[0] + np.cos(t) * a[1]]) for t in turns]


def above(edge: Any, geometry: Any) -> Any:
    """Places (21, 3) of the face over an edge, by OpenCASCADE's own crossing of it with upright lines."""
    curve, out = BRepAdaptor_Curve(edge), []
    for t in np.linspace(curve.FirstParameter(), curve.LastParameter(), 21):
        crossing = GeomAPI_IntCS(Geom_Line(curve.Value(t), gp_Dir(0, 0, 1)), geometry)
        at = crossing.Point(1)
        out.append((at.X(), at.Y(), at.Z()))
    return np.array(out)


def beside(mine: Any, theirs: Any, place: Any, way: Any, size: float) -> tuple[float, float]:
    """Angle in degrees and mismatch of the curvature in % of two surfaces at a place, square to a way along both."""
    a, b = readback.frame(mine, place), readback.frame(theirs, place)
    across = np.cross(b[1], way)
    k, want = readback.curvature(a, across) * np.sign(a[1] @ b[1]), readback.curvature(b, across)
    angle = np.degrees(np.arcsin(min(1.0, float(np.linalg.norm(np.cross(a[1], b[1]))))))
    return float(angle), float(100 * abs(k - want) / max(abs(want), 1 / size))


def read(path: Path, geometry: Any, rows: list[Any], size: float) -> Any:
    """Worst gap, angle and mismatch of the curvature across the sides, between the last face of a file and the face
    before.
    """
    patch = readback.faces(path)[-1]
    mine, worst = BRep_Tool.Surface_s(patch), np.zeros(3)
    for row in rows:
        along = np.gradient(row, axis=0)
        for place, way in zip(row, along, strict=True):
            angle, off = beside(mine, geometry, place, way, size)
            worst = np.maximum(worst, [readback.distance(patch, place), angle, off])
    return worst


def trial(seed: int, folder: Path, parted: bool) -> bool:
    """Whether the patch holds; says how well it does."""
    order, surface, pieces, edges, size = holed(seed, parted)
    geometry = surface_to_kernel(surface)
    rows = [above(e, geometry) for e in edges]
    before, after = folder / "before.step", folder / "after.step"
    write_step([(f"piece {i}", f) for i, f in enumerate(pieces)], before)
    given = ["patch", str(before), "--continuity", f"G{order}", "-o", str(after), "--json"]
    for row in rows:
        given += ["--edge", ",".join(f"{x:.4f}" for x in row[8 if parted else 10])]
    said, wrong, start = io.StringIO(), io.StringIO(), time.perf_counter()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(wrong):
        code = pamble(given)
    words = f"{seed:4d} {len(edges)} sides G{order} {time.perf_counter() - start:5.1f} s"
    if code:
        print(words, wrong.getvalue().strip())
        return False
    worst = read(after, geometry, rows, size)
    told = json.loads(said.getvalue())["patch"]
    holds = bool((worst <= _HOLDS)[: 2 + (order > 1)].all())
    kind = "trimmed" if told["trimmed"] else ""
    print(words, told["cvs"], kind, "{:.5f} mm {:.4f}° {:.2f} %".format(*worst), "" if holds else "MISSES", flush=True)
    return holds


if __name__ == "__main__":
    first, last = asked()
    with TemporaryDirectory() as made:
        results = [trial(seed, Path(made), "parted" in sys.argv) for seed in range(first, last)]
    print(f"{sum(results)} of {len(results)} hold")
