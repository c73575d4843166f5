"""What measures of one band have in common."""

from __future__ import annotations

from typing import ClassVar

from curvesieve.core.measures.base import Measure, Seen, said_band
from curvesieve.core.rules import Band, Banded, Handle, RuleField
from curvesieve.core.scatter import Stretch


class InBand(Banded, Measure):
    """A measure of the points from `low` to `high`."""

    handles: ClassVar[tuple[Handle, ...]] = (Band(),)

    low: float | None = RuleField(None, label="from", unit="x", help="Where the band begins; empty: at the start.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where it ends; empty: at the end.")

    def stretch(self, seen: Seen, least: int = 1) -> Stretch:
        """The points in the band; raises InputError when they are fewer than `least`."""
        return seen.band(self.low, self.high, least)

    def said_band(self) -> str:
        """The band in a few words."""
        return said_band(self.low, self.high)
