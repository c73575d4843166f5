"""Sets of measures for a trade's test: a recipe in one click, which stays editable."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from curvesieve.core.errors import InputError
from curvesieve.core.intake.machine import stress_strain
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import Reading
from curvesieve.core.recipe import Done, Recipe
from curvesieve.core.record import Record


@dataclass(frozen=True, eq=False)
class MeasureSet:
    """Measures that belong together: what they are for, what is read, the JSON of each, other words to find it by."""

    label: str
    about: str
    measures: tuple[dict[str, Any], ...]
    words: str = ""

    @cached_property
    def recipe(self) -> Recipe:
        """The recipe of these measures; made when first asked for, as reading units takes its time."""
        return Recipe.parse({"recipe": 1, "measures": list(self.measures)})


TENSION = MeasureSet(
    "Tension test",
    "E, Rp0.2, Rm, A and W of stress against strain",
    (
        {"measure": "straight-part", "by": "found", "prefer": "surest", "name": "E", "units": {"slope": "GPa"}},
        {"measure": "offset-yield", "name": "Rp0.2"},
        {"measure": "highest-point", "by": "the point itself", "name": "Rm"},
        {"measure": "break", "name": "A", "units": {"break-strain": "%"}},
        {"measure": "area", "until": "A_break_strain", "name": "W", "units": {"area": "MJ/m^3"}},
    ),
    "tensile modulus proof strength elongation toughness",
)
"""Modulus, offset yield, strength, elongation at break and energy of a stress–strain curve."""
SETS = (TENSION,)
_ROUNDING = 1e-9
"""A change of a reading by less of itself is none."""


@dataclass(frozen=True, eq=False)
class ReadTest:
    """What a set reads of a machine's file: `readings` with the u of the dimensions in theirs, and how all was made."""

    done: Done
    readings: tuple[Reading, ...]
    notes: tuple[str, ...]


def read_test(record: Record, given: Sequence[Quantity] = (), chosen: MeasureSet = TENSION) -> ReadTest:
    """Makes stress and strain of a record and reads them off; `given` dimensions go before those of the preamble.

    A dimension is common to all points, so that its u is no scatter between them: everything is read again with the
    dimension changed by its u to both sides, and half the difference of a reading is added to its u in quadrature
    (JCGM 100, 5.1.3 NOTE 2). A reading that is not there on both sides has no u. Raises InputError as `stress_strain`.
    """
    made, recipe = stress_strain(record, given), chosen.recipe
    done = recipe(made.curve)
    uncertain = [size for size in made.sizes if size.u]
    for size in uncertain:
        if (size.u or 0.0) >= size.value:
            raise InputError(f"{record.source.name}: the u of {size.name} is as large as itself, {size.written()}.")
    sides = []
    for size in uncertain:
        pair = (size.model_copy(update={"value": size.value + sign * (size.u or 0.0)}) for sign in (1, -1))
        sides.append([_values(recipe(stress_strain(record, (changed, *given)).curve)) for changed in pair])
    names = ", ".join(size.name for size in uncertain)
    readings = []
    for one in done.readings:
        parts = [math.nan if one.key not in up or one.key not in down else (up[one.key] - down[one.key]) / 2
                 for up, down in sides]  # fmt: skip
        if not all(abs(part) <= _ROUNDING * abs(one.value) for part in parts):
            u = math.hypot(one.u or 0.0, *parts)
            method = f"{one.method}; u with that of {names}"
            one = replace(one, u=u if math.isfinite(u) else None, method=method)
        readings.append(one)
    return ReadTest(done, tuple(readings), made.notes)


def _values(done: Done) -> dict[object, float]:
    return {reading.key: reading.value for reading in done.readings}
