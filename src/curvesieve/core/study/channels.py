"""A record's channels with their numbers, and the curves that are taken from them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.intake.take import Take, taken_curve
from curvesieve.core.record import Channel
from curvesieve.core.study.document import ChannelEntry


@dataclass(frozen=True, eq=False)
class ChannelArrays:
    """Channels with their values; equal when the keys are, so that curves are made once."""

    channels: tuple[ChannelEntry, ...]
    arrays: tuple[Floats, ...]

    def __hash__(self) -> int:
        return hash(self.channels)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, ChannelArrays) and self.channels == other.channels


@lru_cache(maxsize=64)
def curve_of(chosen: ChannelArrays, take: Take) -> Curve:
    """The curve that a take makes of channels."""
    channels = tuple(Channel(c.name, c.unit, a) for c, a in zip(chosen.channels, chosen.arrays, strict=True))
    return taken_curve(channels, take)
