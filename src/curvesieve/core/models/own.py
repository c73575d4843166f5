"""Terms that users declare themselves: formulas typed into a model, and open JSON files that can be shared."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from curvesieve.core.errors import FormulaError
from curvesieve.core.formula import parse
from curvesieve.core.models.term import Parameter, PeakShape, Term
from curvesieve.core.named_files import NamedFiles


class OwnParameter(BaseModel):
    """What a user says of a parameter of their own term; everything may be left out."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    description: str = ""
    lower: float | None = None
    upper: float | None = None
    start: float = 1.0


class OwnTerm(BaseModel):
    """A formula with a name. As a file: ``{"term": 1, "name": …, "formula": …, "parameters": {…}}``."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    term: Literal[1] = 1
    name: str = ""
    formula: str
    variable: str = "x"
    kind: Literal["law", "background", "peak"] = "law"
    description: str = ""
    reference: str = ""
    parameters: dict[str, OwnParameter] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _whole(self) -> OwnTerm:
        try:
            names = parse(self.formula, (self.variable,)).parameters
        except FormulaError as error:
            raise ValueError(str(error)) from error
        stray = set(self.parameters) - set(names)
        if stray:
            raise ValueError(f"the formula has no parameter {', '.join(sorted(stray))}")
        for name, said in self.parameters.items():
            if said.lower is not None and said.upper is not None and not said.lower < said.upper:
                raise ValueError(f"the limits of {name} are not in order")
        if self.kind == "peak" and not {"center", "height", "fwhm"} <= set(names):
            raise ValueError("a peak has the parameters center, height and fwhm, or it cannot be drawn and dragged")
        return self

    def as_term(self) -> Term:
        """The term that it declares, like one of the library."""
        return _term_of(self.model_dump_json())


@lru_cache(maxsize=512)
def _term_of(dumped: str) -> Term:
    own = OwnTerm.model_validate_json(dumped)
    names = parse(own.formula, (own.variable,)).parameters
    parameters = []
    for name in names:
        said = own.parameters.get(name, OwnParameter())
        lower, upper = (math.inf * sign if v is None else v for v, sign in ((said.lower, -1), (said.upper, 1)))
        parameters.append(Parameter(name, said.description or "a parameter of your formula", lower, upper, said.start))
    return Term(
        "own", own.name or "Your formula", own.kind, own.formula, tuple(parameters),
        own.reference or "your own formula", "Your own", own.description, variable=own.variable,
        shape=PeakShape() if own.kind == "peak" else None,
    )  # fmt: skip


def own_formula(text: str, variable: str = "x", old: OwnTerm | None = None) -> OwnTerm:
    """A typed formula as a term; what was said of parameters that it still has is kept. Raises FormulaError."""
    names = parse(text, (variable,)).parameters
    kept = {name: said for name, said in old.parameters.items() if name in names} if old else {}
    return OwnTerm(formula=text, variable=variable, parameters=kept)


def _dumped(own: OwnTerm) -> Any:
    return own.model_dump(mode="json", exclude_none=True)


def _named(own: OwnTerm, name: str) -> OwnTerm:
    return own.model_copy(update={"name": name})


TERM_FILES = NamedFiles("term", "terms", ".term.json", OwnTerm.model_validate, _dumped, lambda own: own.name, _named)
"""Terms that users keep and hand on."""
