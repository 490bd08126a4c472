"""What is found out about edges of a study when it is asked: why a seam is not quiet, what goes round a hole, and
what lies about a crease.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pamble.core.arrays import Array
from pamble.core.errors import StudyError
from pamble.core.faces.face import Face
from pamble.core.fillets.about import about
from pamble.core.patches.hole import Hole, hole_beside, hole_seen
from pamble.core.tolerances import SEAM_SEARCH
from pamble.core.trace.why import trace
from pamble.core.trace.words import told, trace_row
from pamble.study.document import Study
from pamble.study.ledger import Ledger, standing_faces
from pamble.study.states import Evaluation, object_names

Refs = list[dict[str, str]]
"""Edges by object and name."""


def round_hole(study: Study, now: Evaluation, id: str, edge: str) -> Refs:
    """All edges round the hole that an edge borders, that one first, as references. Raises `PambleError`."""
    faces = standing_faces(now)
    if id not in faces:
        raise StudyError("This edge is no longer there.")
    own = faces[id].edge(edge)
    refs = _refs(study, now, faces, hole_beside(list(faces.values()), list(faces).index(id), own, SEAM_SEARCH))
    first = refs.index({"feature": id, "edge": edge})
    return refs[first:] + refs[:first]


def about_crease(now: Evaluation, id: str, edge: str, within: float) -> list[str]:
    """The faces that a fillet along an edge may have to cut, see `about`. Raises `PambleError`."""
    faces = standing_faces(now)
    if id not in faces:
        raise StudyError("This edge is no longer there.")
    ids = list(faces)
    return [ids[n] for n in about(list(faces.values()), ids.index(id), faces[id].edge(edge), within)]


def hole_under(study: Study, now: Evaluation, point: Array, way: Array, hidden: float) -> Refs:
    """All edges round the hole that one looks into, see `hole_seen`. Raises `PambleError`."""
    faces = standing_faces(now)
    return _refs(study, now, faces, hole_seen(list(faces.values()), point, way, SEAM_SEARCH, hidden))


def _refs(study: Study, now: Evaluation, faces: Mapping[str, Face], found: Hole) -> Refs:
    """The sides of a hole as references."""
    ids, refs = list(faces), []
    for side in found.sides:
        owner = ids[side.face]
        if side.edge not in faces[owner].edges:
            name = object_names(study, now).get(owner, owner)
            raise StudyError(f"An edge of {name} is open only in part: split it where the hole begins.")
        refs.append({"feature": owner, "edge": side.edge.name})
    return refs


def why(study: Study, now: Evaluation, ledger: Ledger, key: str) -> dict[str, Any]:
    """The trace of a seam of the ledger as plain figures, in words, and with the step to change, if there is one.

    Raises `StudyError` if the seam is gone.
    """
    row = ledger.rows.get(key)
    faces = standing_faces(now)
    if row is None or any(end[0] not in faces for end in (row.seam.a, row.seam.b)):
        raise StudyError("This seam is no longer there.")
    ids = list(faces)
    names = object_names(study, now)
    called = [names.get(id, id) for id in ids]
    (a, edge), (b, _) = row.seam.a, row.seam.b
    found = trace(
        list(faces.values()),
        ids.index(a),
        faces[a].edge(edge),
        ledger.diagonal,
        row.row["target"],
        study.limits.tolerances(),
        beside=ids.index(b),
    )
    plain = trace_row(found, called)
    causes: list[dict[str, Any]] = []
    cause = found.cause
    while cause is not None:
        between = found.between if cause.side is None else None
        at_fault = ids[found.faces[cause.side or 0] if between is None else between]
        row_of = plain["causes"][len(causes)]
        causes.append(
            {"name": row_of["name"], "place": row_of["place"], "step": now.world[at_fault].by, "object": at_fault}
        )
        cause = cause.also
    return {
        "key": key,
        "words": told(found, called),
        "crease": plain["crease"],
        "spans": plain["spans"],
        "causes": causes,
    }
