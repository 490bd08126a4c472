"""Patches between edges of a STEP file."""

from __future__ import annotations

from argparse import Namespace
from typing import Any

import numpy as np

from pamble.cli.commands import named, new_name, numbers, taken
from pamble.core.checks.report import describe_face
from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import BlendError, PambleError
from pamble.core.exchange.step import write_step
from pamble.core.faces.picking import pick_edges
from pamble.core.patches.between import patch_between
from pamble.core.patches.following import led_on
from pamble.core.patches.loop import MOST_INFLUENCE, Asked
from pamble.core.patches.running import taken_together
from pamble.core.patches.told import PatchMade, corner_figures


def patch(given: Namespace) -> tuple[dict[str, Any], str]:
    """A patch between two, three or four sides, or more that close; the output holds all faces, and the patch as the
    last. A side is named by any of its edges, or by all of them.
    """
    if len(given.edge) < 2:
        raise PambleError("A patch has two sides or more: --edge was given once. A hole with one rim is filled.")
    orders = continuities(given.continuity, len(given.edge), 3)
    out_path, found, names, faces, problems = taken(given)
    diagonal = part_diagonal(faces)
    picked = pick_edges(faces, [named(e, "An edge") for e in given.edge], diagonal)
    meant = [(p.face, p.edge.name) for p in picked]
    if len(set(meant)) < len(meant):
        face, edge = next(m for i, m in enumerate(meant) if m in meant[:i])
        raise BlendError(f"The same edge, {edge} of {names[face]}, is named twice: every side needs its own.")
    arms = _influences(given.influence, len(orders))
    rows = led_on(faces, [(p.face, p.edge) for p in picked])
    number = [i for i, row in enumerate(rows) for _ in row]
    members = [m for row in rows for m in row]
    asked = [Asked(edge, orders[i], arms[i]) for i, (_, edge) in zip(number, members, strict=True)]
    sides = taken_together(asked, 4 if given.layout == "four" else 2)
    spans = None if given.spans is None else _spans(given.spans)
    through = [np.array(numbers(text, 3, "A point inside")) for text in given.through]
    made = patch_between(sides.asked, diagonal, given.degree, spans, through, layout=given.layout)
    write_step([*[(f.name, f.shape) for f in found], (new_name("Patch", {f.name for f in found}), made.face)], out_path)
    told = [
        {"face": " + ".join(names[members[n][0]] for n in group), "edge": side.label,
         "at": picked[number[group[0]]].point.tolist()}
        for side, group in zip(sides.asked, sides.members, strict=True)
    ]  # fmt: skip
    met = [a.order for a in sides.asked]
    out = {"file": out_path.name, **patch_figures(made, told, met), "problems": problems}
    return out, patch_text(out)


def continuities(text: str, count: int, most: int = 2) -> list[int]:
    """One of G0 to G2, or to a higher one, for every side, or one for all. Raises `PambleError`."""
    parts, known = [p.strip().upper() for p in text.split(",")], [f"G{k}" for k in range(most + 1)]
    if len(parts) not in (1, count) or any(p not in known for p in parts):
        raise PambleError(f"Continuity is one of {', '.join(known)}, or {count} of them with commas, not {text!r}.")
    return [int(p[1]) for p in (parts * count if len(parts) == 1 else parts)]


def _influences(text: str | None, count: int) -> list[float | None]:
    parts = [""] if text is None else [p.strip() for p in text.split(",")]
    try:
        arms = [float(p) if p else None for p in parts]
    except ValueError:
        arms = []
    if len(arms) not in (1, count) or any(x is not None and not 0 < x <= MOST_INFLUENCE for x in arms):
        raise PambleError(
            f"An influence is a number up to {MOST_INFLUENCE:g}, one or {count} with commas, not {text!r}."
        )
    return arms * count if len(arms) == 1 else arms


def _spans(text: str) -> tuple[int, int]:
    parts = text.split(",")
    if len(parts) > 2 or not all(p.strip().isdigit() and 1 <= int(p) <= 20 for p in parts):
        raise PambleError(f"Spans are one whole number from 1 to 20, or two with a comma, not {text!r}.")
    return int(parts[0]), int(parts[-1])


def patch_figures(made: PatchMade, sides: list[dict[str, Any]], orders: list[int]) -> dict[str, Any]:
    """The figures of a patch as plain data. A side that was cut into several stretches stands there once for each."""
    return {
        "units": {"gap": "mm", "angle": "degree", "curvature": "%", "rate": "%", "bends": "%", "twist": "%"},
        "patch": describe_face(made.face),
        "sides": [
            {**sides[f.number], "continuity": f"G{orders[f.number]}", "patch_edge": f.patch_side, "gap": f.gap,
             "angle": f.angle, "curvature": f.curvature, "rate": f.rate}
            for f in sorted(made.sides, key=lambda f: f.number)
        ],
        "corners": [corner_figures(c) for c in made.corners],
        "trials": [{"spans": [u, v], "worst_over_aim": ratio} for u, v, ratio in made.tried],
        "inside": list(made.inside),
        "warnings": list(made.warnings),
    }  # fmt: skip


def patch_text(out: dict[str, Any]) -> str:
    """The figures in words."""
    p = out["patch"]
    lines = [
        f"{out['file']}: patch of degree {p['degree'][0]} x {p['degree'][1]}, CVs {p['cvs'][0]} x {p['cvs'][1]}"
        + (", trimmed" if p["trimmed"] else "")
    ]
    for s in out["sides"]:
        lines.append(
            f"  {s['face']} {s['edge']}, {s['continuity']}: gap {s['gap']:.6f} mm, angle {s['angle']:.5f}°, "
            f"curvature {s['curvature']:.3f} %" + (f", its change {s['rate']:.3f} %" if s["rate"] is not None else "")
        )
    return "\n".join([*lines, *(f"  note: {w}" for w in out["warnings"])])
