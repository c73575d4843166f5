"""What every measure of a field is: a frozen declaration of fields, and one method that gives numbers."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, ClassVar, Self

import numpy as np
from numpy.typing import NDArray

from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.surface import Surface
from curvesieve.core.fields.ways.kriging import Kriged
from curvesieve.core.fields.ways.lattice import AsMeasured
from curvesieve.core.reading import Basis, Reading, ReadingKey
from curvesieve.core.rules import Kind, Rule, Slot, parse_rule, registered

_MODULES = ("extent", "above", "roughness", "periods")
_DRAWS, _DRAWN_NODES = 200, 1600


@dataclass(frozen=True)
class Number:
    """One number of a measure: `powers` are those of x (or y) and of z in its unit. `doubt` says what is against it."""

    quantity: str
    name: str
    symbol: str
    value: float
    u: float | None = None
    powers: tuple[int, int] = (0, 1)
    unit: str | None = None
    part: int = 0
    doubt: str = ""


@dataclass(frozen=True, eq=False)
class FieldTaken:
    """What a measure took: its numbers, one sentence, and places on the map, of shape (k, 2), that it speaks of."""

    numbers: tuple[Number, ...]
    message: str
    places: Floats | None = None
    level: float | None = None


@dataclass(frozen=True, eq=False)
class SeenField:
    """What a measure sees: the surface and its grid."""

    surface: Surface
    grid: Grid

    @cached_property
    def coarse(self) -> Grid:
        """The grid thinned to what can be drawn from, at most 1,600 nodes."""
        thin = int(np.ceil(np.sqrt(self.grid.z.size / _DRAWN_NODES)))
        g = self.grid
        x, y = g.x[::thin], g.y[::thin]
        return Grid(x, y, g.z[::thin, ::thin], None if g.u is None else g.u[::thin, ::thin], g.names)

    @cached_property
    def draws(self) -> tuple[Floats, NDArray[np.bool_]] | None:
        """Surfaces that the points leave possible: of shape (200, k) at the k known nodes of `coarse`, and these nodes.

        None where the way of filling does not say how errors hang together.
        """
        coarse = self.coarse
        known = coarse.known
        filler = self.surface.filler
        if isinstance(filler, Kriged):
            inside = self.surface.plane.put(coarse.places())[known.ravel()]
            return filler.drawn(inside, _DRAWS), known
        if isinstance(self.surface.filling.way, AsMeasured) and coarse.u is not None:
            rng = np.random.default_rng(11)
            z, u = coarse.z[known], coarse.u[known]
            return z + u * rng.standard_normal((_DRAWS, z.size)), known
        return None

    def u_of(self, *numbers: Callable[[Grid], float]) -> tuple[float | None, ...]:
        """The u of numbers of the grid, one each; see `u_of_all`."""
        return self.u_of_all(lambda grid: tuple(number(grid) for number in numbers), len(numbers))

    def u_of_all(self, numbers: Callable[[Grid], Sequence[float]], count: int) -> tuple[float | None, ...]:
        """The u of so many numbers of the grid: their standard deviations over surfaces drawn.

        None where none can be drawn, or a number has no spread.
        """
        if self.draws is None:
            return (None,) * count
        drawn, known = self.draws
        coarse, found = self.coarse, []
        for values in drawn:
            z = np.full(coarse.z.shape, np.nan)
            z[known] = values
            try:
                found.append(numbers(Grid(coarse.x, coarse.y, z, None, coarse.names)))
            except InputError:
                continue
        if len(found) < 2:
            return (None,) * count
        spread = np.std(np.array(found), axis=0, ddof=1)
        return tuple(float(u) if np.isfinite(u) and u > 0 else None for u in spread)


class FieldMeasure(Rule):
    """One measure of a field."""

    kind: ClassVar[Kind] = Kind(
        "measure", tuple(f"curvesieve.core.fields.reads.{module}" for module in _MODULES),
        ("values", "above a level", "roughness", "periods"),
    )  # fmt: skip

    @abstractmethod
    def take(self, seen: SeenField) -> FieldTaken:
        """The numbers of a surface. Raises InputError when there are none, with the reason."""

    @classmethod
    def for_field(cls, seen: SeenField) -> Self:
        """The measure a user starts from on this surface."""
        return cls()


MeasureSlot = Slot[FieldMeasure]
"""A measure in its place in a field's list."""


@dataclass(frozen=True, eq=False)
class FieldRead:
    """What came of one measure; `problem` says why there is nothing."""

    slot: MeasureSlot
    readings: tuple[Reading, ...]
    message: str
    places: Floats | None = None
    level: float | None = None
    problem: str = ""


def read_field(seen: SeenField, slots: Sequence[MeasureSlot]) -> list[FieldRead]:
    """The readings of measures that are switched on, in their order; what one raises (InputError) is its problem."""
    made = []
    for slot in slots:
        if not slot.on:
            made.append(FieldRead(slot, (), "switched off"))
            continue
        try:
            if not seen.grid.known.any():
                raise InputError("the surface is empty; nothing can be read off it.")
            with np.errstate(all="ignore"):
                taken = slot.rule.take(seen)
        except InputError as error:
            said = str(error)
            made.append(FieldRead(slot, (), "nothing read", problem=said[:1].upper() + said[1:]))
            continue
        readings = tuple(_reading(slot, number, seen) for number in taken.numbers)
        made.append(FieldRead(slot, readings, taken.message, taken.places, taken.level))
    return made


def _reading(slot: MeasureSlot, number: Number, seen: SeenField) -> Reading:
    unit = number.unit if number.unit is not None else product_unit(seen.grid, *number.powers)
    method = f"{slot.rule.label.lower()}, {seen.surface.filling.way.label.lower()}"
    if number.u is None and not isinstance(seen.surface.filler, Kriged):
        measured = isinstance(seen.surface.filling.way, AsMeasured)
        method += "; no u: " + ("the points have none" if measured else "errors of this way hang together unknown")
    key = ReadingKey(slot.id, number.quantity, number.part)
    count = len(seen.surface.points)
    basis, reference = Basis(used=count, recorded=count), slot.rule.reference
    value = number.value
    return Reading(key, number.name, number.symbol, value, number.u, unit, method, reference, basis, doubt=number.doubt)


def product_unit(grid: Grid, plane: int, height: int) -> str:
    """The unit of x to a power times z to a power; x and y of different units share the power of two evenly."""
    names = grid.names
    if plane and names.x_unit != names.y_unit:
        both = units.power_product(names.x_unit, 1, names.y_unit, 1)
        if plane % 2 == 0:
            return units.power_product(both, plane // 2, names.z_unit, height)
        return ""
    return units.power_product(names.x_unit, plane, names.z_unit, height)


def registered_field_measures() -> dict[str, type[FieldMeasure]]:
    """Every measure of fields by its slug, by group."""
    return registered(FieldMeasure)  # type: ignore[type-abstract]


def parse_field_measure(data: Any) -> FieldMeasure:
    """The measure that `to_json` wrote; unknown slugs and fields raise InputError, which names them."""
    return parse_rule(FieldMeasure, data)  # type: ignore[type-abstract]
