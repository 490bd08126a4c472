"""Fillet creases of the faces of a STEP file."""

from __future__ import annotations

from argparse import Namespace
from collections.abc import Sequence
from typing import Any

from pamble.cli.commands import named, new_name, numbers, taken
from pamble.core.checks.report import describe_face
from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import PambleError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Edge
from pamble.core.faces.picking import pick_edge, pick_face
from pamble.core.fillets.figured import FilletFace
from pamble.core.fillets.fillet import fillet as build
from pamble.core.fillets.strip import Ask


def fillet(given: Namespace) -> tuple[dict[str, Any], str]:
    """Fillet edges; the output holds all faces, those beside them trimmed, in pieces where a neck of them went, and the
    fillets and balls as the last.
    """
    if given.section == "chord" and given.chord is None:
        raise PambleError("A fillet of constant width needs that width: --chord, mm.")
    if given.section != "chord" and not given.radius:
        raise PambleError("A fillet needs a radius: --radius, mm.")
    out_path, found, names, faces, problems = taken(given)
    diagonal = part_diagonal(faces)
    if (not given.edge) == (given.between is None):
        raise PambleError("A fillet lies along edges, --edge, or between two faces, --between.")
    picked: list[tuple[int, Edge | None, int | None]] = [
        (p.face, p.edge, None) for p in (pick_edge(faces, named(text, "An edge"), diagonal) for text in given.edge)
    ]
    if given.between is not None:
        one, two = (pick_face(faces, numbers(text, 3, "A face"), diagonal)[0] for text in given.between)
        picked = [(one, None, two)]
    start = _each(given.radius or [given.chord], picked, "--radius")
    end = _each(given.radius_end, picked, "--radius-end") if given.radius_end else start
    if not 0 < given.rho < 1:
        raise PambleError(f"A rho lies between 0 and 1, not at {given.rho:g}.")
    radii, between = zip(start, end, strict=True), tuple(sorted(_at(text) for text in given.radius_at))
    asked = [
        Ask(face, edge, r, f"fillet{k + 1}", between, other)
        for k, ((face, edge, other), r) in enumerate(zip(picked, radii, strict=True))
    ]
    made = build(faces, asked, given.section, given.chord, diagonal, given.rho, given.gap)
    new = {id(faces[n]): face for n, face in made.changed.items()}
    gone = {id(faces[n]) for n in made.gone}
    left = [f for f in found if id(f.made) not in gone]
    shapes = [(f.name, new.get(id(f.made), f.shape) if f.made is not None else f.shape) for f in left]
    known = {f.name for f in found}
    pieces, called = list[str](), list[str]()
    rows = [(called, "Fillet", row.face) for row in made.faces] + [(called, "Ball", face) for face in made.corners]
    for row, label, face in [*((pieces, f"{names[n]} piece", piece) for n, piece in made.pieces), *rows]:
        row.append(new_name(label, known))
        known.add(row[-1])
        shapes.append((row[-1], face))
    write_step(shapes, out_path)
    beside = {n for row in made.faces for n in row.beside} or set(made.changed)
    out = {
        "file": out_path.name,
        "units": {"gap": "mm", "angle": "degree", "curvature": "%", "radius": "mm"},
        "fillets": [_row(name, row, names) for name, row in zip(called, made.faces, strict=False)],
        "balls": called[len(made.faces) :],
        "corners_left": [list(map(float, p)) for p in made.left],
        "section": given.section,
        "radii": {"least": made.radii[0], "most": made.radii[1]},
        "corners_cut": [names[n] for n in sorted(set(made.changed) - beside)],
        "pieces": pieces,
        "faces_gone": [names[n] for n in sorted(made.gone)],
        "warnings": [*made.warnings, *made.unsound(), *made.opened(faces)],
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


def _at(text: str) -> tuple[float, float]:
    """A share of a crease and the radius there."""
    share, _, radius = text.partition("=")
    try:
        return float(share), float(radius)
    except ValueError:
        raise PambleError(f"A radius along the edge is given as SHARE=R, as 0.5=8, not as {text!r}.") from None


def _each(values: list[float], edges: Sequence[object], option: str) -> list[float]:
    """One value for each edge, of one for all or as many."""
    if len(values) not in (1, len(edges)):
        raise PambleError(
            f"{option} is given once, or once for each of the {len(edges)} edges, not {len(values)} times."
        )
    return values * (len(edges) // len(values))


def _row(name: str, made: FilletFace, names: list[str]) -> dict[str, Any]:
    f = made.figures
    sides = [
        {
            "face": names[n], "edges": list(made.along[i]),
            "gap": f.gap[i], "angle": f.angle[i], "curvature": f.curvature[i],
        }
        for i, n in enumerate(made.beside)
    ]  # fmt: skip
    return {"name": name, **describe_face(made.face), "radius_error": f.radius, "sides": sides}
