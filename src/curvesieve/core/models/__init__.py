"""The library of terms, declared as data, and models as sums of them."""

from curvesieve.core.models.library import BACKGROUNDS, PEAKS, TERMS, Derived, Parameter, Term
from curvesieve.core.models.model import Model, ParameterState, PlacedTerm
from curvesieve.core.models.sum import FormulaSum, Piece, formula_sum

__all__ = [
    "BACKGROUNDS", "PEAKS", "TERMS", "Derived", "FormulaSum", "Model", "Parameter", "ParameterState", "Piece",
    "PlacedTerm", "Term", "formula_sum",
]  # fmt: skip
