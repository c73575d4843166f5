"""A sum of formulas with one list of parameters: what a fit works on.

Each piece is compiled on its own and kept, so that a model of ten peaks costs the algebra of one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.formula import Compiled, Formula, compile_formula, evaluate, parse

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Piece:
    """A formula whose parameters stand at `places` in the sum's list."""

    formula: Formula
    places: tuple[int, ...]


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
        """The value of one piece at x."""
        values = dict(zip(self.variables, np.atleast_2d(x), strict=True))
        values |= {name: np.float64(p[i]) for name, i in zip(piece.formula.parameters, piece.places, strict=True)}
        return np.broadcast_to(evaluate(piece.formula, values), np.shape(x)[-1])

    @cached_property
    def _compiled(self) -> tuple[tuple[Compiled, tuple[int, ...]], ...]:
        return tuple((compile_formula(piece.formula), piece.places) for piece in self.pieces)

    def value(self, rows: Sequence[Floats], p: Floats, out: Floats) -> Floats:
        """Writes the value at the variables `rows` (each of shape (n,)) into `out` (n,)."""
        first = True
        for compiled, places in self._compiled:
            piece = compiled.value(rows, [p[i] for i in places])
            if first:
                out[...] = piece
                first = False
            else:
                out += piece
        return out

    def jacobian(self, rows: Sequence[Floats], p: Floats, out: Floats) -> Floats:
        """Writes ∂value/∂parameter into `out` of shape (parameters, n)."""
        shared = len(self._compiled) > 1
        if shared:
            out[...] = 0.0
        for compiled, places in self._compiled:
            for i, column in zip(places, compiled.jacobian(rows, [p[j] for j in places]), strict=True):
                if shared:
                    out[i] += column
                else:
                    out[i] = column
        return out


def formula_sum(text: str, variables: tuple[str, ...] = ("x",)) -> FormulaSum:
    """The sum that is one formula typed by the user."""
    formula = parse(text, variables)
    return FormulaSum(formula.parameters, (Piece(formula, tuple(range(len(formula.parameters)))),), variables)
