"""Fillet: the crease of two faces rounded by a rolling ball, or with a blended section; both faces are trimmed back."""

from __future__ import annotations

from typing import Any

import numpy as np

from pamble.core.errors import GeometryError
from pamble.core.faces.face import base_name
from pamble.core.fillets.chain import chains, partner
from pamble.core.fillets.crease import crease
from pamble.core.fillets.fillet import Section, fillet
from pamble.core.tolerances import SEAM_SEARCH
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, Shape
from pamble.study.features.fields import choice, number
from pamble.study.features.figures import JOINTS
from pamble.study.features.handles import pull
from pamble.study.references import ChangedEdgeRef, ChangedFaceRef, FaceRef
from pamble.study.stored import Stored


class FilletParams(Stored):
    """edge: the crease, as an edge of the first face; face: the other face along it. radius_end: at the end of the
    edge, as at its start when null. chord: width of the section of that kind.
    """

    edge: ChangedEdgeRef = choice("Crease")
    face: ChangedFaceRef = choice("Other face")
    section: Section = choice(
        "Section", "ball", labels={"ball": "round", "chord": "round, of one width", "g2": "G2", "g3": "G3"}
    )
    radius: float = number("Radius", 10.0, "mm", when=("section", "ball", "g2", "g3"), gt=0, le=1e5)
    radius_end: float | None = number("At its end", None, "mm", when=("section", "ball", "g2", "g3"), gt=0, le=1e5)
    chord: float = number("Width", 10.0, "mm", when=("section", "chord"), gt=0, le=1e5)


def run(params: FilletParams, inputs: Inputs, context: Context) -> Made:
    """Build the fillet and trim both faces."""
    ids = params.edge.feature, params.face.feature
    if ids[0] == ids[1]:
        raise GeometryError("A fillet lies between two faces: pick the other one along the edge.")
    a = inputs.edge(params.edge)
    first, second = (inputs.face(FaceRef(feature=i)) for i in ids)
    partner([first, second], 0, a, SEAM_SEARCH)
    end = params.radius if params.radius_end is None else params.radius_end
    diagonal = max(first.surface.diagonal, second.surface.diagonal)
    cut = f"{context.step}:{base_name(a.name).replace(':', '_')}"
    made = fillet(first, a, second, (params.radius, end), params.section, params.chord, diagonal, cut)
    names = [next(e.name for e in f.edges if base_name(e.name) == cut) for f in made.trimmed]
    order = {"g2": 2, "g3": 3}.get(params.section, 1)
    seams = tuple(DeclaredSeam(side, i, name, order) for side, i, name in zip(("v0", "v1"), ids, names, strict=True))
    f = made.figures
    facts: dict[str, Any] = {
        "radii": list(made.radii),
        "joints": [{"gap": f.gap[i], "angle": f.angle[i], "curvature": f.curvature[i]} for i in (0, 1)],
    }
    if f.radius is not None:
        facts["radius_error"] = f.radius
    c = crease(*chains(first, a, second, SEAM_SEARCH), 21)
    middle = c.points[10]
    way = c.into[0][10] + c.into[1][10]
    handle = pull("radius", "Radius", params.radius, middle, np.asarray(way), limits=(1e-3, 1e5))
    return Made(
        {"": Shape(made.face)},
        {i: Shape(face) for i, face in zip(ids, made.trimmed, strict=True)},
        seams,
        () if params.section == "chord" else (handle,),
        facts,
        made.warnings,
    )


KIND = FeatureKind(
    "fillet", "Fillet", "secondary", FilletParams, run, "blends", "Pick the edge of a crease, then the other face.",
    makes="face", doing="Pull the handle for the radius. Enter keeps it, Esc drops it.",
    figures=(
        Figure("radii", "Radius", "mm", "list", each="Radius, {n} of least and largest"),
        Figure("radius_error", "Radius is kept within", "mm"),
        JOINTS,
    ),
)  # fmt: skip
