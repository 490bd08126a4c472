"""Two slabs that cross, and steps that cut them: what the tests of the history work on."""

from __future__ import annotations

from typing import Any

import numpy as np

from pamble.study.frame import read_frame
from pamble.study.kernel import Kernel
from pamble.study.stored import SurfaceData
from tests.shapes import panel

DECK = panel(lambda x, y: (x, y, 10 * np.sin(x / 60) + 0.001 * x * y), (6, 5))
WALL = panel(lambda x, y: (x, 50 + 0.05 * x + 3 * np.sin(y / 30), y - 50), (5, 5))


WIDE = panel(lambda x, y: (x, 50 + 0.05 * x + 3 * np.sin(y / 30), y - 50), (5, 5), (-60, 360))
"""A wall that reaches beyond the deck on both sides."""


def face(id: str, name: str, surface: Any) -> dict[str, Any]:
    params = {"face": {"surface": SurfaceData.of(surface).model_dump(mode="json")}}
    return {"id": id, "kind": "face", "name": name, "role": "primary", "params": params}


def step(id: str, kind: str, name: str = "", **params: Any) -> dict[str, Any]:
    return {"id": id, "kind": kind, "name": name or id, "role": "primary", "params": params}


def adds(*features: dict[str, Any], at: list[int] | None = None) -> dict[str, Any]:
    return {"op": "add_features", "features": list(features), "at": at}


def ref(id: str, edge: str | None = None) -> dict[str, str]:
    return {"feature": id} if edge is None else {"feature": id, "edge": edge}


CUT = step("t", "trim_faces", "Trim", faces=[ref("deck")], by_faces=[ref("wall")])
TRIM = step("t", "trim_faces", "Trim", faces=[ref("deck")], by_faces=[ref("wall")], each_other=True)


def slabs(*steps: dict[str, Any], wall: Any = WALL) -> Kernel:
    """A kernel with deck and wall, and more steps."""
    kernel = Kernel({"name": "Slabs", "features": [face("deck", "Deck", DECK), face("wall", "Wall", wall)]})
    for one in steps:
        kernel.commit(adds(one))
    return kernel


def moved(kernel: Kernel, id: str, i: int, j: int, by: tuple[float, float, float], **more: Any) -> dict[str, Any]:
    """The operation that moves one CV of an object as it stands."""
    standing = kernel.now.world[id].shape.face
    assert standing is not None
    to = standing.surface.control[i, j] + np.array(by)
    return {"op": "move_cvs", "id": id, "cvs": [{"i": i, "j": j, "to": to.tolist()}], **more}


def told(kernel: Kernel, id: str) -> dict[str, Any]:
    """What the window hears of a step."""
    return next(f for f in read_frame(kernel.frame())[0]["features"] if f["id"] == id)


def shown(kernel: Kernel) -> dict[str, Any]:
    """Objects as the window has them, by id."""
    return {o["id"]: o for o in read_frame(kernel.frame())[0]["objects"]}


def edges(kernel: Kernel, id: str) -> set[str]:
    return {e["name"] for e in shown(kernel)[id]["edges"]}
