"""Steam iron body: a consumer part that grows from its shoulder line, whole up to the open sole.

A made-up part. Left side and top are lofted from lengthwise curves and overbuilt; the right side is the left one's
image. A crease on the side fades toward the tip, the handle opening is a blend from hole to hole, the tank window lies
behind its rim, the heel is rounded over five faces, and the tip ends in a corner of five sides.
"""

from __future__ import annotations

from pamble.demo.making import Row, edge, face
from pamble.study.document import Study

TITLE = "Steam iron body"

HINT = "Show the Shoulder line's CVs and pull one: sides, shoulders, opening, heel and tip follow."

_WAY = "3 spokes: middle 1, corner 3, corner 5"
"""The calmest way to lay out the corner at the tip."""

_RING = ("left", "shoulder", "top", "right/2", "right")
"""Faces that meet the heel, from the left side over the top."""


def study() -> Study:
    """The body as a study in named groups."""
    rows = [_lines(), _slabs(), _crease(), _sides(), _opening(), _window(), _ends(), _tip()]
    return Study(
        name=TITLE,
        features=[step for row in rows for step in row.steps],
        groups=[row.group for row in rows],
        dimensions={"heel_radius": "6", "window_depth": "1.5"},
    )


def _lines() -> Row:
    row = Row("lines", "Lines", "theoretical")
    row.curve("edge", "Shoulder line", [(-128, 19, 90), (-60, 27, 103), (20, 27, 103), (90, 19, 83), (136, 11, 54)])
    row.curve(
        "waist", "Waist line", [(-128, 32, 50), (-60, 47, 48), (20, 47, 46), (90, 32.5, 38), (138, 15, 26)],
        hidden=True,
    )  # fmt: skip
    row.curve(
        "sole", "Sole line", [(-128, 50, -6), (-60, 62, -6), (20, 62, -6), (90, 44, -6), (140, 17.5, -6)],
        hidden=True,
    )  # fmt: skip
    row.curve("ridge", "Ridge", [(-128, 0, 103), (-60, 0, 120), (20, 0, 120), (90, 0, 97), (136, 0, 63)], hidden=True)
    row.curve("heel-plan", "Heel in plan", [(-104, -80, 0), (-116, -30, 0), (-116, 30, 0), (-104, 80, 0)], hidden=True)
    for id, name, factors in (
        ("side-edge", "Side's edge", [1, 1.16, 0.92]),
        ("top-edge", "Top's edge", [1, 0.5, 1.13]),
    ):
        row.add(id, "copy_curve", name, curve=edge("edge"), how="scale", factors=factors, hidden=True)
    row.add(
        "top-edge-right", "copy_curve", "Top's right edge", curve=edge("top-edge"), how="mirror", normal=[0, 1, 0],
        hidden=True,
    )  # fmt: skip
    return row


def _slabs() -> Row:
    row = Row("slabs", "Slabs", "primary")
    row.add("left", "loft", "Left side", sections=[edge("side-edge"), edge("waist"), edge("sole")])
    row.add("top", "loft", "Top", sections=[edge("top-edge-right"), edge("ridge"), edge("top-edge")])
    row.add("heel", "extrude", "Heel", curve=edge("heel-plan"), along="z", forward=150, back=20)
    return row


def _crease() -> Row:
    row = Row("crease-row", "Fading crease", "secondary")
    row.add(
        "crease-line", "surface_line", "Line of the crease", face=face("left"), start=[0.36, 1.0], end=[0.64, 0.42],
        hidden=True,
    )  # fmt: skip
    row.add(
        "crease", "feature_line", "Crease that fades", face=face("left"), line=edge("crease-line"), angle=16, width=16
    )
    return row


def _sides() -> Row:
    row = Row("sides", "Shoulders and nose", "secondary")
    row.add("shoulder", "edge_blend", "Left shoulder", first=edge("top", "v1"), second=edge("left", "v0"))
    row.add(
        "right", "copy_faces", "Right side", faces=[face(i) for i in ("left", "shoulder", "crease")], how="mirror",
        normal=[0, 1, 0],
    )  # fmt: skip
    row.add("nose", "edge_blend", "Nose", first=edge("left", "u1"), second=edge("right", "u1"))
    return row


