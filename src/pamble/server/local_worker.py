"""The worker of this machine: a process beside the server, begun again when it ends, and gone with the server."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import threading
from pathlib import Path

import structlog

log = structlog.get_logger()

_LOOK, _PATIENCE = 0.5, 5.0
"""Seconds between two looks at whether it lives, and for which its end is waited for."""


class LocalWorker:
    """One worker on the database of a data folder. It ends when this process does, however that ends."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._process = self._begun()

    def watch(self, stop: threading.Event) -> None:
        """Begin it again whenever it has ended, until told to stop; then end it."""
        while not stop.wait(_LOOK):
            if self._process.poll() is not None:
                log.warning("the worker has ended and is begun again", code=self._process.returncode)
                self._process = self._begun()
        self._process.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(_PATIENCE)
        self._process.kill()

    def _begun(self) -> subprocess.Popen[bytes]:
        command = [sys.executable, "-m", "pamble.work", "--data", str(self._folder), "--attended"]
        return subprocess.Popen(command, stdin=subprocess.PIPE)
