"""What is odd about a mechanical test: signs, a strain in percent without a word, slips, rates, a late beginning."""

from __future__ import annotations

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.intake.dimensions import is_kind
from curvesieve.core.intake.machine import TALL, MechanicalTest, is_below
from curvesieve.core.record import Channel, Record

_BACK = 0.01
"""Share of its extent by which a strain may run backward before that is told."""
_LATE = 0.3
"""Share of the largest stress that a record may begin with before that is told."""


def oddities_of_test(record: Record, test: MechanicalTest, x: int, y: int, extension: str) -> list[str]:
    """What is odd about the x and y channels (places from 0) of a test, whose strain is of the channel `extension`.

    Raises InputError for a wrong sign, and for a strain that may be in percent without a word.
    """
    across, along = record.channels[x], record.channels[y]
    source = next((channel for channel in record.channels if channel.name == extension), None)
    if source is not None and source.extent is not None and not source.unit.strip():
        tall = max(map(abs, source.extent))
        if tall > TALL:
            raise InputError(
                f"{record.source.name}: {source.name} goes to {tall:.4g} without a unit. Is it in "
                "percent? Say so in the file or on the Intake bench: a modulus would be wrong by 100."
            )
    notes = []
    if test.sign == "above":
        for channel in (along, across):
            _check_sign(record, channel)
    if test.x == "strain" and test.sign != "any":
        notes += _backwards(across)
        first, top = along.values[np.isfinite(along.values)][0], float(np.nanmax(np.abs(along.values)))
        if abs(first) > _LATE * top:
            notes.append(
                f"the record begins at {abs(first) / top:.0%} of its largest stress: the beginning of the elastic part "
                "is missing, and a modulus is that of what is left"
            )
    return notes + _rates(record, across)


_PIECES, _FASTER = 24, 1.5
"""The rate is asked for in so many pieces of the time; a change by this factor is told."""


def _rates(record: Record, strain: Channel) -> list[str]:
    """A sentence where the strain rate changes in mid-test, by the medians before and after the best place for it."""
    time = time_of(record)
    if time is None or units.in_base(strain.unit).powers:
        return []
    good = np.isfinite(time) & np.isfinite(strain.values)
    t, e = time[good], strain.values[good]
    if t.size < 4 * _PIECES or not np.all(np.diff(t) >= 0) or t[-1] <= t[0]:
        return []
    ends = np.linspace(t[0], t[-1], _PIECES + 1)
    at = np.interp(ends, t, e)
    rates = np.diff(at) / np.diff(ends)
    best, place = 1.0, 0
    for k in range(3, _PIECES - 2):
        before, after = float(np.median(rates[:k])), float(np.median(rates[k:]))
        if before > 0 and after > 0 and max(after / before, before / after) > best:
            best, place = max(after / before, before / after), k
    if best < _FASTER:
        return []
    low, high = float(np.median(rates[:place])), float(np.median(rates[place:]))
    return [f"the strain rate changes from {low:.3g} to {high:.3g} 1/s at a strain of about {at[place]:.3g}"]


def time_of(record: Record) -> np.ndarray | None:
    """The time in seconds, of the first channel that has such a unit; None: there is none."""
    channel = next((channel for channel in record.channels if is_kind(channel.unit, "s")), None)
    return None if channel is None else channel.values * units.in_base(channel.unit).factor


def _check_sign(record: Record, channel: Channel) -> None:
    """Raises InputError where a channel goes farther below zero than above it."""
    if is_below(channel):
        assert channel.extent is not None
        low, high = channel.extent
        shown = units.shown(channel.unit)
        raise InputError(
            f"{record.source.name}: {channel.name.lower()} goes from {low:.4g} to {high:.4g} {shown}".rstrip()
            + ", as of a compression test, or of a machine that counts the other way. For tension, compute a channel "
            "with the sign turned on the Intake bench, and write it."
        )


def _backwards(strain: Channel) -> list[str]:
    """A sentence where the strain runs backward by more than a share of its extent."""
    values = strain.values
    fallen = np.fmax.accumulate(values) - values
    at = int(np.nanargmax(fallen))
    if fallen[at] <= _BACK * (np.nanmax(values) - np.nanmin(values)):
        return []
    return [
        f"the strain runs backward, by {fallen[at]:.4g} at point {at + 1:,}: slip, or an extensometer that was taken "
        "off? Readings take the points in the order of strain; look at the curve"
    ]