def _opening() -> Row:
    row = Row("opening", "Handle opening", "secondary")
    row.add("oval", "ellipse", "Opening", centre=[-20, 0, 60], normal=[0, 1, 0], radius=52, second=24, hidden=True)
    row.add(
        "opened", "trim_faces", "Sides opened", faces=[face("left"), face("right")], by_curves=[edge("oval")],
        along="direction", direction=[0, 1, 0],
    )  # fmt: skip
    row.add(
        "grip", "edge_blend", "Grip", first=edge("left", "opened:oval-c0"), second=edge("right", "opened:oval-c0"),
        fullness=[0.3, 0.3],
    )  # fmt: skip
    return row


def _window() -> Row:
    row = Row("window", "Tank window", "secondary")
    row.add("pane", "offset_face", "Window pane", face=face("right"), distance="=-window_depth")
    row.add("rim", "ellipse", "Window's rim", centre=[78, 0, 45], normal=[0, 1, 0], radius=19, second=9, hidden=True)
    row.add(
        "pane-rim",
        "offset_curve",
        "Pane's rim",
        curve=edge("rim"),
        distance="=-window_depth",
        normal=[0, 1, 0],
        hidden=True,
    )
    across = {"along": "direction", "direction": [0, 1, 0]}
    row.add("cut-out", "trim_faces", "Window cut out", faces=[face("right")], by_curves=[edge("rim")], **across)
    row.add(
        "cut-pane", "trim_faces", "Pane cut", faces=[face("pane")], by_curves=[edge("pane-rim")],
        keep=[{"feature": "pane", "at": [0.4, 0.75]}], **across,
    )  # fmt: skip
    row.add(
        "frame", "edge_blend", "Window frame", first=edge("right", "cut-out:rim-c0"),
        second=edge("pane", "cut-pane:pane-rim-c0"), continuity=[1, 1],
    )  # fmt: skip
    return row


def _ends() -> Row:
    row = Row("ends", "Heel and sole", "primary")
    row.add(
        "heel-cut", "trim_faces", "Cut at the heel", faces=[face(i) for i in _RING], by_faces=[face("heel")],
        extend=True,
    )  # fmt: skip
    row.add(
        "heel-back", "trim_faces", "Heel cut back", faces=[face("heel")],
        by_curves=[edge(i, "heel-cut:heel") for i in _RING], extend=True, keep=[{"feature": "heel", "at": [0.5, 0.45]}],
    )  # fmt: skip
    row.add("sole-plane", "plane_parallel", "Sole", square_to="z", through=[0, 0, 0], hidden=True)
    row.add(
        "sole-cut", "trim_faces", "Cut at the sole",
        faces=[face(i) for i in ("left", "right", "nose", "heel", "crease", "right/3")], by_planes=[face("sole-plane")],
    )  # fmt: skip
    row.add(
        "heel-round", "fillet", "Heel rounded", edges=[edge("heel", "heel-back:top-heel-cut:heel")],
        faces=[face(i) for i in _RING], radius="=heel_radius",
    )  # fmt: skip
    return row


def _tip() -> Row:
    row = Row("tip", "Corner at the tip", "tertiary")
    row.add("cut-left", "line", "Cut line, left", start={**edge("top-edge"), "at": 1.0}, end=[130, 0, 90], hidden=True)
    row.add(
        "cut-right", "line", "Cut line, right", start=[130, 0, 90], end={**edge("top-edge-right"), "at": 1.0},
        hidden=True,
    )  # fmt: skip
    row.add(
        "top-cut", "trim_faces", "Top cut back", faces=[face("top")], by_curves=[edge("cut-left"), edge("cut-right")],
        along="direction", direction=[0, 0, 1],
    )  # fmt: skip
    sides = [
        edge("nose", "u1"), edge("shoulder", "u1"), edge("top", "top-cut:cut-left-c0"),
        edge("top", "top-cut:cut-right-c0"), edge("right/2", "u1"),
    ]  # fmt: skip
    row.add("corner", "fill_hole", "Five-sided corner", edges=sides, layout="picked", way=_WAY)
    return row
