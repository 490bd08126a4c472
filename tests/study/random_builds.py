"""Builds of ten steps at random, each made a second time by OpenCASCADE from the same plain numbers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Section, BRepAlgoAPI_Splitter
from OCP.BRepBuilderAPI import BRepBuilderAPI_GTransform, BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakePrism, BRepPrimAPI_MakeRevol
from OCP.Geom import Geom_BezierCurve
from OCP.gp import gp_Ax1, gp_Dir, gp_GTrsf, gp_Mat, gp_Pln, gp_Pnt, gp_Vec, gp_XYZ
from OCP.GProp import GProp_GProps
from OCP.OCP.collections import Array1_gp_Pnt, List_TopoDS_Shape
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS

from pamble.core.curves.measure import curve_length
from pamble.study.kernel import Kernel
from tests.other_library import shape_area, shape_length
from tests.readback import explored
from tests.study.bench import add, area, line


@dataclass(frozen=True)
class Compared:
    """A figure of a step, mm or mm², ours and theirs."""

    step: str
    ours: float
    theirs: float

    @property
    def off(self) -> float:
        """Relative difference."""
        return abs(self.ours - self.theirs) / max(abs(self.theirs), 1.0)


def _pnt(p) -> gp_Pnt:
    return gp_Pnt(*map(float, p))


def _bezier(control):
    poles = Array1_gp_Pnt(1, len(control))
    for k, p in enumerate(control, start=1):
        poles.SetValue(k, _pnt(p))
    return BRepBuilderAPI_MakeEdge(Geom_BezierCurve(poles)).Edge()


def _plane(point, normal):
    face = BRepBuilderAPI_MakeFace(gp_Pln(_pnt(point), gp_Dir(*map(float, normal))), -1e4, 1e4, -1e4, 1e4)
    return face.Face()


def _largest_piece(shape, tool) -> float:
    split = BRepAlgoAPI_Splitter()
    for give, one in ((split.SetArguments, shape), (split.SetTools, tool)):
        items = List_TopoDS_Shape()
        items.Append(one)
        give(items)
    split.Build()
    return max(shape_area(f) for f in explored(split.Shape(), TopAbs_ShapeEnum.TopAbs_FACE))


def _section(one, other) -> float:
    cut = BRepAlgoAPI_Section(one, other, False)
    cut.Approximation(True)
    cut.ComputePCurveOn1(True)
    cut.Build()
    return shape_length(cut.Shape())


def _changed(shape, matrix, shift):
    rows = [float(x) for row in matrix for x in row]
    change = gp_GTrsf(gp_Mat(*rows), gp_XYZ(*map(float, shift)))
    return BRepBuilderAPI_GTransform(shape, change, True).Shape()


def _length(kernel: Kernel, id: str) -> float:
    """Of all its curves; nothing of a step that found none."""
    here = kernel.now.world.get(id)
    return sum(curve_length(c) for c in here.shape.lines.values()) if here else 0.0


def _unit(rng) -> np.ndarray:
    v = rng.normal(size=3)
    return v / np.linalg.norm(v)


def build(seed: int) -> tuple[Kernel, list[Compared]]:
    """Ten steps from a seed: a curve pushed and cut, copies, a profile turned, cuts of it, and a filleted block."""
    rng = np.random.default_rng(seed)
    kernel = Kernel({"format": "pamble-study", "name": f"Build {seed}", "features": []})
    found: list[Compared] = []
    size = float(np.exp(rng.uniform(np.log(20), np.log(800))))

    def say(step: str, ours: float, theirs: float) -> None:
        found.append(Compared(step, ours, theirs))

    # 1, 2: a curve, pushed both ways.
    degree = int(rng.integers(2, 6))
    x = np.linspace(-1, 1, degree + 1)
    control = size * np.column_stack([x, rng.normal(0, 0.25, degree + 1), rng.normal(0, 0.2, degree + 1)])
    add(kernel, "curve", "cv_curve", curve={"control": control.tolist(), "degree": degree})
    theirs = _bezier(control)
    say("curve", _length(kernel, "curve"), shape_length(theirs))
    way = np.array([0.3 * rng.normal(), 1.0, 0.3 * rng.normal()])
    way /= np.linalg.norm(way)
    forward, back = size * rng.uniform(0.3, 1.2, 2)
    add(
        kernel,
        "push",
        "extrude",
        curve=line("curve"),
        along="given",
        direction=way.tolist(),
        forward=forward,
        back=back,
    )
    begin = _changed(theirs, np.eye(3), -back * way)
    pushed = BRepPrimAPI_MakePrism(begin, gp_Vec(*((forward + back) * way).tolist())).Shape()
    say("push", area(kernel, "push"), shape_area(pushed))

    # 3: cut by a plane through its middle.
    middle = control.mean(axis=0) + 0.5 * (forward - back) * way
    normal = _unit(rng)
    in_plane = np.linalg.svd(normal[None])[2][1:] * size
    corners = [middle.tolist(), (middle + in_plane[0]).tolist(), (middle + in_plane[1]).tolist()]
    add(kernel, "plane", "plane_points", **dict(zip(("first", "second", "third"), corners, strict=True)))
    add(kernel, "copy", "copy_faces", faces=[{"feature": "push"}], shift=[0, 0, 0])
    add(kernel, "cut", "trim_faces", faces=[{"feature": "push"}], by_planes=[{"feature": "plane"}])
    say("cut", area(kernel, "push"), _largest_piece(pushed, _plane(middle, normal)))

    # 4: a copy mirrored, turned or scaled per axis about a pivot.
    how = ("mirror", "turn", "scale")[seed % 3]
    pivot, axis = size * rng.normal(size=3), _unit(rng)
    degrees, factors = float(rng.uniform(10, 170)), rng.uniform(0.4, 2.0, 3)
    own = {"mirror": {"normal": axis.tolist()}, "turn": {"axis": axis.tolist(), "degrees": degrees},
           "scale": {"factors": factors.tolist()}}[how]  # fmt: skip
    add(kernel, "again", "copy_faces", faces=[{"feature": "copy"}], how=how, pivot=pivot.tolist(), **own)
    k = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    a = np.radians(degrees)
    matrix = {
        "mirror": np.eye(3) - 2 * np.outer(axis, axis),
        "turn": np.eye(3) + np.sin(a) * k + (1 - np.cos(a)) * k @ k,
        "scale": np.diag(factors),
    }[how]
    say(how, area(kernel, "again"), shape_area(_changed(pushed, matrix, pivot - matrix @ pivot)))

    # 5, 6: a profile turned about an axis beside it.
    m = int(rng.integers(3, 6))
    rows = np.column_stack([rng.uniform(0.4, 1.2, m), np.zeros(m), np.linspace(-1, 1, m)]) * size
    add(kernel, "profile", "cv_curve", curve={"control": rows.tolist(), "degree": m - 1})
    angle = float(rng.uniform(40, 359))
    add(kernel, "turned", "revolve", profile=line("profile"), about="z", start=0, end=angle)
    z = gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))
    body = BRepPrimAPI_MakeRevol(_bezier(rows), z, float(np.radians(angle))).Shape()
    say("turned", area(kernel, "turned"), shape_area(body))

    # 7: a plane's section of it; 8: its intersection with what was pushed.
    at, across = size * rng.uniform(-0.3, 0.3, 3), _unit(rng)
    add(kernel, "slice", "section_curve", faces=[{"feature": "turned"}], point=at.tolist(), normal=across.tolist())
    say("slice", _length(kernel, "slice"), _section(body, _plane(at, across)))
    add(kernel, "met", "intersection_curve", first={"feature": "copy"}, second={"feature": "turned"})
    say("met", _length(kernel, "met"), _section(pushed, body))

    # 9: the turned face cut by the plane.
    add(kernel, "halved", "trim_faces", faces=[{"feature": "turned"}], by_planes=[{"feature": "plane"}])
    say("halved", area(kernel, "turned"), _largest_piece(body, _plane(middle, normal)))

    # 10: a block with one edge rounded.
    sides = size * rng.uniform(0.3, 1.0, 3)
    radius = float(rng.uniform(0.05, 0.4) * sides.min())
    add(kernel, "block", "start_body", shape="block", middle=[0, 0, 0], **dict(zip("xyz", sides.tolist(), strict=True)))
    faces = ["block", *(f"block/{k}" for k in range(2, 7))]
    edges = [line("block/5", e) for e in ("u1", "v0", "u0")[: 1 + seed % 3]]
    add(kernel, "round", "fillet", edges=edges, faces=[{"feature": f} for f in faces], radius=radius)
    ours = sum(area(kernel, id) for id, o in kernel.now.world.items() if id.startswith(("block", "round")))
    box = BRepPrimAPI_MakeBox(_pnt(-sides / 2), _pnt(sides / 2)).Shape()
    fillet = BRepFilletAPI_MakeFillet(box)
    top, half = sides[2] / 2, sides / 2
    for spot in ([half[0], 0, top], [0, -half[1], top], [-half[0], 0, top])[: 1 + seed % 3]:
        fillet.Add(radius, _edge_through(box, np.array(spot)))
    say("rounded", ours, shape_area(fillet.Shape()))
    return kernel, found


def _edge_through(shape, middle: np.ndarray):
    """The edge of a shape whose centre of mass is there."""

    def away(edge) -> float:
        props = GProp_GProps()
        BRepGProp.LinearProperties_s(edge, props)
        return props.CentreOfMass().Distance(_pnt(middle))

    return TopoDS.Edge(min(explored(shape, TopAbs_ShapeEnum.TopAbs_EDGE), key=away))
