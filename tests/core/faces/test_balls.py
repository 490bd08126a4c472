"""Balls of the other library with a pole at, beside or far from their rims: areas against Archimedes' closed form."""

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeSphere
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

from pamble.cli.main import main as pamble
from pamble.core.checks.body import body_of
from pamble.core.exchange.step import read_step
from pamble.core.faces.picking import Naming, pick_edge
from pamble.core.faces.shapes import shape_kind
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import edge_curve
from tests.other_library import face_area, written

R = 20.0
SHAPES = {
    "cap": lambda ball, h: BRepAlgoAPI_Cut(ball, BRepPrimAPI_MakeBox(gp_Pnt(-99, -99, h), gp_Pnt(99, 99, 99)).Shape()),
    "zone": lambda ball, h: BRepAlgoAPI_Common(
        ball, BRepPrimAPI_MakeBox(gp_Pnt(-99, -99, h - 5), gp_Pnt(99, 99, h)).Shape()
    ),
    "bore": lambda ball, h: BRepAlgoAPI_Cut(
        ball, BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, -99), gp_Dir(0, 0, 1)), np.sqrt(R * R - h * h), 198).Shape()
    ),
}
AREAS = {"cap": lambda h: R + h, "zone": lambda h: 5.0, "bore": lambda h: 2 * abs(h)}


def ball(rim: float, aside: float):
    """With a pole ``aside`` mm along a meridian from the rim at a height."""
    turn = np.arcsin(rim / R) + aside / R
    return BRepPrimAPI_MakeSphere(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(np.cos(turn), 0, np.sin(turn))), R).Shape()


@pytest.mark.parametrize("kind", SHAPES)
@pytest.mark.parametrize("aside", [0.0, 0.01, -0.1, 1.0, -3.0, -31.0])
def test_a_ball_is_read_whole_wherever_its_poles_lie(kind, aside, tmp_path):
    for h in (-9.0, 7.0):
        solid = SHAPES[kind](ball(h, aside), h).Shape()
        found = [i.made for i in read_step(written(solid, tmp_path / "a.step")) if shape_kind(i.shape) == "sphere"]
        assert sum(map(face_area, found)) == pytest.approx(2 * np.pi * R * AREAS[kind](h), rel=2e-6)
        poles = [curve_points(edge_curve(f.surface, s), [0.0])[0] for f in found for s in f.surface.poles]
        edges = [e.space for f in found for e in f.edges if e.side not in f.surface.poles]
        rims = [e for e in edges if np.ptp(curve_points(e, np.linspace(*e.domain, 9))[:, 2]) < 1e-3]
        assert rims
        assert all(to_curve(e, np.array(poles)).distance.min() > 4 for e in rims if poles)


def test_a_rim_through_a_pole_is_filleted_as_any_other(tmp_path):
    volumes = []
    for aside in (-12.0, 0.0, 0.1, -0.5):
        path, out = tmp_path / "a.step", tmp_path / "o.step"
        x, y = np.sqrt(R * R - 49) * np.array([np.cos(2.5), np.sin(2.5)])
        written(SHAPES["cap"](ball(7.0, aside), 7.0).Shape(), path)
        assert pamble(["fillet", str(path), f"--edge={x},{y},7", "--radius", "2", "-o", str(out), "--json"]) == 0
        volumes.append(body_of([i.made for i in read_step(out)], 0.005).volume)
    assert volumes == [pytest.approx(volumes[0], rel=1e-6)] * 4


def test_a_meridian_stands_still_up_to_its_pole(tmp_path):
    """OpenCASCADE makes waves of it, two radians wide, that do not show in space."""
    turn, dip = 4.6857934906090986, -1.2
    way = gp_Dir(np.cos(turn) * np.cos(dip), np.sin(turn) * np.cos(dip), np.sin(dip))
    whole = BRepPrimAPI_MakeSphere(gp_Ax2(gp_Pnt(0, 0, 0), way), 25.509469893231522).Shape()
    solid = SHAPES["cap"](whole, 13.22554484771871).Shape()
    face = next(i.made for i in read_step(written(solid, tmp_path / "a.step")) if shape_kind(i.shape) == "sphere")
    joint = [e for e in face.edges if np.linalg.norm(np.diff(curve_points(e.space, e.domain), axis=0)) > 1]
    assert len(joint) == 2
    assert all(np.ptp(e.pcurve.control[:, 0]) < 1e-9 for e in joint)


@pytest.mark.parametrize("aside", [-12.0, 0.0, 0.1, -0.5])
def test_where_a_rim_ends_with_the_joint_the_rim_is_meant(aside, tmp_path):
    solid = SHAPES["cap"](ball(7.0, aside), 7.0).Shape()
    faces = [i.made for i in read_step(written(solid, tmp_path / "a.step"))]
    round_ = next(f for f in faces if f.surface.poles)
    corners = {tuple(p.round(9)) for e in round_.edges for p in curve_points(e.space, e.domain) if abs(p[2] - 7) < 1e-3}
    for corner in corners:  # a little down the joint, as rounded numbers are
        named = pick_edge(faces, Naming(np.array(corner) - [0, 0, 1e-4], np.array([0.0, 0, -R])), 2 * R)
        along = curve_points(named.edge.space, np.linspace(*named.edge.domain, 9))
        assert np.ptp(along[:, 2]) < 1e-3
