"""What comes from outside must be such that it can be stored, and read again as it was."""

from __future__ import annotations

import math
import re
from typing import Any

from pamble.core.errors import StudyError

_LARGEST = 2**63 - 1
_DEEPEST = 100
_UNSTORABLE = re.compile("[\0\ud800-\udfff]")
_ASSET = re.compile(r"[A-Za-z0-9_-]{1,64}")


def check_storable(data: Any, place: str = "", depth: int = 0) -> None:
    """Raises `StudyError` that names the first number or word that cannot be stored as JSON."""
    if depth > _DEEPEST:
        raise StudyError(f"At {place[:80]}: nested deeper than anything in a study is.")
    if isinstance(data, dict):
        for key, value in data.items():
            check_storable(key, place)
            check_storable(value, f"{place}.{key}" if place else str(key), depth + 1)
    elif isinstance(data, (list, tuple)):
        for i, value in enumerate(data):
            check_storable(value, f"{place}.{i}", depth + 1)
    elif isinstance(data, float) and not math.isfinite(data):
        raise StudyError(f"At {place}: {data} is not a number that can be stored.")
    elif isinstance(data, (int, float)) and abs(data) > _LARGEST:
        # The database gives whole floats back as whole numbers.
        raise StudyError(f"At {place}: a number of more than 64 bits cannot be stored.")
    elif isinstance(data, str) and _UNSTORABLE.search(data):
        raise StudyError(f"At {place or 'a name'}: a text holds a character that cannot be stored.")


def check_assets(names: Any) -> None:
    """Raises `StudyError` if a mesh or picture is named as none is."""
    for name in names:
        if not _ASSET.fullmatch(str(name)):
            raise StudyError(f"At assets: {str(name)[:40]!r} is not the name of a mesh or picture.")
