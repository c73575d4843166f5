"""The points of a study's curve as a table: x, y, u, flag, and what its fit says of each."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Curve, Flag
from curvesieve.core.fitting.prediction import Fitted
from curvesieve.core.formats.writing import of_curve
from curvesieve.core.intake.summary import Summary, summary
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.study.fits import fitted_curve
from curvesieve.core.study.passing import recorded as recorded_curve
from curvesieve.core.study.passing import sieved_curve
from curvesieve.core.study.study import Study

FLAG_WORDS = {0: "measured", 1: "patched", 2: "left out", 3: "patched, left out"}
"""What stands for the sums of `Flag` in a table."""


@dataclass(frozen=True, eq=False)
class Points:
    """A curve's points as a table of channels; `flag_place` is the column of the flags, which have words."""

    record: Record
    flag_place: int
    left_out: NDArray[np.bool_]
    """The rows that are left out: they are shown, and count for no summary."""

    @property
    def summaries(self) -> list[Summary]:
        """What each column holds, over the points that are not left out; nothing for the flags."""
        made = []
        for i, channel in enumerate(self.record.channels):
            values = channel.values[~self.left_out] if i != self.flag_place else np.empty(0)
            made.append(summary(Channel(channel.name, channel.unit, values)))
        return made


def fit_channels(curve: Curve, on: Fitted) -> tuple[Channel, ...]:
    """The fitted curve at the points of a curve, and measured minus fitted; NaN where the law has no value."""
    y = on.y(curve.x)
    return Channel("fit", curve.y_unit, y), Channel("residual", curve.y_unit, curve.y - y)


def points_of(study: Study, curve_id: str, recorded: bool = False) -> Points:
    """The points of a curve as it passed (or as it was recorded), a channel a column, in the order of the curve.

    `fit` and `residual` are there when the curve as it passed has a fit that is current.
    """
    entry = study.entry(curve_id)
    curve = recorded_curve(study, curve_id) if recorded else sieved_curve(study, curve_id).curve
    channels = of_curve(curve, entry.label).channels
    flag_place = len(channels) - 1
    if not recorded and study.fit_is_current(curve_id):
        channels = (*channels, *fit_channels(curve, fitted_curve(study, curve_id)[1]))
    named = f"{entry.label} · as {'recorded' if recorded else 'it passed'}"
    record = Record(Source(named, b""), _told_apart(channels))
    return Points(record, flag_place, (curve.flags & Flag.LEFT_OUT) != 0)


def _told_apart(channels: tuple[Channel, ...]) -> tuple[Channel, ...]:
    """A quantity that is called as one of our own columns keeps its name; ours gets a number."""
    seen: set[str] = set()
    made = []
    for channel in channels:
        name, count = channel.name, 1
        while name in seen:
            count += 1
            name = f"{channel.name} {count}"
        seen.add(name)
        made.append(channel if name == channel.name else Channel(name, channel.unit, channel.values))
    return tuple(made)
