"""Random solids of OpenCASCADE, an edge of each filleted: what closes, what is refused, and what that library makes.

Usage: .venv/bin/python -m benchmarks.solids [how many, or from-to]. A block, revolved, lofted or swept body, torus,
ellipsoid or cone is cut by or joined with another body; one sharp edge is taken by lot, its radius and section too.
"""

from __future__ import annotations

import contextlib
import io
import json
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_GTransform,
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakePolygon,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakePipe, BRepOffsetAPI_ThruSections
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakePrism,
    BRepPrimAPI_MakeRevol,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.GeomAPI import GeomAPI_ProjectPointOnSurf
from OCP.GeomLProp import GeomLProp_SLProps
from OCP.gp import gp_Ax1, gp_Ax2, gp_Circ, gp_Dir, gp_GTrsf, gp_Mat, gp_Pnt, gp_Vec, gp_XYZ
from OCP.STEPControl import STEPControl_Reader, STEPControl_StepModelType, STEPControl_Writer
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS
from scipy.interpolate import make_interp_spline

from pamble.cli.main import main as command
from pamble.core.checks.body import body_of
from pamble.core.faces.kernel import curve_to_kernel, surface_to_kernel
from pamble.core.faces.shapes import face_from_shape, shape_faces
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface

TAKEN = 15.0, 150.0
"""Least and largest crease of an edge that is filleted, degrees."""

UP = gp_Dir(0, 0, 1)
SECTIONS = ("ball", "ball", "g2", "rho", "g3")


def point(*xyz: float) -> gp_Pnt:
    return gp_Pnt(*map(float, xyz))


def line(points: Any) -> Any:
    """A cubic curve of OpenCASCADE through points."""
    rows = np.array(points, dtype=float)
    at = np.append(0.0, np.cumsum(np.linalg.norm(np.diff(rows, axis=0), axis=1)))
    made = make_interp_spline(at, rows, 3)
    return curve_to_kernel(Curve(3, made.t, made.c))


def wire(*edges: Any) -> Any:
    made = BRepBuilderAPI_MakeWire()
    for edge in edges:
        made.Add(edge)
    return made.Wire()


def wavy_block(rng: Any) -> Any:
    grid = np.linspace(-40, 40, 7)
    k, ph = rng.uniform(0.5, 1.4, 3) / 20, rng.uniform(0, 6, 3)
    x, y = np.meshgrid(grid, grid, indexing="ij")
    z = 6 * (np.sin(k[0] * x + ph[0]) * np.cos(k[1] * y + ph[1]) + 0.4 * np.sin(k[2] * (x + y) + ph[2]))
    degree, t = int(rng.choice([3, 5])), np.linspace(0, 1, 7)
    rows = make_interp_spline(t, np.stack([x, y, z], axis=-1), degree)
    both = make_interp_spline(t, rows.c.swapaxes(0, 1), degree)
    top = surface_to_kernel(Surface(degree, degree, rows.t, both.t, both.c.swapaxes(0, 1)))
    return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(top, 1e-6).Face(), gp_Vec(0, 0, -30)).Shape()


def revolved(rng: Any) -> Any:
    r = np.clip(20 + 8 * np.cumsum(rng.uniform(-0.6, 0.6, 6)), 9, 45)
    z = np.linspace(0, 60, 6)
    corners = [point(r[-1], 0, 60), point(0, 0, 60), point(0, 0, 0), point(r[0], 0, 0)]
    straight = [BRepBuilderAPI_MakeEdge(a, b).Edge() for a, b in pairwise(corners)]
    outline = BRepBuilderAPI_MakeEdge(line([(a, 0, b) for a, b in zip(r, z, strict=True)])).Edge()
    face = BRepBuilderAPI_MakeFace(wire(outline, *straight)).Face()
    return BRepPrimAPI_MakeRevol(face, gp_Ax1(point(0, 0, 0), UP)).Shape()


def lofted(rng: Any) -> Any:
    made = BRepOffsetAPI_ThruSections(True, bool(rng.random() < 0.3), 1e-5)
    count = int(rng.integers(3, 7))
    for z, low, high in ((0, 20, 40), (25, 18, 35), (55, 12, 38)):
        radius, section = rng.uniform(low, high), BRepBuilderAPI_MakePolygon()
        for a in 2 * np.pi * np.arange(count) / count:
            section.Add(point(radius * np.cos(a), radius * np.sin(a), z))
        section.Close()
        made.AddWire(section.Wire())
    made.Build()
    return made.Shape()


def swept(rng: Any) -> Any:
    y, z = rng.uniform(-10, 10, 2), rng.uniform(0, 10, 2)
    path = line([(-40, 0, 0), (-15, y[0], z[0]), (15, y[1], z[1]), (40, 0, 0)])
    place, way = gp_Pnt(), gp_Vec()
    path.D1(path.FirstParameter(), place, way)
    disc = wire(BRepBuilderAPI_MakeEdge(gp_Circ(gp_Ax2(place, gp_Dir(way)), 14)).Edge())
    along = wire(BRepBuilderAPI_MakeEdge(path).Edge())
    return BRepOffsetAPI_MakePipe(along, BRepBuilderAPI_MakeFace(disc).Face()).Shape()


