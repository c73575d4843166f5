"""Text -> safe syntax tree -> NumPy value at once, or symbolic -> compiled value and exact Jacobian."""

from curvesieve.core.formula.compiled import Compiled, compile_formula, derivative
from curvesieve.core.formula.evaluate import evaluate
from curvesieve.core.formula.parse import Formula, parse, understood_variable, uses

__all__ = [
    "Compiled",
    "Formula",
    "compile_formula",
    "derivative",
    "evaluate",
    "parse",
    "understood_variable",
    "uses",
]
