"""A record's numbers at a glance: what each channel holds, and the rows worth a second look."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.core.errors import InputError
from curvesieve.core.record import Channel, Record
from curvesieve.core.steps.repair import running_noise
from curvesieve.core.steps.running import running_median

_WINDOW = 11
_FEW_POINTS = 30
_STANDS_OUT = 8.0
_MAX_LISTED = 10_000


@dataclass(frozen=True)
class Summary:
    """Count of numbers, mean, standard deviation (of a sample, n − 1), extremes, sum; NaN where there is none."""

    count: int
    mean: float
    sd: float
    low: float
    high: float
    total: float


@dataclass(frozen=True)
class Suspicion:
    """A row (from 0) of a channel (from 0) and what is odd about it."""

    row: int
    channel: int
    reason: str


def summary(channel: Channel) -> Summary:
    """What a channel holds, NaN left out."""
    values = channel.values[np.isfinite(channel.values)]
    if not values.size:
        return Summary(0, *[float("nan")] * 5)
    sd = float(values.std(ddof=1)) if values.size > 1 else float("nan")
    return Summary(
        int(values.size), float(values.mean()), sd, float(values.min()), float(values.max()), float(values.sum())
    )


def suspicious(record: Record) -> list[Suspicion]:
    """The rows that are worth a look, in order: no number, an x that turns back or repeats, a value that stands out.

    A value stands out when it is more than eight times the noise around it away from the running median of 11 points.
    At most 10,000 are listed.
    """
    with np.errstate(over="ignore", invalid="ignore"):  # the largest numbers have no finite differences
        return _suspicious(record)


def _suspicious(record: Record) -> list[Suspicion]:
    found: list[Suspicion] = []
    try:
        x = record.guess_xy()[0]
    except InputError:
        x = -1
    for i, channel in enumerate(record.channels):
        values = channel.values
        missing = ~np.isfinite(values)
        found += [Suspicion(int(row), i, "no number") for row in np.flatnonzero(missing)[:_MAX_LISTED]]
        if missing.any():
            continue
        found += _odd_x(values, i) if i == x else _outstanding(values, i)
    found.sort(key=lambda suspicion: (suspicion.row, suspicion.channel))
    return found[:_MAX_LISTED]


def _odd_x(values: np.ndarray, place: int) -> list[Suspicion]:
    """Where x repeats, or runs against its own main direction."""
    steps = np.diff(values)
    forward = np.sign(np.sum(np.sign(steps))) or 1.0
    rows = np.flatnonzero(steps * forward <= 0)[:_MAX_LISTED]
    if rows.size > 0.2 * max(steps.size, 1):
        return []  # a loop or a column that is no x at all: not a matter of single rows
    return [Suspicion(int(row) + 1, place, "repeats" if steps[row] == 0 else "turns back") for row in rows]


def _outstanding(values: np.ndarray, place: int) -> list[Suspicion]:
    if values.size < _FEW_POINTS:
        return []
    noise = running_noise(values, 10 * _WINDOW)
    # Mirrored through the end points, so that a slope goes on beyond them.
    half = _WINDOW // 2
    padded = np.pad(values, half, mode="reflect", reflect_type="odd")
    distance = np.abs(values - running_median(padded, _WINDOW)[half:-half])
    grain = np.abs(np.diff(values))
    floor = float(grain[grain > 0].min()) if (grain > 0).any() else 0.0
    scale = np.maximum(noise, floor)
    rows = np.flatnonzero((distance > _STANDS_OUT * scale) & (scale > 0))[:_MAX_LISTED]
    return [Suspicion(int(row), place, f"{distance[row] / scale[row]:.0f} σ from its neighbours") for row in rows]
