"""What every measure is: a frozen declaration of fields, what it yields, and one method."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property
from typing import Any, ClassVar, Self

import numpy as np
from pydantic import Field

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.outcome import Earlier, Outcome, earlier_of
from curvesieve.core.measures.trace import Trace
from curvesieve.core.quantity import Quantity
from curvesieve.core.rules import Band, Kind, Mark, Rule, Slot, parse_rule, registered
from curvesieve.core.scatter import Spread, Stretch, band, spread_of, whole
from curvesieve.core.shapes import Shape
from curvesieve.core.typed import rounded

_MODULES = ("lines", "meeting", "band_gap", "laws", "points", "crossing", "areas", "statistics", "mechanics",
            "yielding", "hardening", "loops", "indentation", "scattering", "invariant", "distances",
            "peak_numbers", "line_table", "diffraction", "broadening", "hall", "lattice",
            "of_fit", "from_scattering", "formulas")  # fmt: skip
MODULES = tuple(f"curvesieve.core.measures.{module}" for module in _MODULES)
"""The modules that declare measures, in the order in which a group lists them."""
GROUPS = ("lines", "points", "areas", "statistics", "mechanics", "scattering", "peaks", "of the fit", "formulas")

Power = int | Fraction


@dataclass(frozen=True)
class Yield:
    """One quantity that a measure gives: its name and symbol, and its unit as powers of the units of x and y."""

    quantity: str
    symbol: str
    x: Power = 0
    y: Power = 0
    aside: bool = False
    """Whether it is there beside what the measure is taken for, as R² is: the ledger does not show it by itself."""
    gap: bool = False
    """Whether it is a distance between two places, as a width is: one of two temperatures in °C is in K."""


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
        return earlier_of(self.quantities, self.before)

    @property
    def count(self) -> int:
        """How many readings there are before this measure."""
        return sum(len(one.traced) for one in self.before)

    def band(self, low: float | None, high: float | None, least: int = 1) -> Stretch:
        """The points from low to high; see `scatter.band`."""
        return band(self.whole, low, high, least)


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
    of: str = ""
    """What a part is called, before the name of the quantity: ``P1``."""


@dataclass(frozen=True, eq=False)
class Taken:
    """What a measure took: values, one sentence on how, the points that it rests on, what it draws.

    `said_u` is for measures that find their u by themselves: where it is from. `warning` is what makes the values
    doubtful, though there are some.
    """

    found: tuple[Found, ...]
    sentence: str
    used: Stretch
    shapes: tuple[Shape, ...] = ()
    said_u: str = ""
    warning: str = ""


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


def registered_measures() -> dict[str, type[Measure]]:
    """Every measure by its slug, by group."""
    return registered(Measure)  # type: ignore[type-abstract]


def parse_measure(data: Any) -> Measure:
    """The measure that `to_json` wrote. Raises InputError, which names an unknown slug or field."""
    return parse_rule(Measure, data)  # type: ignore[type-abstract]
