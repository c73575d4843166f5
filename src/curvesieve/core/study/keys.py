"""What is worked out from parts of a study that nobody changes, kept by those parts: asking again costs nothing."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from typing import Generic, TypeVar

T = TypeVar("T")


class ByParts(Generic[T]):
    """The latest values by the very objects that they were made from, without looking into these.

    Entries, slots and models are immutable and shared from study to study, so that the same object means the same
    value; the objects are held, so that their places in memory are not given to others. Safe in several threads.
    """

    def __init__(self, most: int = 50_000) -> None:
        self._most = most
        self._kept: dict[tuple[int, ...], tuple[tuple[object, ...], T]] = {}
        self._lock = Lock()

    def get(self, parts: tuple[object, ...], work: Callable[[], T]) -> T:
        """The value for these parts, worked out when it is not known."""
        key = tuple(map(id, parts))
        found = self._kept.get(key)
        if found is not None:
            return found[1]
        made = work()
        with self._lock:
            self._kept[key] = (parts, made)
            while len(self._kept) > self._most:
                self._kept.pop(next(iter(self._kept)))
        return made
