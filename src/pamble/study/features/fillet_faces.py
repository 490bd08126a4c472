"""Fillet: a crease rounded by a rolling ball, or with a blended section; all faces beside it are trimmed back."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import Field

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face, base_name
from pamble.core.fillets.chain import follow
from pamble.core.fillets.crease import crease
from pamble.core.fillets.ends import contact_edges
from pamble.core.fillets.fillet import Section, fillet
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.tolerances import SEAM_SEARCH
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, Shape
from pamble.study.features.fields import choice, number
from pamble.study.features.figures import JOINTS
from pamble.study.features.handles import pull
from pamble.study.references import ChangedEdgeRef, ChangedFaceRef, FaceRef
from pamble.study.stored import Stored


class FilletParams(Stored):
    """edge: the crease, as an edge of the first face; faces: the others along it, and those that stand across its ends
    and are to be cut back too. radius_end: at the end of the crease, as at its start when null. chord: width of the
    section of that kind.
    """

    edge: ChangedEdgeRef = choice("Crease")
    faces: list[ChangedFaceRef] = Field(title="Other faces", min_length=1, json_schema_extra={"once": True})
    section: Section = choice(
        "Section", "ball", labels={"ball": "round", "chord": "round, of one width", "g2": "G2", "g3": "G3"}
    )
    radius: float = number("Radius", 10.0, "mm", when=("section", "ball", "g2", "g3"), gt=0, le=1e5)
    radius_end: float | None = number("At its end", None, "mm", when=("section", "ball", "g2", "g3"), gt=0, le=1e5)
    chord: float = number("Width", 10.0, "mm", when=("section", "chord"), gt=0, le=1e5)


def run(params: FilletParams, inputs: Inputs, context: Context) -> Made:
    """Build the fillet and trim the faces beside it."""
    ids = [params.edge.feature, *(ref.feature for ref in params.faces)]
    if len(set(ids)) < len(ids):
        raise GeometryError("A fillet lies between different faces: pick the other one along the edge, each once.")
    a = inputs.edge(params.edge)
    part = [inputs.face(FaceRef(feature=i)) for i in ids]
    end = params.radius if params.radius_end is None else params.radius_end
    diagonal = max(face.surface.diagonal for face in part)
    cut = f"{context.step}:{base_name(a.name).replace(':', '_')}"
    made = fillet(part, 0, a, (params.radius, end), params.section, params.chord, diagonal, cut)
    order = {"g2": 2, "g3": 3}.get(params.section, 1)
    seams = tuple(
        DeclaredSeam(side, ids[n], _contact(made.changed[n], cut, made.faces[0].face, side), order)
        for side, n in (("v0", made.first), ("v1", made.faces[0].beside))
    )
    figures = [row.figures for row in made.faces]
    idle = [f"{inputs.name(id)} does not border the crease." for n, id in enumerate(ids) if n not in made.changed]
    facts: dict[str, Any] = {
        "least_radius": made.radii[0],
        "largest_radius": made.radii[1],
        "joints": [
            {"gap": f.gap[i], "angle": f.angle[i], "curvature": f.curvature[i]} for f in figures for i in (0, 1)
        ],
    }
    errors = [f.radius for f in figures if f.radius is not None]
    if errors:
        facts["radius_error"] = max(errors)
    first = follow(part, 0, a, SEAM_SEARCH).runs[0]
    c = crease(first.first, first.second, 21)
    way = c.into[0][10] + c.into[1][10]
    handle = pull("radius", "Radius", params.radius, c.points[10], np.asarray(way), limits=(1e-3, 1e5))
    return Made(
        {"" if i == 0 else f"{i + 1}": Shape(row.face) for i, row in enumerate(made.faces)},
        {ids[n]: Shape(face) for n, face in made.changed.items()},
        seams,
        () if params.section == "chord" else (handle,),
        facts,
        (*made.warnings, *idle),
    )


def _contact(trimmed: Face, cut: str, fillet_face: Face, side: str) -> str:
    """Name of the edge that the contact cut along a side of the fillet: a face beside several has one for each."""
    own = next(e for e in fillet_face.edges if e.side == side).space
    edges = contact_edges(trimmed, cut)
    middles = np.concatenate([curve_points(e.space, [0.5 * sum(e.space.domain)]) for e in edges])
    return edges[int(np.argmin(to_curve(own, middles).distance))].name


KIND = FeatureKind(
    "fillet", "Fillet", "secondary", FilletParams, run, "blends",
    "Pick the edge of a crease, then the other faces along it.",
    makes="face", doing="Pull the handle for the radius. Enter keeps it, Esc drops it.",
    figures=(
        Figure("least_radius", "Least radius", "mm"),
        Figure("largest_radius", "Largest radius", "mm"),
        Figure("radius_error", "Radius is kept within", "mm"),
        JOINTS,
    ),
)  # fmt: skip
