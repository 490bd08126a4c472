"""Parcel-van mirror cap: a vehicle part that grows from its character line, closed but for its rim and its glass.

A made-up part. Crown and flank are lofted from lengthwise curves, front and underside extruded; the flank holds a
drafted step that fades, the shoulder lies along the character line, whose crease is not even, and three roundings of
unlike radii meet in a Y at the arm. The other side of the vehicle is one step, off at first.
"""

from __future__ import annotations

from pamble.demo.making import Row, edge, face
from pamble.study.document import Study

TITLE = "Parcel-van mirror cap"

HINT = "Pull a CV of the Character line: shoulder, cuts and Y corner follow. Switch Other side on for the pair."

_RING = ("crown", "shoulder", "flank", "under")
"""Faces that meet the front, from the crown round to the underside."""


def study() -> Study:
    """The cap as a study in named groups."""
    rows = [_lines(), _slabs(), _step(), _shoulder(), _cuts(), _arm(), _pair()]
    return Study(
        name=TITLE,
        features=[step for row in rows for step in row.steps],
        groups=[row.group for row in rows],
        dimensions={"step_height": "3", "front_radius": "7"},
    )


def _lines() -> Row:
    row = Row("lines", "Lines", "theoretical")
    row.curve(
        "character", "Character line",
        [(152, 6, 46), (94, -4, 66), (32, -9, 76), (-32, -9, 76), (-94, -3, 68), (-152, 8, 50)],
    )  # fmt: skip
    for id, name, shift in (("crown-edge", "Crown's edge", [0, 18, 3]), ("flank-edge", "Flank's edge", [0, -6, -19])):
        row.add(id, "copy_curve", name, curve=edge("character"), how="move", shift=shift, hidden=True)
    for id, name, control in (
        ("crown-middle", "Crown's middle", [(152, 78, 62), (60, 76, 99), (-60, 76, 100), (-152, 82, 66)]),
        ("crown-back", "Crown's back", [(152, 160, 58), (60, 160, 86), (-60, 160, 88), (-152, 160, 62)]),
        ("flank-middle", "Flank's middle", [(152, -14, -20), (60, -34, -14), (-60, -36, -12), (-152, -10, -18)]),
        ("flank-foot", "Flank's foot", [(152, 8, -100), (60, -8, -102), (-60, -8, -102), (-152, 10, -98)]),
        ("front-plan", "Front in plan", [(112, 176, 0), (140, 110, 0), (142, 20, 0), (112, -60, 0)]),
        ("under-side", "Underside from the side", [(170, 0, -62), (60, 0, -84), (-60, 0, -86), (-170, 0, -72)]),
    ):
        row.curve(id, name, control, hidden=True)
    return row


def _slabs() -> Row:
    row = Row("slabs", "Slabs", "primary")
    row.add("crown", "loft", "Crown", sections=[edge("crown-back"), edge("crown-middle"), edge("crown-edge")])
    row.add("flank", "loft", "Flank", sections=[edge("flank-edge"), edge("flank-middle"), edge("flank-foot")])
    row.add("front", "extrude", "Front", curve=edge("front-plan"), along="z", forward=110, back=110, draft=3)
    row.add("under", "extrude", "Underside", curve=edge("under-side"), along="y", forward=190, back=60)
    return row


def _step() -> Row:
    row = Row("step-row", "Drafted step", "secondary")
    row.add(
        "step-line", "surface_line", "Line of the step", face=face("flank"), start=[1.0, 0.42], end=[0.4, 0.5],
        hidden=True,
    )  # fmt: skip
    row.add(
        "step", "drafted_step", "Drafted step", face=face("flank"), line=edge("step-line"), height="=step_height",
        angle=22, back=26,
    )  # fmt: skip
    return row


def _shoulder() -> Row:
    row = Row("shoulder-row", "Shoulder", "secondary")
    return row.add("shoulder", "edge_blend", "Shoulder", first=edge("crown", "v1"), second=edge("flank", "v0"))


def _cuts() -> Row:
    row = Row("cuts", "Trims", "primary")
    row.add(
        "flank-under", "trim_faces", "Flank and underside", faces=[face("flank")], by_faces=[face("under")],
        each_other=True, extend=True,
    )  # fmt: skip
    row.add(
        "cap-front", "trim_faces", "Cut by the front", faces=[face(i) for i in _RING], by_faces=[face("front")],
        extend=True,
    )  # fmt: skip
    row.add(
        "front-cap", "trim_faces", "Front cut back", faces=[face("front")],
        by_curves=[edge(i, "cap-front:front") for i in _RING], extend=True,
        keep=[{"feature": "front", "at": [0.45, 0.55]}],
    )  # fmt: skip
    row.add("glass", "plane_parallel", "Glass side", square_to="x", through=[-146, 0, 0], hidden=True)
    row.add(
        "glass-cut", "trim_faces", "Cut at the glass", faces=[face(i) for i in (*_RING, "step", "step/2")],
        by_planes=[face("glass")],
    )  # fmt: skip
    row.add("rim", "plane_parallel", "Rim", square_to="y", through=[0, 148, 0], hidden=True)
    row.add(
        "rim-cut", "trim_faces", "Rim cut", faces=[face(i) for i in ("crown", "front", "under")],
        by_planes=[face("rim")],
    )  # fmt: skip
    return row


def _arm() -> Row:
    row = Row("arm", "Y at the arm", "tertiary")
    row.add(
        "roundings", "fillet", "Roundings",
        edges=[
            edge("front", "front-cap:flank-cap-front:front"), edge("under", "cap-front:front"),
            edge("flank", "flank-under:under"),
        ],
        faces=[face("crown"), face("shoulder")], radii=["=front_radius", 6, 10],
    )  # fmt: skip
    row.add(
        "y-corner", "fill_hole", "Y corner",
        edges=[edge("roundings/3", "end"), edge("roundings/4", "start"), edge("roundings/5", "end")],
        continuity=[1, 1, 1], layout="spokes",
    )  # fmt: skip
    return row


def _pair() -> Row:
    row = Row("pair", "Symmetric pair", "primary")
    slabs = ("crown", "shoulder", "flank", "step", "step/2", "front", "under")
    rounded = ("roundings", *(f"roundings/{i}" for i in range(2, 6)), "y-corner", "y-corner/2", "y-corner/3")
    row.add(
        "other-side", "copy_faces", "Other side", faces=[face(i) for i in (*slabs, *rounded)], how="mirror",
        normal=[0, 1, 0], pivot=[0, 210, 0], on=False,
    )  # fmt: skip
    return row
