"""The worker of this machine: a process beside the server, begun when there is work or at the latest when all else has
been begun, begun again when it ends, and gone with the server.
"""

from __future__ import annotations

import contextlib
import subprocess
import sys
import threading
from pathlib import Path

import structlog

log = structlog.get_logger()

_FIRST = 20.0
"""Seconds until it is begun where no work is waiting: the server and its first window go first."""

_LOOK, _PATIENCE = 0.5, 5.0
"""Seconds between two looks at whether it lives, and for which its end is waited for."""


class LocalWorker:
    """One worker on the database of a data folder. It ends when this process does, however that ends."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._wanted = threading.Event()

    def want(self) -> None:
        """There is work: begin it now."""
        self._wanted.set()

    def watch(self, stop: threading.Event) -> None:
        """Begin it, and again whenever it has ended, until told to stop; then end it."""
        self._wanted.wait(_FIRST)
        if stop.is_set():
            return
        process = self._begun()
        while not stop.wait(_LOOK):
            if process.poll() is not None:
                log.warning("the worker has ended and is begun again", code=process.returncode)
                process = self._begun()
        process.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            process.wait(_PATIENCE)
        process.kill()

    def _begun(self) -> subprocess.Popen[bytes]:
        command = [sys.executable, "-m", "pamble.work", "--data", str(self._folder), "--attended"]
        return subprocess.Popen(command, stdin=subprocess.PIPE)
