"""Processes in which what nobody waits for is built beside the kernels, with limits of time and memory."""

from __future__ import annotations

import asyncio
import os
import threading
from typing import Any

from pamble.core.errors import PambleError
from pamble.work.apart import Apart

_SECONDS = 60.0
"""That one way may take."""

_AT_ONCE = max(1, min(4, os.cpu_count() or 1))
"""Processes for all windows together."""

_FAILED = "it could not be built"


class Builders:
    """The processes in which ways are built, shared by all windows."""

    def __init__(self) -> None:
        self._apart, self._room = Apart(), asyncio.Semaphore(_AT_ONCE)

    async def build(self, name: str, data: bytes, unwanted: threading.Event) -> Any:
        """What came of a way; the words that say why where nothing did."""
        async with self._room:
            if unwanted.is_set():
                return _FAILED
            try:
                return await asyncio.to_thread(self._apart.do, "layout", (data,), name, _SECONDS, unwanted=unwanted)
            except PambleError:
                return _FAILED
