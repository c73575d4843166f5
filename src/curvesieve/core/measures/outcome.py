"""What a measure of a list gave, and what those after it may call by name."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import Absent, InputError
from curvesieve.core.measures.trace import Trace, Traced
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import Reading, ReadingKey
from curvesieve.core.rules import Slot
from curvesieve.core.shapes import Fill, Line, Point, Shape, Words

_LONGEST_WORDS = 24
"""Letters of a name beside a drawing."""


@dataclass(frozen=True, eq=False)
class Outcome:
    """One measure's part: its readings and drawing, or the `problem` that kept it from taking any.

    `warning` says what makes the readings doubtful.
    """

    slot: Slot[Any]
    traced: tuple[Traced, ...] = ()
    shapes: tuple[Shape, ...] = ()
    sentence: str = ""
    problem: str = ""
    warning: str = ""
    absent: bool = False
    """Whether the problem is that there is nothing to be found, as the yield of a brittle material."""

    @property
    def readings(self) -> tuple[Reading, ...]:
        """What was read."""
        return tuple(reading for reading, _ in self.traced)

    @property
    def words(self) -> Words | None:
        """The first reading with its symbol, at the place that the drawing shows it at; None without a drawing."""
        place = _place_of_words(self.shapes)
        if place is None or not self.traced:
            return None
        first = self.readings[0]
        name = self.slot.name or first.symbol
        name = name if len(name) <= _LONGEST_WORDS else f"{name[: _LONGEST_WORDS - 1]}…"
        return Words(*place, f"{name} {first.written}")

    @property
    def bare(self) -> Outcome:
        """The same without its drawing and without where each u is from, which weigh much."""
        return replace(self, traced=tuple((reading, None) for reading in self.readings), shapes=())


def _place_of_words(shapes: Sequence[Shape]) -> tuple[float, float] | None:
    """Where a drawing shows its result: at its last point, or the end of its last line, or in the midst of its area."""
    for kind in (Point, Line, Fill):
        found = [shape for shape in shapes if isinstance(shape, kind)]
        if not found:
            continue
        match found[-1]:
            case Point(x, y):
                return x, y
            case Line(x, y):
                return float(x[-1]), float(y[-1])
            case Fill(x, low, high):
                middle = len(x) // 2
                return float(x[middle]), float(low[middle] + high[middle]) / 2
    return None


@dataclass(frozen=True)
class Earlier:
    """The readings of the measures before one, by the names that a formula may call them; and what failed.

    A name that two readings go by leads to both: asking for it is refused.
    """

    by_name: Mapping[str, tuple[Traced, ...]]
    failed: Mapping[str, str] = field(default_factory=dict)
    """Names of readings that could not be taken, and why where they are absent by nature; empty: they failed."""
    unclear: Mapping[str, str] = field(default_factory=dict)
    """Symbols of readings that are units, too, and the quantities that they stand for."""
    first_names: tuple[str, ...] = ()
    """One name of each of them, and of the quantities, in order."""

    def named(self, name: str) -> Traced | None:
        """The reading of that name, None when there is none. Raises InputError when it failed, or two may be meant."""
        found = self.by_name.get(name, ())
        if len(found) > 1:
            raise InputError(
                f"the name {name} means {len(found)} readings before this; give their measures names of their own."
            )
        if not found and self.failed.get(name):
            raise Absent(f"there is no {name}: {self.failed[name]}")
        if not found and name in self.failed:
            raise InputError(f"the reading {name} failed; see its own card.")
        if not found and name in self.unclear:
            raise InputError(
                f"the name {name} is that of a unit, and the symbol of {self.unclear[name]} before this; write "
                f"{self.unclear[name]}, or the unit in full."
            )
        return found[0] if found else None

    def asked(self, name: str, hint: str = "") -> Traced:
        """The same, for what stands on it: raises InputError, with the hint on what to do, where there is none, too."""
        found = self.named(name) if name else None
        if found is None:
            there = ", ".join(self.first_names) or "nothing yet"
            raise InputError(f"no reading before this is called {name or 'anything'}; there is {there}.{hint}")
        return found


def own_name(text: str) -> str:
    """What a formula calls a measure that users gave a name: ``yield strain`` → ``yield_strain``."""
    return re.sub(r"\W+", "_", text).strip("_")


def names_of(slot: Slot[Any], quantity: str, symbol: str) -> tuple[str, ...]:
    """What a formula may call a reading: its measure's name, for the first of its yields; its symbol and quantity.

    ``strength``, ``strength_x_at_maximum``; ``ymax``, ``maximum``. Spaces and hyphens become underscores. A symbol that
    is a unit, too, is none of its names: see `Earlier`.
    """
    first = slot.rule.leads and bool(slot.name) and quantity == slot.rule.yields_now()[0].quantity
    return _names(slot.name, first, quantity, symbol)


@lru_cache(maxsize=4096)
def _names(given: str, first: bool, quantity: str, symbol: str) -> tuple[str, ...]:
    plain, own = quantity.replace("-", "_"), own_name(given)
    found = [*([own] if own and first else []), *([f"{own}_{plain}"] if own else []), plain]
    if symbol.isidentifier() and not units.is_known(symbol):
        found.append(symbol)
    return tuple(dict.fromkeys(found))


OF_QUANTITIES = -1_000_000
"""The cause of the u of a curve's first quantity; the next ones count down from it. See `Trace`."""


@lru_cache(maxsize=256)
def _of_quantities(quantities: tuple[Quantity, ...]) -> dict[str, tuple[Traced, ...]]:
    """Quantities as readings that a formula may call; one without u counts as exact. Not to be written into."""
    made: dict[str, tuple[Traced, ...]] = {}
    for place, one in enumerate(quantities):
        key = ReadingKey("quantity", one.name)
        reading = Reading(key, one.name, one.name, one.value, one.u, one.unit, "a quantity of the curve", "")
        causes, adds = ([OF_QUANTITIES - place], [one.u]) if one.u else ([], [])
        made[one.name] = ((reading, Trace(np.array(causes, np.intp), np.array(adds, float))),)
    return made


def earlier_of(quantities: Sequence[Quantity], outcomes: Sequence[Outcome]) -> Earlier:
    """What a measure sees by name: the quantities, and what those before it in its list gave."""
    by_name = dict(_of_quantities(tuple(quantities)))
    failed: dict[str, str] = {}
    unclear: dict[str, str] = {}
    first = list(by_name)
    for one in outcomes:
        if one.problem:
            failed |= {
                name: one.problem[:1].lower() + one.problem[1:] if one.absent else ""
                for said in one.slot.rule.yields_now()
                for name in names_of(one.slot, said.quantity, said.symbol)
            }
        for traced in one.traced:
            quantity, symbol = traced[0].quantity, traced[0].symbol
            if units.is_known(symbol):
                unclear[symbol] = quantity.replace("-", "_")
            names = names_of(one.slot, quantity, symbol)
            first += names[:1]
            for name in names:
                by_name[name] = (*by_name.get(name, ()), traced)
    listed = tuple(name for name in dict.fromkeys(first) if len(by_name[name]) == 1)
    return Earlier(by_name, failed, unclear, listed)
