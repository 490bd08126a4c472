"""What each command does: figures as plain data, and the same in words."""

from __future__ import annotations

from argparse import Namespace
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any, cast

import numpy as np

from pamble.cli.guarded import reading
from pamble.core.checks.report import check_faces, describe_face
from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import BlendError, ExchangeError, PambleError
from pamble.core.exchange.step import StepItem, read_step, write_step
from pamble.core.faces.face import Face
from pamble.core.faces.picking import Naming, pick_edges
from pamble.core.joining.blend import Blend, build_blend
from pamble.core.joining.directions import borders_beyond
from pamble.core.joining.spec import BlendSpec, Ends
from pamble.core.joining.verify import Residual
from pamble.core.tolerances import DEFAULT, SEAM_SEARCH
from pamble.demo import DEMOS, demo_faces

Answer = tuple[dict[str, Any], str]


def read(path: str) -> list[StepItem]:
    """What a STEP file holds, read within limits. Raises `ExchangeError`."""
    with reading(path):
        return read_step(path)


def usable(found: list[StepItem]) -> tuple[list[str], list[Face], list[dict[str, str]]]:
    """Names and faces of what can be taken, and what cannot with the reason."""
    names = [f.name for f in found if f.face is not None]
    faces = [f.face for f in found if f.face is not None]
    problems = [{"face": f.name, "kind": f.kind, "reason": f.problem} for f in found if f.problem is not None]
    return names, faces, problems


def check(given: Namespace) -> Answer:
    """Faces, seams and open edges of a STEP file."""
    found = read(given.file)
    names, faces, problems = usable(found)
    if not faces and not problems:
        raise ExchangeError(no_face(problems))
    limits = replace(
        DEFAULT,
        **{k: getattr(given, k) for k in ("gap", "angle", "curvature") if getattr(given, k) is not None},
    )
    search = SEAM_SEARCH if given.search is None else given.search
    if search <= 0 or min(limits.gap, limits.angle, limits.curvature) <= 0:
        raise PambleError("Limits are above zero.")
    out = check_faces(faces, names, limits, search)
    for row, item in zip(out["faces"], [f for f in found if f.face is not None], strict=True):
        row["kind"] = item.kind
    out = {"file": Path(given.file).name, **out, "problems": problems}
    return out, _check_text(out)


def _check_text(out: dict[str, Any]) -> str:
    lines = [f"{out['file']}: {len(out['faces'])} faces, {len(out['seams'])} seams"]
    for f in out["faces"]:
        lines.append(
            f"  {f['name']}: {f['kind']}, degree {f['degree'][0]} x {f['degree'][1]}, "
            f"spans {f['spans'][0]} x {f['spans'][1]}, CVs {f['cvs'][0]} x {f['cvs'][1]}"
            + (", trimmed" if f["trimmed"] else "")
        )
    for s in out["seams"]:
        lines.append(
            f"  {s['faces'][0]} {s['edges'][0]} / {s['faces'][1]} {s['edges'][1]}: gap {s['gap']['max']:.5f} mm, "
            f"angle {s['angle']['max']:.4f}°, curvature {s['curvature']['max']:.2f} % "
            f"({s['curvature']['max_abs']:.2e} 1/mm), reaches {s['reaches'] or 'nothing'}"
            + (", normals opposed" if s["normals_opposed"] else "")
        )
    lines += [f"  open: {o['face']} {o['edge']}, {o['length']:.2f} mm" for o in out["open_edges"]]
    lines += [f"  not taken: {p['face']} ({p['kind']}): {p['reason']}" for p in out["problems"]]
    return "\n".join(lines)


def numbers(text: str, count: int, what: str) -> list[float]:
    """Numbers with commas between them. Raises `PambleError`."""
    try:
        values = [float(part) for part in text.split(",")]
    except ValueError:
        values = []
    if len(values) != count or not all(abs(v) < 1e12 for v in values):
        raise PambleError(f"{what} is given as {count} numbers with commas between them, not as {text!r}.")
    return values


def named(text: str, what: str) -> Naming:
    """A point near what is meant, as x,y,z, or x,y,z@X,Y,Z with a point near the face. Raises `PambleError`."""
    point, at, face = text.partition("@")
    return Naming(np.array(numbers(point, 3, what)), np.array(numbers(face, 3, "The face of an edge")) if at else None)


def _continuity(text: str) -> tuple[int, int]:
    parts = [p.strip().upper() for p in text.split(",")]
    if len(parts) != 2 or any(p not in ("G0", "G1", "G2", "G3") for p in parts):
        raise PambleError(f"Continuity is given as two of G0, G1, G2, G3 with a comma, as G2,G2, not as {text!r}.")
    return int(parts[0][1]), int(parts[1][1])


