"""``a if l < r else b`` as a SymPy function that SymPy leaves alone.

SymPy's own Piecewise, Min and Max try to decide every comparison, which can take minutes or end in an error on a
formula that is merely odd. These two only know how to be differentiated and printed for NumPy.
"""

from __future__ import annotations

from functools import cache
from typing import Any


@cache
def kinds() -> tuple[Any, Any]:
    """The functions Less(l, r, a, b) and LessEqual(l, r, a, b), made when SymPy is first needed."""
    import sympy as sp

    class _Selection(sp.Function):  # type: ignore[misc]  # SymPy has no types
        nargs = 4
        sign = "<"

        @classmethod
        def eval(cls, *arguments: Any) -> None:
            """Nothing is worked out beforehand."""

        def fdiff(self, argindex: int = 1) -> Any:
            left, right, chosen, other = self.args
            del chosen, other
            weights = {3: (1, 0), 4: (0, 1)}.get(argindex)  # the place of the step itself has no slope
            return sp.Integer(0) if weights is None else self.func(left, right, *map(sp.Integer, weights))

        def _eval_is_extended_real(self) -> bool:
            return True

        def _numpycode(self, printer: Any) -> str:
            left, right, chosen, other = (printer._print(argument) for argument in self.args)
            where = printer._module_format("numpy.where")
            return f"{where}(({left}) {self.sign} ({right}), {chosen}, {other})"

        _scipycode = _numpycode

    class Less(_Selection):
        sign = "<"

    class LessEqual(_Selection):
        sign = "<="

    return Less, LessEqual


def select(comparison: str, left: Any, right: Any, chosen: Any, other: Any) -> Any:
    """`chosen` where ``left comparison right`` holds (one of ``< <= > >=``), otherwise `other`."""
    less, less_equal = kinds()
    if comparison.startswith(">"):
        left, right = right, left
    return (less_equal if comparison.endswith("=") else less)(left, right, chosen, other)
