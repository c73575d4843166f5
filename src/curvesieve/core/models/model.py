"""The model of a curve as the study keeps it: terms with starts, the points in use, and how the fit weighs them."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, model_validator

from curvesieve.core.curve import Curve, Flag
from curvesieve.core.errors import InputError
from curvesieve.core.formula import parse
from curvesieve.core.models import starts
from curvesieve.core.models.own import OwnTerm
from curvesieve.core.models.placed import ParameterState, PlacedTerm, place
from curvesieve.core.models.sum import FormulaSum, Piece, term_piece
from curvesieve.core.models.term import Derived

Loss = Literal["squared", "absolute", "huber", "soft_l1", "cauchy"]
Weights = Literal["u", "none", "counts", "proportional"]
_ENOUGH = 20_000
_SHIRLEY_NEEDS = "A Shirley background follows Gaussian, Lorentzian and pseudo-Voigt peaks only; choose one of those."


class Model(BaseModel):
    """A sum of terms over the x range low … high (None: no limit) without the gaps. Empty when it has no terms.

    At most one term has the number 0: a background, a law or a formula, on which the peaks stand. `weights` says what
    is taken for the uncertainty of the points, and `scaled` whether the parameters' u are multiplied by the scatter
    found. `derived` are named formulas in the parameters, read off after a fit.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    terms: tuple[PlacedTerm, ...] = ()
    low: float | None = None
    high: float | None = None
    gaps: tuple[tuple[float, float], ...] = ()
    loss: Loss = "squared"
    weights: Weights = "u"
    scaled: bool = True
    use_patched: bool = False
    derived: tuple[tuple[str, str], ...] = ()

    @model_validator(mode="after")
    def _whole(self) -> Model:
        if sum(not placed.number for placed in self.terms) > 1:
            raise ValueError("a model has one background or law; write the sum of two as one formula")
        if self._lacks_cumulative():
            raise ValueError(_SHIRLEY_NEEDS)
        return self

    def _lacks_cumulative(self) -> bool:
        shirley = any(placed.term.over_peaks for placed in self.terms)
        return shirley and any(p.term.shape is None or not p.term.shape.cumulative for p in self.peaks)

    @property
    def peaks(self) -> tuple[PlacedTerm, ...]:
        """The terms that are peaks, in their order."""
        return tuple(placed for placed in self.terms if placed.number)

    @property
    def background(self) -> PlacedTerm | None:
        """What the peaks stand on: a background, or a law."""
        return next((placed for placed in self.terms if not placed.number), None)

    @property
    def lines(self) -> tuple[PlacedTerm, ...]:
        """The peaks that are no second lines of others."""
        return tuple(placed for placed in self.peaks if not placed.second_of)

    def term_numbered(self, number: int) -> PlacedTerm:
        """The term of that number; 0 is what peaks stand on."""
        return next(placed for placed in self.terms if placed.number == number)

    @property
    def names(self) -> tuple[str, ...]:
        """All parameters' full names, term by term."""
        return tuple(placed.full_name(p.name) for placed in self.terms for p in placed.term.parameters)

    @property
    def following(self) -> dict[str, tuple[PlacedTerm, Derived]]:
        """What follows from the parameters by full names, such as ``area_1``, and from which term."""
        found = {p.full_name(derived.name): (p, derived) for p in self.terms for derived in p.term.derived}
        names = set(self.names)
        return {name: pair for name, pair in found.items() if name not in names}

    @property
    def inner(self) -> tuple[str, ...]:
        """Parameters that are the weights of a term's inner basis: what follows from them is shown in their place."""
        return tuple(p.full_name(q.name) for p in self.terms if p.term.basis for q in p.term.parameters)

    @property
    def sum(self) -> FormulaSum:
        """The model as one sum of formulas."""
        return _sum_of(_Structure(self.terms))

    def _states(self) -> dict[str, ParameterState]:
        return {
            p.full_name(name): p.parameters[name] for p in self.terms for name in (q.name for q in p.term.parameters)
        }

    @property
    def start(self) -> dict[str, float]:
        """Where a fit begins, by full name."""
        return {name: state.start for name, state in self._states().items()}

    @property
    def held(self) -> tuple[str, ...]:
        """The full names of the parameters that are held; a tie comes before a hold."""
        return tuple(name for name, state in self._states().items() if state.hold and not state.tie)

    @property
    def ties(self) -> dict[str, str]:
        """The formulas of the tied parameters, by full name."""
        return {name: state.tie for name, state in self._states().items() if state.tie}

    @property
    def bounds(self) -> dict[str, tuple[float, float]]:
        """The bounds of those parameters that have any."""
        found = {p.full_name(q.name): p.limits(q.name) for p in self.terms for q in p.term.parameters}
        return {name: pair for name, pair in found.items() if np.isfinite(pair).any()}

    def points_in_use(self, curve: Curve) -> NDArray[np.bool_]:
        """A mask of the points a fit uses: in the range, in no gap, not left out, and not patched unless asked for.

        The mask has shape (n,), a value a point of the curve.
        """
        unused = Flag.LEFT_OUT if self.use_patched else Flag.PATCHED | Flag.LEFT_OUT
        mask = (curve.flags & unused) == 0
        if self.low is not None:
            mask &= curve.x >= self.low
        if self.high is not None:
            mask &= curve.x <= self.high
        for low, high in self.gaps:
            mask &= (curve.x < low) | (curve.x > high)
        return np.asarray(mask, dtype=np.bool_)

    def in_use(self, curve: Curve) -> Curve:
        """The points of `points_in_use`; raises InputError when there are none."""
        mask = self.points_in_use(curve)
        if not mask.any():
            raise InputError("No point lies in the range in use. Drag the band over the curve.")
        return curve.take(mask)

    def add_peak(self, slug: str, curve: Curve, pointed: float, own: OwnTerm | None = None) -> Model:
        """The model with a peak more, its start read off the curve where the user pointed."""
        number = max((placed.number for placed in self.terms), default=0) + 1
        return self._with_terms((*self.peaks, self._placed(slug, number, curve, pointed, own), *self._rest()))

    def _with_terms(self, terms: tuple[PlacedTerm, ...]) -> Model:
        made = self.model_copy(update={"terms": terms})
        if made._lacks_cumulative():
            raise InputError(_SHIRLEY_NEEDS)
        return made

    def with_peaks(self, peaks: tuple[PlacedTerm, ...]) -> Model:
        """The model with these peaks on its background. Raises InputError where it cannot carry them."""
        return self._with_terms((*peaks, *self._rest()))

    def _rest(self) -> tuple[PlacedTerm, ...]:
        return () if self.background is None else (self.background,)

    def _placed(
        self, slug: str, number: int, curve: Curve, pointed: float | None = None, own: OwnTerm | None = None
    ) -> PlacedTerm:
        used = self.in_use(curve)
        if not number and len(used) > _ENOUGH:  # a level or a slope is seen in fewer points as well
            used = used.take(slice(None, None, len(used) // _ENOUGH))
        data = starts.Data(used.x, used.y, pointed)
        if number:
            backdrop = self.background or place("line", 0, data)
            below = Model.model_construct(terms=(backdrop,))
            data = starts.Data(used.x, used.y - below.sum.evaluate(used.x, list(below.start.values())), pointed)
        return place(slug, number, data, own)

    def with_background(self, slug: str | None, curve: Curve, own: OwnTerm | None = None) -> Model:
        """The model with another background or law, or with none; its start is read off the curve."""
        rest = () if slug is None else (self._placed(slug, 0, curve, own=own),)
        return self._with_terms((*self.peaks, *rest))

    def without(self, number: int) -> Model:
        """The model without the term of that number and its second lines; the other peaks keep theirs."""
        gone = {number, *(placed.number for placed in self.terms if number and placed.second_of == number)}
        return self.model_copy(update={"terms": tuple(placed for placed in self.terms if placed.number not in gone)})

    def replaced(self, changed: PlacedTerm) -> Model:
        """The model with one term changed, found by its number."""
        terms = tuple(changed if placed.number == changed.number else placed for placed in self.terms)
        return self.model_copy(update={"terms": terms})

    def whole(self) -> Model:
        """The model without ties and named quantities that name parameters which are not there any more."""
        names = set(self.names)
        terms = tuple(
            placed.model_copy(
                update={
                    "parameters": {
                        name: state if _names_in(state.tie) <= names else state.model_copy(update={"tie": ""})
                        for name, state in placed.parameters.items()
                    }
                }
            )
            for placed in self.terms
        )
        known = names | set(self.following)
        derived = tuple((name, text) for name, text in self.derived if _names_in(text) <= known)
        return self.model_copy(update={"terms": terms, "derived": derived})

    def unit_texts(self, x_unit: str, y_unit: str) -> dict[str, str]:
        """The units of all parameters by full name, given those of x and y."""
        return {
            p.full_name(q.name): p.term.unit_text(q.name, x_unit, y_unit) for p in self.terms for q in p.term.parameters
        }

    def like(self, other: Model, values: dict[str, float]) -> Model:
        """The model at values of another with the same terms; a polynomial's basis comes along with them."""
        made, ground = self.starting_at(values), other.background
        if made.background is None or ground is None or ground.span is None:
            return made
        return made.replaced(made.background.model_copy(update={"span": ground.span}))

    def starting_at(self, values: dict[str, float]) -> Model:
        """The model beginning at other values, by full names; those not named stay."""
        return self.model_copy(
            update={
                "terms": tuple(
                    p.with_starts({n: values[p.full_name(n)] for n in p.parameters if p.full_name(n) in values})
                    for p in self.terms
                )
            }
        )


def _names_in(text: str) -> set[str]:
    """The parameters that a tie or a named quantity needs; none for an empty text."""
    return set(parse(text, ()).parameters) if text else set()


class _Structure:
    """The terms of a model, equal when their formulas are: starts and limits do not count."""

    def __init__(self, terms: tuple[PlacedTerm, ...]) -> None:
        self.terms = terms
        self.key: tuple[Any, ...] = tuple(placed.key for placed in terms)

    def __hash__(self) -> int:
        return hash(self.key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Structure) and self.key == other.key


@lru_cache(maxsize=256)
def _sum_of(structure: _Structure) -> FormulaSum:
    """Kept by structure, not on the model: pydantic's copies would carry a kept value into a changed model."""
    placed = structure.terms
    names = tuple(one.full_name(p.name) for one in placed for p in one.term.parameters)
    pieces = []
    for i, one in enumerate(placed):
        pieces.append(replace(term_piece(one.term), owner=i))
        pieces[-1] = replace(pieces[-1], places=tuple(names.index(one.full_name(n)) for n in pieces[-1].names))
        if one.term.over_peaks:
            pieces += [_over_peak(one, peak, names, i) for peak in placed if peak.number]
    return FormulaSum(names, tuple(pieces))


def _over_peak(background: PlacedTerm, peak: PlacedTerm, names: tuple[str, ...], owner: int) -> Piece:
    """What a background adds for a peak: its formula with the peak's cumulative area put in."""
    shape = peak.term.shape
    assert shape is not None
    formula = parse(f"cumulative = {shape.cumulative}\n{background.term.over_peaks}")
    own = {p.name for p in background.term.parameters}
    places = [(background if name in own else peak).full_name(name) for name in formula.parameters]
    return Piece(formula, tuple(names.index(name) for name in places), owner)
