"""Corners: holes of three to eight sides laid out in patches; times, figures, and how far off the known shape they lie.

Usage: .venv/bin/python -m benchmarks.corners [how many random ones]. OpenCASCADE's own filling of the same holes, G1,
in the same run.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Sequence

import numpy as np
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakeFilling
from OCP.GeomAbs import GeomAbs_Shape
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS

from benchmarks.timing import line, median
from pamble.core.corners.corner import LaidOut, lay_out
from pamble.core.faces.face import Edge
from pamble.core.faces.to_shape import face_to_shape
from pamble.core.patches.loop import Asked
from pamble.core.patches.trimmed import trimmed_patch
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.surface import Surface
from tests import readback
from tests.core.corners.test_corners import ball, ellipsoid, enneper, torus
from tests.core.patches.grounds import ground, hole
from tests.core.patches.test_hole import pierced
from tests.core.trace.panels import interpolated


def asked(edges: Sequence[Edge]) -> list[Asked]:
    """G2 to every side."""
    return [Asked(e, 2) for e in edges]


def figures(made: LaidOut) -> tuple[float, float, float]:
    """Worst gap mm, angle degrees, curvature %, seams inside included."""
    rows = [*made.sides, *made.inside]
    return max(r.gap for r in rows), max(r.angle or 0 for r in rows), max(r.curvature or 0 for r in rows)


def off(made: LaidOut, known: Surface) -> float:
    """Largest distance of the patches from the shape that the hole was cut from, mm."""
    t = np.linspace(0, 1, 9)
    cloud = np.vstack([surface_grid(f.surface, t, t)[0, 0].reshape(-1, 3) for f in made.faces])
    return float(to_surface(known, cloud).distance.max())


def filled_by_opencascade(edges: Sequence[Edge], known: Surface) -> tuple[float, str]:
    """Milliseconds of OpenCASCADE's filling with tangency, and its figures."""
    panel = TopoDS.Face(face_to_shape(pierced(known, list(edges))))
    rim = readback.explored(panel, TopAbs_ShapeEnum.TopAbs_EDGE)[-len(edges) :]
    start = time.perf_counter()
    filling = BRepOffsetAPI_MakeFilling()
    for edge in rim:
        filling.Add(TopoDS.Edge(edge), panel, GeomAbs_Shape.GeomAbs_G1, True)
    filling.Build()
    ms = 1e3 * (time.perf_counter() - start)
    return (
        ms,
        f"gap {filling.G0Error():.5f} mm, angle {np.degrees(filling.G1Error()):.4f}°"
        if filling.IsDone()
        else "no answer",
    )


def sides() -> None:
    """A freeform panel with holes of three to eight sides."""
    known = ground(1, 60)
    for count in range(3, 9):
        edges = hole(known, count, bulge=0.08 if count < 7 else 0.03)
        made = lay_out(asked(edges), 500.0)
        gap, angle, curvature = figures(made)
        ms, theirs = filled_by_opencascade(edges, known)
        line(f"{count} sides, laid out and measured", median(lambda e=edges: lay_out(asked(e), 500.0), 3), ms)
        print(
            f"  {made.layout.name.split(':')[0]}, spans {made.tried[0].spans}: gap {gap:.5f} mm, angle {angle:.4f}°, "
            f"curvature {curvature:.2f} %, off the shape {off(made, known):.4f} mm; OpenCASCADE {ms:.0f} ms, {theirs}"
        )
        line("  one trimmed patch", median(lambda e=edges: trimmed_patch(asked(e), 500.0), 3), ms)


def random(count: int) -> None:
    """Holes at random in balls, ellipsoids, tori, Enneper's surface and freeform panels."""
    rng = np.random.default_rng(11)
    shapes: list[Callable[..., np.ndarray]] = [ball, ellipsoid, torus, enneper]
    within, near, failed, shape_off = 0, 0, 0, []
    for i in range(count):
        known = ground(i, rng.uniform(20, 90)) if i % 5 == 4 else interpolated(shapes[i % 5], 9, 9)
        number = int(rng.integers(3, 9))
        edges = hole(
            known, number, float(rng.uniform(-0.02, 0.03)), float(rng.uniform(0, 6)), float(rng.uniform(0.12, 0.3))
        )
        try:
            made = lay_out(asked(edges), known.diagonal)
        except Exception as error:
            print(f"  {number} sides: {error}")
            failed += 1
            continue
        gap, angle, curvature = figures(made)
        within += gap < 0.002 and angle < 0.003 and curvature < 0.8
        near += angle < 0.01 and curvature < 2.0
        shape_off.append(off(made, known) / known.diagonal)
    print(
        f"{count} random holes: {within} within .002 mm, .003°, .8 %; {near} within .01°, 2 %; {failed} failed; "
        f"off the shape at most {max(shape_off):.1e} of its size"
    )


if __name__ == "__main__":
    sides()
    random(int(sys.argv[1]) if len(sys.argv) > 1 else 40)
