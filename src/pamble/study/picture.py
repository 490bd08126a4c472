"""The state of a study as a frame: what changed of shapes, steps and seams, and nothing else."""

from __future__ import annotations

import logging
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from pamble.core.checks.comb import curve_comb
from pamble.core.checks.seams import part_diagonal
from pamble.core.curves.measure import most_curved
from pamble.core.errors import PambleError
from pamble.core.faces.display import DisplayMesh, natural_meshes
from pamble.core.faces.meshing.moving import MovingMesh
from pamble.core.lights.bank import Bank
from pamble.study.document import Study
from pamble.study.frame import FrameWriter, put_shape
from pamble.study.ledger import Ledger, standing_faces
from pamble.study.lights import put_lights
from pamble.study.objects import Shape, object_id
from pamble.study.states import Evaluation, State

log = logging.getLogger("pamble")


@dataclass(frozen=True, eq=False)
class Snapshot:
    """A study with all that was worked out of it."""

    study: Study
    now: Evaluation
    ledger: Ledger


def part_reach(now: Evaluation) -> float | None:
    """A length about the size of the part, the same as long as that hardly changes; None without a face."""
    faces = list(standing_faces(now).values())
    return float(2.0 ** np.round(np.log2(max(part_diagonal(faces), 1e-3)))) if faces else None


def draw(
    snapshot: Snapshot,
    *,
    objects: Collection[str] | None,
    steps: Collection[str] | None,
    before: Ledger | None,
    detail: int,
    reach: float | None,
    preview: bool,
    combs: Sequence[dict[str, Any]] = (),
    lights: Bank | None = None,
    said: str | None = None,
    seq: int | None = None,
    moving: dict[str, MovingMesh] | None = None,
) -> bytes:
    """A frame with shapes of ``objects`` and states of ``steps`` (all when None), and rows that differ from ``before``.

    detail: steps of the display grid. lights: those whose lines on the objects are shown along with them. moving:
    meshes of trimmed faces that are kept from one frame to the next. A fault in the display of one object is told at
    that object.
    """
    writer = FrameWriter()
    now, rows = snapshot.now, snapshot.ledger.worst_first()
    wanted = set(now.world) if objects is None else set(objects)
    shown = []
    standing_here = sorted(wanted & now.world.keys())
    meshes = _natural({id: now.world[id].shape for id in standing_here}, detail)
    for id in standing_here:
        standing = now.world[id]
        if not standing.shape.visible:
            continue
        try:
            last = None if moving is None else moving.setdefault(id, MovingMesh())
            drawn = put_shape(writer, standing.shape, detail, reach, last, meshes.get(id))
        except Exception as error:
            if not isinstance(error, PambleError):
                log.exception("object cannot be drawn: %s", id)
            shown.append({"id": id, "stale": True, "by": standing.by, "fault": _words(error)})
            continue
        shown.append({"id": id, "stale": standing.stale, "by": standing.by, "fault": None, **drawn})
    told = [f.id for f in snapshot.study.features if steps is None or f.id in steps]
    faults = {str(o["by"]): str(o["fault"]) for o in shown if o["fault"]}
    changed = rows if before is None else [r for r in rows if before.rows.get(r.row["key"]) is not r]
    header = {
        "type": "frame",
        "preview": preview,
        "late": now.late,
        "seq": seq,
        "said": said,
        "whole": objects is None,
        "features": [_told(id, now.states[id], faults.get(id)) for id in told if id in now.states],
        "objects": [o for o in shown if not o["fault"]],
        "removed": sorted(wanted - {o["id"] for o in shown if not o["fault"]}),
        "seams": [{**r.row, "plot": writer.put(r.plot)} for r in changed],
        "order": [r.row["key"] for r in rows],
        "combs": put_combs(writer, now, combs),
        "lights": [] if lights is None else put_lights(writer, now, lights, objects, detail, quick=preview),
    }
    return writer.finish(header)


def _natural(shapes: Mapping[str, Shape], detail: int) -> dict[str, DisplayMesh]:
    """Meshes of all faces that are not trimmed, in one go; none if one cannot be made: then each is for itself."""
    faces = {id: s.face for id, s in shapes.items() if s.face is not None and s.face.natural}
    try:
        return dict(zip(faces, natural_meshes(list(faces.values()), detail), strict=True))
    except Exception:
        return {}


def _words(error: Exception) -> str:
    return f"It cannot be drawn: {error}" if isinstance(error, PambleError) else "It cannot be drawn."


def _told(id: str, state: State, fault: str | None) -> dict[str, Any]:
    made = state.made
    makes = [object_id(id, slot) for slot in made.makes] if made is not None and state.hands_on else []
    return {
        "id": id,
        "status": state.status,
        "problem": state.problem or fault,
        "stale": state.stale,
        "makes": makes,
        "changes": sorted(made.changes) if made is not None and state.hands_on else [],
        "facts": dict(made.facts) if made is not None and state.hands_on else {},
        "warnings": list(made.warnings) if made is not None and not state.problem else [],
        "handles": [h.plain() for h in made.handles] if made is not None and state.hands_on else [],
        "offer": None if state.offer is None else vars(state.offer),
        "lost": None if state.lost is None else {**vars(state.lost), "candidates": list(state.lost.candidates)},
    }


def put_combs(writer: FrameWriter, now: Evaluation, wanted: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Combs as header entries: rows of 8, point 3, tooth 3 (1/mm), curvature 1/mm, length mm; none of what is gone."""
    out = []
    for w in wanted:
        standing = now.world.get(w["id"])
        line = standing.shape.lines.get(w["edge"]) if standing is not None else None
        if line is None:
            continue
        comb = curve_comb(line, int(np.clip(w["teeth"], 5, 400)))
        table = np.column_stack([comb.point, comb.tooth, comb.curvature, comb.length])
        largest = max(most_curved(line)[1], float(comb.curvature.max()))
        radius = 1.0 / largest if largest > 0 and np.isfinite(1.0 / largest) else None
        place = writer.put(table)
        out.append({"id": w["id"], "edge": w["edge"], "teeth": place, "largest": largest, "least_radius": radius})
    return out
