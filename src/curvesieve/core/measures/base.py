"""What every measure is: a frozen declaration of fields, what it yields, and one method."""

from __future__ import annotations

import math
import re
from abc import abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property
from typing import Any, ClassVar, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.spread import Spread, Stretch, band, spread_of, whole
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import Basis, Reading, ReadingKey
from curvesieve.core.rules import Band, Kind, Mark, Rule, Slot, parse_rule, registered
from curvesieve.core.shapes import Fill, Line, Point, Shape, Words
from curvesieve.core.typed import rounded

_MODULES = ("lines", "meeting", "laws", "points", "crossing", "areas", "statistics", "of_fit", "formulas")
MODULES = tuple(f"curvesieve.core.measures.{module}" for module in _MODULES)
"""The modules that declare measures, in the order in which a group lists them."""
GROUPS = ("lines", "points", "areas", "statistics", "of the fit", "formulas")

Power = int | Fraction
_LONGEST_WORDS = 24
"""Letters of a name beside a drawing."""


@dataclass(frozen=True)
class Yield:
    """One quantity that a measure gives: its name and symbol, and its unit as powers of the units of x and y."""

    quantity: str
    symbol: str
    x: Power = 0
    y: Power = 0
    aside: bool = False
    """Whether it is there beside what the measure is taken for, as R² is: the ledger does not show it by itself."""


@dataclass(frozen=True, eq=False)
class Seen:
    """What a measure looks at: a curve as it passed, its fit, and what there is by name before the measure in its list.

    `whole` are its used points in the order of x, `spread` tells where their u is from: worked out once for all.
    `fit` is None where the curve has no fit that is current.
    """

    curve: Curve
    whole: Stretch
    spread: Spread
    before: tuple[Outcome, ...] = ()
    """What the measures before this one in its list gave."""
    quantities: tuple[Quantity, ...] = ()
    fit: FitSeen | None = None

    @classmethod
    def of(cls, curve: Curve, quantities: tuple[Quantity, ...] = (), fit: FitSeen | None = None) -> Seen:
        """The curve as the first measure of a list sees it."""
        points = whole(curve)
        return cls(curve, points, spread_of(points), (), quantities, fit)

    def after(self, outcomes: Sequence[Outcome]) -> Seen:
        """The same for a measure that comes after those with these outcomes."""
        return replace(self, before=tuple(outcomes))

    @cached_property
    def earlier(self) -> Earlier:
        """The readings before this measure and the quantities, by name: for formulas, which are few."""
        return _earlier(self.quantities, self.before)

    @property
    def count(self) -> int:
        """How many readings there are before this measure."""
        return sum(len(one.traced) for one in self.before)

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
    first_names: tuple[str, ...] = ()
    """One name of each of them, and of the quantities, in order."""

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
    leads: ClassVar[bool] = True
    """Whether the first of its yields is what it is taken for: the measure's name is then that of the reading."""
    of_fit: ClassVar[bool] = False
    """Whether it reads the fit of the curve, and not the curve itself."""

    @abstractmethod
    def take(self, seen: Seen) -> Taken:
        """Takes the readings; never writes into arrays. Raises InputError, in one sentence, when it cannot."""

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """As a user starts: marks in the middle, bands that must be set where their handles open."""
        x = curve.used.x
        if not x.size:
            return cls()
        first, span = float(x.min()), float(np.ptp(x))
        fields: dict[str, float] = {}
        for handle in cls.handles:
            if isinstance(handle, Mark):
                fields[handle.at] = rounded((float(np.median(x)),), span)[0]
            elif isinstance(handle, Band) and handle.opens != Band().opens:
                ends = tuple(first + share * span for share in handle.opens)
                fields[handle.low], fields[handle.high] = rounded(ends, span)
        return cls(**fields)

    def yields_now(self) -> tuple[Yield, ...]:
        """What it gives with its fields as they are; the first is what the measure is there for."""
        return self.yields

    def digest(self) -> str:
        """The fields that act, a band in one piece: ``0.1 – 0.3, rule trapezium``."""
        bands = {one.low: one.high for one in self.handles_now() if isinstance(one, Band)}
        said = []
        for name, info in self.settings().items():
            value = getattr(self, name)
            if name in bands:
                said.append(said_band(value, getattr(self, bands[name])))
            elif self.acts(name) and name not in bands.values() and value is not None and value is not False:
                said.append(info.title or name if value is True else f"{info.title} {value}")
        return ", ".join(said)

    def method(self) -> str:
        """How, in a few words, as provenance and the ledger's file say it."""
        return f"{self.label}: {said}" if (said := self.digest()) else self.label


def said_band(low: float | None, high: float | None) -> str:
    """A band in a few words: ``start – 3.5``."""
    return f"{'start' if low is None else f'{low:g}'} – {'end' if high is None else f'{high:g}'}"


