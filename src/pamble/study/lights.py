"""Light lines of a study: on all its faces, as a frame carries them, and what they do at the seams of its ledger."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

import numpy as np

from pamble.core.arrays import Array
from pamble.core.checks.measured import sample_seam
from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import PambleError
from pamble.core.faces.face import Face
from pamble.core.lights.across import crossed
from pamble.core.lights.bank import Bank, bank, runs_along, shown
from pamble.core.lights.lines import light_lines
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_grid
from pamble.study.frame import FrameWriter
from pamble.study.ledger import Ledger, standing_faces
from pamble.study.objects import Shape
from pamble.study.states import Evaluation

_LINES = 20
"""Lights that the middle of a part shows when their distance is found."""

_SAMPLES = 97


def bank_for(now: Evaluation, wanted: Mapping[str, Any]) -> Bank:
    """The lights asked for; where their height or distance is null, such that they suit the part. Raises
    `GeometryError`.
    """
    faces = list(standing_faces(now).values())
    height, spacing = wanted["height"], wanted["spacing"]
    along = runs_along(wanted["toward"], wanted["turn"])
    made = bank(wanted["kind"], wanted["toward"], along, spacing or 1.0, height or 0.0, wanted["eye"])
    if height is None and faces:
        top = max(float((f.surface.control @ made.toward).max()) for f in faces)
        height = float(f"{top + part_diagonal(faces):.3g}")
        made = bank(made.kind, made.toward, made.along, made.spacing, height, made.eye)
    if spacing is None:
        made = bank(made.kind, made.toward, made.along, _fitting(faces, made), made.height, made.eye)
    return made


def _fitting(faces: Collection[Face], one: Bank) -> float:
    """The distance at which the middle of a part shows `_LINES` lights, to two digits. one: lights 1 mm apart."""
    if one.kind == "isophote":
        return 5.0
    seen = []
    for face in faces:
        u, v = (np.linspace(*d, 9) for d in face.surface.domain)
        grid = surface_grid(face.surface, u, v, 1)
        seen.append(shown(one, grid[0, 0], normals(grid), (), ())[0].ravel())
    values = np.concatenate(seen) if seen else np.zeros(0)
    values = values[np.isfinite(values)]
    if not len(values):
        return 10.0
    low, high = np.quantile(values, [0.1, 0.9])
    return float(f"{max((high - low) / _LINES, 1e-3):.2g}")


def put_lights(
    writer: FrameWriter, now: Evaluation, lights: Bank, objects: Collection[str] | None, steps: int, quick: bool = False
) -> list[dict[str, Any]]:
    """Light lines of objects, of all when None, as header entries: straight pieces of two points each. quick: near
    enough to be looked at while the part moves.
    """
    out = []
    for id in sorted(now.world if objects is None else set(objects) & now.world.keys()):
        shape: Shape = now.world[id].shape
        if shape.face is None or not shape.visible:
            continue
        try:
            lines = light_lines(shape.face, lights, steps, quick)
        except PambleError:
            lines = []
        pieces = [np.stack([line.points[:-1], line.points[1:]], axis=1).reshape(-1, 3) for line in lines]
        table: Array = np.concatenate(pieces) if pieces else np.zeros((0, 3))
        out.append({"id": id, "segments": writer.put(table), "lines": len(lines)})
    return out


def crossed_seams(now: Evaluation, ledger: Ledger, lights: Bank) -> list[dict[str, Any]]:
    """Seams that light lines cross, with the farthest jump and the sharpest kink; those that break them most first."""
    faces, out = standing_faces(now), []
    for seam in ledger.seams:
        row = ledger.rows.get(seam.key)
        if row is None or seam.a[0] not in faces or seam.b[0] not in faces:
            continue
        try:
            found = crossed(sample_seam(seam.between(faces), _SAMPLES), lights)
        except PambleError:
            continue
        if found is not None:
            out.append(
                {
                    "key": seam.key, "lines": found.lines, "jump": found.jump, "jump_at": found.jump_at.tolist(),
                    "kink": found.kink, "kink_at": found.kink_at.tolist(),
                }
            )  # fmt: skip
    return sorted(out, key=lambda s: (-round(s["jump"], 3), -s["kink"]))
