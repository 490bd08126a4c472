"""The data folder: held by one, and a first start that was broken off is begun anew."""

import shutil
import tempfile
from pathlib import Path

import pytest

from pamble.core.errors import PambleError
from pamble.store.folder import claimed, database_port
from pamble.store.postgres import LocalPostgres, free_port


def test_a_folder_is_held_by_one_and_free_again_afterwards(tmp_path):
    held = claimed(tmp_path / "data")
    with pytest.raises(PambleError, match="Another Pamble works in"):
        claimed(tmp_path / "data")
    held.close()
    claimed(tmp_path / "data").close()


def test_a_port_is_kept_and_one_that_was_never_written_is_chosen_anew(tmp_path):
    (tmp_path / "db.port").write_text("")
    port = database_port(tmp_path)
    assert port > 0
    assert database_port(tmp_path) == port


def test_a_first_start_that_was_killed_is_begun_anew(monkeypatch):
    folder = Path(tempfile.mkdtemp(prefix="pamble-killed-"))
    folder.chmod(0o755)
    server = LocalPostgres(folder, free_port(), durable=False)

    class Killed(Exception):
        pass

    run = LocalPostgres._run

    def killed(self, tool, *arguments, **more):
        run(self, tool, *arguments, **more)
        if tool == "initdb":
            raise Killed

    monkeypatch.setattr(LocalPostgres, "_run", killed)
    with pytest.raises(Killed):
        server.start()
    assert not server.data.exists()
    monkeypatch.undo()
    server.start()
    try:
        assert server.live
    finally:
        server.stop()
        shutil.rmtree(folder, ignore_errors=True)
