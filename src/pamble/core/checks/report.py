"""The check of a set of faces as plain figures: faces, seams with their worst places, open edges."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from pamble.core.arrays import Array, jsonable
from pamble.core.checks.judge import reached_continuity
from pamble.core.checks.measured import SAMPLES, Worst, measure_seams, sample_seams
from pamble.core.checks.seams import find_seams, part_diagonal
from pamble.core.faces.face import Edge, Face
from pamble.core.spline.evaluate import curve_points
from pamble.core.tolerances import DEFAULT, SEAM_SEARCH, Tolerances


def _worst(worst: Worst) -> dict[str, Any]:
    return {"max": worst.value, "at_mm": worst.at, "point": worst.point}


def describe_face(face: Face) -> dict[str, Any]:
    """Degree, spans and CVs of a face's surface, and how it is bounded."""
    s = face.surface
    return {
        "degree": [s.degree_u, s.degree_v],
        "spans": list(s.spans),
        "cvs": list(s.control.shape[:2]),
        "rational": s.weights is not None,
        "trimmed": not face.natural,
        "edges": [{"name": e.name, "midpoint": edge_middle(e)} for e in face.edges],
    }


def _most(row: dict[str, Any], figure: str) -> float:
    return float(row[figure]["max"])


def edge_middle(edge: Edge) -> Array:
    """Point in the middle of an edge's parameter range: it names the edge where a point near it is asked for."""
    return np.asarray(curve_points(edge.space, [0.5 * (edge.domain[0] + edge.domain[1])])[0])


def check_faces(
    faces: Sequence[Face],
    names: Sequence[str],
    limits: Tolerances = DEFAULT,
    search: float = SEAM_SEARCH,
    samples: int = SAMPLES,
) -> dict[str, Any]:
    """Seams worst first and open edges of ``faces``, as plain numbers. Lengths in mm, angles in degrees."""
    if not faces:
        return {"diagonal": 0.0, "faces": [], "seams": [], "open_edges": [], "closed": False}
    diagonal = part_diagonal(faces)
    seams, open_edges = find_seams(faces, search)
    rows: list[dict[str, Any]] = []
    for m in measure_seams(sample_seams(seams, samples), diagonal):
        seam, w = m.seam, m.worst
        rows.append(
            {
                "faces": [names[i] for i in seam.faces],
                "edges": [seam.a.name, seam.b.name],
                "length": float(m.length[-1]),
                "gap": _worst(w["gap"]),
                "angle": _worst(w["angle"]),
                "curvature": {**_worst(w["curvature"]), "max_abs": w["curvature_abs"].value},
                "normals_opposed": m.figures.opposed,
                "reaches": reached_continuity(w["gap"].value, w["angle"].value, w["curvature"].value, limits),
            }
        )
    order = {"None": 0, "G0": 1, "G1": 2, "G2": 3}
    rows.sort(key=lambda r: (order[str(r["reaches"])], -_most(r, "angle"), -_most(r, "curvature")))
    report: dict[str, Any] = jsonable(
        {
            "units": {"length": "mm", "angle": "degree", "curvature.max": "%", "curvature.max_abs": "1/mm"},
            "diagonal": diagonal,
            "limits": {"gap": limits.gap, "angle": limits.angle, "curvature": limits.curvature, "search": search},
            "faces": [{"name": n, **describe_face(f)} for n, f in zip(names, faces, strict=True)],
            "seams": rows,
            "open_edges": [
                {"face": names[o.face], "edge": o.edge.name, "length": o.length, "from": o.start, "to": o.end}
                for o in open_edges
            ],
            "closed": not open_edges,
        }
    )
    return report
