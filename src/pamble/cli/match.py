"""Match a face at one of its sides to an edge of its neighbour."""

from __future__ import annotations

from argparse import Namespace
from typing import Any

import numpy as np

from pamble.cli.commands import named, taken
from pamble.cli.patch import continuities
from pamble.core.checks.report import describe_face
from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import PambleError
from pamble.core.exchange.step import write_step
from pamble.core.faces.picking import pick_edge
from pamble.core.patches.match import match_side


def match(given: Namespace) -> tuple[dict[str, Any], str]:
    """Change the first edge's face so that it meets the second one's; the output holds all faces."""
    order = continuities(given.continuity, 1)[0]
    out_path, found, names, faces, problems = taken(given)
    diagonal = part_diagonal(faces)
    mine, theirs = named(given.edge, "An edge"), named(given.to, "An edge")
    first = pick_edge(faces, mine, diagonal)
    others = [i for i in range(len(faces)) if i != first.face]
    if not others:
        raise PambleError("The file holds one face only: there is no neighbour to match it to.")
    if mine.face is None and theirs.face is None and np.linalg.norm(mine.point - theirs.point) < 1e-6:
        raise PambleError(
            "Both points name one place: say which face moves and which stays, as x,y,z@X,Y,Z with a point near it."
        )
    second = pick_edge([faces[i] for i in others], theirs, diagonal)
    neighbour = others[second.face]
    made = match_side(
        faces[first.face],
        first.edge.name,
        second.edge,
        order,
        diagonal,
        spread=given.spread,
        most_added=given.most_added,
    )
    target = faces[first.face]
    write_step([(f.name, made.face if f.made is target else f.shape) for f in found], out_path)
    out = {
        "file": out_path.name,
        "units": {"gap": "mm", "angle": "degree", "curvature": "%", "moved": "mm"},
        "face": {"name": names[first.face], **describe_face(made.face)},
        "edge": first.edge.name,
        "to": {"face": names[neighbour], "edge": second.edge.name},
        "continuity": f"G{order}",
        "gap": made.gap,
        "angle": made.angle,
        "curvature": made.curvature,
        "moved": made.moved.tolist(),
        "rounds": list(made.rounds),
        "spans_added": made.added,
        "degrees_raised": made.raised,
        "problems": problems,
    }
    rows = ", ".join(f"{m:.3f}" for m in made.moved[: order + 1])
    text = (
        f"{out_path.name}: {names[first.face]} {first.edge.name} to {names[neighbour]} {second.edge.name}, G{order}: "
        f"gap {made.gap:.6f} mm, angle {made.angle:.5f}°, curvature {made.curvature:.3f} %; rows moved {rows} mm"
    )
    return out, text
