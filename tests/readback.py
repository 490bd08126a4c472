"""An independent checker: reads a STEP file with OpenCASCADE alone and measures a seam by its own evaluations."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.GeomAPI import GeomAPI_ProjectPointOnSurf
from OCP.gp import gp_Pnt, gp_Vec
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS


@dataclass
class Figures:
    """Largest gap (mm), angle between tangent planes (degrees), curvature mismatch (% and 1/mm) over the samples."""

    gap: float
    angle: float
    curvature: float
    curvature_abs: float


def explored(shape, kind):
    found, walk = [], TopExp_Explorer(shape, kind)
    while walk.More():
        found.append(walk.Current())
        walk.Next()
    return found


def faces(path: Path) -> list:
    """All faces of a STEP file."""
    reader = STEPControl_Reader()
    assert int(reader.ReadFile(str(path)).value) == 1
    reader.TransferRoots()
    shape = reader.OneShape()
    assert BRepCheck_Analyzer(shape).IsValid()
    return [TopoDS.Face(f) for f in explored(shape, TopAbs_ShapeEnum.TopAbs_FACE)]


def _array(v) -> np.ndarray:
    return np.array([v.X(), v.Y(), v.Z()])


@lru_cache(maxsize=16)
def _projector(geom) -> GeomAPI_ProjectPointOnSurf:
    """Feet on a whole surface: what it takes to look for the first one is kept for the others."""
    tool = GeomAPI_ProjectPointOnSurf()
    tool.Init(geom, *geom.Bounds(), 1e-9)
    return tool


def frame(geom, point):
    """Foot distance, normal, and second derivatives of a surface at the foot of a point."""
    tool = _projector(geom)
    tool.Perform(gp_Pnt(*point))
    u, v = tool.LowerDistanceParameters() if tool.NbPoints() else (None, None)
    p, su, sv, suu, svv, suv = gp_Pnt(), gp_Vec(), gp_Vec(), gp_Vec(), gp_Vec(), gp_Vec()
    geom.D2(u, v, p, su, sv, suu, svv, suv)
    su, sv, suu, svv, suv = (_array(w) for w in (su, sv, suu, svv, suv))
    n = np.cross(su, sv)
    n /= np.linalg.norm(n)
    return np.linalg.norm(_array(p) - point), n, su, sv, suu, svv, suv


def curvature(frame, direction):
    """Normal curvature of the surface in a tangent direction."""
    _, n, su, sv, suu, svv, suv = frame
    a, b = np.linalg.lstsq(np.column_stack([su, sv]), direction, rcond=None)[0]
    return n @ (a * a * suu + 2 * a * b * suv + b * b * svv) / np.linalg.norm(a * su + b * sv) ** 2


def seam(blend, neighbour, edge_number: int, floor: float, samples: int = 60) -> Figures:
    """Figures between a face's edge (by number) and a neighbour, all from the file."""
    edge = TopoDS.Edge(explored(blend, TopAbs_ShapeEnum.TopAbs_EDGE)[edge_number])
    curve = BRepAdaptor_Curve(edge)
    mine, theirs = BRep_Tool.Surface_s(blend), BRep_Tool.Surface_s(neighbour)
    worst = Figures(0, 0, 0, 0)
    for t in np.linspace(curve.FirstParameter(), curve.LastParameter(), samples):
        p, d = gp_Pnt(), gp_Vec()
        curve.D1(t, p, d)
        point, tangent = _array(p), _array(d) / d.Magnitude()
        a, b = frame(mine, point), frame(theirs, point)
        sine = np.linalg.norm(np.cross(a[1], b[1]))
        across = np.cross(a[1], tangent)
        k1, k2 = curvature(a, across), curvature(b, across) * np.sign(a[1] @ b[1])
        worst.gap = max(worst.gap, b[0])
        worst.angle = max(worst.angle, float(np.degrees(np.arcsin(min(1.0, sine)))))
        worst.curvature_abs = max(worst.curvature_abs, abs(k1 - k2))
        worst.curvature = max(worst.curvature, 100 * abs(k1 - k2) / max(abs(k2), floor))
    return worst


def nearest_seam(blend, neighbour, floor: float, samples: int = 60) -> Figures:
    """The seam along whichever edge of the blend, of those with a length, runs on the neighbour."""
    edges = [TopoDS.Edge(e) for e in explored(blend, TopAbs_ShapeEnum.TopAbs_EDGE)]
    real = [i for i, e in enumerate(edges) if not BRep_Tool.Degenerated_s(e)]
    theirs = BRep_Tool.Surface_s(neighbour)

    def gap(number: int) -> float:
        curve = BRepAdaptor_Curve(edges[number])
        places = np.linspace(curve.FirstParameter(), curve.LastParameter(), 9)
        return max(frame(theirs, _array(curve.Value(t)))[0] for t in places)

    return seam(blend, neighbour, min(real, key=gap), floor, samples)


def distance(face, point) -> float:
    """How far a point lies off a face, mm."""
    vertex = BRepBuilderAPI_MakeVertex(gp_Pnt(*map(float, point))).Vertex()
    return float(BRepExtrema_DistShapeShape(face, vertex).Value())


def curve_lengths(path: Path) -> list[float]:
    """Lengths of the loose curves of a STEP file."""
    reader = STEPControl_Reader()
    assert int(reader.ReadFile(str(path)).value) == 1
    reader.TransferRoots()
    edges = explored(reader.OneShape(), TopAbs_ShapeEnum.TopAbs_EDGE)
    return [GCPnts_AbscissaPoint.Length_s(BRepAdaptor_Curve(TopoDS.Edge(e))) for e in edges]
