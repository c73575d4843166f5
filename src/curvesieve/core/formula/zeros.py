"""Scales with a zero of their own, such as °C, as units of what a formula gives."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.formula.evaluate import evaluate
from curvesieve.core.formula.parse import Formula


def check_zero(formula: Formula, values: Mapping[str, Any], unit_of: Mapping[str, str], unit: str) -> None:
    """Raises InputError when a value in `unit` would be given that scale's zero without being a place on it.

    A place follows when all that it is made of is moved: warmer by one kelvin, it is one kelvin higher. A difference
    stays where it is, and twice a temperature moves by two. `values` are in base units, arrays of any one shape.
    """
    target = units.in_base(unit)
    if target.offset == 0:
        return
    moved = {name for name, one in unit_of.items() if units.in_base(one).powers == target.powers}
    warmer = {name: value + 1.0 if name in moved else value for name, value in values.items()}
    rise = np.asarray(evaluate(formula, warmer)) - np.asarray(evaluate(formula, values))
    if not np.allclose(rise[np.isfinite(rise)], 1.0, rtol=0, atol=1e-6):
        other = units.of_difference(unit)[1]
        raise InputError(
            f"the formula gives no place on the scale of {units.shown(unit)}, but a difference or a multiple; give it "
            f"in {other}."
        )
