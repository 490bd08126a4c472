"""Long work tells that it goes on, and can be stopped: whoever waits sets a listener, loops call `tick`."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from pamble.core.errors import PambleError

Listener = Callable[[float], None]
"""Gets the share that is done, 0 to 1, as far as it is known; raises `Cancelled` to stop the work."""

_listener: ContextVar[Listener | None] = ContextVar("listener", default=None)


class Cancelled(PambleError):
    """The work was stopped because its result is no longer wanted."""

    code = "cancelled"


def tick(share: float = 0.0) -> None:
    """Say that work goes on. Raises `Cancelled` if it is to stop."""
    listener = _listener.get()
    if listener is not None:
        listener(share)


@contextmanager
def listening(listener: Listener) -> Iterator[None]:
    """Within it every `tick` reaches the listener."""
    token = _listener.set(listener)
    try:
        yield
    finally:
        _listener.reset(token)


def part(start: float, end: float) -> Listener | None:
    """A listener for a part of the work, which counts from ``start`` to ``end`` of the whole."""
    outer = _listener.get()
    return None if outer is None else lambda share: outer(start + share * (end - start))
