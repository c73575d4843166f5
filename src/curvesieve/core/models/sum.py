"""A sum of formulas with one list of parameters: what a fit works on.

Each piece is compiled on its own and kept, so that a model of ten peaks costs the algebra of one.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.formula import Compiled, Formula, compile_formula, derivative, evaluate, parse
from curvesieve.core.models.integrals import Averaged
from curvesieve.core.models.term import Term

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Piece:
    """A formula whose parameters stand at `places` in the sum's list; `owner` is the number of its term.

    Where it is `averaged`, the formula is for reading and for units only.
    """

    formula: Formula
    places: tuple[int, ...]
    owner: int = 0
    averaged: Averaged | None = None

    @property
    def names(self) -> tuple[str, ...]:
        """The names of its parameters in its own formula, in the order of `places`."""
        return self.formula.parameters if self.averaged is None else self.averaged.names

    @property
    def compiled(self) -> Compiled | Averaged:
        """What gives its values and slopes."""
        return compile_formula(self.formula) if self.averaged is None else self.averaged

    def slope(self, x: Floats, p: Sequence[float] | Floats) -> Floats:
        """Its slope against x, of shape (n,); `p` are the parameters of the sum."""
        numbers = [np.float64(p[i]) for i in self.places]
        if self.averaged is not None:
            return self.averaged.slope(x, numbers)
        return np.asarray(derivative(self.formula)((x,), numbers))


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
        if piece.averaged is not None:
            return np.asarray(piece.averaged.value(list(np.atleast_2d(x)), [p[i] for i in piece.places]))
        values = dict(zip(piece.formula.variables, np.atleast_2d(x), strict=True))
        values |= {name: np.float64(p[i]) for name, i in zip(piece.formula.parameters, piece.places, strict=True)}
        return np.broadcast_to(evaluate(piece.formula, values), np.shape(x)[-1])

    def evaluate_many(self, rows: Sequence[Floats], draws: Floats) -> Floats:
        """The values (draws, n) for many parameter vectors of shape (draws, parameters) at once."""
        total = np.zeros((len(draws), rows[0].size))
        for piece in self.pieces:
            if piece.averaged is not None:
                chosen = draws[:, list(piece.places)]
                total = total + np.array([piece.averaged.value(rows, one.tolist()) for one in chosen])
                continue
            variables = dict(zip(piece.formula.variables, rows, strict=True))
            named = zip(piece.formula.parameters, piece.places, strict=True)
            total = total + evaluate(piece.formula, variables | {name: draws[:, i, None] for name, i in named})
        return total

    @cached_property
    def _compiled(self) -> tuple[tuple[Compiled | Averaged, tuple[int, ...]], ...]:
        return tuple((piece.compiled, piece.places) for piece in self.pieces)

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
                given = [p[i] for i in places]
                made = _each(compiled, rows, given) if isinstance(compiled, Averaged) else compiled.both(rows, given)
                piece, *columns = made
            stacked[-1] = piece if not place else stacked[-1] + piece
            for i, column in zip(places, columns, strict=True):
                stacked[i] = stacked[i] + column if self._shared else column
        return stacked


def _each(compiled: Averaged, rows: Sequence[Floats], numbers: Sequence[Floats]) -> Floats:
    """Averages of many curves, a curve after the other: rows (curves, n), numbers (curves, 1) each."""
    shape = np.broadcast_shapes(rows[0].shape, *(np.shape(one) for one in numbers))
    x = np.broadcast_to(rows[0], shape).reshape(-1, shape[-1])
    each = [np.broadcast_to(one, shape).reshape(-1, shape[-1])[:, 0] for one in numbers]
    made = [
        [np.broadcast_to(part, row.shape) for part in compiled.both([row], [float(one[k]) for one in each])]
        for k, row in enumerate(np.ascontiguousarray(x))
    ]
    return np.array(made).transpose(1, 0, 2).reshape(-1, *shape)


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


def term_piece(term: Term) -> Piece:
    """A term as a piece whose parameters stand in their own order."""
    averaged = term.averaged
    made = Piece(term.parsed, (), averaged=averaged)
    return replace(made, places=tuple(range(len(made.names))))


@lru_cache(maxsize=256)
def term_sum(term: Term) -> FormulaSum:
    """The sum that is one term alone, without what it adds over peaks."""
    piece = term_piece(term)
    return FormulaSum(piece.names, (piece,), (term.variable,))


@lru_cache(maxsize=256)
def formula_sum(text: str, variables: tuple[str, ...] = ("x",)) -> FormulaSum:
    """The sum that is one formula typed by the user."""
    formula = parse(text, variables)
    return FormulaSum(formula.parameters, (Piece(formula, tuple(range(len(formula.parameters)))),), variables)
