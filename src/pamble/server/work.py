"""Large work on its way: asked of the workers, followed, and finished here when its answer has come."""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import Any

import structlog
from sqlalchemy.exc import SQLAlchemyError

from pamble.core.errors import Missing, PambleError
from pamble.core.ticking import Cancelled
from pamble.server.kernels import RemoteError
from pamble.server.metrics import FAULTS, WORK, timed
from pamble.store.jobs import Jobs, State
from pamble.work.kinds import Kind

log = structlog.get_logger()

_LOOK, _LOOK_AT_LAST = 0.02, 0.3
"""Seconds between two looks at a job, at first and after a while."""

_KEPT = 120.0
"""Seconds for which the end of a job is told to whoever asks."""

Finish = Callable[[Any], Awaitable[Any]]
"""Makes of a job's answer what is told."""


@dataclass
class Followed:
    """A job on its way. whose: the only one who may ask for it; result: what came of it, once it is done."""

    id: str
    kind: Kind
    name: str
    whose: str
    state: State = "waiting"
    share: float = 0.0
    error: PambleError | None = None
    result: Any = None
    ended: float | None = None
    over: asyncio.Event = field(default_factory=asyncio.Event)


class Work:
    """All jobs that were asked for here. wanted: called when there is one."""

    def __init__(self, jobs: Jobs, wanted: Callable[[], None] = lambda: None) -> None:
        self.jobs, self._wanted = jobs, wanted
        self._followed: dict[str, Followed] = {}
        self._tasks: set[asyncio.Task[None]] = set()

    async def ask(
        self,
        kind: Kind,
        name: str,
        *,
        data: bytes = b"",
        arguments: tuple[Any, ...] = (),
        study: str | None = None,
        owner: str | None = None,
        whose: str = "",
        finish: Finish | None = None,
    ) -> Followed:
        """Ask the workers for something. Raises `PambleError` where it is not taken."""
        self._wanted()
        id = await asyncio.to_thread(self.jobs.put, kind, name, data, list(arguments), study, owner)
        job = self._followed[id] = Followed(id, kind, name, whose)
        task = asyncio.get_running_loop().create_task(self._follow(job, finish))
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
        self._forget()
        return job

    def found(self, id: str, whose: str) -> Followed:
        """A job of somebody's. Raises `PambleError` if there is none."""
        job = self._followed.get(id)
        if job is None or job.whose != whose:
            raise Missing("This work is not known here: begin it again.")
        return job

    async def stop(self, job: Followed) -> None:
        """Stop a job; what is done already stays done."""
        await asyncio.to_thread(self.jobs.stop, job.id)

    async def result(self, job: Followed, left: Callable[[], Awaitable[bool]]) -> Any:
        """What comes of a job; left: whether nobody waits any longer, then it is stopped. Raises `PambleError`."""
        while not job.over.is_set():
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(job.over.wait(), 1.0)
            if not job.over.is_set() and await left():
                await self.stop(job)
        # Whoever waited has it now: nobody asks for it again.
        self._followed.pop(job.id, None)
        if job.error is not None:
            raise job.error
        return job.result

    async def _follow(self, job: Followed, finish: Finish | None) -> None:
        try:
            with timed(WORK, job.kind):
                await self._until_done(job)
                answer, bulk = await asyncio.to_thread(self.jobs.answer, job.id)
                job.result = await finish(answer) if finish is not None else bulk if answer is None else answer
            job.state = "done"
        except PambleError as error:
            job.error = error
            job.state = "stopped" if isinstance(error, Cancelled) else "failed"
        except Exception:
            FAULTS.inc()
            log.exception("work failed", job=job.id, kind=job.kind)
            words = "Pamble could not carry this out. What was stored before is safe."
            job.error, job.state = RemoteError("fault", words), "failed"
        finally:
            job.ended = time.monotonic()
            job.over.set()

    async def _until_done(self, job: Followed) -> None:
        pause = _LOOK
        while True:
            await asyncio.sleep(pause)
            pause = min(1.2 * pause, _LOOK_AT_LAST)
            # A database that is on its way up again has the job still.
            with contextlib.suppress(SQLAlchemyError):
                now = await asyncio.to_thread(self.jobs.standing, job.id)
                if now is None or now.state == "stopped":
                    raise Cancelled("Stopped. Nothing was changed.")
                if now.state == "failed":
                    raise RemoteError(now.code, now.words)
                job.share = now.share
                if now.state == "done":
                    return
                job.state = now.state

    def _forget(self) -> None:
        old = time.monotonic() - _KEPT
        for id in [i for i, j in self._followed.items() if j.ended is not None and j.ended < old]:
            del self._followed[id]

    def close(self) -> None:
        """Follow no longer; what nobody will fetch is cleared away by the store."""
        for task in self._tasks:
            task.cancel()
