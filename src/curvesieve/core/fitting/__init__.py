"""Problem, solver, uncertainty, statistics: weighted nonlinear least squares with an exact Jacobian."""

from curvesieve.core.fitting.fit import fit, fit_model, search_model
from curvesieve.core.fitting.problem import LOSSES, WEIGHTS, Problem
from curvesieve.core.fitting.result import FitResult, FittedParameter, Statistics

__all__ = [
    "LOSSES", "WEIGHTS", "FitResult", "FittedParameter", "Problem", "Statistics", "fit", "fit_model", "search_model",
]  # fmt: skip
