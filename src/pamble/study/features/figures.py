"""Figures of curves that every step adds to its facts."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from pamble.core.curves.layout import check_layout
from pamble.core.curves.measure import curve_facts
from pamble.core.spline.curve import Curve
from pamble.study.features.base import Figure
from pamble.study.objects import Made

DEVIATION = Figure("deviation", "Deviation", "mm")
OFF_SURFACE = Figure("off_surface", "Off the surface", "mm")
MOVED = Figure("moved", "CVs moved by up to", "mm")
JOINTS = Figure(
    "joints", "Joint", form="parts", each="Joint {n}", parts=(("gap", "mm"), ("angle", "°"), ("curvature", "%"))
)


def described(made: Made, quick: bool, last: Made | None = None) -> Made:
    """The result with the figures of its curves; of the first alone, and roughly, while the pointer is down.

    last: what was described before; its figures stand in where nobody looks at the new ones.
    """
    shape = made.shape
    if shape is None or not shape.curves:
        return made
    if last is not None and "curves" in last.facts:
        return replace(made, facts={**made.facts, "curves": last.facts["curves"]})
    drawn = shape.points is None
    chosen = shape.curves[:1] if quick else shape.curves
    figures = [describe_curve(c, quick, drawn and c.weights is None) for c in chosen]
    return replace(made, facts={**made.facts, "curves": figures})


def describe_curve(curve: Curve, quick: bool = False, polygon: bool = True) -> dict[str, Any]:
    """Figures of a curve as plain data: make, length, least radius and where, inflections, layout of its CVs.

    polygon: whether a person shapes it by its CVs, so that their layout is to be judged; conics are what they are.
    """
    f = curve_facts(curve, quick)
    layout = check_layout(curve, len(f.inflections)) if polygon else None
    return {
        "degree": curve.degree,
        "spans": curve.spans,
        "cvs": len(curve.control),
        "rational": curve.weights is not None,
        "length": f.length,
        "largest": f.largest,
        "least_radius": f.least_radius,
        "least_point": f.least_point.tolist(),
        "inflections": f.inflections.tolist(),
        "humps": f.humps,
        "layout": layout.score if layout else None,
        "faults": [{"cv": fault.cv, "words": fault.words} for fault in layout.faults] if layout else [],
    }
