"""Timing two things against each other, in turn, so that a busy machine slows both."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Row:
    """One goal: what was measured, against what, the ratio that was found and the one that is wanted."""

    what: str
    ours_ms: float
    reference: str
    reference_ms: float
    goal: str
    met: bool

    @property
    def ratio(self) -> float:
        return self.ours_ms / self.reference_ms


def against(
    ours: Callable[[], object], reference: Callable[[], object], rounds: int = 30, each: int = 1
) -> tuple[float, float]:
    """Median milliseconds of both, taken in alternation after one warm-up round."""
    times: tuple[list[float], list[float]] = ([], [])
    for i in range(rounds + 1):
        for run, kept in zip((ours, reference), times, strict=True):
            begun = time.perf_counter()
            for _ in range(each):
                run()
            if i:
                kept.append((time.perf_counter() - begun) / each * 1e3)
    return statistics.median(times[0]), statistics.median(times[1])


def at_most(what: str, reference: str, pair: tuple[float, float], limit: float) -> Row:
    """A goal of the kind: at most so many times the reference."""
    return Row(what, pair[0], reference, pair[1], f"≤ {limit:g} ×", pair[0] <= limit * pair[1])


def times_faster(what: str, reference: str, pair: tuple[float, float], factor: float) -> Row:
    """A goal of the kind: at least so many times as fast as the reference."""
    return Row(what, pair[0], reference, pair[1], f"≥ {factor:g} × faster", factor * pair[0] <= pair[1])
