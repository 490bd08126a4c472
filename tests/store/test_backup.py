"""A backup restored into an empty folder gives the same studies, histories included; anything else is told."""

import shutil
import tempfile
from pathlib import Path

import pytest

from pamble.cli.main import main
from pamble.store.database import open_database
from pamble.store.folder import claimed, database_port
from pamble.store.postgres import LocalPostgres
from pamble.store.studies import Studies


@pytest.fixture
def folders():
    """Three folders that the database's own account may enter."""
    root = Path(tempfile.mkdtemp(prefix="pamble-backup-"))
    root.chmod(0o755)
    yield [root / name for name in ("one", "two", "three")]
    shutil.rmtree(root, ignore_errors=True)


def told(studies: Studies) -> list:
    """All that is stored of every study, and its whole history, undone step by step."""
    out = []
    for entry in sorted(studies.listed(), key=lambda e: e.name):
        stored, back = studies.load(entry.id), []
        while stored.can_undo:
            back.append((studies.step(entry.id, -1), stored.document))
            stored = studies.moved(entry.id, stored.version, -1, {"name": entry.name, "features": []})
        forth = [studies.step(entry.id, 1)] if stored.can_redo else []
        out.append(
            (entry.id, entry.name, entry.version, back, forth, studies.assets(entry.id), studies.results(entry.id))
        )
    return out


def test_a_backup_of_a_running_pamble_restored_elsewhere_is_the_same(folders, capsys):
    here, there, _ = folders
    server = LocalPostgres(here, database_port_of(here), durable=False)
    server.start()
    file = here.parent / "all.backup"
    try:
        studies = Studies(open_database(server.url))
        for name in ("lid", "tray"):
            id = studies.create({"name": name, "features": []}, {"scan": bytes(range(256)) * 40})
            for n in range(3):
                document = {"name": name, "features": [{"id": str(k)} for k in range(n + 1)]}
                studies.append(id, n, {"do": n}, {"undo": n}, document, {"s": ("key", b"packed \x00\xff" * n)})
        assert main(["backup", str(file), "--data", str(here)]) == 0
        assert "2 studies" in capsys.readouterr().out
        assert server.live
        before = told(studies)
    finally:
        server.stop()
    assert main(["restore", str(file), "--data", str(there)]) == 0
    restored = LocalPostgres(there, database_port(there), durable=False)
    assert not restored.live
    restored.start()
    try:
        assert told(Studies(open_database(restored.url))) == before
    finally:
        restored.stop()
    claimed(there).close()


def database_port_of(folder: Path) -> int:
    folder.mkdir(parents=True)
    return database_port(folder)


def test_what_is_no_backup_is_told_and_leaves_an_empty_folder(folders, capsys):
    here, there, third = folders
    server = LocalPostgres(here, database_port_of(here), durable=False)
    server.start()
    open_database(server.url).dispose()
    server.stop()
    # Not running: it is started for the backup, and stopped again.
    file = here.parent / "none.backup"
    assert main(["backup", str(file), "--data", str(here)]) == 0
    assert not server.live
    whole = file.read_bytes()
    cut, other = here.parent / "cut.backup", here.parent / "other.backup"
    cut.write_bytes(whole[: len(whole) // 2])
    other.write_bytes(b"a text")
    words = {
        ("restore", str(cut), "--data", str(there)): "cut short or damaged",
        ("restore", str(other), "--data", str(there)): "is no backup",
        ("restore", str(file), "--data", str(here)): "holds data of Pamble already",
        ("restore", "nowhere", "--data", str(there)): "There is no file",
        ("backup", str(file), "--data", str(third)): "There is no data of Pamble",
        ("backup", str(third / "x" / "y"), "--data", str(here)): "There is no folder",
    }
    for command, said in words.items():
        assert main(list(command)) == 2
        assert said in capsys.readouterr().err
    assert not (there / "db").exists()
    assert main(["restore", str(file), "--data", str(there)]) == 0
