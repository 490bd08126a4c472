"""Files from outside are read in a process that may die, with limits of time and memory, apart from every study."""

from __future__ import annotations

import asyncio
import contextlib
import multiprocessing
import resource
import signal
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any, Literal

import structlog

from pamble.core.errors import ExchangeError, PambleError
from pamble.core.exchange.limits import MEMORY, seconds_to_read
from pamble.server.kernels import PRELOADED, RemoteError
from pamble.server.metrics import READS, timed

log = structlog.get_logger()

Kind = Literal["step", "mesh", "picture", "study"]

_AT_ONCE = 2
"""Files that are read at one time; the others wait their turn."""


def _readers() -> dict[Kind, Callable[..., Any]]:
    from pamble.study.taking import mesh_reference, picture_reference, study_from_file, taken_from_step

    return {"step": taken_from_step, "mesh": mesh_reference, "picture": picture_reference, "study": study_from_file}


def _read(connection: Connection, kind: Kind, arguments: tuple[Any, ...]) -> None:
    """In the process: read one file, answer, end."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        answer = ("ok", _readers()[kind](*arguments))
    except PambleError as error:
        answer = (error.code, str(error))
    except MemoryError:
        answer = ("exchange", "This file takes more memory to read than Pamble allows itself.")
    except Exception as error:  # a fault of ours, told in the log by the process that asked
        answer = ("fault", f"{type(error).__name__}: {error}")
    connection.send(answer)


class Readers:
    """Reads files, a few at a time, each in a process of its own."""

    def __init__(self) -> None:
        self._turn = asyncio.Semaphore(_AT_ONCE)
        self._context = multiprocessing.get_context("forkserver")
        self._context.set_forkserver_preload(PRELOADED)

    async def read(self, kind: Kind, data: bytes, name: str, *more: Any) -> Any:
        """What a file holds, as its reader gives it. Raises `PambleError` in words, whatever the file does."""
        async with self._turn:
            with timed(READS, kind):
                return await asyncio.to_thread(self._apart, kind, data, name, more)

    def _apart(self, kind: Kind, data: bytes, name: str, more: tuple[Any, ...]) -> Any:
        here, there = self._context.Pipe()
        process = self._context.Process(target=_read, args=(there, kind, (data, name, *more)), daemon=True)
        process.start()
        there.close()
        try:
            if not here.poll(seconds_to_read(len(data))):
                raise ExchangeError(f"{name} took too long to read and was given up: it is damaged, or too large.")
            code, result = here.recv()
        except (EOFError, OSError) as error:
            log.warning("reader ended", file=name, kind=kind, code=process.exitcode)
            raise ExchangeError(f"{name} is damaged: reading it broke off. Nothing was taken.") from error
        finally:
            here.close()
            process.kill()
            with contextlib.suppress(ValueError):
                process.join(5)
                process.close()
        if code == "fault":
            log.error("reader failed", file=name, kind=kind, words=result)
            raise ExchangeError(f"{name} cannot be read: Pamble failed on it ({result}). Nothing was taken.")
        if code != "ok":
            raise RemoteError(code, result)
        return result
