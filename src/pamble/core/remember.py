"""What an object was asked last, remembered as long as the object lives: in live work most of them stand still."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from typing import Generic, TypeVar
from weakref import WeakKeyDictionary

Owner = TypeVar("Owner")
Key = TypeVar("Key")
Value = TypeVar("Value")


class Remembered(Generic[Owner, Key, Value]):
    """The last ``most`` answers of every owner, by what was asked."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: WeakKeyDictionary[Owner, OrderedDict[Key, Value]] = WeakKeyDictionary()

    def known(self, owner: Owner, key: Key) -> Value | None:
        """The answer that is remembered, if any."""
        kept = self._kept.get(owner)
        return None if kept is None else kept.get(key)

    def get(self, owner: Owner, key: Key, make: Callable[[], Value]) -> Value:
        """The answer that is remembered, or a new one."""
        answer = self.known(owner, key)
        if answer is None:
            answer = make()
            self.put(owner, key, answer)
        return answer

    def put(self, owner: Owner, key: Key, answer: Value) -> None:
        """Remember an answer."""
        kept = self._kept.setdefault(owner, OrderedDict())
        kept[key] = answer
        if len(kept) > self._most:
            kept.popitem(last=False)
