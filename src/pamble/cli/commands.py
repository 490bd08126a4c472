"""What each command does: figures as plain data, and the same in words."""

from __future__ import annotations

from argparse import Namespace
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from pamble.cli.guarded import reading
from pamble.core.checks.report import check_faces, describe_face
from pamble.core.errors import ExchangeError, PambleError
from pamble.core.exchange.step import StepItem, read_step, write_step
from pamble.core.faces.face import Face
from pamble.core.faces.picking import Naming
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
