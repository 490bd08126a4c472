"""A study as it is handed over: its STEP file, its own file, and a check of the file that goes out."""

from __future__ import annotations

import tempfile
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Any

from pamble.core.checks.report import check_faces
from pamble.core.errors import StudyError
from pamble.study.document import Study, study_to_json
from pamble.study.evaluate import Evaluator, resumed
from pamble.study.migrate import migrated
from pamble.study.references import step_of
from pamble.study.states import Evaluation, exported, object_names

Stored = Mapping[str, tuple[str, bytes]]
"""Results of steps as they are stored."""


def step_file(study: Study, now: Evaluation, ids: Sequence[str] | None) -> bytes:
    """STEP file of the chosen steps' faces and curves, or of all that stand. Raises `StudyError`."""
    from pamble.core.exchange.step import write_step

    shapes = exported(study, now)
    names = object_names(study, now)
    chosen = list(shapes) if ids is None else [o for i in ids for o in shapes if step_of(o) == i or o == i]
    missing = [names.get(i, i) for i in ids or () if not any(step_of(o) == i or o == i for o in shapes)]
    if missing:
        raise StudyError(f"{', '.join(missing)} cannot be exported: switched off, or without a shape.")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "out.step"
        write_step([item for i in chosen for item in shapes[i]], path, study.name)
        return path.read_bytes()


def study_file(study: Study, assets: Mapping[str, bytes]) -> bytes:
    """The study in its documented JSON form, with the meshes and pictures that it uses."""
    used: Collection[Any] = {f.params.get("asset") for f in study.features}
    return study_to_json(study, {k: v for k, v in assets.items() if k in used})


def step_of_stored(
    document: dict[str, Any],
    assets: Mapping[str, bytes],
    results: Stored,
    ids: Sequence[str] | None,
) -> bytes:
    """`step_file` of a study as it is stored: its document, assets, and last good results of its steps."""
    study = Study.model_validate(migrated(document))
    evaluator = Evaluator(dict(assets))
    return step_file(study, evaluator.evaluate(study, resumed(evaluator, study, results)), ids)


def study_file_of_stored(document: dict[str, Any], assets: Mapping[str, bytes], _: Stored) -> bytes:
    """`study_file` of a study as it is stored."""
    return study_file(Study.model_validate(migrated(document)), assets)


def checked(
    document: dict[str, Any],
    assets: Mapping[str, bytes],
    results: Stored,
    ids: Sequence[str] | None,
) -> dict[str, Any]:
    """What is found in the STEP file that would go out, read back: faces, seams, open edges, what cannot be taken."""
    from pamble.core.exchange.step import read_step

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "out.step"
        path.write_bytes(step_of_stored(document, assets, results, ids))
        found = read_step(path)
    faces = [item for item in found if item.face is not None]
    report = check_faces([f.face for f in faces if f.face is not None], [f.name for f in faces])
    lost = [{"name": f.name, "kind": f.kind, "reason": f.problem} for f in found if f.made is None]
    return {
        "faces": len(faces),
        "curves": len(found) - len(faces) - len(lost),
        "closed": report["closed"],
        "seams": [
            {k: s[k] for k in ("faces", "reaches")} | {k: s[k]["max"] for k in ("gap", "angle", "curvature")}
            for s in report["seams"]
        ],
        "open_edges": [{k: e[k] for k in ("face", "edge", "length")} for e in report["open_edges"]],
        "problems": lost,
    }
