"""The command line in a process that may die: what breaks the reader of files off ends in words, not in a crash."""

from __future__ import annotations

import os
import resource
import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from pamble.core.exchange.limits import MEMORY, seconds_to_read

_reading = False
"""Whether this is the process that may die."""


def guarded(run: Callable[[], int]) -> int:
    """Run a command in a process of its own, with a limit of memory; 2 and one line if it does not come back."""
    if not hasattr(os, "fork"):
        return run()
    told, tell = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(told)
        _work(run, tell)
    os.close(tell)
    with os.fdopen(told) as words:
        last = words.read().splitlines()
    status = _ended(child)
    if not os.WIFSIGNALED(status):
        return os.waitstatus_to_exitcode(status)
    number = os.WTERMSIG(status)
    if number == signal.SIGINT:
        return 130
    reading = last[-1] if last else ""
    if not reading:
        print(f"pamble: Pamble failed here (signal {number}). Nothing was written.", file=sys.stderr)
    elif number == signal.SIGALRM:
        print(f"pamble: {reading} took too long to read: it is damaged, or too large.", file=sys.stderr)
    else:
        print(f"pamble: {reading} is damaged: reading it broke off.", file=sys.stderr)
    return 2


def _ended(child: int) -> int:
    while True:
        try:
            return os.waitpid(child, 0)[1]
        except KeyboardInterrupt:
            with suppress(ProcessLookupError):
                os.kill(child, signal.SIGINT)


def _work(run: Callable[[], int], tell: int) -> None:
    """In the process that may die."""
    global _reading, _tell
    _reading, _tell = True, tell
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    code = 2
    try:
        code = run()
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else 2
    except KeyboardInterrupt:
        code = 130
    except MemoryError:
        print("pamble: This takes more memory than Pamble allows itself.", file=sys.stderr)
    except Exception as error:
        print(f"pamble: Pamble failed here ({type(error).__name__}: {error}). Nothing was written.", file=sys.stderr)
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


_tell = -1


@contextmanager
def reading(path: str | Path) -> Iterator[None]:
    """While a file is read, its process says which, and ends when that takes too long."""
    if not _reading:
        yield
        return
    path = Path(path)
    size = path.stat().st_size if path.is_file() else 0
    os.write(_tell, f"{path.name}\n".encode())
    signal.setitimer(signal.ITIMER_REAL, seconds_to_read(size))
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        os.write(_tell, b"\n")