def blend(given: Namespace) -> Answer:
    """Blend two edges of a STEP file; the output holds the input faces and the blend."""
    if len(given.edge) != 2:
        raise PambleError(f"A blend needs two edges: --edge was given {len(given.edge)} times.")
    edges = [named(e, "An edge") for e in given.edge]
    fullness = (None, None) if given.fullness is None else tuple(numbers(given.fullness, 2, "Fullness"))
    spec = BlendSpec(
        _continuity(given.continuity),
        cast(tuple[float | None, float | None], fullness),
        given.degree,
        given.spans,
        cast(Ends, given.ends),
        given.flip,
    )
    out_path, found, names, faces, problems = taken(given)
    diagonal = part_diagonal(faces)
    picked = pick_edges(faces, edges, diagonal)
    if picked[0].face == picked[1].face and picked[0].edge.name == picked[1].edge.name:
        raise BlendError(
            f"Both points name the same edge, {picked[0].edge.name} of {names[picked[0].face]}: "
            "a blend needs two different edges."
        )
    one, two = (borders_beyond(faces[p.face], p.edge) for p in picked)
    made = build_blend(picked[0].edge, picked[1].edge, spec, beyond=(one, two))
    shapes: list[tuple[str, Any]] = [(f.name, f.shape) for f in found]
    write_step([*shapes, (new_name("Blend", {f.name for f in found}), Face(made.surface))], out_path)
    sides = [{"face": names[p.face], "edge": p.edge.name, "at": p.point.tolist()} for p in picked]
    out = blend_figures(made, spec, sides)
    out |= {"file": out_path.name, "problems": problems}
    return out, _blend_text(out)


def taken(
    given: Namespace,
) -> tuple[Path, list[StepItem], list[str], list[Face], list[dict[str, str]]]:
    """Where to write, what a file holds, its faces with their names, and what cannot be used.

    Raises `ExchangeError` if there is no such folder, or no face.
    """
    out_path = Path(given.out)
    if not out_path.parent.is_dir():
        raise ExchangeError(f"There is no folder {out_path.parent} to write to.")
    found = read(given.file)
    names, faces, problems = usable(found)
    if not faces:
        raise ExchangeError(no_face(problems))
    return out_path, [f for f in found if f.shape is not None], names, faces, problems


def no_face(problems: list[dict[str, str]]) -> str:
    """Words for a file without a usable face."""
    if not problems:
        return "The file holds curves only: there is no face in it."
    return f"None of the {len(problems)} faces can be taken: {problems[0]['reason']}."


def new_name(wanted: str, taken: set[str]) -> str:
    """A name that is not taken yet."""
    return next(n for n in [wanted, *(f"{wanted} {i}" for i in range(2, 10_000))] if n not in taken)


def blend_figures(made: Blend, spec: BlendSpec, sides: list[dict[str, Any]]) -> dict[str, Any]:
    """The figures of a blend as plain data."""
    residuals = made.residuals or ()
    return {
        "units": {"gap": "mm", "angle": "degree", "curvature": "%", "curvature_abs": "1/mm"},
        "blend": describe_face(Face(made.surface)),
        "continuity": [f"G{g}" for g in spec.continuity],
        "fullness": [spec.full(0), spec.full(1)],
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
        lines.append(
            f"  {side['face']} {side['edge']}, {target}: gap {side['gap']:.6f} mm, angle {side['angle']:.5f}°, "
            f"curvature {side['curvature']:.3f} %"
        )
    return "\n".join([*lines, *(f"  note: {w}" for w in out["warnings"])])


def demo(given: Namespace) -> Answer:
    """Write a demo part."""
    if given.name == "list":
        rows = [{"name": k, "title": d.title} for k, d in DEMOS.items()]
        return {"demos": rows}, "\n".join(f"{r['name']}: {r['title']}" for r in rows)
    if given.name not in DEMOS:
        raise PambleError(f"There is no demo {given.name!r}: there are {', '.join(DEMOS)}.")
    if given.out is None:
        raise PambleError("Say where to write the demo: -o OUT.step.")
    faces = demo_faces(given.name)
    write_step(list(faces), given.out, DEMOS[given.name].title)
    out = {"file": Path(given.out).name, "faces": [{"name": n, **describe_face(f)} for n, f in faces]}
    return out, f"{out['file']}: {', '.join(n for n, _ in faces)}"
