"""Where the u of a reading comes from."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.reading import Reading


@dataclass(frozen=True, eq=False)
class Trace:
    """Where the u of a reading comes from: what each independent cause adds to it, of shape (causes,).

    Causes are the rows of the curve, whose y are taken as independent, and negative numbers for what is a reading's
    own. Readings that share causes are correlated, also when a formula has gone between.
    """

    causes: NDArray[np.intp]
    adds: Floats

    @cached_property
    def u(self) -> float:
        """√Σ adds², JCGM 100:2008, 5.1.2 and 5.2.2."""
        return math.sqrt(float(self.adds @ self.adds))

    @classmethod
    def sum(cls, parts: Sequence[tuple[Trace, float]]) -> Trace:
        """That of a sum of readings, each times a number."""
        alike: dict[
            int, tuple[NDArray[np.intp], Floats]
        ] = {}  # by the very array of causes, as of a line's two numbers
        for one, factor in parts:
            causes, adds = alike.get(id(one.causes), (one.causes, np.zeros(one.causes.size)))
            alike[id(one.causes)] = causes, adds + factor * one.adds
        if len(alike) == 1:
            ((causes, adds),) = alike.values()
            return cls(causes, adds)
        largest = max(alike.values(), key=lambda one: one[0].size)
        if np.all(np.diff(largest[0]) > 0):  # the rows of a long stretch, to which others add little
            return cls._joined(largest, [one for one in alike.values() if one is not largest])
        causes, place = np.unique(np.concatenate([causes for causes, _ in alike.values()]), return_inverse=True)
        summed = np.zeros(causes.size)
        np.add.at(summed, place, np.concatenate([adds for _, adds in alike.values()]))
        return cls(causes, summed)

    @classmethod
    def _joined(cls, most: tuple[NDArray[np.intp], Floats], others: list[tuple[NDArray[np.intp], Floats]]) -> Trace:
        """That of causes in rising order and of others; those which it has not are put behind."""
        causes, place = np.unique(np.concatenate([one for one, _ in others]), return_inverse=True)
        more = np.zeros(causes.size)
        np.add.at(more, place, np.concatenate([adds for _, adds in others]))
        at = np.minimum(np.searchsorted(most[0], causes), most[0].size - 1)
        there = most[0][at] == causes
        adds = most[1].copy()
        adds[at[there]] += more[there]
        return cls(np.append(most[0], causes[~there]), np.append(adds, more[~there]))

    def scaled_to(self, u: float) -> Trace:
        """The same causes, in the same proportions, for a u that was found in another way."""
        return Trace(self.causes, self.adds * (u / self.u)) if self.u > 0 and u != self.u else self


Traced = tuple[Reading, Trace | None]
"""A reading and where its u is from; None where it has none."""


def in_unit(traced: Traced, unit: str) -> Traced:
    """The same in another unit of its kind, a place on a scale as such. Raises InputError for one of another kind."""
    reading, trace = traced
    if unit == reading.unit:
        return traced
    value = float(units.convert(np.array(reading.value), reading.unit, unit))
    factor = units.in_base(reading.unit).factor / units.in_base(unit).factor
    u = None if reading.u is None else abs(factor) * reading.u
    made = replace(reading, value=value, u=u, unit=unit)
    return made, None if trace is None else Trace(trace.causes, trace.adds * factor)


def doubt_of(stands_on: Iterable[Traced]) -> str:
    """The words for a value that stands on readings of which one is doubtful; empty: none is."""
    return next((f"it stands on {reading.name}, which is doubtful" for reading, _ in stands_on if reading.doubt), "")
