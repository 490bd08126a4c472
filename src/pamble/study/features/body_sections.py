"""Body sections: planes dropped into a body give a section each, which can be moved, turned and sized in its plane.

A loft through them is the new skin: it follows them, and can be deleted and made again.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array
from pamble.core.curves.body_sections import Placing, middle_of, one_line
from pamble.core.errors import GeometryError, NotMeeting
from pamble.core.faces.face import Face
from pamble.core.faces.intersect import plane_section
from pamble.core.planes import Plane, plane_at
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, PartHandle, made_curves
from pamble.study.features.fields import FitParams, choice, number, unseen
from pamble.study.features.figures import DEVIATION
from pamble.study.features.handles import move, slide, turn
from pamble.study.references import FaceRef, Point

_AXES = {"x": 0, "y": 1, "z": 2}
_INSET = 0.02
"""How far inside the body, as a share of its length, the first and last plane stand when nothing else is said."""

Open = Annotated[float, Field(ge=-1e5, le=1e5)] | None


class BodySectionsParams(FitParams):
    """count planes square to an axis. at: where each stands along it, mm, evenly where null. middles: where the middle
    of each section is moved to in its plane, null to stay; turned: degrees about it; sized: factors.
    """

    faces: list[FaceRef] = Field(title="Faces", min_length=1, json_schema_extra={"every": True})
    along: Literal["x", "y", "z"] = choice("Planes along", "x")
    count: int = number("Sections", 5, ge=2, le=40)
    at: list[Open] = choice("Stands at", [], widget="number each", unit="mm", counted="count")
    turned: list[Open] = choice("Turned by", [], widget="number each", unit="°", counted="count")
    sized: list[Annotated[float, Field(gt=0.01, le=100)] | None] = choice(
        "Sized by", [], widget="number each", counted="count", limits={"minimum": 0.01}
    )
    middles: list[Point | None] = unseen([])


def run(params: BodySectionsParams, inputs: Inputs, context: Context) -> Made:
    """Build the sections."""
    faces = [(inputs.name(ref.feature), inputs.face(ref)) for ref in params.faces]
    axis = np.eye(3)[_AXES[params.along]]
    ends = _reach([f for _, f in faces], axis)
    places = _places(params, ends)
    curves, handles, off = [], [], 0.0
    for k, place in enumerate(places):
        plane = plane_at(place * axis, axis)
        curve, away = one_line(_runs(faces, plane, k), params.degree, params.tolerance)
        off = max(off, away)
        middle = middle_of(curve)
        wanted = _own(params.middles, k)
        shift = np.zeros(3) if wanted is None else np.array(wanted) - middle
        placing = Placing(shift - (shift @ axis) * axis, _own(params.turned, k) or 0.0, _own(params.sized, k) or 1.0)
        moved = placing.change(middle, axis).apply(curve)
        curves.append(moved)
        room = (min(place, ends[0]), max(place, ends[1]))
        handles += list(_handles(k, place, room, placing, middle + placing.shift, moved, axis))
    return made_curves(*curves, handles=tuple(handles), deviation=off)


def _own(values: list[Any], k: int) -> Any:
    return values[k] if k < len(values) else None


def _reach(faces: list[Face], axis: Array) -> tuple[float, float]:
    """From where to where the faces reach along the axis, mm."""
    edges = [e.space for f in faces for e in f.edges]
    high = np.concatenate([curve_points(c, np.linspace(*c.domain, 33)) @ axis for c in edges])
    return float(high.min()), float(high.max())


def _places(params: BodySectionsParams, ends: tuple[float, float]) -> list[float]:
    """Where the planes stand along the axis, mm."""
    inset = _INSET * (ends[1] - ends[0])
    even = np.linspace(ends[0] + inset, ends[1] - inset, params.count)
    return [float(even[k]) if _own(params.at, k) is None else float(params.at[k] or 0.0) for k in range(params.count)]


def _runs(faces: list[tuple[str, Face]], plane: Plane, k: int) -> list[Array]:
    runs: list[Array] = []
    for name, face in faces:
        try:
            runs += plane_section(face, plane)
        except NotMeeting:
            continue
        except GeometryError as error:
            raise GeometryError(f"Plane {k + 1}, {name}: {error}") from error
    if not runs:
        raise GeometryError(f"Plane {k + 1} misses all faces: move it.")
    return runs


def _handles(
    k: int, place: float, limits: tuple[float, float], placing: Placing, middle: Array, curve: Curve, axis: Array
) -> Iterator[PartHandle]:
    """The plane slid along the axis, the middle moved in it, the section turned about it."""
    rim, across = curve_points(curve, [curve.domain[0], 0.5 * sum(curve.domain)])

    def along(values: Array) -> Array:
        return np.asarray(across + (values - place)[:, None] * axis)

    yield slide("at", f"Plane {k + 1}", place, along, index=k, limits=limits, unit="mm")
    yield move("middles", f"Middle of section {k + 1}", middle, axis, index=k)
    yield turn("turned", f"Turn of section {k + 1}", placing.turn, middle, axis, rim, (-360.0, 360.0), index=k)


KIND = FeatureKind(
    "body_sections", "Body sections", "theoretical", BodySectionsParams, run, "curves", "Pick the faces of a body.",
    section="On faces", figures=(DEVIATION,),
    doing="Move, turn and size sections; then loft through them. Enter keeps them, Esc drops them.",
)  # fmt: skip
