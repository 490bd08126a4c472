"""Kernels in processes of their own: a crash or a long fit in one never stops the rest."""

from __future__ import annotations

import asyncio
import contextlib
import multiprocessing
from concurrent.futures import ThreadPoolExecutor
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerProcess
from typing import Any

import structlog

from pamble.core.errors import Conflict, PambleError, StudyError

log = structlog.get_logger()


class KernelLost(PambleError):
    """The kernel's process ended while it worked."""

    code = "kernel"


class RemoteError(PambleError):
    """An error that the kernel reported in the user's words."""

    def __init__(self, code: str, message: str) -> None:
        super().__init__(message)
        self.code = code


def serve(connection: Connection) -> None:
    """The process: load a study, then answer messages until the other side hangs up."""
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    from pamble.study.kernel import MESSAGES, Kernel

    kernel: Kernel | None = None
    while True:
        try:
            method, arguments = connection.recv()
        except (EOFError, OSError):
            return
        try:
            result: Any = None
            if method == "load":
                kernel = Kernel(*arguments)
            elif kernel is None or method not in MESSAGES:
                raise StudyError(f"The kernel knows no message {method!r}.")
            else:
                result = getattr(kernel, method)(*arguments)
            answer = ("ok", result)
        except PambleError as error:
            answer = (error.code, str(error))
        except Exception as error:  # anything else is a fault of ours: say so and go on
            answer = ("fault", f"Pamble failed here ({type(error).__name__}: {error}). Nothing was changed.")
        connection.send(answer)


class KernelProcess:
    """One kernel in one process. Calls are answered one at a time, in order."""

    def __init__(self) -> None:
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(["pamble.study.kernel", "pamble.core.exchange.step"])
        self._connection, child = context.Pipe()
        self._process: ForkServerProcess = context.Process(target=serve, args=(child,), daemon=True)
        self._process.start()
        child.close()
        self._thread = ThreadPoolExecutor(1)

    async def call(self, method: str, *arguments: Any) -> Any:
        """Call a method of the kernel. Raises `RemoteError` with its words, `KernelLost` if the process is gone."""
        return await asyncio.get_running_loop().run_in_executor(self._thread, self._call, method, arguments)

    def _call(self, method: str, arguments: tuple[Any, ...]) -> Any:
        try:
            self._connection.send((method, arguments))
            code, result = self._connection.recv()
        except (EOFError, OSError) as error:
            raise KernelLost("The kernel of this study stopped and is started again from what is stored.") from error
        if code == "conflict":
            raise Conflict(result)
        if code != "ok":
            raise RemoteError(code, result)
        return result

    @property
    def alive(self) -> bool:
        return self._process.is_alive()

    @property
    def pid(self) -> int | None:
        return self._process.pid

    def close(self) -> None:
        """End the process."""
        with contextlib.suppress(OSError):
            self._connection.close()
        self._process.terminate()
        self._thread.shutdown(wait=False)


class KernelPool:
    """Hands out kernel processes, keeping one started and warm for the next study."""

    def __init__(self) -> None:
        self._spare: KernelProcess | None = KernelProcess()

    async def loaded(self, document: dict[str, Any], assets: dict[str, bytes]) -> KernelProcess:
        """A process with a study in it. Raises `RemoteError` if the study cannot be loaded."""
        for attempt in (1, 2):
            kernel = self._take()
            try:
                await kernel.call("load", document, assets)
                return kernel
            except PambleError as error:
                kernel.close()
                # The spare may have died unnoticed: a fresh process is worth one more try.
                if attempt == 2 or not isinstance(error, KernelLost):
                    raise
        raise AssertionError

    def _take(self) -> KernelProcess:
        """A process, ready at once if there was time to warm one."""
        spare, self._spare = self._spare, None
        taken = spare if spare is not None and spare.alive else KernelProcess()
        asyncio.get_running_loop().call_later(0.5, self._warm)
        return taken

    def _warm(self) -> None:
        if self._spare is None:
            self._spare = KernelProcess()

    def close(self) -> None:
        """End the spare process."""
        if self._spare is not None:
            self._spare.close()
            self._spare = None
