"""Geometry as it is stored in a study: plain numbers, checked when turned into curves and surfaces."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from pamble.core.faces.face import Edge, Face
from pamble.core.spline.basis import uniform_knots
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import EDGES, Surface


class Stored(BaseModel):
    """Base of everything stored: unknown fields are refused, so that a newer file is not silently cut down."""

    model_config = ConfigDict(extra="forbid", ser_json_inf_nan="constants")


def _table(rows: list[Any]) -> list[Any]:
    """Rows that are all of one length, all the way down."""
    try:
        np.asarray(rows, dtype=float)
    except ValueError:
        raise ValueError("its rows are not all of one length") from None
    return rows


Points = Annotated[list[list[float]], AfterValidator(_table)]
"""Rows of as many coordinates each."""

Net = Annotated[list[list[list[float]]], AfterValidator(_table)]
"""Rows of as many points each."""

_DRAWN_DEGREE = 5
"""Degree of a curve of which only CVs are given: as high as they allow, to this; then more spans."""


class CurveData(Stored):
    """A B-spline curve; control points are rows of 2 or 3 coordinates in mm (or parameters). Where no knots are given,
    as when CVs are clicked, the spans are even; the degree follows from the number of CVs unless it is given too.
    """

    degree: int = Field(ge=1, le=25)
    knots: list[float]
    control: Points
    weights: list[float] | None = None

    @model_validator(mode="before")
    @classmethod
    def _drawn(cls, given: Any) -> Any:
        if not isinstance(given, dict) or "knots" in given:
            return given
        count = len(given.get("control") or ())
        if count < 2:
            raise ValueError("a curve needs two CVs or more")
        wanted = given.get("degree", _DRAWN_DEGREE)
        if not isinstance(wanted, int) or wanted < 1:
            raise ValueError("a degree is a whole number from 1")
        degree = min(wanted, count - 1)
        return {**given, "degree": degree, "knots": uniform_knots(degree, count - degree).tolist()}

    def curve(self) -> Curve:
        return Curve(self.degree, self.knots, self.control, self.weights)  # type: ignore[arg-type]

    @staticmethod
    def of(curve: Curve) -> CurveData:
        weights = None if curve.weights is None else curve.weights.tolist()
        return CurveData(
            degree=curve.degree, knots=curve.knots.tolist(), control=curve.control.tolist(), weights=weights
        )


class SurfaceData(Stored):
    """A B-spline surface; control[i][j] is the CV in row i along u and column j along v, mm."""

    degree_u: int = Field(ge=1, le=25)
    degree_v: int = Field(ge=1, le=25)
    knots_u: list[float]
    knots_v: list[float]
    control: Net
    weights: Points | None = None

    def surface(self) -> Surface:
        return Surface(
            self.degree_u,
            self.degree_v,
            self.knots_u,  # type: ignore[arg-type]
            self.knots_v,  # type: ignore[arg-type]
            self.control,  # type: ignore[arg-type]
            self.weights,  # type: ignore[arg-type]
        )

    @staticmethod
    def of(surface: Surface) -> SurfaceData:
        return SurfaceData(
            degree_u=surface.degree_u,
            degree_v=surface.degree_v,
            knots_u=surface.knots_u.tolist(),
            knots_v=surface.knots_v.tolist(),
            control=surface.control.tolist(),
            weights=None if surface.weights is None else surface.weights.tolist(),
        )


class TrimData(Stored):
    """One edge of a trim loop: in the parameter plane and in space; inward +1 if the face lies on its left.

    at: the side of the surface that it lies on, if any.
    """

    name: str
    pcurve: CurveData
    curve: CurveData
    inward: float
    at: str | None = None


class FaceData(Stored):
    """A surface and its trim loops, outer loop first; no loops means all four sides. names: of the four sides."""

    surface: SurfaceData
    loops: list[list[TrimData]] = []
    names: tuple[str, str, str, str] = EDGES

    def face(self) -> Face:
        surface = self.surface.surface()
        loops = tuple(
            tuple(Edge(surface, t.name, t.pcurve.curve(), t.inward, t.curve.curve(), t.at) for t in loop)
            for loop in self.loops
        )
        return Face(surface, loops, self.names)

    @staticmethod
    def of(face: Face) -> FaceData:
        loops = [
            [
                TrimData(
                    name=e.name, pcurve=CurveData.of(e.pcurve), curve=CurveData.of(e.space), inward=e.inward, at=e.side
                )
                for e in loop
            ]
            for loop in face.loops
        ]
        return FaceData(surface=SurfaceData.of(face.surface), loops=loops, names=face.names)
