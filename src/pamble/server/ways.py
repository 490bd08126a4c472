"""Other ways to make a step, built beside the kernel and told to its window as they come."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable

from pamble.server.builders import Builders
from pamble.server.hub import OpenStudy
from pamble.server.messages import Ways

Tell = Callable[[Ways], None]


class Building:
    """What is built for one window: the ways of one step at a time, until it asks for something else."""

    def __init__(self, study: OpenStudy, builders: Builders) -> None:
        self._study, self._builders = study, builders
        self._unwanted = threading.Event()

    def stop(self) -> None:
        """Nobody waits for them any more."""
        self._unwanted.set()

    async def run(self, seq: int, id: str, tell: Tell) -> None:
        """Build all ways of a step that were not built; the last word says that none is left."""
        self.stop()
        unwanted = self._unwanted = threading.Event()
        key, rows, left = await self._study.ask("ways", id)
        tell(Ways(seq=seq, id=id, rows=rows, left=len(left)))
        waiting = len(left)

        async def one(name: str, data: bytes) -> None:
            nonlocal waiting
            came = await self._builders.build(name, data, unwanted)
            if unwanted.is_set():
                return
            rows = await self._study.ask("way_built", id, key, name, came)
            waiting -= 1
            if rows is not None and not unwanted.is_set():
                tell(Ways(seq=seq, id=id, rows=rows, left=waiting))

        await asyncio.gather(*(one(name, data) for name, data in left))
