"""Match a face at some of its sides to edges of its neighbours."""

from __future__ import annotations

from argparse import Namespace
from dataclasses import replace
from typing import Any

import numpy as np

from pamble.cli.commands import named, taken
from pamble.cli.patch import continuities
from pamble.core.checks.report import describe_face
from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import PambleError
from pamble.core.exchange.step import write_step
from pamble.core.faces.edge_chain import edge_chain
from pamble.core.faces.face import Face
from pamble.core.faces.picking import PickedEdge, pick_edge
from pamble.core.patches.following import beside
from pamble.core.patches.match import MOST_ADDED, halfway, match_sides
from pamble.core.patches.match_pairs import Pair


def match(given: Namespace) -> tuple[dict[str, Any], str]:
    """Change the first edges' face so that it meets its neighbours; the output holds all faces."""
    if len(given.edge) != len(given.to):
        raise PambleError(f"Each --edge has its --to: there are {len(given.edge)} and {len(given.to)}.")
    orders = continuities(given.continuity, len(given.edge), most=3)
    out_path, found, names, faces, problems = taken(given)
    diagonal = part_diagonal(faces)
    picked = [_pair(faces, *pair, diagonal) for pair in zip(given.edge, given.to, strict=True)]
    mine = picked[0][0].face
    if any(p.face != mine for p, _ in picked):
        raise PambleError("The sides that are matched at once are of one face: match faces one after the other.")
    others = [i for i in range(len(faces)) if i != mine]
    around = [faces[i] for i in others]
    rows = [beside(around, (others.index(q.face), q.edge), p.edge) for p, q in picked]
    pairs = [
        Pair(p.edge.name, edge_chain([e for _, e in row]), order)
        for (p, _), row, order in zip(picked, rows, orders, strict=True)
    ]
    new: dict[int, Face] = {}
    if given.both:
        if len(pairs) > 1:
            raise PambleError("Both faces move where one side is matched, not several.")
        if len(rows[0]) > 1:
            raise PambleError("Both faces move where a side meets one face: it runs along several.")
        other, edge = picked[0][1].face, picked[0][1].edge
        own = Pair(edge.name, faces[mine].edge(pairs[0].name), orders[0])
        new[other] = halfway(faces[other], own, diagonal)
        pairs = [replace(pairs[0], to=new[other].edge(edge.name))]
    most = MOST_ADDED if given.most_added is None else given.most_added
    made = match_sides(faces[mine], pairs, diagonal, spread=given.spread, most_added=most)
    new[mine] = made.face
    changed = {id(faces[n]): face for n, face in new.items()}
    write_step([(f.name, changed.get(id(f.made), f.shape) if f.made is not None else f.shape) for f in found], out_path)
    sides: list[dict[str, Any]] = [
        {
            "edge": p.edge.name, "to": {"face": " + ".join(names[others[n]] for n, _ in row), "edge": pair.to.name},
            "continuity": f"G{m.order}",
            "gap": m.gap, "angle": m.angle, "curvature": m.curvature, "rate": m.rate if m.order > 2 else None,
        }
        for (p, _), pair, row, m in zip(picked, pairs, rows, made.sides, strict=True)
    ]  # fmt: skip
    out = {
        "file": out_path.name,
        "units": {"gap": "mm", "angle": "degree", "curvature": "%", "rate": "%", "moved": "mm"},
        "face": {"name": names[mine], **describe_face(made.face)},
        **sides[0],
        "sides": sides,
        "moved": made.moved.tolist(),
        "rounds": list(made.rounds),
        "spans_added": made.added,
        "degrees_raised": made.raised,
        "degrees_raised_along": made.lifted,
        "warnings": [*made.missed, *made.grown],
        "problems": problems,
    }
    moved = ", ".join(f"{m:.3f}" for m in made.moved[: max(orders) + 1])
    lines = [
        f"{names[mine]} {s['edge']} to {s['to']['face']} {s['to']['edge']}, {s['continuity']}: "
        f"gap {s['gap']:.6f} mm, angle {s['angle']:.5f}°, curvature {s['curvature']:.3f} %"
        + (f", its change {s['rate']:.3f} %" if s["rate"] is not None else "")
        for s in sides
    ]
    return out, "\n".join([f"{out_path.name}: {lines[0]}", *lines[1:], f"rows moved {moved} mm", *out["warnings"]])


def _pair(faces: list[Face], edge: str, to: str, diagonal: float) -> tuple[PickedEdge, PickedEdge]:
    """The side that moves, and the neighbour's edge, of another face."""
    mine, theirs = named(edge, "An edge"), named(to, "An edge")
    first = pick_edge(faces, mine, diagonal)
    others = [i for i in range(len(faces)) if i != first.face]
    if not others:
        raise PambleError("The file holds one face only: there is no neighbour to match it to.")
    if mine.face is None and theirs.face is None and np.linalg.norm(mine.point - theirs.point) < 1e-6:
        raise PambleError(
            "Both points name one place: say which face moves and which stays, as x,y,z@X,Y,Z with a point near it."
        )
    second = pick_edge([faces[i] for i in others], theirs, diagonal)
    return first, replace(second, face=others[second.face])
