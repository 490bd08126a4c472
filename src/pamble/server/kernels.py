"""Kernels in processes of their own: a crash or a long fit in one never stops the rest."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import multiprocessing
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerProcess
from typing import Any

import structlog

from pamble.core.errors import Conflict, PambleError, StudyError

log = structlog.get_logger()

PRELOADED = ["pamble.study.kernel", "pamble.core.exchange.step"]
"""What new processes have loaded already."""

_TOLD_EVERY = 0.1
"""Seconds between two words of how far long work is."""


_SILENT, _LOOK = 180.0, 0.5
"""Seconds for which a kernel may work without a word, and between two looks at whether it has answered."""


class KernelLost(PambleError):
    """The kernel's process ended while it worked."""

    code = "kernel"


class RemoteError(PambleError):
    """An error that the kernel reported in the user's words."""

    def __init__(self, code: str, message: str) -> None:
        super().__init__(message)
        self.code = code


class _Listener:
    """In the process: tells how far a call is, and stops it when that is asked for."""

    def __init__(self, control: Connection) -> None:
        self._control = control
        self.call = 0
        self._told = 0.0

    def __call__(self, share: float) -> None:
        from pamble.core.ticking import Cancelled

        try:
            while self._control.poll():
                if self._control.recv() == self.call:
                    raise Cancelled("Stopped. Nothing was changed.")
            now = time.monotonic()
            if now - self._told > _TOLD_EVERY:
                self._told = now
                self._control.send((self.call, share))
        except (EOFError, OSError):
            # Nobody listens any more: what is worked on is for nobody.
            raise SystemExit from None


def serve(connection: Connection, control: Connection) -> None:
    """The process: load a study, then answer messages until the other side hangs up."""
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    from pamble.core.ticking import listening
    from pamble.study.kernel import MESSAGES, Kernel

    kernel: Kernel | None = None
    listener = _Listener(control)
    while True:
        try:
            listener.call, method, arguments = connection.recv()
        except (EOFError, OSError):
            return
        try:
            result: Any = None
            with listening(listener):
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
            logging.getLogger("pamble").exception("message failed: %s", method)
            answer = ("fault", f"Pamble failed here ({type(error).__name__}: {error}). Nothing was changed.")
        connection.send(answer)


Progress = Callable[[float], None]


def load_ahead() -> None:
    """Begin to load what kernels need, in the process that they are forked from."""
    multiprocessing.set_forkserver_preload(PRELOADED)
    forkserver.ensure_running()


class KernelProcess:
    """One kernel in one process. Calls are answered one at a time, in order.

    progress: told the share that is done, 0 to 1, while a call takes long. silent: seconds for which it may work
    without a word; then it is ended.
    """

    def __init__(self) -> None:
        context = multiprocessing.get_context("forkserver")
        self._connection, child = context.Pipe()
        self._control, control = context.Pipe()
        self._process: ForkServerProcess = context.Process(target=serve, args=(child, control), daemon=True)
        self._process.start()
        child.close()
        control.close()
        self._thread = ThreadPoolExecutor(1)
        self._calls = 0
        self._working: tuple[int, str] = (0, "")
        self._last, self.silent = 0.0, _SILENT
        self._listening = False
        self.progress: Progress | None = None

    async def call(self, method: str, *arguments: Any) -> Any:
        """Call a method of the kernel. Raises `RemoteError` with its words, `KernelLost` if the process is gone."""
        if self._connection.closed:
            raise KernelLost("The kernel of this study was ended.")
        loop = asyncio.get_running_loop()
        if not self._listening:
            self._listening = True
            loop.add_reader(self._control.fileno(), self._heard)
        return await loop.run_in_executor(self._thread, self._call, method, arguments)

    def _call(self, method: str, arguments: tuple[Any, ...]) -> Any:
        self._calls += 1
        self._working = (self._calls, method)
        try:
            self._connection.send((self._calls, method, arguments))
            self._wait()
            code, result = self._connection.recv()
        except (EOFError, OSError) as error:
            raise KernelLost("The kernel of this study stopped and is started again from what is stored.") from error
        finally:
            self._working = (self._calls, "")
        if code == "conflict":
            raise Conflict(result)
        if code != "ok":
            raise RemoteError(code, result)
        return result

    def _wait(self) -> None:
        """Until the answer is there. A process that says nothing for long, not even how far it is, is ended."""
        self._last = time.monotonic()
        while not self._connection.poll(_LOOK):
            if time.monotonic() - self._last > self.silent:
                log.error("kernel hangs and is ended", pid=self.pid, method=self._working[1])
                self._process.kill()

    def _heard(self) -> None:
        try:
            while self._control.poll():
                self._last = time.monotonic()
                call, share = self._control.recv()
                if call == self._calls and self.progress is not None:
                    self.progress(share)
        except (EOFError, OSError):
            self._stop_listening()

    def cancel(self, method: str | None = None) -> None:
        """Ask the call that is worked on to stop; it answers with the code "cancelled" if it is not done before.

        method: only if it is one of that method.
        """
        call, working = self._working
        if method is None or method == working:
            with contextlib.suppress(OSError):
                self._control.send(call)

    @property
    def alive(self) -> bool:
        return self._process.is_alive()

    @property
    def pid(self) -> int | None:
        return self._process.pid

    def _stop_listening(self) -> None:
        if self._listening:
            self._listening = False
            with contextlib.suppress(OSError, ValueError, RuntimeError):
                asyncio.get_event_loop().remove_reader(self._control.fileno())

    def close(self) -> None:
        """End the process."""
        self._stop_listening()
        for connection in (self._connection, self._control):
            with contextlib.suppress(OSError):
                connection.close()
        self._process.terminate()
        self._thread.shutdown(wait=False)


class KernelPool:
    """Hands out kernel processes, keeping one started and warm for the next study."""

    def __init__(self) -> None:
        self._spare: KernelProcess | None = KernelProcess()

    async def loaded(self, *study: Any) -> KernelProcess:
        """A process with a study in it: document, assets and results. Raises `RemoteError` if it cannot be loaded."""
        for attempt in (1, 2):
            kernel = self._take()
            try:
                await kernel.call("load", *study)
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
