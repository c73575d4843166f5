"""The library of terms, declared as data, and models as sums of them."""

from curvesieve.core.models.library import BACKGROUNDS, LAWS, PEAKS, TERMS, is_known, term_of
from curvesieve.core.models.model import Model
from curvesieve.core.models.own import OwnTerm
from curvesieve.core.models.placed import ParameterState, PlacedTerm
from curvesieve.core.models.sum import FormulaSum, Piece, formula_sum, term_sum
from curvesieve.core.models.term import Derived, Parameter, Term

__all__ = [
    "BACKGROUNDS", "LAWS", "PEAKS", "TERMS", "Derived", "FormulaSum", "Model", "OwnTerm", "Parameter",
    "ParameterState", "Piece", "PlacedTerm", "Term", "formula_sum", "is_known", "term_of", "term_sum",
]  # fmt: skip
