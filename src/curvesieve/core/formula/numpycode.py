"""SymPy expressions printed for NumPy with plain numbers kept together, so that arrays are passed over less often.

``5.5*a*b/w**3`` with arrays a and b is three operations on arrays as it stands, and two as ``(5.5/w**3)*a*b``.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache
from typing import Any

from curvesieve.core.formula.special import NUMERIC


@cache
def _printer_class() -> Any:
    import sympy as sp
    from sympy.printing.numpy import SciPyPrinter

    class Grouping(SciPyPrinter):  # type: ignore[misc]  # SymPy has no types
        """Knows which symbols are arrays: the variables, and what is computed from them."""

        def __init__(self, arrays: set[Any]) -> None:
            super().__init__(
                {"fully_qualified_modules": False, "inline": True, "allow_unknown_functions": True}
            )  # fmt: skip
            self.arrays = arrays

        def is_array(self, expression: Any) -> bool:
            return bool(expression.free_symbols & self.arrays)

        def _grouped(self, expression: Any, plain: Callable[[Any], str]) -> str:
            """Prints a sum or a product with its plain parts in one bracket."""
            parts = [part for part in expression.args if not self.is_array(part)]
            rest = [part for part in expression.args if self.is_array(part)]
            if len(parts) < 2 or not rest:
                return plain(expression)
            joined = sp.Dummy("joined")
            text = plain(expression.func(joined, *rest))
            return text.replace(self._print(joined), f"({plain(expression.func(*parts))})")

        def _print_Mul(self, expr: Any) -> str:
            return self._grouped(expr, super()._print_Mul)

        def _print_Add(self, expr: Any, order: Any = None) -> str:
            return self._grouped(expr, super()._print_Add)

    return Grouping


def lambdified(variables: Sequence[Any], parameters: Sequence[Any], expression: Any) -> Callable[..., Any]:
    """A NumPy function of two flat sequences, variables and parameters; what is common is computed once."""
    import sympy as sp

    printer = _printer_class()(set(variables))

    def common(expressions: Any) -> Any:
        shared, reduced = sp.cse(expressions, list=False)
        for symbol, value in shared:
            if printer.is_array(value):
                printer.arrays.add(symbol)
        return shared, reduced

    # "scipy" brings erf and gamma; numpy is the ground.
    made: Callable[..., Any] = sp.lambdify(
        [tuple(variables), tuple(parameters)], expression, modules=[NUMERIC, "scipy", "numpy"], printer=printer,
        cse=common, docstring_limit=0,
    )  # fmt: skip
    return made
