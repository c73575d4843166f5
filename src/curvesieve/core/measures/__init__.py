"""Curve or fit -> readings: one small frozen class a measure, grouped by what it looks for.

A new measure is a class in one of the modules that `base.MODULES` names. They are loaded when a measure is first asked
for that is not known yet, as most sessions use few of them.
"""

from typing import Any

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.measures.base import Measure, MeasureSlot, Seen, Taken, parse_measure, registered_measures
from curvesieve.core.measures.taking import taken
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import Reading

__all__ = ["Measure", "MeasureSlot", "Seen", "Taken", "measure", "parse_measure", "registered_measures", "taken"]


def measure(slug: str, curve: Curve, *, quantities: tuple[Quantity, ...] = (), **fields: Any) -> tuple[Reading, ...]:
    """The readings of one measure: ``measure("straight-part", curve, low=1, high=3)``.

    Fields are in the units of the curve; each reading has its own unit and u. A formula may name `quantities`. Raises
    InputError when there is no such measure or field, or when nothing can be read.
    """
    rule = parse_measure({"measure": slug, **fields})
    (one,) = taken((MeasureSlot(id="m", rule=rule),), Seen.of(curve, quantities))
    if one.problem:
        raise InputError(f"{rule.label}: {one.problem}")
    return one.readings
