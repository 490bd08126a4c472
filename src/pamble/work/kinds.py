"""The kinds of work, and what each gives: a function of plain data, without a database."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any, Literal

from pamble.core.exchange.limits import seconds_to_read

Kind = Literal["step", "mesh", "picture", "study", "export_step", "export_json", "check"]
"""Files that are read, and studies that are written or checked."""

_SECONDS_TO_WRITE = 600.0

_LAST = 10
"""By how much work that nobody waits for gives way."""


def doing(kind: str) -> Callable[..., Any]:
    """The function that does a kind of work; what it needs is loaded with it."""
    from pamble.study import handing_over, taking
    from pamble.study.features import ways

    functions: dict[str, Callable[..., Any]] = {
        "step": taking.taken_from_step,
        "mesh": taking.mesh_reference,
        "picture": taking.picture_reference,
        "study": taking.study_from_file,
        "export_step": handing_over.step_of_stored,
        "export_json": handing_over.study_file_of_stored,
        "check": handing_over.checked,
        "layout": lambda data: _behind_others(ways.build, data),
    }
    return functions[kind]


def of_study(kind: str) -> bool:
    """Whether the work is on a study as it is stored, not on a file that was brought."""
    return kind in ("export_step", "export_json", "check")


def seconds_for(kind: str, size: int) -> float:
    """Seconds that work may take. size: bytes of its file."""
    return _SECONDS_TO_WRITE if of_study(kind) else seconds_to_read(size)


def _behind_others(function: Callable[[bytes], Any], data: bytes) -> Any:
    """Do what nobody waits for only while the processors have nothing else to do."""
    os.nice(_LAST)
    return function(data)
