"""Loft: a face through sections in order, with guides, that runs on into its neighbours where asked."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from pamble.core.curves.offset import curve_plane
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.patches.loft import FREE, Between, LoftEnd, loft
from pamble.core.spline.curve import Curve
from pamble.core.spline.kinks import smooth_pieces
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, made_faces
from pamble.study.features.fields import choice, number
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored

Ending = Literal["free", "square", "tangent", "curvature"]
_ORDER = {"free": 0, "square": 0, "tangent": 1, "curvature": 2}
_WORDS = {"square": "square to its plane", "tangent": "G1 to its face", "curvature": "G2 to its face"}
_MEETS = ("tangent", "curvature")


class LoftParams(Stored):
    """Sections in order. turned: numbers of sections that run the other way than was found. magnitudes: how far the
    surface runs as it leaves an end, over the way to the next section.
    """

    sections: list[EdgeRef] = Field(title="Sections", min_length=2)
    guides: list[EdgeRef] = Field([], title="Guides")
    between: Between = choice("Between sections", "smooth")
    closed: bool = choice("Round to the first", False)
    start: Ending = choice("At the start", "free", labels=_WORDS)
    start_magnitude: float = number("Start's magnitude", 1.0, when=("start", "square", *_MEETS), gt=0, le=10)
    end: Ending = choice("At the end", "free", labels=_WORDS)
    end_magnitude: float = number("End's magnitude", 1.0, when=("end", "square", *_MEETS), gt=0, le=10)
    turned: list[int] = Field([], title="Turned sections", json_schema_extra={"widget": "numbers"})


def run(params: LoftParams, inputs: Inputs, context: Context) -> Made:
    """Build the loft."""
    lines: list[Curve | Edge] = [
        inputs.edge(ref) if inputs.is_edge(ref) else inputs.curve(ref) for ref in params.sections
    ]
    ends = (
        _end(params.start, params.start_magnitude, lines[0], inputs.name(params.sections[0].feature)),
        _end(params.end, params.end_magnitude, lines[-1], inputs.name(params.sections[-1].feature)),
    )
    guides = inputs.different(params.guides)
    diagonal = max(s.surface.diagonal if isinstance(s, Edge) else _size(s) for s in lines)
    made = loft(lines, diagonal, between=params.between, closed=params.closed, ends=ends, guides=guides)
    if params.turned:
        if any(not 1 <= n <= len(lines) for n in params.turned):
            raise GeometryError(f"Sections are numbered from 1 to {len(lines)}.")
        ways = [t != (i + 1 in params.turned) for i, t in enumerate(made.turned)]
        made = loft(
            lines, diagonal, between=params.between, closed=params.closed, ends=ends, guides=guides, turned=ways
        )
    pieces = smooth_pieces(made.surface)
    seams = []
    for side, ending, ref in (("v0", params.start, params.sections[0]), ("v1", params.end, params.sections[-1])):
        if ending in _MEETS:
            seams.append(DeclaredSeam(side, ref.feature, ref.edge, _ORDER[ending]))
    facts: dict[str, Any] = {"off_sections": max(made.sections)}
    if made.guides:
        facts["off_guides"] = max(made.guides)
    return made_faces(
        [Face(piece) for piece in pieces],
        seams=tuple(seams),
        warnings=made.warnings,
        **facts,
    )


def _size(curve: Curve) -> float:
    return float(((curve.control.max(axis=0) - curve.control.min(axis=0)) ** 2).sum() ** 0.5)


def _end(ending: Ending, magnitude: float, section: Curve | Edge, name: str) -> LoftEnd:
    if ending == "free":
        return FREE
    if ending == "square":
        curve = section.space if isinstance(section, Edge) else section
        return LoftEnd(square=curve_plane(curve)[0], magnitude=magnitude)
    if not isinstance(section, Edge):
        raise GeometryError(f"{name} is no edge of a face: the loft can meet nothing there.")
    return LoftEnd(order=_ORDER[ending], magnitude=magnitude)


KIND = FeatureKind(
    "loft", "Loft", "primary", LoftParams, run, "primaries", "Pick sections in order.", makes="face", section="",
    figures=(Figure("off_sections", "Off the sections", "mm"), Figure("off_guides", "Off the guides", "mm")),
)  # fmt: skip
