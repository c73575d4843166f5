"""One curve taken from the channels of a record: which ones, in which units, and which rows."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.record import Channel, Record, Source

_NOWHERE = Source("record", b"")


@dataclass(frozen=True)
class Take:
    """A curve to be taken from a record: its channels from 0, and the units its numbers are converted to.

    `where` is (channel, value): only the rows in which that channel has that value.
    """

    x: int
    y: int
    u: int | None = None
    x_unit: str = ""
    y_unit: str = ""
    where: tuple[int, float] | None = None

    @property
    def places(self) -> tuple[int, ...]:
        """The channels that it needs."""
        others = (self.u, self.where[0] if self.where is not None else None)
        return (self.x, self.y, *(place for place in others if place is not None))

    def curve(self, record: Record) -> Curve:
        """The curve; raises InputError when the channels make none."""
        return taken_curve(record.channels, self)


def taken_curve(channels: tuple[Channel, ...], chosen: Take) -> Curve:
    """The curve of some channels, with its units converted and its rows chosen."""
    record = Record(_NOWHERE, channels)
    if chosen.where is not None:
        column, value = chosen.where
        rows = channels[column].values == value
        record = replace(record, channels=tuple(replace(c, values=_kept(c.values, rows)) for c in channels))
    curve = record.curve(chosen.x + 1, chosen.y + 1, None if chosen.u is None else chosen.u + 1)
    u, u_unit = curve.u, channels[chosen.u].unit if chosen.u is not None else ""
    x_unit, y_unit = chosen.x_unit or curve.x_unit, chosen.y_unit or curve.y_unit
    if u is not None and u_unit and u_unit != curve.y_unit and units.is_known(u_unit):
        u = _difference(u, u_unit, y_unit)
    elif u is not None and y_unit != curve.y_unit:
        u = _difference(u, curve.y_unit, y_unit)
    if (x_unit, y_unit) == (curve.x_unit, curve.y_unit) and u is curve.u:
        return curve
    return replace(
        curve, x=_converted(curve.x, curve.x_unit, x_unit), y=_converted(curve.y, curve.y_unit, y_unit), u=u,
        x_unit=_plain(x_unit), y_unit=_plain(y_unit),
    )  # fmt: skip


def _kept(values: Floats, rows: NDArray[np.bool_]) -> Floats:
    kept: Floats = values[rows]
    kept.setflags(write=False)
    return kept


def _plain(unit: str) -> str:
    return "" if unit == "1" else unit


def _converted(values: Floats, unit: str, target: str) -> Floats:
    return values if unit == target else units.convert(values, unit, target)


def _difference(u: Floats, unit: str, target: str) -> Floats:
    """An uncertainty is converted as a difference: an offset between scales does not touch it."""
    return np.asarray(units.convert(u, unit, target) - units.convert(np.zeros(1), unit, target))
