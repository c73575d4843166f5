"""Curve Sieve: measured curves in, trustworthy numbers out. See docs/architecture.md for the map.

The Python interface is small: `read`, `Curve`, `Chart`, `Sieve`, `Recipe`, `find_peaks`, `fit`, `fit_family`,
`grid`, `measure`, `Quantity`, and `InputError` for whatever is the input's fault. Names are loaded when first asked
for, so that starting the window does not wait for the solver.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from curvesieve.core.curve import Curve
    from curvesieve.core.errors import FormulaError, InputError
    from curvesieve.core.fields.field import grid
    from curvesieve.core.fitting import fit
    from curvesieve.core.fitting.family import fit_family
    from curvesieve.core.formats import read
    from curvesieve.core.measures import measure
    from curvesieve.core.peaks import find_peaks
    from curvesieve.core.quantity import Quantity
    from curvesieve.core.recipe import Recipe
    from curvesieve.core.record import Record
    from curvesieve.core.steps import Sieve
    from curvesieve.core.tracing.chart import Chart

__version__ = "0.1.0"
__all__ = [
    "Chart",
    "Curve",
    "FormulaError",
    "InputError",
    "Quantity",
    "Recipe",
    "Record",
    "Sieve",
    "find_peaks",
    "fit",
    "fit_family",
    "grid",
    "measure",
    "read",
]

_HOMES = {
    "Chart": "core.tracing.chart",
    "Curve": "core.curve",
    "FormulaError": "core.errors",
    "InputError": "core.errors",
    "Quantity": "core.quantity",
    "Recipe": "core.recipe",
    "Record": "core.record",
    "Sieve": "core.steps",
    "find_peaks": "core.peaks",
    "fit": "core.fitting",
    "fit_family": "core.fitting.family",
    "grid": "core.fields.field",
    "measure": "core.measures",
    "read": "core.formats",
}


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_HOMES[name]}"), name)
