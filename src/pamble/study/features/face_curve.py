"""Curves of a face: iso-curves, its edges as curves, a line drawn straight in its parameters."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array
from pamble.core.curves.fit import fit_points
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.inside import held
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_points
from pamble.core.spline.knots import curve_part, iso_curve
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, made_curves
from pamble.study.features.fields import FitParams, choice
from pamble.study.features.figures import DEVIATION
from pamble.study.features.fitting import fitted_curves
from pamble.study.features.handles import iso_handles
from pamble.study.references import EdgeRef, FaceRef
from pamble.study.stored import Stored


class IsoParams(Stored):
    """Iso-curves at fractions of the domain; exact."""

    face: FaceRef = choice("Face")
    held: Literal["u", "v"] = choice("Held parameter", "u", turns=True)
    at: list[float] = Field([0.5], title="At", min_length=1)


def iso(params: IsoParams, inputs: Inputs, context: Context) -> Made:
    """Build the iso-curves, as far as the trimmed face reaches."""
    face = inputs.face(params.face)
    own, across = (0, 1) if params.held == "u" else (1, 0)
    (a, b), (c, d) = face.surface.domain[own], face.surface.domain[across]
    made = []
    for fraction in params.at:
        held = a + min(max(fraction, 0.0), 1.0) * (b - a)
        whole = iso_curve(face.surface, params.held, held)
        ways = [np.array(p) for p in ((held, c), (held, d))]
        start, end = (w if own == 0 else w[::-1] for w in ways)
        made += [curve_part(whole, c + s * (d - c), c + e * (d - c)) for s, e in on_face(face, start, end)]
    if not made:
        raise GeometryError("No iso-curve runs over what the trim leaves of the face: choose other places.")
    return made_curves(*made, handles=iso_handles(face.surface, params.held, params.at))


def on_face(face: Face, start: Array, end: Array) -> list[tuple[float, float]]:
    """Stretches, as fractions, of the straight way from ``start`` to ``end`` in the parameters that lie on the face."""
    return held(face, Curve.line(start, end))


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
    """Build the line on the face, as far as its trim lets it run."""
    face = inputs.face(params.face)
    low, high = np.array(face.surface.domain).T
    start, end = (low + np.clip(p, 0, 1) * (high - low) for p in (params.start, params.end))
    if np.abs(end - start).max() < 1e-12:
        raise GeometryError("The line starts where it ends: give it two places.")
    s = np.linspace(0.0, 1.0, 241)
    made = []
    for a, b in on_face(face, start, end):
        uv = start + (a + s * (b - a))[:, None] * (end - start)
        points = surface_points(face.surface, uv[:, 0], uv[:, 1])
        made.append(fit_points(points, params.degree, params.tolerance, params.spans, s))
    if not made:
        raise GeometryError("The line runs where the face is trimmed away: move it.")
    return fitted_curves(made, params, context)


KINDS = (
    FeatureKind(
        "iso_curve", "Iso-curves", "construction", IsoParams, iso, "curves", "Pick a face.", section="On faces"
    ),
    FeatureKind(
        "edge_curve",
        "Edge as a curve",
        "construction",
        EdgeCurveParams,
        edge_curve,
        "curves",
        "Pick an edge.",
        section="On faces",
    ),
    FeatureKind(
        "surface_line",
        "Line on a face",
        "construction",
        SurfaceLineParams,
        surface_line,
        "curves",
        "Pick a face.",
        section="On faces",
        figures=(DEVIATION,),
    ),
)
