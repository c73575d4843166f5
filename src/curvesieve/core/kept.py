"""Results that are kept for who asks again: the latest by key, up to a size in all."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

T = TypeVar("T")


class Kept(Generic[T]):
    """The latest results by key, those that were asked for longest ago forgotten first. Safe to use from any thread.

    `size` says how much a result takes of the `most` that is kept; without it each counts one. One is always kept.
    """

    def __init__(self, most: int, size: Callable[[T], int] = lambda result: 1) -> None:
        self._found: OrderedDict[Hashable, T] = OrderedDict()
        self._most, self._size, self._held = most, size, 0
        self._lock = Lock()

    def get(self, key: Hashable) -> T | None:
        """What is kept by this key."""
        with self._lock:
            if key in self._found:
                self._found.move_to_end(key)
            return self._found.get(key)

    def put(self, key: Hashable, result: T) -> T:
        """Keeps a result, and gives it back."""
        with self._lock:
            if key in self._found:
                self._held -= self._size(self._found[key])
            self._found[key] = result
            self._found.move_to_end(key)
            self._held += self._size(result)
            while self._held > self._most and len(self._found) > 1:
                self._held -= self._size(self._found.popitem(last=False)[1])
        return result

    def clear(self) -> None:
        """Forgets all."""
        with self._lock:
            self._found.clear()
            self._held = 0

    def made(self, key: Hashable, work: Callable[[], T]) -> T:
        """What is kept by this key, worked out where it is not known; what `work` raises is not kept."""
        found = self.get(key)
        return self.put(key, work()) if found is None else found