class MeasureSlot(Slot[Measure]):
    """A measure in its place in a list. `units` are those that some of its quantities are shown in, by name."""

    units: dict[str, str] = Field(default_factory=dict)


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
    rule_yields = rule.yields_now()
    declared = {one.quantity: one for one in rule_yields}
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
            trace = Trace(np.array([-1 - seen.count - number]), np.array([u]))
        if trace is not None:
            u = trace.u if u is None else u
            trace = trace.scaled_to(u)
        if not math.isfinite(found.value) or (u is not None and not math.isfinite(u)):
            raise InputError(f"{found.quantity} lies beyond all numbers; choose another band or unit.")
        name = plain_name(said.quantity)
        if slot.name:  # the first of its yields is what the user means by it
            name = slot.name if rule.leads and said is rule_yields[0] else f"{slot.name} {name}"
        unit = found.unit
        if unit is None:
            unit = units.power_product(curve.x_unit, said.x, curve.y_unit, said.y)
        key = ReadingKey(slot.id, found.quantity, found.part)
        reading = Reading(
            key, name, said.symbol, found.value, u, unit, rule.method(), rule.reference, basis, said.aside
        )
        yield _in_unit(reading, trace, slot.units.get(found.quantity, ""))


def plain_name(quantity: str) -> str:
    """A quantity as people write it: ``x at maximum``, ``R²``."""
    return "R²" if quantity == "r2" else quantity.replace("-", " ")


def _in_unit(reading: Reading, trace: Trace | None, unit: str) -> Traced:
    """A reading in the unit that it is shown in. Raises InputError where its own is of another kind."""
    if not unit or unit == reading.unit:
        return reading, trace
    try:
        value = units.convert(np.array(reading.value), reading.unit, unit)
    except InputError as error:
        raise InputError(f"{reading.name} is asked for in {unit}: {error}") from error
    factor = units.in_base(reading.unit).factor / units.in_base(unit).factor
    u = None if reading.u is None else abs(factor) * reading.u
    return replace(reading, value=float(value), u=u, unit=unit), trace and Trace(trace.causes, trace.adds * factor)


def names_of(slot: MeasureSlot, quantity: str, symbol: str) -> Iterator[str]:
    """What a formula may call a reading: its measure's name, for the first of its yields; its symbol and quantity.

    ``strength``, ``strength_x_at_maximum``; ``ymax``, ``maximum``. Spaces and hyphens become underscores. A symbol that
    is a unit, too, is none of its names: see `Earlier`.
    """
    plain = quantity.replace("-", "_")
    own = re.sub(r"\W+", "_", slot.name).strip("_")
    if own:
        if slot.rule.leads and quantity == slot.rule.yields_now()[0].quantity:
            yield own
        yield f"{own}_{plain}"
    yield plain
    if symbol.isidentifier() and symbol != plain and not units.is_known(symbol):
        yield symbol


def taken(slots: Sequence[MeasureSlot], seen: Seen, recorded: int = 0) -> list[Outcome]:
    """What the measures of a list give, in order; each sees the readings of those before it, by their names."""
    made: list[Outcome] = []
    for slot in slots:
        if slot.on:
            made.append(outcome(slot, seen.after(made), recorded))
    return made


_QUANTITIES = -1_000_000
"""The cause of the u of a curve's first quantity; see `Trace`."""


def _of_quantities(quantities: Sequence[Quantity]) -> dict[str, tuple[Traced, ...]]:
    """Quantities as readings that a formula may call; one without u counts as exact."""
    made: dict[str, tuple[Traced, ...]] = {}
    for place, one in enumerate(quantities):
        key = ReadingKey("quantity", one.name)
        reading = Reading(key, one.name, one.name, one.value, one.u, one.unit, "a quantity of the curve", "")
        causes, adds = ([_QUANTITIES - place], [one.u]) if one.u else ([], [])
        made[one.name] = ((reading, Trace(np.array(causes, np.intp), np.array(adds, float))),)
    return made


def _earlier(quantities: Sequence[Quantity], outcomes: Sequence[Outcome]) -> Earlier:
    by_name = _of_quantities(quantities)
    failed: set[str] = set()
    unclear: dict[str, str] = {}
    first = list(by_name)
    for one in outcomes:
        if one.problem:
            failed |= {
                name for said in one.slot.rule.yields_now() for name in names_of(one.slot, said.quantity, said.symbol)
            }
        for traced in one.traced:
            quantity, symbol = traced[0].quantity, traced[0].symbol
            if units.is_known(symbol):
                unclear[symbol] = quantity.replace("-", "_")
            names = list(names_of(one.slot, quantity, symbol))
            first += names[:1]
            for name in names:
                by_name[name] = (*by_name.get(name, ()), traced)
    listed = tuple(name for name in dict.fromkeys(first) if len(by_name[name]) == 1)
    return Earlier(by_name, frozenset(failed), unclear, listed)


def registered_measures() -> dict[str, type[Measure]]:
    """Every measure by its slug, by group."""
    return registered(Measure)  # type: ignore[type-abstract]


def parse_measure(data: Any) -> Measure:
    """The measure that `to_json` wrote. Raises InputError, which names an unknown slug or field."""
    return parse_rule(Measure, data)  # type: ignore[type-abstract]