def ellipsoid(rng: Any, axes: gp_Ax2, radius: float) -> Any:
    stretch = np.diag(rng.uniform(0.8, 1.6, 3)).ravel().tolist()
    ball = BRepPrimAPI_MakeSphere(axes, radius).Shape()
    return BRepBuilderAPI_GTransform(ball, gp_GTrsf(gp_Mat(*stretch), gp_XYZ(0, 0, 0)), True).Shape()


HERE = gp_Ax2(point(0, 0, 5), UP)
BODIES = {
    "wavy block": wavy_block,
    "revolved": revolved,
    "lofted": lofted,
    "torus": lambda rng: BRepPrimAPI_MakeTorus(HERE, rng.uniform(26, 36), rng.uniform(9, 16)).Shape(),
    "ellipsoid": lambda rng: ellipsoid(rng, HERE, 25.0),
    "cone": lambda rng: BRepPrimAPI_MakeCone(rng.uniform(25, 40), rng.uniform(5, 20), 50.0).Shape(),
    "swept": swept,
    "box": lambda rng: BRepPrimAPI_MakeBox(point(-35, -25, -15), *rng.uniform(40, 75, 3).tolist()).Shape(),
}


def tool(rng: Any) -> tuple[str, Any]:
    """What cuts the body, or is joined with it."""
    at, way = rng.uniform((-20, -20, -5), (20, 20, 35)), rng.normal(size=3)
    way = way / np.linalg.norm(way) if rng.random() < 0.6 else np.eye(3)[rng.integers(3)]
    before = gp_Ax2(point(*(at - 40 * way)), gp_Dir(*way.tolist()))
    axes = gp_Ax2(point(*at), gp_Dir(*way.tolist()))
    makes = {
        "rod": lambda: BRepPrimAPI_MakeCylinder(before, rng.uniform(7, 16), 100.0).Shape(),
        "cone": lambda: BRepPrimAPI_MakeCone(axes, rng.uniform(14, 22), rng.uniform(5, 10), 50.0).Shape(),
        "ball": lambda: BRepPrimAPI_MakeSphere(axes, rng.uniform(12, 24)).Shape(),
        "torus": lambda: BRepPrimAPI_MakeTorus(axes, rng.uniform(20, 28), rng.uniform(6, 12)).Shape(),
        "block": lambda: BRepPrimAPI_MakeBox(axes, *rng.uniform(15, 60, 3).tolist()).Shape(),
        "ellipsoid": lambda: ellipsoid(rng, axes, 16.0),
    }
    name = str(rng.choice(list(makes)))
    return name, makes[name]()


def volume(shape: Any) -> float:
    """By the flux through its faces: OpenCASCADE's own integral errs by up to 7 % over splines that bend sharply."""
    found = body_of([face_from_shape(face) for face in shape_faces(shape)], 0.005)
    return np.nan if found.volume is None else found.volume


def edges(shape: Any) -> list[tuple[Any, list[Any]]]:
    """Edges with the faces beside them."""
    out: list[tuple[Any, list[Any]]] = []
    faces = TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    while faces.More():
        own = TopExp_Explorer(faces.Current(), TopAbs_ShapeEnum.TopAbs_EDGE)
        while own.More():
            edge = TopoDS.Edge(own.Current())
            known = next((beside for e, beside in out if e.IsSame(edge)), None)
            out.append((edge, [faces.Current()])) if known is None else known.append(faces.Current())
            own.Next()
        faces.Next()
    return out


def turns(edge: Any, beside: list[Any], shares: Any) -> list[float]:
    """Angles in degrees between the normals of both faces along an edge."""
    curve, out = BRepAdaptor_Curve(edge), []
    for share in shares:
        place = curve.Value(curve.FirstParameter() + share * (curve.LastParameter() - curve.FirstParameter()))
        both = []
        for shape in beside:
            face = TopoDS.Face(shape)
            surface = BRep_Tool.Surface_s(face)
            props = GeomLProp_SLProps(
                surface, *GeomAPI_ProjectPointOnSurf(place, surface).LowerDistanceParameters(), 1, 1e-9
            )
            if props.IsNormalDefined():
                n = props.Normal()
                sign = -1 if face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED else 1
                both.append(sign * np.array([n.X(), n.Y(), n.Z()]))
        if len(both) == 2:
            out.append(float(np.degrees(np.arccos(np.clip(both[0] @ both[1], -1, 1)))))
    return out


def creases(shape: Any) -> list[tuple[Any, gp_Pnt]]:
    """Edges that may be filleted, and a place on each."""
    out = []
    for edge, beside in edges(shape):
        if len(beside) != 2 or BRep_Tool.Degenerated_s(edge):
            continue
        curve = BRepAdaptor_Curve(edge)
        found = turns(edge, beside, np.linspace(0.1, 0.9, 5))
        if GCPnts_AbscissaPoint.Length_s(curve) > 4 and found and TAKEN[0] < min(found) and max(found) < TAKEN[1]:
            out.append((edge, curve.Value(0.7 * curve.FirstParameter() + 0.3 * curve.LastParameter())))
    return out


