"""A formula's value straight from its syntax tree: no algebra, ready at once for drawing and previews."""

from __future__ import annotations

import ast
import operator
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.errors import InputError
from curvesieve.core.formula.functions import FUNCTIONS
from curvesieve.core.formula.parse import Formula

_BINARY: dict[type, Any] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv, ast.Pow: np.power,
    ast.Lt: operator.lt, ast.LtE: operator.le, ast.Gt: operator.gt, ast.GtE: operator.ge,
}  # fmt: skip


def evaluate(formula: Formula, values: Mapping[str, Any]) -> NDArray[np.float64]:
    """The formula's value for variables and parameters by name (scalars or arrays of one shape).

    Where the mathematics has no value (log of a negative), the result is NaN or infinite, without a warning.
    Raises InputError when a name has no value.
    """
    missing = [name for name in (*formula.variables, *formula.parameters) if name not in values]
    if missing:
        raise InputError(f"No value is given for {', '.join(missing)}.")
    names: dict[str, Any] = {
        name: np.asarray(values[name], dtype=np.float64) for name in (*formula.variables, *formula.parameters)
    }
    with np.errstate(all="ignore"):
        for name, expression in formula.lets:
            names[name] = _value(expression, names)
        return np.asarray(_value(formula.body, names), dtype=np.float64)


def _value(node: ast.expr, names: Mapping[str, Any]) -> Any:
    match node:
        case ast.Constant(value=value):
            return value
        case ast.Name(id=name):
            return names[name]
        case ast.UnaryOp(op=op, operand=operand):
            value = _value(operand, names)
            return -value if isinstance(op, ast.USub) else value
        case ast.BinOp(left=left, op=op, right=right):
            return _BINARY[type(op)](_value(left, names), _value(right, names))
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            return _BINARY[type(op)](_value(left, names), _value(right, names))
        case ast.Call(func=ast.Name(id=name), args=args):
            return FUNCTIONS[name].value(*(_value(argument, names) for argument in args))
    raise AssertionError(f"the parser lets no {type(node).__name__} through")
