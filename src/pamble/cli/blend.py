"""Blend two edges of the faces of a STEP file."""

from __future__ import annotations

from argparse import Namespace
from dataclasses import asdict
from typing import Any, cast

import numpy as np

from pamble.cli.commands import Answer, named, new_name, numbers, taken
from pamble.core.checks.report import describe_face
from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import BlendError, PambleError
from pamble.core.exchange.step import write_step
from pamble.core.faces.edge_chain import alike, followed
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.picking import pick_edges, pick_face
from pamble.core.joining.blend import Blend, build_blend
from pamble.core.joining.directions import side_of
from pamble.core.joining.spec import BlendSpec, Ends
from pamble.core.joining.tip import Tip, free_tip, tip_on
from pamble.core.joining.verify import Residual
from pamble.core.planes import Plane, plane_at


def blend(given: Namespace) -> Answer:
    """Blend two edges of a STEP file, or one and a point; the output holds the input faces and the blend."""
    wanted = 2 if given.point is None else 1
    if len(given.edge) != wanted:
        ends = "two edges" if wanted == 2 else "one edge beside its --point"
        raise PambleError(f"A blend needs {ends}: --edge was given {len(given.edge)} times.")
    edges = [named(e, "An edge") for e in given.edge]
    fullness = (None, None) if given.fullness is None else tuple(numbers(given.fullness, 2, "Fullness"))
    spec = BlendSpec(
        _continuity(given.continuity),
        cast(tuple[float | None, float | None], fullness),
        given.degree,
        given.spans,
        cast(Ends, given.ends),
        given.flip,
        level=given.level_crest is not None,
        crest=given.level_crest or None,
    )
    limit = None if given.limit_plane is None else _plane(given.limit_plane)
    if given.meet_limit and limit is None:
        raise PambleError("There is no limit to meet: give --limit-plane.")
    out_path, found, names, faces, problems = taken(given)
    diagonal = part_diagonal(faces)
    picked = pick_edges(faces, edges, diagonal)
    if wanted == 2 and picked[0].face == picked[1].face and picked[0].edge.name == picked[1].edge.name:
        raise BlendError(
            f"Both points name the same edge, {picked[0].edge.name} of {names[picked[0].face]}: "
            "a blend needs two different edges."
        )
    rows = [followed(faces, p.face, p.edge) if given.chain else [(p.face, p.edge)] for p in picked]
    # A hole whose rim is in pieces is taken whole where the other edge is.
    rows = alike(faces, rows) if wanted == 2 else rows
    (a, one), *second = (side_of([(faces[i], e) for i, e in row]) for row in rows)
    b, two = second[0] if second else (_tip(given.point, faces, names, a, spec), None)
    made = build_blend(a, b, spec, None, (one, two), limit, given.meet_limit)
    shapes: list[tuple[str, Any]] = [(f.name, f.shape) for f in found]
    write_step([*shapes, (new_name("Blend", {f.name for f in found}), Face(made.surface))], out_path)
    sides = [{"face": names[p.face], "edge": p.edge.name, "at": p.point.tolist()} for p in picked]
    for side, row in zip(sides, rows, strict=True):
        side["over"] = [{"face": names[i], "edge": e.name} for i, e in row]
    if isinstance(b, Tip):
        sides.append({"face": "Point", "edge": "", "at": b.point.tolist(), "over": []})
    out = blend_figures(made, spec, sides)
    out |= {"file": out_path.name, "problems": problems}
    return out, _blend_text(out)


def _tip(text: str, faces: list[Face], names: list[str], edge: Edge, spec: BlendSpec) -> Tip:
    """The point that a blend runs to; with a second point, near the face onto which it is put."""
    at = named(text, "A point")
    if at.face is None:
        return free_tip(edge, at.point, spec.continuity[0] > 0)
    meant, _, _ = pick_face(faces, at.face.tolist(), part_diagonal(faces))
    return tip_on(faces[meant], at.point, names[meant])


def _continuity(text: str) -> tuple[int, int]:
    parts = [p.strip().upper() for p in text.split(",")]
    parts = 2 * parts if len(parts) == 1 else parts
    if len(parts) != 2 or any(p not in ("G0", "G1", "G2", "G3") for p in parts):
        raise PambleError(f"Continuity is one of G0, G1, G2, G3, or two of them with a comma, as G1,G2, not {text!r}.")
    return int(parts[0][1]), int(parts[1][1])


def _plane(text: str) -> Plane:
    """A plane by a point in it and its normal."""
    x = np.array(numbers(text, 6, "A plane"))
    if not np.linalg.norm(x[3:]):
        raise PambleError("The normal of the limit has no length.")
    return plane_at(x[:3], x[3:])


def blend_figures(made: Blend, spec: BlendSpec, sides: list[dict[str, Any]]) -> dict[str, Any]:
    """The figures of a blend as plain data."""
    residuals = made.residuals or ()
    return {
        "units": {"gap": "mm", "angle": "degree", "curvature": "%", "curvature_abs": "1/mm"},
        "blend": describe_face(Face(made.surface)),
        "continuity": [f"G{g}" for g in spec.continuity],
        "fullness": [made.factor * made.spec.full(0), made.factor * made.spec.full(1)],
        "crest": None if made.crest is None else {"least": made.crest[0], "most": made.crest[1]},
        "clearance": made.clearance and {"value": made.clearance.value, "at": made.clearance.point.tolist()},
        "sides": [{**side, **_residual(r)} for side, r in zip(sides, residuals, strict=True)],
        "trials": [{"spans": t.spans, "cvs": t.control_points, "worst_over_aim": t.ratio} for t in made.trials],
        "warnings": list(made.warnings),
    }


def _residual(r: Residual) -> dict[str, float]:
    return asdict(r)


def _blend_text(out: dict[str, Any]) -> str:
    b = out["blend"]
    lines = [
        f"{out['file']}: blend of degree {b['degree'][0]} x {b['degree'][1]}, spans {b['spans'][0]} x {b['spans'][1]}"
    ]
    for target, side in zip(out["continuity"], out["sides"], strict=True):
        what = " ".join(word for word in (side["face"], side["edge"]) if word)
        lines.append(
            f"  {what}, {target}: gap {side['gap']:.6f} mm, angle {side['angle']:.5f}°, "
            f"curvature {side['curvature']:.3f} %"
        )
    if out["crest"]:
        lines.append("  crest {least:.4f} to {most:.4f} mm".format(**out["crest"]))
    if out["clearance"]:
        lines.append(f"  clearance from the limit {out['clearance']['value']:.4f} mm")
    return "\n".join([*lines, *(f"  note: {w}" for w in out["warnings"])])
