"""A piece of work in a process that may die, with limits of time and memory."""

from __future__ import annotations

import contextlib
import math
import multiprocessing
import os
import resource
import signal
import threading
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

import structlog

from pamble.core.errors import ExchangeError, PambleError
from pamble.core.exchange.limits import MEMORY
from pamble.core.ticking import Cancelled, listening
from pamble.work.kinds import doing

log = structlog.get_logger()

PRELOADED = ["pamble.work.kinds", "pamble.study.evaluate", "pamble.core.exchange.step"]
"""What the processes have loaded already."""

_LOOK = 0.1
"""Seconds between two looks at whether the work is still wanted, and between two words of how far it is."""


class InWords(PambleError):
    """An error that the work was answered with."""

    def __init__(self, code: str, message: str) -> None:
        super().__init__(message)
        self.code = code


class _Listener:
    """In the process: tells how far the work is, and ends with whoever asked for it."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection
        self._told = time.monotonic()
        threading.Thread(target=self._until_closed, daemon=True).start()

    def _until_closed(self) -> None:
        with contextlib.suppress(EOFError, OSError):
            self._connection.recv()
        os._exit(1)

    def __call__(self, share: float) -> None:
        now = time.monotonic()
        if now - self._told > _LOOK:
            self._told = now
            self._connection.send(("share", share))


def _do(connection: Connection, kind: str, arguments: tuple[Any, ...], seconds: float) -> None:
    """In the process: one piece of work, its answer, the end."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # Where nobody is left to end it, the processor's time does.
    most = math.ceil(seconds) + 30
    resource.setrlimit(resource.RLIMIT_CPU, (most, most))
    try:
        with listening(_Listener(connection)):
            answer = ("ok", doing(kind)(*arguments))
    except PambleError as error:
        answer = (error.code, str(error))
    except MemoryError:
        answer = ("exchange", "This takes more memory than Pamble allows itself.")
    except Exception as error:  # a fault of ours, told in the log by the process that asked
        answer = ("fault", f"{type(error).__name__}: {error}")
    connection.send(answer)


class Apart:
    """Does pieces of work, each in a process of its own."""

    def __init__(self) -> None:
        self._context = multiprocessing.get_context("forkserver")
        self._context.set_forkserver_preload(PRELOADED)

    def warm(self) -> None:
        """Load what the processes need, before the first is asked for."""
        process = self._context.Process(target=int, daemon=True)
        process.start()
        process.join()

    def do(
        self,
        kind: str,
        arguments: tuple[Any, ...],
        name: str,
        seconds: float,
        told: Callable[[float], None] = lambda share: None,
        unwanted: threading.Event | None = None,
    ) -> Any:
        """What a piece of work gives, as `kinds` has it. Raises `PambleError` in words, whatever happens.

        name: of the file or study, for the words. seconds: that it may take. told: hears the share that is done.
        unwanted: set to have it stopped; then it raises `Cancelled`.
        """
        here, there = self._context.Pipe()
        process = self._context.Process(target=_do, args=(there, kind, arguments, seconds), daemon=True)
        process.start()
        there.close()
        until = time.monotonic() + seconds
        try:
            while True:
                if here.poll(_LOOK):
                    code, result = here.recv()
                    if code != "share":
                        break
                    told(result)
                if unwanted is not None and unwanted.is_set():
                    raise Cancelled("Stopped. Nothing was changed.")
                if time.monotonic() > until:
                    raise ExchangeError(f"{name} took too long and was given up: it is damaged, or too large.")
        except (EOFError, OSError) as error:
            log.warning("work broke off", name=name, kind=kind, code=process.exitcode)
            raise ExchangeError(f"{name} is damaged: reading it broke off. Nothing was taken.") from error
        finally:
            here.close()
            process.kill()
            with contextlib.suppress(ValueError):
                process.join(5)
                process.close()
        if code == "fault":
            log.error("work failed", name=name, kind=kind, words=result)
            raise ExchangeError(f"{name}: Pamble failed on it ({result}). Nothing was changed.")
        if code != "ok":
            raise InWords(code, result)
        return result
