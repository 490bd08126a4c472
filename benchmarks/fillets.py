"""Fillets: times, rows, and how many of random creases hold what is aimed at.

Usage: .venv/bin/python -m benchmarks.fillets [how many random ones]
"""

from __future__ import annotations

import sys
from collections.abc import Sequence

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Shape

from benchmarks.timing import line, median
from pamble.core.errors import PambleError
from pamble.core.faces.face import Face
from pamble.core.faces.to_shape import face_to_shape
from pamble.core.fillets.fillet import fillet
from pamble.core.fillets.filleted import Fillet
from pamble.core.fillets.strip import Ask
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import surface_part
from tests.core.fillets.test_fillet import LAWS, slab, turned_away
from tests.other_library import shape_area
from tests.readback import distance, explored, nearest_seam

GAP, ANGLE = 0.002, 0.005
"""What is aimed at: mm and degrees."""


def made(part: Sequence[Face], radius: tuple[float, float]) -> Fillet:
    """The fillet along the first face's edge v1."""
    return fillet(part, [Ask(0, part[0].edge("v1"), radius)], diagonal=400.0)


def told(out: Fillet) -> str:
    """Rows of each fillet, and the worst gap and angle."""
    rows = " ".join("x".join(map(str, f.face.surface.control.shape[:2])) for f in out.faces)
    gap = max(max(f.figures.gap) for f in out.faces)
    angle = max(max(f.figures.angle) for f in out.faces)
    return f"{rows} CVs, gap {gap:.5f} mm, angle {angle:.4f}°"


class Other:
    """OpenCASCADE's own rolling ball on the crease between two faces that are sewn."""

    def __init__(self, part: Sequence[Face], radius: tuple[float, float]) -> None:
        sewn = BRepBuilderAPI_Sewing(1e-3)
        for face in part:
            sewn.Add(face_to_shape(face))
        sewn.Perform()
        self.shell, self.radius = sewn.SewedShape(), radius
        line = part[0].edge("v1").space
        middle = curve_points(line, [0.5 * sum(line.domain)])[0]
        edges = explored(self.shell, TopAbs_ShapeEnum.TopAbs_EDGE)
        self.edge = TopoDS.Edge(min(edges, key=lambda e: distance(e, middle)))

    def made(self) -> TopoDS_Shape:
        builder = BRepFilletAPI_MakeFillet(self.shell)
        builder.Add(*self.radius, self.edge)
        builder.Build()
        return builder.Shape()

    def told(self) -> str:
        """Whether it is valid, and the worst gap and angle of its contacts by the tests' own checker."""
        try:
            shape = self.made()
        except Exception as error:  # it raises errors of many kinds
            return f"refused ({type(error).__name__})"
        faces = [TopoDS.Face(f) for f in explored(shape, TopAbs_ShapeEnum.TopAbs_FACE)]
        own, *walls = sorted(faces, key=shape_area)
        seams = [nearest_seam(own, w, 1e-3) for w in walls]
        valid = "valid" if BRepCheck_Analyzer(shape).IsValid() else "not valid"
        return f"{valid}, gap {max(s.gap for s in seams):.5f} mm, angle {max(s.angle for s in seams):.4f}°"


def times() -> None:
    """One of each kind of crease, beside one face and beside three; the former by OpenCASCADE, too."""
    for name, law in LAWS.items():
        deck, wall = slab(), turned_away(slab(), law)
        thirds = [surface_part(wall, (a / 3, (a + 1) / 3), None) for a in range(3)]
        for words, walls in ((name, [wall]), (f"{name}, three walls", thirds)):
            part = [Face(s) for s in (deck, *walls)]
            line(words, median(lambda p=part: made(p, (8.0, 14.0)), 3))
            print(f"  {told(made(part, (8.0, 14.0)))}")
            if len(walls) == 1:
                other = Other(part, (8.0, 14.0))
                words = other.told()
                ms = 0.0 if words.startswith("refused") else median(other.made, 3)
                print(f"  OpenCASCADE: {ms:.0f} ms, {words}")


def random(count: int) -> None:
    """Creases at random: angles of 15 to 110 degrees at both ends, radii of 4 to 16 mm."""
    rng = np.random.default_rng(7)
    held = 0
    for seed in range(count):
        low, high = np.radians(rng.uniform(15, 110, 2))
        radius = rng.uniform(4, 16, 2)
        deck = slab(seed)
        wall = turned_away(deck, lambda u, a=low, b=high: a + (b - a) * u)
        try:
            out = made([Face(deck), Face(wall)], (float(radius[0]), float(radius[1])))
        except PambleError as error:
            print(f"  {seed}: {error}")
            continue
        held += all(max(f.figures.gap) < GAP and max(f.figures.angle) < ANGLE for f in out.faces)
    print(f"{held} of {count} random creases hold {GAP} mm and {ANGLE}°")


if __name__ == "__main__":
    times()
    random(int(sys.argv[1]) if len(sys.argv) > 1 else 20)
