"""Area and volume: what faces are together, where they are open, and which of them point to the other side."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
from pydantic import Field

from pamble.core.checks.body import body_of
from pamble.core.curves.measure import curve_length
from pamble.core.spline.evaluate import curve_points
from pamble.core.tolerances import SEAM_SEARCH
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made
from pamble.study.features.fields import number
from pamble.study.references import FaceRef
from pamble.study.stored import Stored

_DRAWN = 17


class BodyParams(Stored):
    """faces: of one body. reach: how far apart edges may lie that meet."""

    faces: list[FaceRef] = Field(title="Faces", min_length=1, json_schema_extra={"every": True})
    reach: float = number("Edges meet within", SEAM_SEARCH, "mm", gt=0, le=100)


def run(params: BodyParams, inputs: Inputs, context: Context) -> Made:
    """Measure the faces."""
    ids = list(dict.fromkeys(ref.feature for ref in params.faces))
    found = body_of([inputs.face(FaceRef(feature=i)) for i in ids], params.reach)
    facts: dict[str, Any] = {"area": found.area, "closed": _words(found.pieces, len(found.open))}
    if found.volume is not None:
        facts["volume"] = found.volume
    if found.open:
        length = float(sum(curve_length(o.edge.space, *o.t) for o in found.open))
        lines = [curve_points(o.edge.space, np.linspace(*o.t, _DRAWN)) for o in found.open]
        pieces = [[a.tolist(), b.tolist()] for line in lines for a, b in itertools.pairwise(line)]
        facts |= {"open_length": length, "measured": {"value": length, "unit": "mm open", "lines": pieces}}
    if found.turned:
        facts["turned"] = ", ".join(inputs.name(ids[n]) for n in found.turned)
    return Made(facts=facts)


def _words(pieces: int, gaps: int) -> str:
    what = f"open at {gaps} edge{'' if gaps == 1 else 's'}" if gaps else "closed"
    return what if pieces == 1 else f"{what}, in {pieces} pieces"


KIND = FeatureKind(
    "measure_body", "Area and volume", "construction", BodyParams, run, "check",
    "Pick the faces of a body.", makes="figure",
    figures=(
        Figure("area", "Area", "mm²"),
        Figure("volume", "Volume", "mm³"),
        Figure("closed", "The faces are", form="words"),
        Figure("open_length", "Open edges", "mm"),
        Figure("turned", "Point to the other side", form="words"),
    ),
)  # fmt: skip
