"""What every measure is: a frozen declaration of fields, what it yields, and one method."""

from __future__ import annotations

import math
import re
from abc import abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.measures.spread import Spread, Stretch, band, spread_of, whole
from curvesieve.core.reading import Basis, Reading, ReadingKey
from curvesieve.core.rules import Kind, Rule, Slot, parse_rule, registered
from curvesieve.core.shapes import Shape

_MODULES = ("lines", "meeting", "points", "crossing", "areas", "statistics", "formulas")
MODULES = tuple(f"curvesieve.core.measures.{module}" for module in _MODULES)
"""The modules that declare measures, in the order in which a group lists them."""
GROUPS = ("lines", "points", "areas", "statistics", "formulas")

Power = int | Fraction


@dataclass(frozen=True)
class Yield:
    """One quantity that a measure gives: its name and symbol, and its unit as powers of the units of x and y."""

    quantity: str
    symbol: str
    x: Power = 0
    y: Power = 0


@dataclass(frozen=True, eq=False)
class Seen:
    """What a measure looks at: a curve as it passed, and what the measures before it in the list gave, by name.

    `whole` are its used points in the order of x, `spread` tells where their u is from: worked out once for all.
    """

    curve: Curve
    whole: Stretch
    spread: Spread
    earlier: Earlier

    @classmethod
    def of(cls, curve: Curve) -> Seen:
        """The curve as the first measure of a list sees it."""
        points = whole(curve)
        return cls(curve, points, spread_of(points), Earlier({}))

    def band(self, low: float | None, high: float | None, least: int = 1) -> Stretch:
        """The points from low to high; see `spread.band`."""
        return band(self.whole, low, high, least)


@dataclass(frozen=True, eq=False)
class Trace:
    """Where the u of a reading comes from: what each independent cause adds to it, of shape (causes,).

    Causes are the rows of the curve, whose y are taken as independent, and negative numbers for what is a reading's
    own. Readings that share causes are correlated, also when a formula has gone between.
    """

    causes: NDArray[np.intp]
    adds: Floats

    @property
    def u(self) -> float:
        """√Σ adds², JCGM 100:2008, 5.1.2 and 5.2.2."""
        return math.sqrt(float(self.adds @ self.adds))

    @classmethod
    def sum(cls, parts: Sequence[tuple[Trace, float]]) -> Trace:
        """That of a sum of readings, each times a number."""
        every = np.concatenate([one.causes for one, _ in parts])
        causes, place = np.unique(every, return_inverse=True)
        adds = np.zeros(causes.size)
        np.add.at(adds, place, np.concatenate([factor * one.adds for one, factor in parts]))
        return cls(causes, adds)

    def scaled_to(self, u: float) -> Trace:
        """The same causes, in the same proportions, for a u that was found in another way."""
        return Trace(self.causes, self.adds * (u / self.u)) if self.u > 0 else self


@dataclass(frozen=True, eq=False)
class Found:
    """A value for one of the yields, and its slopes against the y of the points it rests on, of shape (points,).

    Its u follows from these and the u of the points, unless `u` says otherwise. Without both there is none.
    `unit` is for measures whose unit follows from more than the powers of x and y, `trace` for those whose u does from
    more than slopes.
    """

    quantity: str
    value: float
    slopes: Floats | None = None
    u: float | None = None
    part: int = 0
    unit: str | None = None
    trace: Trace | None = None


@dataclass(frozen=True, eq=False)
class Taken:
    """What a measure took: values, one sentence on how, the points that it rests on, what it draws.

    `said_u` is for measures that find their u by themselves: where it is from.
    """

    found: tuple[Found, ...]
    sentence: str
    used: Stretch
    shapes: tuple[Shape, ...] = ()
    said_u: str = ""


Traced = tuple[Reading, Trace | None]
"""A reading and where its u is from; None where it has none."""


@dataclass(frozen=True)
class Earlier:
    """The readings of the measures before one, by the names that a formula may call them; and what failed.

    A name that two readings go by leads to both: asking for it is refused.
    """

    by_name: Mapping[str, tuple[Traced, ...]]
    failed: frozenset[str] = frozenset()
    unclear: Mapping[str, str] = field(default_factory=dict)
    """Symbols of readings that are units, too, and the quantities that they stand for."""
    count: int = 0
    """How many there are."""

    def named(self, name: str) -> Traced | None:
        """The reading of that name, None when there is none. Raises InputError when it failed, or two may be meant."""
        found = self.by_name.get(name, ())
        if len(found) > 1:
            raise InputError(
                f"the name {name} means {len(found)} readings before this; give their measures names of their own."
            )
        if not found and name in self.failed:
            raise InputError(f"the reading {name} failed; see its own card.")
        if not found and name in self.unclear:
            raise InputError(
                f"the name {name} is that of a unit, and the symbol of {self.unclear[name]} before this; write "
                f"{self.unclear[name]}, or the unit in full."
            )
        return found[0] if found else None


class Measure(Rule):
    """A rule that takes readings from a curve. Subclasses declare fields and `take`; see `lines` and `points`."""

    kind: ClassVar[Kind] = Kind("measure", MODULES, GROUPS)
    yields: ClassVar[tuple[Yield, ...]]

    @abstractmethod
    def take(self, seen: Seen) -> Taken:
        """Takes the readings; never writes into arrays. Raises InputError, in one sentence, when it cannot."""

    def method(self) -> str:
        """How, in a few words, as provenance and the ledger's file say it."""
        return f"{self.label}: {said}" if (said := self.digest()) else self.label


