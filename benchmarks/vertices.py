"""Corners of bodies with freeform sides: three edges that meet are filleted at once, and the hole that stays is filled;
or one of them first, and then the two that run on over its end, by a smaller radius.

Usage: .venv/bin/python -m benchmarks.vertices [how many, or from-to]. Three waved and leaning blocks cut each other;
radii equal, unequal, or one twice the others; the hole filled G1, or G2 where the sections are. Read back by
OpenCASCADE: closed, valid, the figures along all edges of the patches.
"""

from __future__ import annotations

import contextlib
import io
import json
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_Transform
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakePrism
from OCP.gp import gp_Ax1, gp_Dir, gp_Trsf, gp_Vec
from OCP.STEPControl import STEPControl_StepModelType, STEPControl_Writer
from OCP.TopoDS import TopoDS
from scipy.interpolate import make_interp_spline

from benchmarks.growing import counted
from benchmarks.solids import SECTIONS, edges, point, sewn, turns, uneven
from pamble.cli.main import main as command
from pamble.core.faces.kernel import surface_to_kernel
from pamble.core.spline.surface import Surface
from tests import readback

_CORNER = 25.0
"""The waved sides meet near this place on all three axes, mm."""

_LEAST = 15.0
"""Least crease of an edge that is filleted, degrees."""

_MISS = 0.01, 0.05, 5.0
"""Gap mm, angle degrees, curvature % above which a seam of a patch counts as missed."""


def _block(rng: Any, amplitude: float, turn: tuple[gp_Dir, float] | None, way: list[float]) -> Any:
    """A block under a waved, leaning face, turned so that the face looks along an axis."""
    grid = np.linspace(-60, 60, 7)
    k, ph = rng.uniform(0.3, 1.1, 3) / 25, rng.uniform(0, 6, 3)
    x, y = np.meshgrid(grid, grid, indexing="ij")
    z = amplitude * (np.sin(k[0] * x + ph[0]) * np.cos(k[1] * y + ph[1]) + 0.4 * np.sin(k[2] * (x + y) + ph[2]))
    z = z + rng.uniform(-0.2, 0.2) * x + rng.uniform(-0.2, 0.2) * y
    degree, t = int(rng.choice([3, 5])), np.linspace(0, 1, 7)
    rows = make_interp_spline(t, np.stack([x, y, z], axis=-1), degree)
    both = make_interp_spline(t, rows.c.swapaxes(0, 1), degree)
    top = surface_to_kernel(Surface(degree, degree, rows.t, both.t, both.c.swapaxes(0, 1)))
    block = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(top, 1e-6).Face(), gp_Vec(0, 0, -90)).Shape()
    turned, moved = gp_Trsf(), gp_Trsf()
    if turn is not None:
        turned.SetRotation(gp_Ax1(point(0, 0, 0), turn[0]), turn[1])
    moved.SetTranslation(gp_Vec(*(_CORNER * np.array(way))))
    moved.Multiply(turned)
    return BRepBuilderAPI_Transform(block, moved, True).Shape()


def body(rng: Any) -> Any:
    amplitude = rng.uniform(0, 8) if rng.random() < 0.85 else 0.0
    made = BRepPrimAPI_MakeBox(point(-50, -50, -50), point(40, 40, 40)).Shape()
    ways = (
        ((gp_Dir(0, 1, 0), np.pi / 2), [1.0, 0, 0]),
        ((gp_Dir(1, 0, 0), -np.pi / 2), [0, 1.0, 0]),
        (None, [0, 0, 1.0]),
    )
    for turn, way in ways:
        made = BRepAlgoAPI_Common(made, _block(rng, amplitude, turn, way)).Shape()
    return made


def _meeting(shape: Any) -> tuple[Any, list[Any]]:
    """The vertex where the waved sides meet, and for each edge there a place on it and the crease."""
    ends = []
    for edge, beside in edges(shape):
        curve = BRepAdaptor_Curve(edge)
        low, high = curve.FirstParameter(), curve.LastParameter()
        for at, inside in ((low, 0.35), (high, 0.65)):
            p, q = curve.Value(at), curve.Value(low + inside * (high - low))
            ends.append((np.array([p.X(), p.Y(), p.Z()]), q, edge, beside))
    vertex = min((e[0] for e in ends), key=lambda p: float(np.linalg.norm(p - _CORNER)))
    found = []
    for at, q, edge, beside in ends:
        if np.linalg.norm(at - vertex) < 1e-4:
            found.append((f"{q.X()},{q.Y()},{q.Z()}", float(np.median(turns(edge, beside, np.linspace(0.2, 0.8, 5))))))
    return vertex, found


def said(*given: str) -> tuple[int, str]:
    """What a command prints: its figures, or its words where it is refused."""
    out, wrong = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(wrong):
        code = command(list(given))
    return code, wrong.getvalue().strip() if code else out.getvalue()


