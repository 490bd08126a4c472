"""Say why a seam, a blend or a gap is not quiet."""

from __future__ import annotations

from argparse import Namespace
from pathlib import Path
from typing import Any

from pamble.cli.commands import named, no_face, read, usable
from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import ExchangeError, PambleError
from pamble.core.faces.picking import pick_edge
from pamble.core.trace.why import trace
from pamble.core.trace.words import told, trace_row


def why(given: Namespace) -> tuple[dict[str, Any], str]:
    """The cause at an edge of a STEP file, with its figure, its place and what to change; or that it is sound."""
    target = None if given.continuity is None else _target(given.continuity)
    found = read(given.file)
    names, faces, problems = usable(found)
    if not faces:
        raise ExchangeError(no_face(problems))
    diagonal = part_diagonal(faces)
    picked = pick_edge(faces, named(given.edge, "An edge"), diagonal)
    made = trace(faces, picked.face, picked.edge, diagonal, target)
    words = told(made, names)
    out = {"file": Path(given.file).name, **trace_row(made, names), "words": words, "problems": problems}
    return out, f"{Path(given.file).name}: {words}"


def _target(text: str) -> int:
    if text.strip().upper() not in ("G0", "G1", "G2", "G3"):
        raise PambleError(f"Continuity is one of G0, G1, G2, G3, not {text!r}.")
    return int(text.strip()[1])
