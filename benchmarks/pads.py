"""Pads with smooth outlines, an edge of each filleted: what closes, what is refused, and what OpenCASCADE makes.

Usage: .venv/bin/python -m benchmarks.pads [how many, or from-to]. A rounded rectangle, a rectangle with round ends or
a closed spline is drawn up straight or lofted to a smaller or larger one, mostly crowned by a freeform face, with a
pocket or a boss of such an outline; now and then another body cuts it. One sharp edge is taken by lot: mostly a rim
that runs on over several faces that meet in a jump of curvature.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from typing import Any

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_Transform
from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.GC import GC_MakeArcOfCircle
from OCP.gp import gp_Trsf, gp_Vec
from scipy.interpolate import CubicSpline, make_interp_spline

from benchmarks.solids import asked, point, report, tool, wavy_block, wire
from pamble.core.faces.kernel import curve_to_kernel
from pamble.core.spline.curve import Curve

Outline = Callable[[float, float, Any], Any]
"""A closed wire: at a size, a height and a place (2,)."""


def rows(corners: Any, radius: float) -> Any:
    """A wire of lines and arcs round the corners (n, 3) of a convex outline."""
    edges = []
    near = []
    for before, here, after in zip(np.roll(corners, 1, 0), corners, np.roll(corners, -1, 0), strict=True):
        a, b = (here + radius * (p - here) / np.linalg.norm(p - here) for p in (before, after))
        way = 0.5 * (a + b) - here
        middle = here + way * (np.sqrt(2.0) - 1.0) * np.sqrt(2.0)
        near.append((a, b))
        edges.append(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(*(point(*p) for p in (a, middle, b))).Value()).Edge())
    out = []
    for k, ((_, b), (a, _)) in enumerate(pairwise([*near, near[0]])):
        out.append(edges[k])
        if np.linalg.norm(a - b) > 1e-6:
            out.append(BRepBuilderAPI_MakeEdge(point(*b), point(*a)).Edge())
    return wire(*out)


def spline(radii: Any, size: float, z: float, at: Any) -> Any:
    """A wire of one closed spline through places at radii round the middle."""
    count = len(radii)
    turn = 2 * np.pi * np.arange(count + 1) / count
    r = size * np.append(radii, radii[0])
    places = np.stack([at[0] + r * np.cos(turn), at[1] + r * np.sin(turn), np.full(count + 1, z)], axis=1)
    places[-1] = places[0]
    t = np.append(0, np.cumsum(np.linalg.norm(np.diff(places, axis=0), axis=1)))
    way = CubicSpline(t, places, bc_type="periodic")(0, 1)
    made = make_interp_spline(t, places, 3, bc_type=([(1, way)], [(1, way)]))
    return wire(BRepBuilderAPI_MakeEdge(curve_to_kernel(Curve(3, made.t, made.c))).Edge())


def outline(rng: Any, size: float) -> Outline:
    kind, turn = int(rng.integers(3)), float(rng.uniform(0, 3))
    if kind == 2:
        radii = size * rng.uniform(0.65, 1, int(rng.integers(5, 9)))
        return lambda scale, z, at: spline(radii, scale, z, at)
    w, h = size * rng.uniform(0.6, 1.1), size * rng.uniform(0.3, 0.8)
    r = min(w, h) * (rng.uniform(0.2, 0.7) if kind == 0 else 1.0)
    way = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    corners = np.array([(-w, -h), (w, -h), (w, h), (-w, h)]) @ way
    return lambda scale, z, at: rows(np.column_stack([scale * corners + at, np.full(4, z)]), scale * r)


def slab(of: Outline, low: float, high: float, scale: float, at: Any = (0.0, 0.0)) -> Any:
    if scale == 1:
        face = BRepBuilderAPI_MakeFace(of(1.0, low, at)).Face()
        return BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, high - low)).Shape()
    made = BRepOffsetAPI_ThruSections(True, True, 1e-5)
    made.AddWire(of(1.0, low, at))
    made.AddWire(of(scale, high, at))
    made.Build()
    return made.Shape()


def pad(seed: int) -> tuple[Any, str, Any]:
    """Numbers drawn on, name and shape of one pad."""
    rng = np.random.default_rng(seed)
    scale, top = float(rng.choice([1, 1, 0.8, 0.9, 1.1])), float(rng.uniform(15, 30))
    body, words = slab(outline(rng, 34.0), 0.0, top, scale), [f"pad x {scale:g}"]
    if rng.random() < 0.6:
        up = gp_Trsf()
        up.SetTranslation(gp_Vec(0, 0, top - 6))
        body = BRepAlgoAPI_Common(body, BRepBuilderAPI_Transform(wavy_block(rng), up).Shape()).Shape()
        words.append("crowned")
    if rng.random() < 0.7:
        inner, at = outline(rng, float(rng.uniform(10, 20))), rng.uniform(-8, 8, 2)
        lean = float(rng.choice([1, 0.85, 1.15]))
        if rng.random() < 0.55:
            body = BRepAlgoAPI_Cut(body, slab(inner, top - 14, top + 20, lean, at)).Shape()
            words.append("with a pocket")
        else:
            body = BRepAlgoAPI_Fuse(body, slab(inner, 5.0, top + 12, lean, at)).Shape()
            words.append("with a boss")
    if rng.random() < 0.3:
        name, shape = tool(rng)
        body = BRepAlgoAPI_Cut(body, shape).Shape()
        words.append(f"cut by {name}")
    return rng, " ".join(words), body


if __name__ == "__main__":
    report(pad, (0.5, 1, 2, 3), *asked())
