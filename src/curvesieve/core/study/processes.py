"""Work on many curves shared out to other processes: Python's threads wait for each other."""

from __future__ import annotations

import atexit
import os
from collections.abc import Callable, Generator, Iterable, Sequence
from contextlib import closing
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from curvesieve.core.curve import Curve

if TYPE_CHECKING:
    from concurrent.futures import ProcessPoolExecutor

PIECE = 10
"""Curves that a process is given at a time."""
J = TypeVar("J")
R = TypeVar("R")


@dataclass(frozen=True)
class Elsewhere(Generic[J, R]):
    """How a piece of the jobs is done in another process: by `work`, given as plain values, and its answer taken."""

    work: Callable[[Any], Any]
    given: Callable[[Sequence[J]], Any]
    taken: Callable[[Sequence[J], Any], list[R]] = lambda piece, answer: list(answer)


def by_pieces(
    jobs: Sequence[J],
    here: Callable[[Sequence[J]], list[R]],
    elsewhere: Elsewhere[J, R] | None,
    watch: Callable[[float], None] | None = None,
) -> list[R]:
    """All jobs done, in order; in other processes where there are several cores and it is worth it.

    `watch` is told the share done and may raise to stop.
    """
    from concurrent.futures.process import BrokenProcessPool

    told = watch or (lambda share: None)
    if elsewhere is not None and (os.cpu_count() or 1) > 1 and len(jobs) > 1:
        try:
            with closing(_in_processes(jobs, elsewhere)) as pieces:
                return _collected(pieces, len(jobs), told)
        except BrokenProcessPool:  # a worker was killed, by the system or by hand: the next time begins with new ones
            pool.cache_clear()
    return _collected((here([job]) for job in jobs), len(jobs), told)


def _collected(pieces: Iterable[list[R]], count: int, told: Callable[[float], None]) -> list[R]:
    made: list[R] = []
    for one in (one for piece in pieces for one in piece):
        made.append(one)
        told(len(made) / count)
    return made


def _in_processes(jobs: Sequence[J], how: Elsewhere[J, R]) -> Generator[list[R]]:
    """What other processes make of the pieces; those that are not begun are called off when it ends early."""
    pieces = [jobs[at : at + PIECE] for at in range(0, len(jobs), PIECE)]
    pending = [pool().submit(how.work, how.given(piece)) for piece in pieces]
    try:
        for piece, future in zip(pieces, pending, strict=True):
            yield how.taken(piece, future.result())
    finally:
        for future in pending:
            future.cancel()


@cache
def pool() -> ProcessPoolExecutor:
    """One worker a core, started afresh (a copy of a process with threads is not safe), kept for the next time."""
    import multiprocessing
    from concurrent.futures import ProcessPoolExecutor

    pool = ProcessPoolExecutor(os.cpu_count(), multiprocessing.get_context("spawn"), _end_with_parent)
    atexit.register(pool.shutdown, wait=False, cancel_futures=True)
    return pool


def _end_with_parent() -> None:
    """Makes a worker end when the program does, however that ends: a kill leaves nobody to tell it."""
    import multiprocessing.connection
    import threading

    parent = multiprocessing.parent_process()
    assert parent is not None, "runs in workers only"

    def watch() -> None:
        multiprocessing.connection.wait([parent.sentinel])
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


_FIELDS = ("x", "y", "u", "flags", "x_label", "y_label", "x_unit", "y_unit")


def packed(curve: Curve) -> dict[str, Any]:
    """A curve as plain values, for another process."""
    return {name: getattr(curve, name) for name in _FIELDS}
