"""Fillet the crease of two faces of a STEP file."""

from __future__ import annotations

from argparse import Namespace
from typing import Any

from pamble.cli.commands import named, new_name, taken
from pamble.core.checks.report import describe_face
from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import PambleError
from pamble.core.exchange.step import write_step
from pamble.core.faces.picking import pick_edge
from pamble.core.fillets.chain import partner
from pamble.core.fillets.fillet import fillet as build
from pamble.core.tolerances import SEAM_SEARCH


def fillet(given: Namespace) -> tuple[dict[str, Any], str]:
    """Fillet an edge; the output holds all faces, the two beside it trimmed, and the fillet as the last."""
    if given.section == "chord" and given.chord is None:
        raise PambleError("A fillet of constant width needs that width: --chord, mm.")
    if given.section != "chord" and given.radius is None:
        raise PambleError("A fillet needs a radius: --radius, mm.")
    out_path, found, names, faces, problems = taken(given)
    diagonal = part_diagonal(faces)
    first = pick_edge(faces, named(given.edge, "An edge"), diagonal)
    number = partner(faces, first.face, first.edge, SEAM_SEARCH)
    start = given.radius if given.radius is not None else given.chord
    end = start if given.radius_end is None else given.radius_end
    rest = [f for i, f in enumerate(faces) if i not in (first.face, number)]
    made = build(
        faces[first.face], first.edge, faces[number], (start, end), given.section, given.chord, diagonal,
        others=rest,
    )  # fmt: skip
    new = {id(faces[first.face]): made.trimmed[0], id(faces[number]): made.trimmed[1]}
    new |= {id(rest[n]): face for n, face in made.corners.items()}
    shapes = [(f.name, new.get(id(f.made), f.shape) if f.made is not None else f.shape) for f in found]
    write_step([*shapes, (new_name("Fillet", {f.name for f in found}), made.face)], out_path)
    f = made.figures
    out = {
        "file": out_path.name,
        "units": {"gap": "mm", "angle": "degree", "curvature": "%", "radius": "mm"},
        "fillet": describe_face(made.face),
        "section": given.section,
        "radii": {"least": made.radii[0], "most": made.radii[1]},
        "radius_error": f.radius,
        "corners_cut": [names[i] for i, f in enumerate(faces) if any(rest[n] is f for n in made.corners)],
        "sides": [
            {
                "face": names[n],
                "edges": list(made.along[i]),
                "gap": f.gap[i],
                "angle": f.angle[i],
                "curvature": f.curvature[i],
            }
            for i, n in enumerate((first.face, number))
        ],
        "warnings": list(made.warnings),
        "problems": problems,
    }
    b = out["fillet"]
    lines = [
        f"{out_path.name}: fillet of degree {b['degree'][0]} x {b['degree'][1]}, CVs {b['cvs'][0]} x {b['cvs'][1]}"
    ]
    lines += [
        f"  {s['face']} {' '.join(s['edges'])}: gap {s['gap']:.6f} mm, angle {s['angle']:.5f}°" for s in out["sides"]
    ]
    if f.radius is not None:
        lines.append(f"  radius {made.radii[0]:.4f} to {made.radii[1]:.4f} mm, within {f.radius:.5f} mm")
    return out, "\n".join([*lines, *(f"  note: {w}" for w in out["warnings"])])
