"""Problem, solver, uncertainty, statistics: weighted nonlinear least squares with an exact Jacobian.

The solver and SciPy's linear algebra are loaded when first asked for: looking at a fitted study does not need them.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from curvesieve.core.fitting.problem import LOSSES, WEIGHTS, Problem
from curvesieve.core.fitting.result import FitResult, FittedParameter, Statistics

if TYPE_CHECKING:
    from curvesieve.core.fitting.fits import fit, fit_model, search_model

__all__ = [
    "LOSSES", "WEIGHTS", "FitResult", "FittedParameter", "Problem", "Statistics", "fit", "fit_model", "search_model",
]  # fmt: skip


def __getattr__(name: str) -> Any:
    if name in ("fit", "fit_model", "search_model"):
        return getattr(import_module("curvesieve.core.fitting.fits"), name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
