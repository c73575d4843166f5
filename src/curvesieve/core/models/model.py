"""The model of a curve as the study keeps it: terms with starts, holds and bounds, and the range in use."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator

from curvesieve.core.curve import Curve, Flag, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.formula import parse
from curvesieve.core.models import starts
from curvesieve.core.models.library import TERMS, Term
from curvesieve.core.models.sum import FormulaSum, Piece


class ParameterState(BaseModel):
    """What the user says of one parameter: where a fit begins and whether it is held. NaN is refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    start: float
    hold: bool = False


class PlacedTerm(BaseModel):
    """A library term in a model. `number` counts the peaks from 1; backgrounds have 0."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    slug: str
    number: int = Field(ge=0)
    parameters: dict[str, ParameterState]

    @field_validator("slug")
    @classmethod
    def _known(cls, slug: str) -> str:
        if slug not in TERMS:
            raise ValueError(f"there is no term {slug!r}; known are {', '.join(TERMS)}")
        return slug

    @property
    def term(self) -> Term:
        return TERMS[self.slug]

    @property
    def label(self) -> str:
        """``P1`` for the first peak, the term's own label for a background."""
        return f"P{self.number}" if self.number else self.term.label

    def full_name(self, parameter: str) -> str:
        """The parameter's name in the whole model: ``center_1``, ``offset``."""
        return f"{parameter}_{self.number}" if self.number else parameter

    def with_starts(self, values: dict[str, float]) -> PlacedTerm:
        """The same term beginning at other values; parameters not named keep theirs."""
        states = {
            name: state.model_copy(update={"start": float(values[name])}) if name in values else state
            for name, state in self.parameters.items()
        }
        return self.model_copy(update={"parameters": states})


class Model(BaseModel):
    """A sum of terms over the x range low … high (None: no limit). Empty when it has no terms."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    terms: tuple[PlacedTerm, ...] = ()
    low: float | None = None
    high: float | None = None

    @property
    def peaks(self) -> tuple[PlacedTerm, ...]:
        return tuple(placed for placed in self.terms if placed.number)

    @property
    def background(self) -> PlacedTerm | None:
        return next((placed for placed in self.terms if not placed.number), None)

    def term_numbered(self, number: int) -> PlacedTerm:
        return next(placed for placed in self.terms if placed.number == number)

    @property
    def names(self) -> tuple[str, ...]:
        """All parameters' full names, term by term."""
        return tuple(placed.full_name(p.name) for placed in self.terms for p in placed.term.parameters)

    @property
    def sum(self) -> FormulaSum:
        """The model as one sum of formulas."""
        return _sum_of(tuple((placed.slug, placed.number) for placed in self.terms))

    @property
    def start(self) -> dict[str, float]:
        return {
            placed.full_name(p.name): placed.parameters[p.name].start
            for placed in self.terms
            for p in placed.term.parameters
        }

    @property
    def held(self) -> tuple[str, ...]:
        return tuple(
            placed.full_name(name) for placed in self.terms for name, state in placed.parameters.items() if state.hold
        )

    def points_in_use(self, curve: Curve) -> NDArray[np.bool_]:
        """A mask of the points a fit uses: inside the range, neither patched nor left out."""
        mask = (curve.flags & (Flag.PATCHED | Flag.LEFT_OUT)) == 0
        if self.low is not None:
            mask &= curve.x >= self.low
        if self.high is not None:
            mask &= curve.x <= self.high
        return np.asarray(mask, dtype=np.bool_)

    def in_use(self, curve: Curve) -> Curve:
        """The points of `points_in_use`; raises InputError when there are none."""
        mask = self.points_in_use(curve)
        if not mask.any():
            raise InputError("No point lies in the range in use. Drag the band over the curve.")
        return curve.take(mask)

    def add_peak(self, slug: str, curve: Curve, pointed: float) -> Model:
        """The model with a peak more, its start read off the curve where the user pointed."""
        number = max((placed.number for placed in self.terms), default=0) + 1
        return self.model_copy(
            update={"terms": (*self.peaks, self._placed(slug, number, curve, pointed), *self._rest())}
        )

    def _rest(self) -> tuple[PlacedTerm, ...]:
        return () if self.background is None else (self.background,)

    def _placed(self, slug: str, number: int, curve: Curve, pointed: float | None = None) -> PlacedTerm:
        used = self.in_use(curve)
        y: Floats = used.y
        if number:
            backdrop = self.background or PlacedTerm.model_construct(
                slug="line", number=0, parameters=_states(TERMS["line"], starts.Data(used.x, used.y))
            )
            below = Model.model_construct(terms=(backdrop,))
            y = y - below.sum.evaluate(used.x, list(below.start.values()))
        return PlacedTerm(slug=slug, number=number, parameters=_states(TERMS[slug], starts.Data(used.x, y, pointed)))

    def with_background(self, slug: str | None, curve: Curve) -> Model:
        """The model with another background, or with none; its start is read off the curve."""
        rest = () if slug is None else (self._placed(slug, 0, curve),)
        return self.model_copy(update={"terms": (*self.peaks, *rest)})

    def without(self, number: int) -> Model:
        """The model without the term of that number; the other peaks keep theirs."""
        return self.model_copy(update={"terms": tuple(placed for placed in self.terms if placed.number != number)})

    def replaced(self, changed: PlacedTerm) -> Model:
        """The model with one term changed, found by its number."""
        terms = tuple(changed if placed.number == changed.number else placed for placed in self.terms)
        return self.model_copy(update={"terms": terms})


@lru_cache(maxsize=256)
def _sum_of(terms: tuple[tuple[str, int], ...]) -> FormulaSum:
    """Kept by structure, not on the model: pydantic's copies would carry a kept value into a changed model."""
    placed = [PlacedTerm.model_construct(slug=slug, number=number, parameters={}) for slug, number in terms]
    names = tuple(one.full_name(p.name) for one in placed for p in one.term.parameters)
    pieces = []
    for one in placed:
        formula = parse(one.term.formula)
        pieces.append(Piece(formula, tuple(names.index(one.full_name(name)) for name in formula.parameters)))
    return FormulaSum(names, tuple(pieces))


def _states(term: Term, data: starts.Data) -> dict[str, ParameterState]:
    values = term.start(data)
    return {parameter.name: ParameterState(start=values[parameter.name]) for parameter in term.parameters}