def uneven(shape: Any) -> float:
    """The largest angle along seams that are smooth, degrees."""
    worst = 0.0
    for edge, beside in edges(shape):
        if len(beside) == 2 and not beside[0].IsSame(beside[1]) and not BRep_Tool.Degenerated_s(edge):
            found = [min(a, 180 - a) for a in turns(edge, beside, np.linspace(0.02, 0.98, 17))]
            worst = max(worst, max(found)) if found and np.median(found) < 1.0 else worst
    return worst


def sewn(path: str) -> tuple[Any, int]:
    reader = STEPControl_Reader()
    reader.ReadFile(path)
    reader.TransferRoots()
    sewing = BRepBuilderAPI_Sewing(0.005)
    sewing.Add(reader.OneShape())
    sewing.Perform()
    return sewing.SewedShape(), sewing.NbFreeEdges()


def theirs(solid: Any, edge: Any, radius: float) -> float | None:
    """By how much OpenCASCADE's own fillet changes the volume; None where it has none, or none that is valid."""
    try:
        made = BRepFilletAPI_MakeFillet(solid)
        made.Add(radius, edge)
        made.Build()
        return volume(made.Shape()) - volume(solid) if BRepCheck_Analyzer(made.Shape()).IsValid() else None
    except Exception:
        return None


def solid(seed: int) -> tuple[Any, str, Any]:
    """Numbers drawn on, name and shape of one solid."""
    rng = np.random.default_rng(seed)
    name = list(BODIES)[seed % len(BODIES)]
    body, (other, shape) = BODIES[name](rng), tool(rng)
    way = str(rng.choice(["cut by", "joined with"]))
    made = (BRepAlgoAPI_Cut if way == "cut by" else BRepAlgoAPI_Fuse)(body, shape).Shape()
    return rng, f"{name} {way} {other}", made


def tried(name: str, rng: Any, solid: Any, radii: Sequence[float], folder: Path) -> tuple[str, str] | None:
    """What became of one solid, in a word, and the details; None where it has no edge to fillet."""
    if not BRepCheck_Analyzer(solid).IsValid() or not (found := creases(solid)):
        return None
    edge, place = found[rng.integers(len(found))]
    radius, section = float(rng.choice(radii)), str(rng.choice(SECTIONS))
    known = theirs(solid, edge, radius)
    into, out = str(folder / "solid.step"), str(folder / "filleted.step")
    writer = STEPControl_Writer()
    writer.Transfer(solid, STEPControl_StepModelType.STEPControl_AsIs)
    writer.Write(into)
    at = ",".join(f"{x:.4f}" for x in (place.X(), place.Y(), place.Z()))
    words = ["fillet", into, f"--edge={at}", "--radius", str(radius), "--section", section, "-o", out, "--json"]
    said, wrong, began = io.StringIO(), io.StringIO(), time.perf_counter()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(wrong):
        code = command(words)
    took = time.perf_counter() - began
    head = f"{name}, {section} {radius:g} mm, {took:.1f} s"
    if code != 0:
        return ("refused, as there" if known is None else "refused"), f"{head}: {wrong.getvalue().strip()[-160:]}"
    shell, free = sewn(out)
    if free or not BRepCheck_Analyzer(shell).IsValid():
        told = "told" if json.loads(said.getvalue())["warnings"] else "not told"
        return f"open, {told}", f"{head}: {free} free edges"
    angle = uneven(shell)
    if angle > 0.02:
        return "not smooth", f"{head}: {angle:.3f}°"
    if known is None:
        return "closed, none there", head
    off = abs(volume(shell) - volume(solid) - known)
    if section == "ball" and not off <= 0.01 * abs(known) + 5e-6 * volume(solid):
        return "of another volume", f"{head}: {off:.2f} mm³ of {abs(known):.2f}"
    return "closed", head


def report(make: Callable[[int], tuple[Any, str, Any]], radii: Sequence[float], first: int, last: int) -> None:
    """Counts of what became of solids, and those that are not closed."""
    count = Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(first, last):
            try:
                rng, name, made = make(seed)
                found = tried(f"{seed} {name}", rng, made, radii, Path(folder))
            except Exception as error:
                found = "a crash", f"{seed}: {error!r}"
            if found is None:
                continue
            count[found[0]] += 1
            if not found[0].startswith("closed"):
                print(f"  {found[0]}: {found[1]}", flush=True)
    print(", ".join(f"{n} {word}" for word, n in count.most_common()))


def asked(many: int = 100) -> tuple[int, int]:
    """From which to which seed, as the command line says; so many of them if it says nothing."""
    words = (sys.argv[1] if len(sys.argv) > 1 else str(many)).split("-")
    return (0 if len(words) == 1 else int(words[0])), int(words[-1])


if __name__ == "__main__":
    report(solid, (1, 2, 3, 4), *asked())
