"""Curves of a face: iso-curves, its edges as curves, a line drawn straight in its parameters."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from pamble.build.data import EdgeRef, FaceRef, Stored
from pamble.build.features.base import Context, FeatureKind, Inputs, Made, made_curves
from pamble.build.features.fields import FitParams, choice
from pamble.core.curves.fit import fit_points
from pamble.core.spline.evaluate import surface_points
from pamble.core.spline.knots import iso_curve


class IsoParams(Stored):
    """Iso-curves at fractions of the domain; exact."""

    face: FaceRef = choice("Face")
    held: Literal["u", "v"] = choice("Held parameter", "u")
    at: list[float] = Field([0.5], title="At", min_length=1)


def iso(params: IsoParams, inputs: Inputs, context: Context) -> Made:
    """Build the iso-curves."""
    surface = inputs.face(params.face).surface
    a, b = surface.domain[0 if params.held == "u" else 1]
    return made_curves(*(iso_curve(surface, params.held, a + min(max(t, 0.0), 1.0) * (b - a)) for t in params.at))


class EdgeCurveParams(Stored):
    """An edge as a curve of its own."""

    edge: EdgeRef = choice("Edge")


def edge_curve(params: EdgeCurveParams, inputs: Inputs, context: Context) -> Made:
    """Build the curve of the edge."""
    return made_curves(inputs.curve(params.edge))


class SurfaceLineParams(FitParams):
    """Straight in the parameters between two places, each given by fractions of u and v."""

    face: FaceRef = choice("Face")
    start: tuple[float, float] = choice("From u, v", (0.0, 0.5))
    end: tuple[float, float] = choice("To u, v", (1.0, 0.5))


def surface_line(params: SurfaceLineParams, inputs: Inputs, context: Context) -> Made:
    """Build the line on the surface."""
    surface = inputs.face(params.face).surface
    (u0, u1), (v0, v1) = surface.domain
    s = np.linspace(0.0, 1.0, 241)
    uv = np.array(params.start) + s[:, None] * (np.array(params.end) - np.array(params.start))
    points = surface_points(surface, u0 + uv[:, 0] * (u1 - u0), v0 + uv[:, 1] * (v1 - v0))
    made = fit_points(points, params.degree, params.tolerance, params.spans, s)
    return made_curves(made.curve, deviation=made.deviation)


KINDS = (
    FeatureKind("iso_curve", "Iso-curves", "construction", IsoParams, iso, "curves", "Pick a face."),
    FeatureKind(
        "edge_curve", "Edge as a curve", "construction", EdgeCurveParams, edge_curve, "curves", "Pick an edge."
    ),
    FeatureKind(
        "surface_line", "Line on a face", "construction", SurfaceLineParams, surface_line, "curves", "Pick a face."
    ),
)
