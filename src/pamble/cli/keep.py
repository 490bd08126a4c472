"""A backup of everything in a data folder, and a folder made from it."""

from __future__ import annotations

from argparse import Namespace
from pathlib import Path
from typing import Any

from pamble.store import backup as store


def backup(given: Namespace) -> tuple[dict[str, Any], str]:
    """Write everything to one file."""
    count = store.backup(Path(given.data), Path(given.out))
    return {"file": given.out, "studies": count}, f"{given.out}: {_studies(count)}, with their histories"


def restore(given: Namespace) -> tuple[dict[str, Any], str]:
    """Make an empty folder what the file was written from."""
    count = store.restore(Path(given.file), Path(given.data))
    return {"data": given.data, "studies": count}, f"{given.data}: {_studies(count)}, with their histories"


def _studies(count: int) -> str:
    return f"{count} {'study' if count == 1 else 'studies'}"
