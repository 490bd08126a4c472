"""Block and cylinder: a body to try an idea on, its faces plain and exact."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.shapes import ellipse
from pamble.core.faces.cap import cap
from pamble.core.faces.face import Face
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.revolve import revolve
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, made_faces
from pamble.study.features.fields import choice, number
from pamble.study.features.handles import move, pull
from pamble.study.references import Place
from pamble.study.stored import Stored

_AXES = {"x": 0, "y": 1, "z": 2}
_SIZES = (0.01, 1e5)


class StartBodyParams(Stored):
    """A block by its sizes along x, y and z, or a cylinder along an axis, about a middle."""

    shape: Literal["block", "cylinder"] = choice("Shape", "block")
    middle: Place = choice("Middle", (0.0, 0.0, 0.0), placed=True)
    x: float = number("Along x", 100.0, "mm", when=("shape", "block"), ge=0.01, le=1e5)
    y: float = number("Along y", 60.0, "mm", when=("shape", "block"), ge=0.01, le=1e5)
    z: float = number("Along z", 40.0, "mm", when=("shape", "block"), ge=0.01, le=1e5)
    along: Literal["x", "y", "z"] = choice("Axis", "x", when=("shape", "cylinder"))
    radius: float = number("Radius", 30.0, "mm", when=("shape", "cylinder"), ge=0.01, le=1e5)
    length: float = number("Length", 100.0, "mm", when=("shape", "cylinder"), ge=0.01, le=1e5)


def run(params: StartBodyParams, inputs: Inputs, context: Context) -> Made:
    """Build the faces, all outside out."""
    middle = inputs.point(params.middle)
    if params.shape == "cylinder":
        return _cylinder(params, middle)
    half = 0.5 * np.array([params.x, params.y, params.z])
    faces = [_side(middle, half, k, sign) for k in range(3) for sign in (1.0, -1.0)]
    ways = zip("xyz", np.eye(3), strict=True)
    handles = [
        pull(name, f"Along {name}", getattr(params, name), middle, way, per_mm=2.0, limits=_SIZES) for name, way in ways
    ]
    return made_faces(faces, handles=(*handles, move("middle", "Middle", middle, np.eye(3)[2])))


def _side(middle: Array, half: Array, k: int, sign: float) -> Face:
    """The side of a block square to axis k: u and v such that its normal leads out."""
    out, a, b = (np.eye(3)[(k + i) % 3] * half[(k + i) % 3] for i in range(3))
    corner = middle + sign * out
    rows = [[corner + s * a + t * sign * b for t in (-1, 1)] for s in (-1, 1)]
    return Face(Surface.bezier(rows))


def _cylinder(params: StartBodyParams, middle: Array) -> Made:
    axis, out = (np.eye(3)[(_AXES[params.along] + i) % 3] for i in range(2))
    half = 0.5 * params.length * axis
    rim = middle + params.radius * out
    wall = Face(revolve(Curve.line(rim - half, rim + half), middle, axis, 0.0, 360.0))
    ends = []
    for sign in (1.0, -1.0):
        circle = ellipse(middle + sign * half, sign * axis, (params.radius, params.radius), out)
        ends.append(cap([circle], ["rim"]))
    handles = (
        pull("radius", "Radius", params.radius, middle, out, limits=_SIZES),
        pull("length", "Length", params.length, middle, axis, per_mm=2.0, limits=_SIZES),
        move("middle", "Middle", middle, axis),
    )
    return made_faces([wall, *ends], handles=handles)


KIND = FeatureKind(
    "start_body", "Block or cylinder", "primary", StartBodyParams, run, "primaries", "Click where its middle stands.",
    makes="face", section="From curves",
)  # fmt: skip
