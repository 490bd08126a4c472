"""The kernel of an open study: a synchronous object that holds the study, follows changes and answers in frames."""

from __future__ import annotations

import tempfile
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from pamble.core.checks.comb import curve_comb
from pamble.core.errors import StudyError
from pamble.core.spline.differential import curvatures
from pamble.core.spline.evaluate import surface_derivatives
from pamble.study.apply import apply, dependents, held_by_others, standing
from pamble.study.document import Study, read_study_file, study_to_json
from pamble.study.evaluate import Evaluator, State, exported
from pamble.study.features import Made, PartHandle
from pamble.study.figures import moved_by, place_on
from pamble.study.frame import FrameWriter, put_made
from pamble.study.ledger import Ledger, LedgerRow, worst_first
from pamble.study.operations import MoveCvs, Op, Reshape, SetFlags, SetParams, parse_op
from pamble.study.taking import mesh_reference, picture_reference, taken_from_step

FULL_STEPS, DRAG_STEPS = 48, 24
"""Steps of the display grid at rest and while the pointer is down."""

FULL_SAMPLES, DRAG_SAMPLES = 200, 60
"""Samples along a seam at rest and while the pointer is down."""


class Kernel:
    """One open study. Every public method is one message; none touches the web or the store."""

    def __init__(self, study: dict[str, Any] | bytes, assets: Mapping[str, bytes] | None = None) -> None:
        if isinstance(study, bytes):
            self.study, assets = read_study_file(study)
        else:
            self.study = Study.model_validate(study)
        self._packed = dict(assets or {})
        self._evaluator = Evaluator(self._packed)
        self._ledger = Ledger()
        self._last_frame = b""
        self._settle()

    def _settle(self) -> set[str]:
        changed = self._evaluator.evaluate(self.study)
        self._ledger.rebuild(self.study, self._evaluator.states)
        self._ledger.update(self.study, self._evaluator.states, changed, FULL_SAMPLES)
        return changed

    def document(self) -> dict[str, Any]:
        """The study as plain data."""
        return self.study.model_dump()

    def frame(self, ids: Sequence[str] | None = None, said: str | None = None) -> bytes:
        """The kept state: shapes of ``ids`` (all when None), all features' facts and the whole ledger."""
        states = self._evaluator.states
        wanted = set(states) if ids is None else set(ids)
        rows = worst_first(list(self._ledger.rows.values()))
        return _frame(self.study, states, wanted, rows, FULL_STEPS, preview=False, whole=ids is None, said=said)

    def preview(
        self, op: dict[str, Any], combs: Sequence[dict[str, Any]] = (), watched: Collection[str] | None = None
    ) -> bytes:
        """What an operation would make, coarse and quick; nothing is kept. Raises `StudyError`.

        watched: the features whose curves' figures are looked at, all when None.
        """
        study, _ = self._changed(parse_op(op))
        states, changed = self._evaluator.preview(study, watched)
        rows = worst_first(list(self._ledger.preview(study, states, changed, DRAG_SAMPLES).values()))
        return _frame(study, states, changed, rows, DRAG_STEPS, preview=True, whole=False, combs=combs)

    def commit(self, op: dict[str, Any]) -> dict[str, Any]:
        """Apply an operation for good. Returns the operation and its inverse as plain data, and the frame."""
        done, inverse = self._apply(parse_op(op))
        return {"op": done.model_dump(), "inverse": inverse.model_dump(), "frame": self._last_frame}

    def _apply(self, op: Op) -> tuple[Op, Op]:
        before, old = self.study, self._evaluator.states
        self.study, inverse = self._changed(op)
        if isinstance(op, SetFlags) and all(c.on is None and c.name is None for c in op.changes):
            self._last_frame = self.frame([])
            return op, inverse
        changed = self._settle()
        if self.study.limits != before.limits or self.study.seam_targets != before.seam_targets or _renamed(op):
            everything = {f.id for f in self.study.features}
            self._ledger.update(self.study, self._evaluator.states, everything, FULL_SAMPLES)
        said = moved_by(old, self._evaluator.states, op.id) if isinstance(op, Reshape) else None
        self._last_frame = self.frame(sorted(changed), said)
        return op, inverse

    def _changed(self, op: Op) -> tuple[Study, Op]:
        """The study after an operation, and its inverse.

        A curve that is held by other objects is changed from where it is, not from where it was drawn.
        """
        made = self._evaluator.states[op.id].made if isinstance(op, (MoveCvs, Reshape)) and self._held(op.id) else None
        if made is None:
            return apply(self.study, op)
        assert isinstance(op, (MoveCvs, Reshape))
        study, inverse = apply(standing(self.study, op.id, made.curves[0]), op)
        assert isinstance(inverse, SetParams)
        old = self.study.feature(op.id).params
        return study, inverse.model_copy(update={"changes": {k: old[k] for k in inverse.changes}})

    def _held(self, id: str) -> bool:
        state = self._evaluator.states.get(id)
        return state is not None and not state.stale and held_by_others(self.study.feature(id))

    def dependents(self, ids: list[str]) -> list[dict[str, str]]:
        """What hangs on features, by id and name, in build order."""
        return [{"id": i, "name": self.study.feature(i).name} for i in dependents(self.study, ids)]

    def probe(self, id: str, u: float, v: float) -> dict[str, Any]:
        """Exact point, normal and curvatures of a feature's surface."""
        face = self._made(id).face
        if face is None:
            raise StudyError("Only a face has curvature to measure here.")
        surface = face.surface
        d = surface_derivatives(surface, [u], [v], 2)
        n, k = curvatures(d)
        largest, smallest = float(k.largest[0]), float(k.smallest[0])
        steepest = max(abs(largest), abs(smallest))
        return {
            "point": d[0, 0, 0].tolist(),
            "normal": n[0].tolist(),
            "largest": _finite(largest),
            "smallest": _finite(smallest),
            "gauss": _finite(largest * smallest),
            "mean": _finite(0.5 * (largest + smallest)),
            "radius": _finite(1.0 / steepest) if steepest > 0 else None,
        }

    def locate(self, id: str, edge: str | None, point: list[float]) -> dict[str, Any]:
        """The exact place on a line, or on a face when ``edge`` is null, nearest to a point that was seen there.

        at: fraction of the line's length.
        """
        return place_on(self._made(id), edge, np.array(point, dtype=float))

    def combs(self, wanted: list[dict[str, Any]]) -> bytes:
        """Curvature combs of edges as they are kept, in a frame. An edge that is gone is left out."""
        writer = FrameWriter()
        return writer.finish({"type": "combs", "combs": _combs(writer, self._evaluator.states, wanted)})

    def import_step(self, data: bytes, name: str) -> dict[str, Any]:
        """Features for every face and loose curve of a STEP file, and the reason for every one that cannot be taken."""
        return taken_from_step(data, name, {f.name for f in self.study.features})

    def import_mesh(self, data: bytes, name: str) -> dict[str, Any]:
        """The operation that shows a mesh, and the mesh packed for the store."""
        return self._kept(mesh_reference(data, name, {f.name for f in self.study.features}))

    def import_picture(self, data: bytes, name: str) -> dict[str, Any]:
        """The operation that shows a picture, 200 mm wide at first, and the picture for the store."""
        return self._kept(picture_reference(data, name, {f.name for f in self.study.features}))

    def _kept(self, reference: dict[str, Any]) -> dict[str, Any]:
        self._packed[reference["asset"]] = reference["packed"]
        return reference

    def export_step(self, ids: list[str] | None) -> bytes:
        """STEP file of the chosen features' faces and curves, or of all that are switched on."""
        from pamble.core.exchange.step import write_step

        shapes = exported(self.study, self._evaluator.states)
        names = {f.id: f.name for f in self.study.features}
        chosen = list(shapes) if ids is None else ids
        missing = [names.get(i, i) for i in chosen if i not in shapes]
        if missing:
            raise StudyError(f"{', '.join(missing)} cannot be exported: switched off, or without a shape.")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "out.step"
            write_step([item for i in chosen for item in shapes[i]], path, self.study.name)
            return path.read_bytes()

    def export_json(self) -> bytes:
        """The study in its documented JSON form."""
        used = {f.params.get("asset") for f in self.study.features}
        return study_to_json(self.study, {k: v for k, v in self._packed.items() if k in used})

    def _made(self, id: str) -> Made:
        state = self._evaluator.states.get(id)
        if state is None or state.made is None:
            raise StudyError("This object has no shape to measure.")
        return state.made


