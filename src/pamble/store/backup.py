"""Everything that a data folder holds as one file, and a folder made from it."""

from __future__ import annotations

from pathlib import Path

from pamble.core.errors import PambleError
from pamble.store.database import open_database
from pamble.store.folder import claimed, database_of, database_port
from pamble.store.postgres import LocalPostgres
from pamble.store.studies import Studies

_MARK = b"PGDMP"
"""How an archive of the database begins."""


def backup(folder: Path, out: Path) -> int:
    """Write all studies with their histories, results, meshes and pictures; returns how many there are.

    A Pamble that works in the folder goes on: the archive is of one moment. The file is moved into place when it is
    whole. Raises `PambleError` where there is nothing to be kept.
    """
    folder = folder.resolve()
    if not (folder / "db" / "PG_VERSION").exists():
        raise PambleError(f"There is no data of Pamble in {folder}: name its folder with --data.")
    if not out.parent.is_dir():
        raise PambleError(f"There is no folder {out.parent} to write to.")
    with database_of(folder) as server:
        part = out.with_name(out.name + ".part")
        with part.open("wb") as file:
            server.dump(file)
        part.rename(out)
        return _count(server)


def restore(file: Path, folder: Path) -> int:
    """Make a data folder from what `backup` wrote; returns how many studies there are.

    Raises `PambleError` for a folder that holds data already, and a file that is no backup or is cut short; then
    nothing of it stays.
    """
    folder = folder.resolve()
    if not file.is_file():
        raise PambleError(f"There is no file {file}.")
    with file.open("rb") as archive:
        if archive.read(len(_MARK)) != _MARK:
            raise PambleError(f"{file.name} is no backup of Pamble.")
    if (folder / "db").exists():
        raise PambleError(f"{folder} holds data of Pamble already: name an empty folder with --data.")
    lock = claimed(folder)
    server = LocalPostgres(folder, database_port(folder))
    try:
        server.start()
        try:
            with file.open("rb") as archive:
                server.take_in(archive)
            return _count(server)
        except PambleError as error:
            server.discard()
            raise PambleError(f"{file.name} cannot be restored: it is cut short or damaged.") from error
    finally:
        server.stop()
        lock.close()


def _count(server: LocalPostgres) -> int:
    engine = open_database(server.url)
    try:
        return len(Studies(engine).listed())
    finally:
        engine.dispose()
