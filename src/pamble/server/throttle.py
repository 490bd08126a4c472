"""Guesses slowed down: after a few wrong passwords each further one has to wait longer."""

from __future__ import annotations

import time
from collections import OrderedDict

_FREE = 5
"""Wrong guesses that cost nothing."""

_LONGEST = 300.0
_REMEMBERED = 10_000
_FORGOTTEN = 3600.0


class Throttle:
    """Wrong guesses by name and by address. Not for more than one process: each counts its own."""

    def __init__(self) -> None:
        self._wrong: OrderedDict[str, tuple[int, float]] = OrderedDict()

    def wait(self, *keys: str) -> float:
        """Seconds until any of these may guess again."""
        now = time.monotonic()
        return max(0.0, *(self._until(k) - now for k in keys))

    def wrong(self, *keys: str) -> None:
        """Count a wrong guess."""
        now = time.monotonic()
        for key in keys:
            count, last = self._wrong.pop(key, (0, now))
            self._wrong[key] = (1 if now - last > _FORGOTTEN else count + 1, now)
        while len(self._wrong) > _REMEMBERED:
            self._wrong.popitem(last=False)

    def right(self, *keys: str) -> None:
        """Forget wrong guesses."""
        for key in keys:
            self._wrong.pop(key, None)

    def _until(self, key: str) -> float:
        count, last = self._wrong.get(key, (0, 0.0))
        return last + min(2.0 ** (count - _FREE), _LONGEST) if count >= _FREE else 0.0