MESSAGES: tuple[str, ...] = (
    "document",
    "frame",
    "preview",
    "commit",
    "dependents",
    "probe",
    "locate",
    "combs",
    "import_step",
    "import_mesh",
    "import_picture",
    "export_step",
    "export_json",
)
"""Methods of the kernel that may be called by message."""


def _renamed(op: Op) -> bool:
    return isinstance(op, SetFlags) and any(c.name is not None for c in op.changes)


def _finite(value: float) -> float | None:
    return value if np.isfinite(value) else None


def _frame(
    study: Study,
    states: dict[str, State],
    wanted: set[str],
    rows: list[LedgerRow],
    steps: int,
    *,
    preview: bool,
    whole: bool,
    combs: Sequence[dict[str, Any]] = (),
    said: str | None = None,
) -> bytes:
    writer = FrameWriter()
    features, objects = [], []
    for f in study.features:
        state = states[f.id]
        shown = f.on and state.made is not None and state.made.visible
        features.append(
            {
                "id": f.id,
                "problem": state.problem,
                "stale": state.stale,
                "shape": shown,
                "facts": state.made.facts if state.made else {},
                "warnings": list(state.made.warnings) if state.made and not state.problem else [],
                "handles": [_handle(h) for h in state.made.handles] if state.made and shown else [],
            }
        )
        if f.id in wanted and shown and state.made is not None:
            objects.append({"id": f.id, **put_made(writer, state.made, steps)})
    header = {
        "type": "frame",
        "preview": preview,
        "said": said,
        "whole": whole,
        "features": features,
        "objects": objects,
        "removed": sorted(i for i in wanted if i not in {o["id"] for o in objects}),
        "seams": [{**r.row, "plot": writer.put(r.plot)} for r in rows],
        "combs": _combs(writer, states, combs),
    }
    return writer.finish(header)


def _combs(writer: FrameWriter, states: Mapping[str, State], wanted: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Combs as header entries: rows of 8, point 3, tooth 3 (1/mm), curvature 1/mm, length mm."""
    out = []
    for w in wanted:
        state = states.get(w["id"])
        if state is None or state.made is None or state.key == "off":
            continue
        line = state.made.lines.get(w["edge"])
        if line is None:
            continue
        comb = curve_comb(line, int(np.clip(w["teeth"], 5, 400)))
        table = np.column_stack([comb.point, comb.tooth, comb.curvature, comb.length])
        largest = float(comb.curvature.max())
        radius = _finite(1.0 / largest) if largest > 0 else None
        place = writer.put(table)
        out.append({"id": w["id"], "edge": w["edge"], "teeth": place, "largest": largest, "least_radius": radius})
    return out


def _handle(h: PartHandle) -> dict[str, Any]:
    return {
        "field": h.field,
        "index": h.index,
        "label": h.label,
        "point": h.point.tolist(),
        "direction": h.direction.tolist(),
        "per_mm": h.per_mm,
        "value": h.value,
    }
