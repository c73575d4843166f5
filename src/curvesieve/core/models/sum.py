"""A sum of formulas with one list of parameters: what a fit works on.

Each piece is compiled on its own and kept, so that a model of ten peaks costs the algebra of one.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.formula import Compiled, Formula, compile_formula, evaluate, parse

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Piece:
    """A formula whose parameters stand at `places` in the sum's list; `owner` is the number of its term."""

    formula: Formula
    places: tuple[int, ...]
    owner: int = 0


@dataclass(frozen=True, eq=False)
class FormulaSum:
    """The sum of its pieces as functions of x and of one parameter vector."""

    names: tuple[str, ...]
    pieces: tuple[Piece, ...]
    variables: tuple[str, ...] = ("x",)

    def evaluate(self, x: Floats, p: Sequence[float]) -> Floats:
        """The value at x, at once and without algebra; x has shape (n,) or (number of variables, n)."""
        total = np.zeros(np.shape(x)[-1])
        for piece in self.pieces:
            total = total + self.evaluate_piece(piece, x, p)
        return total

    def evaluate_piece(self, piece: Piece, x: Floats, p: Sequence[float]) -> Floats:
        """The value of one piece at x. `x` has shape (n,) or (variables, n), the answer (n,)."""
        values = dict(zip(piece.formula.variables, np.atleast_2d(x), strict=True))
        values |= {name: np.float64(p[i]) for name, i in zip(piece.formula.parameters, piece.places, strict=True)}
        return np.broadcast_to(evaluate(piece.formula, values), np.shape(x)[-1])

    def evaluate_many(self, rows: Sequence[Floats], draws: Floats) -> Floats:
        """The values (draws, n) for many parameter vectors of shape (draws, parameters) at once."""
        total = np.zeros((len(draws), rows[0].size))
        for piece in self.pieces:
            variables = dict(zip(piece.formula.variables, rows, strict=True))
            named = zip(piece.formula.parameters, piece.places, strict=True)
            total = total + evaluate(piece.formula, variables | {name: draws[:, i, None] for name, i in named})
        return total

    @cached_property
    def _compiled(self) -> tuple[tuple[Compiled, tuple[int, ...]], ...]:
        return tuple((compile_formula(piece.formula), piece.places) for piece in self.pieces)

    def value(self, rows: Sequence[Floats], p: Floats, out: Floats) -> Floats:
        """Writes the value at the variables `rows` (each of shape (n,)) into `out` (n,)."""
        first = True
        numbers = p.tolist()  # plain floats: arithmetic between NumPy scalars is ten times slower
        for compiled, places in self._compiled:
            piece = _called(compiled.value, rows, [numbers[i] for i in places])
            if first:
                out[...] = piece
                first = False
            else:
                out += piece
        return out

    @cached_property
    def _shared(self) -> bool:
        """Whether some parameter stands in several pieces, whose slopes then add up."""
        places = [place for piece in self.pieces for place in piece.places]
        return len(set(places)) < len(self.names) or len(places) > len(self.names)

    def both(self, rows: Sequence[Floats], p: Floats, value: Floats, jacobian: Floats) -> None:
        """Writes the value into `value` (n,) and ∂value/∂parameter into `jacobian` (parameters, n)."""
        shared, first = self._shared, True
        numbers = p.tolist()
        if shared:
            jacobian[...] = 0.0
        for compiled, places in self._compiled:
            piece, *columns = _called(compiled.both, rows, [numbers[i] for i in places])
            if first:
                value[...] = piece
                first = False
            else:
                value += piece
            for i, column in zip(places, columns, strict=True):
                if shared:
                    jacobian[i] += column
                else:
                    jacobian[i] = column

    def both_along(self, rows: Sequence[Floats], p: Floats) -> Floats:
        """∂value/∂parameter and, last, the value, where points have parameters of their own.

        `rows` have any one shape, each of `p` one that goes with it, such as (curves, 1) with (curves, n); the answer
        has the shape (parameters + 1, that of the rows).
        """
        stacked = np.empty((len(self.names) + 1, *rows[0].shape))
        if self._shared:
            stacked[:-1] = 0.0
        for place, (compiled, places) in enumerate(self._compiled):
            with np.errstate(all="ignore"):
                piece, *columns = compiled.both(rows, [p[i] for i in places])
            stacked[-1] = piece if not place else stacked[-1] + piece
            for i, column in zip(places, columns, strict=True):
                stacked[i] = stacked[i] + column if self._shared else column
        return stacked


def _called(function: Callable[..., Any], rows: Sequence[Floats], numbers: list[float]) -> Any:
    """The function's value; where plain floats would raise or turn complex (a power of a negative number), NumPy's give
    what a solver steps back from: an infinity, or no number."""
    try:
        made = function(rows, numbers)
        if not any(np.iscomplexobj(part) for part in (made if isinstance(made, tuple | list) else (made,))):
            return made
    except (OverflowError, ZeroDivisionError):
        pass
    with np.errstate(all="ignore"):
        return function(rows, [np.float64(number) for number in numbers])


@lru_cache(maxsize=256)
def formula_sum(text: str, variables: tuple[str, ...] = ("x",)) -> FormulaSum:
    """The sum that is one formula typed by the user."""
    formula = parse(text, variables)
    return FormulaSum(formula.parameters, (Piece(formula, tuple(range(len(formula.parameters)))),), variables)
