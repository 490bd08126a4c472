"""One real PostgreSQL server and one running Pamble for all tests that need them."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from pamble.store.accounts import Accounts
from pamble.store.database import open_database
from pamble.store.folder import database_of
from pamble.store.postgres import LocalPostgres, free_port

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# No test asserts a time, and each run sees the same examples: what fails fails again.
settings.register_profile("same", deadline=None, derandomize=True)
settings.load_profile("same")
ROOT = Path(__file__).parent.parent


@pytest.fixture(scope="session")
def database_url() -> Iterator[str]:
    """A database server for the store's own tests."""
    folder = Path(tempfile.mkdtemp(prefix="pamble-test-"))
    folder.chmod(0o755)
    server = LocalPostgres(folder, free_port(), durable=False)
    server.start()
    yield server.url
    server.stop()
    shutil.rmtree(folder, ignore_errors=True)


class RunningPamble:
    """The product as a user starts it, on a data folder of its own."""

    def __init__(self, durable: bool = False, *options: str) -> None:
        self.durable, self.options = durable, options
        self.folder = Path(tempfile.mkdtemp(prefix="pamble-run-"))
        self.folder.chmod(0o755)
        self.port = free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start and wait until it answers."""
        self.process = subprocess.Popen(
            [
                sys.executable, "-m", "pamble.server.main", "--port", str(self.port), "--data", str(self.folder),
                *self.options, *([] if self.durable else ["--careless"]),
            ],
            cwd=ROOT,
            start_new_session=True,
        )  # fmt: skip
        for _ in range(300):
            try:
                urllib.request.urlopen(f"{self.url}/api/who", timeout=2)
                return
            except OSError:
                assert self.process.poll() is None, "the server ended while starting"
                time.sleep(0.1)
        raise AssertionError("the server did not answer")

    def kill(self) -> None:
        """Kill the server and its kernels at once, as a crash would; the database dies too."""
        assert self.process is not None
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()
        pid = int((self.folder / "db" / "postmaster.pid").read_text().split()[0])
        os.kill(pid, signal.SIGKILL)
        time.sleep(0.3)

    def close(self) -> None:
        """Stop in an orderly way."""
        assert self.process is not None
        self.process.terminate()
        try:
            self.process.wait(15)
        except subprocess.TimeoutExpired:
            os.killpg(self.process.pid, signal.SIGKILL)
        shutil.rmtree(self.folder, ignore_errors=True)


def peopled(folder: Path, passwords: dict[str, str]) -> None:
    """Accounts in a data folder, the first an administrator's."""
    with database_of(folder) as server:
        engine = open_database(server.url)
        for k, (name, password) in enumerate(passwords.items()):
            Accounts(engine).add(name, password, k == 0)
        engine.dispose()


@pytest.fixture(scope="session")
def pamble() -> Iterator[RunningPamble]:
    """Pamble, running."""
    running = RunningPamble()
    running.start()
    yield running
    running.close()
