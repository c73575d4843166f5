"""A formula's value and exact Jacobian as NumPy functions, by way of SymPy."""

from __future__ import annotations

import ast
import keyword
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.formula.functions import FUNCTIONS
from curvesieve.core.formula.numpycode import lambdified
from curvesieve.core.formula.parse import Formula

Floats = NDArray[np.float64]
_SIGNS: dict[type, str] = {ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">="}


@dataclass(frozen=True, eq=False)
class Compiled:
    """`value(variables, parameters)`, and `both(…)`: the value followed by ∂value/∂parameter, in parameter order.

    `variables` and `parameters` are sequences of arrays and of numbers. Value and columns may be scalars
    where they do not depend on a variable; whoever fills an array broadcasts them.
    """

    formula: Formula
    value: Callable[[Sequence[Any], Sequence[float]], Any]
    both: Callable[[Sequence[Any], Sequence[float]], list[Any]]

    def jacobian(self, variables: Sequence[Any], parameters: Sequence[float]) -> list[Any]:
        """∂value/∂parameter, in parameter order."""
        return self.both(variables, parameters)[1:]


@lru_cache(maxsize=256)
def compile_formula(formula: Formula) -> Compiled:
    """Differentiates and compiles a formula; what value and derivatives share is computed once (cse)."""
    import sympy as sp

    expression, symbols = to_sympy(formula)
    variables = [symbols[name] for name in formula.variables]
    parameters = [symbols[name] for name in formula.parameters]
    columns = [sp.diff(expression, parameter) for parameter in parameters]
    value = lambdified(variables, parameters, expression)
    return Compiled(formula, value, lambdified(variables, parameters, [expression, *columns]))


@lru_cache(maxsize=256)
def derivative(formula: Formula) -> Callable[[Sequence[Any], Sequence[float]], Any]:
    """∂value/∂(first variable) as a NumPy function with the arguments of `Compiled.value`."""
    import sympy as sp

    expression, symbols = to_sympy(formula)
    variables = [symbols[name] for name in formula.variables]
    parameters = [symbols[name] for name in formula.parameters]
    return lambdified(variables, parameters, sp.diff(expression, variables[0]))


def to_sympy(formula: Formula) -> tuple[Any, dict[str, Any]]:
    """The SymPy expression of a formula, built node by node, and the symbol of each name."""
    import sympy as sp

    # A parameter may be called gamma or lambda: in the code that is made, that would hide a function, or be no name.
    taken = {*FUNCTIONS, *keyword.kwlist}
    names: dict[str, Any] = {
        name: sp.Symbol(f"{name}__" if name in taken else name, real=True)
        for name in (*formula.variables, *formula.parameters)
    }
    symbols = dict(names)
    for name, expression in formula.lets:
        names[name] = _symbolic(expression, names, sp)
    return _symbolic(formula.body, names, sp), symbols


def _symbolic(node: ast.expr, names: dict[str, Any], sp: Any) -> Any:
    match node:
        case ast.Constant(value=float(value)):
            return sp.Integer(int(value)) if value.is_integer() and abs(value) < 2**53 else sp.Float(value, 17)
        case ast.Name(id=name):
            return names[name]
        case ast.UnaryOp(op=op, operand=operand):
            inner = _symbolic(operand, names, sp)
            return -inner if isinstance(op, ast.USub) else inner
        case ast.BinOp(left=left, op=op, right=right):
            a, b = _symbolic(left, names, sp), _symbolic(right, names, sp)
            match op:
                case ast.Add():
                    return a + b
                case ast.Sub():
                    return a - b
                case ast.Mult():
                    return a * b
                case ast.Div():
                    return a / b
            return a**b
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            a, b = _symbolic(left, names, sp), _symbolic(right, names, sp)
            return _SIGNS[type(op)], a, b
        case ast.Call(func=ast.Name(id=name), args=args):
            arguments = [_symbolic(argument, names, sp) for argument in args]
            symbol = FUNCTIONS[name].symbol
            return getattr(sp, symbol)(*arguments) if isinstance(symbol, str) else symbol(*arguments)
    raise AssertionError(f"the parser lets no {type(node).__name__} through")
