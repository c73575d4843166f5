"""Many curves through their sieves, and fitted, on all cores, by processes: Python's threads wait for each other."""

from __future__ import annotations

import atexit
import json
import os
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import cache, lru_cache
from typing import TYPE_CHECKING, Any

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import FitResult
from curvesieve.core.models import Model
from curvesieve.core.reading import Basis, Reading
from curvesieve.core.recipe import fit_read
from curvesieve.core.steps import Caught, Sieve, Trail
from curvesieve.core.steps.sieve import Sieved

if TYPE_CHECKING:
    from concurrent.futures import Future, ProcessPoolExecutor

_WORTH_IT = 200_000
"""Points times steps below which other processes cost more than they save."""
PIECE = 10
"""Curves that a process is given at a time."""
_WORTH_FITTING = 3_000_000
"""Points times parameters below which fits are done before another process has begun."""
Job = tuple[Curve, Sieve]
_Piece = list[tuple[dict[str, Any], str]]


def pass_many(jobs: Sequence[Job], watch: Callable[[float], None] | None = None) -> list[Sieved]:
    """The curves through their sieves, in order; `watch` is told the share done and may raise to stop."""
    from concurrent.futures.process import BrokenProcessPool

    cores = os.cpu_count() or 1
    if cores == 1 or sum(len(curve) * len(sieve.slots) for curve, sieve in jobs) < _WORTH_IT:
        return [_told(sieve(curve), i, len(jobs), watch) for i, (curve, sieve) in enumerate(jobs)]
    try:
        return _in_processes(jobs, watch)
    except BrokenProcessPool:  # a worker was killed, by the system or by hand: the next time begins with new ones
        pool.cache_clear()
        return [_told(sieve(curve), i, len(jobs), watch) for i, (curve, sieve) in enumerate(jobs)]


def _in_processes(jobs: Sequence[Job], watch: Callable[[float], None] | None) -> list[Sieved]:
    pieces = [jobs[at : at + PIECE] for at in range(0, len(jobs), PIECE)]
    pending: list[Future[list[list[dict[str, Any]]]]] = []
    made: list[Sieved] = []
    try:
        for piece in pieces:
            given = [(packed(curve), json.dumps(sieve.to_json())) for curve, sieve in piece]
            pending.append(pool().submit(_work, given))
        for piece, future in zip(pieces, pending, strict=True):
            for (curve, sieve), trails in zip(piece, future.result(), strict=True):
                made.append(_told(_unpacked(curve, sieve, trails), len(made), len(jobs), watch))
    except BaseException:
        for future in pending:
            future.cancel()
        raise
    return made


def _told(made: Sieved, i: int, count: int, watch: Callable[[float], None] | None) -> Sieved:
    if watch is not None:
        watch((i + 1) / count)
    return made


FitJob = tuple[Model, Curve, int]
"""A model, the curve that passed, and how many of its points were recorded."""
Fitted = tuple[FitResult, tuple[Reading, ...], Basis]


def fit_many(jobs: Sequence[FitJob], watch: Callable[[float], None] | None = None) -> list[Fitted | str]:
    """The fits of many curves, in order; in place of one that cannot be made, the reason.

    `watch` is told the share done and may raise to stop. A fit is the same to the last digit wherever it is made.
    """
    from concurrent.futures.process import BrokenProcessPool

    work = sum(len(curve) * len(model.names) for model, curve, _ in jobs)
    if (os.cpu_count() or 1) > 1 and len(jobs) > 1 and work >= _WORTH_FITTING:
        try:
            return _fitted_in_processes(jobs, watch)
        except BrokenProcessPool:
            pool.cache_clear()
    made: list[Fitted | str] = []
    for i, job in enumerate(jobs):
        made.append(_fit(job))
        if watch is not None:
            watch((i + 1) / len(jobs))
    return made


def _fitted_in_processes(jobs: Sequence[FitJob], watch: Callable[[float], None] | None) -> list[Fitted | str]:
    made: list[Fitted | str] = []
    pending: list[Future[list[Fitted | str]]] = []
    try:
        for at in range(0, len(jobs), PIECE):
            piece = [(model.model_dump_json(), packed(curve), count) for model, curve, count in jobs[at : at + PIECE]]
            pending.append(pool().submit(_fit_piece, piece))
        for future in pending:
            made += future.result()
            if watch is not None:
                watch(len(made) / len(jobs))
    except BaseException:
        for future in pending:
            future.cancel()
        raise
    return made


def _fit_piece(piece: list[tuple[str, dict[str, Any], int]]) -> list[Fitted | str]:
    """In the other process."""
    return [_fit((Model.model_validate_json(model), Curve(**fields), count)) for model, fields, count in piece]


def _fit(job: FitJob) -> Fitted | str:
    try:
        return fit_read(*job)
    except InputError as error:
        return str(error)


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


@lru_cache(maxsize=64)
def _sieve_of(text: str) -> Sieve:
    return Sieve.parse(json.loads(text))


def _changed(before: Curve, after: Curve) -> dict[str, Any]:
    """The fields of a curve that are not those of the one before: only they are sent back."""
    return {name: value for name, value in packed(after).items() if value is not getattr(before, name)}


def _work(piece: _Piece) -> list[list[dict[str, Any]]]:
    """In the other process: each curve's trail as plain values."""
    answers = []
    for fields, text in piece:
        made = _sieve_of(text)(Curve(**fields))
        answers.append(
            [
                {
                    "after": _changed(trail.before, trail.after),
                    "caught": (trail.caught.points, trail.caught.passed_y),
                    "said": (trail.message, trail.problem),
                    "shapes": trail.shapes,
                }
                for trail in made.trail
            ]
        )
    return answers


def _unpacked(curve: Curve, sieve: Sieve, trails: list[dict[str, Any]]) -> Sieved:
    made: list[Trail] = []
    current = curve
    for slot, one in zip(sieve.slots, trails, strict=True):
        after = replace(current, **one["after"]) if one["after"] else current
        message, problem = one["said"]
        made.append(Trail(slot, current, after, Caught(*one["caught"]), message, problem, one["shapes"]))
        current = after
    return Sieved(curve, tuple(made))
