"""Blends over creases of every kind: times, spans, figures; OpenCASCADE's filling of the same gaps in the same run.

Usage: .venv/bin/python -m benchmarks.blends
"""

from __future__ import annotations

import time

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakeFilling
from OCP.GeomAbs import GeomAbs_Shape
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS

from benchmarks.timing import line, median
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.kernel import curve_to_kernel
from pamble.core.faces.to_shape import face_to_shape
from pamble.core.faces.trim import Cutter, divide
from pamble.core.joining.blend import Blend, build_blend, preview_blend
from pamble.core.joining.spec import BlendSpec
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import edge_curve, surface_part
from tests import readback
from tests.core.fillets.test_fillet import LAWS, slab, turned_away

WAVES = (2, 4)


def gap(law: str) -> tuple[Face, Edge, Face, Edge]:
    """Two panels over a crease of a kind, set back from it, and their edges."""
    a = slab()
    b = turned_away(a, LAWS[law])
    one, two = Face(surface_part(a, None, (0, 0.93))), Face(surface_part(b, None, (0.08, 1)))
    return one, one.edge("v1"), two, two.edge("v0")


def wavy(waves: int) -> tuple[Face, Edge, Face, Edge]:
    """The same with the first panel cut along a line that swings so many times."""
    one, _, two, edge = gap("90 to 110")
    (u0, u1), (v0, v1) = one.surface.domain
    u = np.linspace(u0, u1, 8 * waves + 5)
    v = v0 + (v1 - v0) * (0.93 + 0.012 * np.sin(2 * np.pi * waves * (u - u0) / (u1 - u0)))
    knots = basis.uniform_knots(3, len(u) - 3)
    cut = Cutter("cut", "a wave", Curve(3, knots, surface_points(one.surface, u, v)))
    divided = divide(one, [cut], 1e-4)
    kept = divided.holding([max(divided.regions, key=lambda r: -r.at[1]).number])[0]
    return kept, next(e for e in kept.edges if e.name.startswith("cut")), two, edge


def told(made: Blend) -> str:
    """Spans and the worst figures of both seams."""
    assert made.residuals is not None
    worst = [max(getattr(r, k) for r in made.residuals) for k in ("gap", "angle", "curvature")]
    return (
        f"{made.spans} spans, {'x'.join(map(str, made.surface.control.shape[:2]))} CVs, gap {worst[0]:.5f} mm, "
        f"angle {worst[1]:.4f}°, curvature {worst[2]:.2f} %"
    )


def opencascade(one: Face, a: Edge, two: Face, b: Edge, made: Blend) -> tuple[float, str]:
    """Milliseconds of OpenCASCADE's filling with tangency between two edges, and its own figures.

    Its ends are those of our blend."""
    filling = BRepOffsetAPI_MakeFilling()
    for face, edge in ((one, a), (two, b)):
        shape = TopoDS.Face(face_to_shape(face))
        middle = curve_points(edge.space, [0.5 * sum(edge.space.domain)])[0]
        edges = [TopoDS.Edge(e) for e in readback.explored(shape, TopAbs_ShapeEnum.TopAbs_EDGE)]
        own = min(edges, key=lambda e: float(np.linalg.norm(_middle(e) - middle)))
        filling.Add(own, shape, GeomAbs_Shape.GeomAbs_G1, True)
    for side in ("u0", "u1"):
        rung = curve_to_kernel(edge_curve(made.surface, side))
        filling.Add(BRepBuilderAPI_MakeEdge(rung).Edge(), GeomAbs_Shape.GeomAbs_C0, True)
    start = time.perf_counter()
    filling.Build()
    ms = 1e3 * (time.perf_counter() - start)
    if not filling.IsDone():
        return ms, "no answer"
    return ms, f"gap {filling.G0Error():.5f} mm, angle {np.degrees(filling.G1Error()):.4f}°"


def _middle(edge: TopoDS.Edge) -> np.ndarray:
    line = BRepAdaptor_Curve(edge)
    p = line.Value(0.5 * (line.FirstParameter() + line.LastParameter()))
    return np.array([p.X(), p.Y(), p.Z()])


def row(name: str, one: Face, a: Edge, two: Face, b: Edge) -> None:
    """One line of the table."""
    made = build_blend(a, b, BlendSpec())
    try:
        theirs, words = opencascade(one, a, two, b, made)
    except RuntimeError:
        theirs, words = np.nan, "program error"
    line(f"{name}, G2", median(lambda: build_blend(a, b, BlendSpec()), 3), theirs)
    line("  while dragging", median(lambda: preview_blend(a, b, BlendSpec(), made.surface.knots_u)), theirs)
    level = build_blend(a, b, BlendSpec(level=True))
    print(f"  {told(made)}; OpenCASCADE {theirs:.0f} ms, {words}")
    if made.crest is not None and level.crest is not None:
        free, held = made.crest, level.crest
        print(f"  crest {free[0]:.3f} to {free[1]:.3f} mm; held {held[0]:.3f} to {held[1]:.3f} mm, {told(level)}")


if __name__ == "__main__":
    for law in LAWS:
        row(law, *gap(law))
    for waves in WAVES:
        row(f"an edge of {waves} waves", *wavy(waves))
