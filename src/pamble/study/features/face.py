"""A face given by its own numbers: a primary that was made or imported, its CVs free to be moved."""

from __future__ import annotations

from typing import Any

import numpy as np

from pamble.core.faces.face import Face
from pamble.core.faces.twins import on_surface
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, Shape
from pamble.study.features.fields import choice
from pamble.study.features.move_cvs import HeldSides
from pamble.study.stored import FaceData

_TWINS = 1e-4
"""Tolerance in mm of trim curves in space after CVs were moved."""


class FaceParams(HeldSides):
    """The face itself. source: the file it came from, if any."""

    face: FaceData
    source: str | None = choice("Source", None)


def run(params: FaceParams, inputs: Inputs, context: Context) -> Made:
    """Build the face from its numbers."""
    face = params.face.face()
    return Made({"": Shape(face)}, facts={"source": params.source} if params.source else {})


def settle(before: dict[str, Any], params: dict[str, Any], moved: list[int]) -> dict[str, Any]:
    """Parameters after a change: rows that are held stay, and trim curves follow the surface."""
    if not params["face"].get("loops") and all(v is None for k, v in params.items() if k.startswith("hold_")):
        return params
    old, new = (FaceData.model_validate(p["face"]) for p in (before, params))
    was, now = np.array(old.surface.control), np.array(new.surface.control)
    if was.shape != now.shape or np.array_equal(was, now):
        return params
    held = HeldSides.model_validate({k: v for k, v in params.items() if k.startswith("hold_")})
    face = new.face()
    surface = face.surface.with_control(was + held.held_rows(now - was))
    follows: Face = on_surface(face, surface, _TWINS)
    return {**params, "face": FaceData.of(follows).model_dump(mode="json")}


KIND = FeatureKind(
    "face", "Face", "primary", FaceParams, run, bulk=("face",), net=("face", "surface", "control"), settle=settle,
    makes="face",
)  # fmt: skip
