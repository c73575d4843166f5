"""A term in a model: which one, and what the user says of its parameters."""

from __future__ import annotations

import math
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, SerializerFunctionWrapHandler, model_serializer, model_validator

from curvesieve.core.models import starts
from curvesieve.core.models.library import is_known, is_spanned, term_of
from curvesieve.core.models.own import OwnTerm
from curvesieve.core.models.term import Term


class ParameterState(BaseModel):
    """What the user says of one parameter: where a fit begins, whether it is held, its limits, what it is tied to.

    Without limits of its own it has those of its term. NaN is refused.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    start: float
    hold: bool = False
    lower: float | None = None
    upper: float | None = None
    tie: str = ""
    """A formula in the full names of other parameters; empty for a free one."""

    @property
    def said(self) -> bool:
        """Whether anything beside the start is said of it."""
        return self.hold or bool(self.tie) or self.lower is not None or self.upper is not None


class PlacedTerm(BaseModel):
    """A term in a model. `number` counts the peaks from 1; what they stand on has 0.

    `own` declares a formula that is not the library's; `span` is the x range of the basis of a polynomial or a spline.
    `second_of` is the number of the peak whose second line this one is: it is tied to it, and is no reading of its own.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    slug: str
    number: int = Field(ge=0)
    parameters: dict[str, ParameterState]
    own: OwnTerm | None = None
    span: tuple[float, float] | None = None
    second_of: int = Field(default=0, ge=0)
    name: str = Field(default="", max_length=60)
    """What the user calls a peak: ``G band``."""

    @model_serializer(mode="wrap")
    def _written(self, write: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """Without what is not said: what was written before these fields were known stays the same, and so its hash."""
        made: dict[str, Any] = write(self)
        for name in ("second_of", "name"):
            if not made.get(name):
                made.pop(name, None)
        return made

    @model_validator(mode="after")
    def _known(self) -> PlacedTerm:
        if (self.slug == "own") != (self.own is not None) or not (self.own or is_known(self.slug)):
            raise ValueError(f"there is no term {self.slug!r}; see `curvesieve terms`")
        if set(self.parameters) != {p.name for p in self.term.parameters}:
            raise ValueError(f"the parameters of {self.slug} are {', '.join(p.name for p in self.term.parameters)}")
        return self

    @property
    def term(self) -> Term:
        """What is placed: a term of the library, or the user's own."""
        return self.own.as_term() if self.own is not None else term_of(self.slug, self.span)

    @property
    def key(self) -> tuple[Any, ...]:
        """What the term's formula depends on."""
        return self.slug, self.number, self.span, None if self.own is None else self.own.model_dump_json()

    @property
    def label(self) -> str:
        """``P1`` for the first peak, ``P1′`` for its second line, the term's own label for what peaks stand on."""
        if self.name:
            return self.name
        if self.second_of:
            return f"P{self.second_of}′"
        return f"P{self.number}" if self.number else self.term.label

    def full_name(self, parameter: str) -> str:
        """The parameter's name in the whole model: ``center_1``, ``offset``."""
        return f"{parameter}_{self.number}" if self.number else parameter

    def with_states_of(self, other: PlacedTerm) -> PlacedTerm:
        """The same term with what is said of the parameters that another has, too."""
        shared = {name: other.parameters.get(name, state) for name, state in self.parameters.items()}
        return self.model_copy(update={"parameters": shared})

    def with_starts(self, values: dict[str, float]) -> PlacedTerm:
        """The same term beginning at other values; parameters not named keep theirs."""
        states = {
            name: state.model_copy(update={"start": float(values[name])}) if name in values else state
            for name, state in self.parameters.items()
        }
        return self.model_copy(update={"parameters": states})

    def with_state(self, name: str, **changes: object) -> PlacedTerm:
        """The same term with something else said of one parameter."""
        state = ParameterState.model_validate({**self.parameters[name].model_dump(), **changes})
        return self.model_copy(update={"parameters": {**self.parameters, name: state}})

    def limits(self, name: str) -> tuple[float, float]:
        """The bounds that the user set; without any, none: the term's own limits only turn widths upright."""
        state = self.parameters[name]
        return (
            -math.inf if state.lower is None else state.lower,
            math.inf if state.upper is None else state.upper,
        )


def place(slug: str, number: int, data: starts.Data, own: OwnTerm | None = None) -> PlacedTerm:
    """A term placed with the starts that its rule reads off the data, or the declared ones."""
    span = None
    if is_spanned(slug):
        span = (float(data.x.min()), float(data.x.max()))
    term = own.as_term() if own is not None else term_of(slug, span)
    values = term.start_values(data)
    states = {p.name: ParameterState(start=float(values[p.name]), hold=p.held) for p in term.parameters}
    return PlacedTerm(slug=slug, number=number, parameters=states, own=own, span=span)
