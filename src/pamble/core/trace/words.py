"""What a trace found, as plain figures and in words."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pamble.core.trace.cause import Cause, Kind
from pamble.core.trace.why import Trace

NAMES: dict[Kind, str] = {
    "pairing": "pairing",
    "edge": "edge too complex",
    "corner": "corner twist",
    "crease": "crease angle unevenness",
    "primary": "wavy primary",
    "spans": "mismatched spans",
    "made": "not made for its neighbours",
}
"""Causes by name."""

_UNITS = {"mm": " mm", "degree": "°", "%": " %", "spans": ""}


def told(found: Trace, names: Sequence[str]) -> str:
    """One or two sentences: the cause, its figure and place, and what to change. names: of the faces."""
    pair = f"{names[found.faces[0]]} {found.edges[0]} and {names[found.faces[1]]} {found.edges[1]}"
    cause = found.cause
    if cause is None:
        need = found.spans[0]
        return f"Sound: between {pair} {_spans(need)} {'is' if need == 1 else 'are'} enough."
    if cause.also is None:
        return f"{_said(found, cause, names)} {_remedy(found, cause, names)}"
    both = f"{_said(found, cause, names)} And: {_said(found, cause.also, names)}"
    return f"{both} With both mended {_spans(cause.healed)} would be enough."


def _spans(count: int) -> str:
    return f"{count} span{'' if count == 1 else 's'}"


def _side(found: Trace, cause: Cause, names: Sequence[str]) -> str:
    side = cause.side or 0
    return f"{names[found.faces[side]]} {found.edges[side]}"


def _said(found: Trace, cause: Cause, names: Sequence[str]) -> str:
    x, y, z = cause.place
    figure = f"{cause.figure:.3g}{_UNITS[cause.unit]} at ({x:.2f}, {y:.2f}, {z:.2f}) mm"
    needs = f"it needs {_spans(cause.needs)}"
    match cause.kind:
        case "pairing":
            return f"Points are paired unevenly, off by {figure}: {needs}."
        case "edge":
            return f"The edge {_side(found, cause, names)} is more complex than it need be, by {figure}: {needs}."
        case "corner":
            return f"{_side(found, cause, names)} turns at its corner, by {figure}: {needs}."
        case "crease":
            return f"The crease angle is uneven beside {_side(found, cause, names)}, by {figure}: {needs}."
        case "primary":
            return f"{names[found.faces[cause.side or 0]]} is wavy, by {figure}: {needs}."
        case "spans":
            where = figure[figure.index("at") :]
            return f"The spans do not match: {int(cause.figure)} where {cause.needs} are needed, {where}."
        case "made":
            return f"The neighbours are calm, yet the seam is off by {figure}."


def _remedy(found: Trace, cause: Cause, names: Sequence[str]) -> str:
    healed = f"{_spans(cause.healed)} would be enough."
    match cause.kind:
        case "pairing":
            return f"Pair by equal lengths: {healed}"
        case "edge":
            return f"Simplify it: {healed}"
        case "corner":
            return f"Calm the corner, or end the blend before it: {healed}"
        case "crease":
            return f"Even out the rows of CVs beside the edge: {healed}"
        case "primary":
            return f"Rebuild it with fewer spans: {healed}"
        case "spans":
            return f"Give it {_spans(cause.needs)}."
        case "made":
            face = found.faces[0] if found.between is None else found.between
            return f"Match {names[face]} with G{found.target}, or build it anew."


def trace_row(found: Trace, names: Sequence[str]) -> dict[str, Any]:
    """The trace as plain figures; lengths in mm, angles in degrees. names: of the faces."""
    least, most, uneven = found.crease
    seam = None
    if found.seam is not None:
        worst = found.seam.worst
        seam = {
            "faces": [names[i] for i in found.seam.seam.faces],
            "gap": worst["gap"].value,
            "angle": worst["angle"].value,
            "curvature": worst["curvature"].value,
        }
    causes = [] if found.cause is None else [found.cause, *([] if found.cause.also is None else [found.cause.also])]
    return {
        "units": {"gap": "mm", "angle": "degree", "curvature": "%", "crease": "degree"},
        "sound": found.sound,
        "faces": [names[i] for i in found.faces],
        "edges": list(found.edges),
        "blend": None if found.between is None else names[found.between],
        "target": f"G{found.target}",
        "seam": seam,
        "crease": {"least": least, "largest": most, "unevenness": uneven},
        "spans": {"needed": found.spans[0], "have": found.spans[1]},
        "causes": [
            {
                "name": NAMES[cause.kind],
                "face": None if cause.side is None else names[found.faces[cause.side]],
                "edge": None if cause.side is None else found.edges[cause.side],
                "figure": cause.figure,
                "unit": cause.unit,
                "place": cause.place.tolist(),
                "spans_needed": cause.needs,
                "spans_after_repair": cause.healed,
            }
            for cause in causes
        ],
    }
