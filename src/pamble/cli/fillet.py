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
from pamble.core.fillets.fillet import FilletFace
from pamble.core.fillets.fillet import fillet as build


def fillet(given: Namespace) -> tuple[dict[str, Any], str]:
    """Fillet an edge; the output holds all faces, those beside it trimmed, and the fillets as the last."""
    if given.section == "chord" and given.chord is None:
        raise PambleError("A fillet of constant width needs that width: --chord, mm.")
    if given.section != "chord" and given.radius is None:
        raise PambleError("A fillet needs a radius: --radius, mm.")
    out_path, found, names, faces, problems = taken(given)
    diagonal = part_diagonal(faces)
    first = pick_edge(faces, named(given.edge, "An edge"), diagonal)
    start = given.radius if given.radius is not None else given.chord
    end = start if given.radius_end is None else given.radius_end
    made = build(faces, first.face, first.edge, (start, end), given.section, given.chord, diagonal)
    new = {id(faces[n]): face for n, face in made.changed.items()}
    shapes = [(f.name, new.get(id(f.made), f.shape) if f.made is not None else f.shape) for f in found]
    called: list[str] = []
    for row in made.faces:
        called.append(new_name("Fillet", {f.name for f in found} | set(called)))
        shapes.append((called[-1], row.face))
    write_step(shapes, out_path)
    beside = {made.first, *(row.beside for row in made.faces)}
    out = {
        "file": out_path.name,
        "units": {"gap": "mm", "angle": "degree", "curvature": "%", "radius": "mm"},
        "fillets": [_row(name, row, names, made.first) for name, row in zip(called, made.faces, strict=True)],
        "section": given.section,
        "radii": {"least": made.radii[0], "most": made.radii[1]},
        "corners_cut": [names[n] for n in sorted(set(made.changed) - beside)],
        "warnings": list(made.warnings),
        "problems": problems,
    }
    lines = [out_path.name]
    for b in out["fillets"]:
        lines.append(f"{b['name']}: degree {b['degree'][0]} x {b['degree'][1]}, CVs {b['cvs'][0]} x {b['cvs'][1]}")
        lines += [
            f"  {s['face']} {' '.join(s['edges'])}: gap {s['gap']:.6f} mm, angle {s['angle']:.5f}°" for s in b["sides"]
        ]
        if b["radius_error"] is not None:
            lines.append(f"  its radius within {b['radius_error']:.5f} mm")
    lines.append(f"radius {made.radii[0]:.4f} to {made.radii[1]:.4f} mm")
    return out, "\n".join([*lines, *(f"note: {w}" for w in out["warnings"])])


def _row(name: str, made: FilletFace, names: list[str], first: int) -> dict[str, Any]:
    f = made.figures
    sides = [
        {
            "face": names[n], "edges": list(made.along[i]),
            "gap": f.gap[i], "angle": f.angle[i], "curvature": f.curvature[i],
        }
        for i, n in enumerate((first, made.beside))
    ]  # fmt: skip
    return {"name": name, **describe_face(made.face), "radius_error": f.radius, "sides": sides}
