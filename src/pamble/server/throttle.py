"""Guesses slowed down: after a few wrong passwords each further one has to wait longer."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Mapping

_LONGEST = 300.0
_REMEMBERED = 10_000
_FORGOTTEN = 3600.0


class Throttle:
    """Wrong guesses under several keys at once, each with how many of them cost nothing. Of one process: each counts
    its own.
    """

    def __init__(self) -> None:
        self._wrong: OrderedDict[str, tuple[int, float]] = OrderedDict()

    def wait(self, free: Mapping[str, int]) -> float:
        """Seconds until there may be a guess under all of these keys."""
        now = time.monotonic()
        return max(0.0, *(self._until(key, count) - now for key, count in free.items()))

    def wrong(self, free: Mapping[str, int]) -> None:
        """Count a wrong guess."""
        now = time.monotonic()
        for key in free:
            count, last = self._wrong.pop(key, (0, now))
            self._wrong[key] = (1 if now - last > _FORGOTTEN else count + 1, now)
        while len(self._wrong) > _REMEMBERED:
            self._wrong.popitem(last=False)

    def right(self, free: Mapping[str, int]) -> None:
        """Take the last guess back: it was none, and whose it was is forgotten."""
        for k, key in enumerate(free):
            count, last = self._wrong.pop(key, (0, 0.0))
            if k and count > 1:
                self._wrong[key] = (count - 1, last)

    def _until(self, key: str, free: int) -> float:
        count, last = self._wrong.get(key, (0, 0.0))
        return last + min(2.0 ** (count - free), _LONGEST) if count >= free else 0.0