def figures(shape: Any, patches: int) -> tuple[float, float, float]:
    """Worst gap mm, angle degrees and curvature % along all edges of the last faces that two faces share smoothly."""
    faces = readback.explored(shape, readback.TopAbs_ShapeEnum.TopAbs_FACE)
    last, worst = faces[len(faces) - patches :], np.zeros(3)
    for edge, beside in edges(shape):
        if len(beside) != 2 or not any(f.IsSame(p) for f in beside for p in last):
            continue
        first, second = (TopoDS.Face(f) for f in beside)
        own = readback.explored(first, readback.TopAbs_ShapeEnum.TopAbs_EDGE)
        number = next(i for i, e in enumerate(own) if e.IsSame(edge))
        if BRep_Tool.Degenerated_s(edge):
            continue
        f = readback.seam(first, second, number, 1e-2, 25)
        worst = np.maximum(worst, (f.gap, f.angle, f.curvature))
    return float(worst[0]), float(worst[1]), float(worst[2])


def _at_once(rng: Any, before: Path, vertex: Any, places: list[str]) -> tuple[str, str]:
    """Three edges filleted, and the hole filled: how it came out, and what it is."""
    rounded, filled = (before.with_stem(f"{before.stem}-{step}") for step in ("rounded", "filled"))
    radius, how = rng.uniform(2, 8), str(rng.choice(["equal", "unequal", "unequal", "one wide"]))
    share = {"equal": [1, 1, 1], "unequal": rng.uniform(0.5, 1.5, 3), "one wide": [1, 1, 2]}[how]
    radii, section = [float(radius * s) for s in share], str(rng.choice(SECTIONS))
    what = f"{how} {section}, {', '.join(f'{r:.2f}' for r in radii)} mm"
    code, words = _fillet(before, places, section, radii, rounded)
    if code:
        return "refused", f"{what}: {words}"
    notes, miss = json.loads(words)["warnings"], ""
    if not json.loads(words)["corners_left"]:
        return _judged(rounded, what, notes)
    continuity = "G2" if section in ("g2", "g3") else "G1"
    place = ",".join(map(str, vertex))
    code, words = said("fill", str(rounded), "--at", place, "--continuity", continuity, "-o", str(filled), "--json")
    if code:
        return "fill refused", f"{what}: {words}"
    count = len(readback.faces(filled)) - len(readback.faces(rounded))
    gap, angle, curvature = figures(sewn(str(filled))[0], count)
    if gap > _MISS[0] or angle > _MISS[1] or (continuity == "G2" and curvature > _MISS[2]):
        miss = f"{gap:.4f} mm {angle:.3f}° {curvature:.1f} %"
    return _judged(filled, f"{what}, filled {continuity} by {count}", notes + json.loads(words)["warnings"], miss)


def _in_turn(rng: Any, before: Path, _: Any, places: list[str]) -> tuple[str, str]:
    """One edge filleted, and then those that run on over its end: how it came out, and what it is."""
    order = [places[i] for i in rng.permutation(3)]
    steps = [before.with_stem(f"{before.stem}-{step}") for step in ("one", "two")]
    radius, notes, what = rng.uniform(3, 9), list[str](), list[str]()
    radii, given = (radius, radius * rng.uniform(0.3, 0.8)), before
    for place, r, out in zip(order[:2], radii, steps, strict=True):
        section = str(rng.choice(SECTIONS))
        what.append(f"{section} {r:.2f} mm")
        code, words = _fillet(given, [place], section, [float(r)], out)
        if code:
            return "refused", f"{' then '.join(what)}: {words}"
        given, notes = out, notes + json.loads(words)["warnings"]
    return _judged(given, " then ".join(what), notes)


def _fillet(path: Path, places: list[str], section: str, radii: list[float], out: Path) -> tuple[int, str]:
    given = ["fillet", str(path), "--section", section, "-o", str(out), "--json", "--radius", *map(str, radii)]
    return said(*given, *(word for place in places for word in ("--edge", place)))


def _judged(path: Path, what: str, notes: list[str], miss: str = "") -> tuple[str, str]:
    made, free = sewn(str(path))
    what += f" {notes}" if notes else ""
    if free:
        return "open", f"{what}: {free} free edges"
    if not BRepCheck_Analyzer(made).IsValid():
        return "invalid", what
    bent = uneven(made)
    miss = miss or (f"uneven by {bent:.3f}°" if bent > _MISS[1] else "")
    return ("missed", f"{what}: {miss}") if miss else ("closed", what)


def one(seed: int, folder: Path) -> tuple[str, str]:
    """How the corner of a seed came out, and what it is."""
    rng = np.random.default_rng(seed)
    shape = body(rng)
    vertex, at = _meeting(shape)
    if len(at) != 3 or min(crease for _, crease in at) < _LEAST:
        return "no corner", ""
    before = folder / f"{seed}.step"
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_StepModelType.STEPControl_AsIs)
    writer.Write(str(before))
    return (_at_once, _in_turn)[seed % 2](rng, before, vertex, [place for place, _ in at])


if __name__ == "__main__":
    counted(one)
