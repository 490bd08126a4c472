"""The data folder of a running Pamble: held for one process, and the port of its database."""

from __future__ import annotations

import fcntl
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TextIO

from pamble.core.errors import PambleError
from pamble.store.postgres import LocalPostgres, free_port


def claimed(folder: Path) -> TextIO:
    """The folder held for this process, as long as the file is open. Raises `PambleError` if another holds it."""
    folder.mkdir(parents=True, exist_ok=True)
    lock = (folder / "pamble.lock").open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        lock.close()
        raise PambleError(f"Another Pamble works in {folder}: stop it, or choose a folder with --data.") from error
    return lock


def database_port(folder: Path) -> int:
    """The database's port: chosen once for a data folder, then kept. One that cannot be read is chosen anew."""
    kept = folder / "db.port"
    known = kept.read_text().strip() if kept.exists() else ""
    if not known.isdigit():
        known = str(free_port())
        kept.write_text(known)
    return int(known)


def local_database(folder: Path, durable: bool = True) -> LocalPostgres:
    """The database of a data folder, started."""
    server = LocalPostgres(folder, database_port(folder), durable)
    server.start()
    return server


@contextmanager
def database_of(folder: Path) -> Iterator[LocalPostgres]:
    """The database of a data folder, of the Pamble that works in it or started for a while."""
    server = LocalPostgres(folder, database_port(folder))
    own = not server.live
    lock = claimed(folder) if own else None
    try:
        server.start()
        yield server
    finally:
        if own:
            server.stop()
        if lock is not None:
            lock.close()