MeasureSlot = Slot[Measure]
"""A measure in its place in a list."""


@dataclass(frozen=True, eq=False)
class Outcome:
    """One measure's part: its readings and drawing, or the `problem` that kept it from taking any."""

    slot: MeasureSlot
    traced: tuple[Traced, ...] = ()
    shapes: tuple[Shape, ...] = ()
    sentence: str = ""
    problem: str = ""

    @property
    def readings(self) -> tuple[Reading, ...]:
        """What was read."""
        return tuple(reading for reading, _ in self.traced)


def outcome(slot: MeasureSlot, seen: Seen, recorded: int = 0) -> Outcome:
    """What one measure gives; a measure that cannot work says why in `problem`: no InputError is raised.

    `recorded` is how many points the curve had before its sieve.
    """
    try:
        if not len(seen.whole):
            raise InputError("no point is left to read from; look at the steps of the sieve.")
        with np.errstate(all="ignore"):
            made = slot.rule.take(seen)
            traced = tuple(_traced(slot, made, seen, recorded))
    except InputError as error:
        problem = str(error)
        return Outcome(slot, problem=problem[0].upper() + problem[1:])
    from_points = any(found.slopes is not None for found in made.found)
    said = made.said_u or (seen.spread.said if from_points else "")
    return Outcome(slot, traced, made.shapes, f"{made.sentence}; {said}" if said else made.sentence)


def _traced(slot: MeasureSlot, made: Taken, seen: Seen, recorded: int) -> Iterator[Traced]:
    rule, points, curve = slot.rule, made.used, seen.curve
    declared = {one.quantity: one for one in rule.yields}
    span = (float(points.x[0]), float(points.x[-1])) if len(points) else None
    basis = Basis(len(points), recorded or len(curve), span)
    sigma = seen.spread.at(points)
    for number, found in enumerate(made.found):
        said = declared[found.quantity]
        u, trace = found.u, found.trace
        if found.slopes is not None and (u is not None or not made.said_u):
            if sigma is not None or u is not None:
                trace = Trace(points.rows, found.slopes * (1.0 if sigma is None else sigma))
        elif u is not None and trace is None:
            trace = Trace(np.array([-1 - seen.earlier.count - number]), np.array([u]))
        if trace is not None:
            u = trace.u if u is None else u
            trace = trace.scaled_to(u)
        if not math.isfinite(found.value) or (u is not None and not math.isfinite(u)):
            raise InputError(f"{found.quantity} lies beyond all numbers; choose another band or unit.")
        name = said.quantity.replace("-", " ")
        if slot.name:
            name = slot.name if len(rule.yields) == 1 else f"{slot.name} {name}"
        unit = found.unit
        if unit is None:
            unit = units.power_product(curve.x_unit, said.x, curve.y_unit, said.y)
        key = ReadingKey(slot.id, found.quantity, found.part)
        reading = Reading(key, name, said.symbol, found.value, u, unit, rule.method(), rule.reference, basis)
        yield reading, trace


def names_of(slot: MeasureSlot, quantity: str, symbol: str) -> Iterator[str]:
    """What a formula may call a reading: its measure's name, for the first of its yields; its symbol and quantity.

    ``strength``, ``strength_x_at_maximum``; ``ymax``, ``maximum``. Spaces and hyphens become underscores. A symbol that
    is a unit, too, is none of its names: see `Earlier`.
    """
    plain = quantity.replace("-", "_")
    own = re.sub(r"\W+", "_", slot.name).strip("_")
    if own:
        if quantity == slot.rule.yields[0].quantity:
            yield own
        yield f"{own}_{plain}"
    yield plain
    if symbol.isidentifier() and symbol != plain and not units.is_known(symbol):
        yield symbol


def taken(slots: tuple[MeasureSlot, ...], curve: Curve, recorded: int = 0) -> list[Outcome]:
    """What the measures of a list give, in order; each sees the readings of those before it, by their names."""
    by_name: dict[str, tuple[Traced, ...]] = {}
    count = 0
    failed: set[str] = set()
    unclear: dict[str, str] = {}
    made = []
    seen = Seen.of(curve)
    for slot in slots:
        if not slot.on:
            continue
        earlier = Earlier(dict(by_name), frozenset(failed), dict(unclear), count)
        one = outcome(slot, replace(seen, earlier=earlier), recorded)
        made.append(one)
        if one.problem:
            failed |= {name for said in slot.rule.yields for name in names_of(slot, said.quantity, said.symbol)}
        count += len(one.traced)
        for traced in one.traced:
            quantity, symbol = traced[0].quantity, traced[0].symbol
            if units.is_known(symbol):
                unclear[symbol] = quantity.replace("-", "_")
            for name in names_of(slot, quantity, symbol):
                by_name[name] = (*by_name.get(name, ()), traced)
    return made


def registered_measures() -> dict[str, type[Measure]]:
    """Every measure by its slug, by group."""
    return registered(Measure)  # type: ignore[type-abstract]


def parse_measure(data: Any) -> Measure:
    """The measure that `to_json` wrote. Raises InputError, which names an unknown slug or field."""
    return parse_rule(Measure, data)  # type: ignore[type-abstract]
