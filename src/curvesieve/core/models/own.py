"""Terms that users declare themselves: formulas typed into a model, and open JSON files that can be shared."""

from __future__ import annotations

import hashlib
import json
import math
import re
from functools import lru_cache
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from curvesieve.core.errors import FormulaError, InputError
from curvesieve.core.formula import parse
from curvesieve.core.models.term import Parameter, PeakShape, Term

SUFFIX = ".term.json"
_MAX_BYTES = 200_000


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


def read_term(path: Path) -> OwnTerm:
    """A term from its JSON file; raises InputError, which says what is wrong with it."""
    try:
        content = path.read_bytes()
        if len(content) > _MAX_BYTES:
            raise InputError(f"{path.name} is too large for a term; at most {_MAX_BYTES // 1000} kB are read.")
        found = OwnTerm.model_validate(json.loads(content))
    except OSError as error:
        raise InputError(f"{path.name} cannot be read: {error.strerror or error}.") from error
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise InputError(f"{path.name} is no JSON file: {error}.") from error
    except ValidationError as error:
        fault = error.errors()[0]
        where = ".".join(str(part) for part in fault["loc"])
        said = fault["msg"].removeprefix("Value error, ")
        raise InputError(f"{path.name} is no term: {where + ': ' if where else ''}{said}.") from error
    return found if found.name else found.model_copy(update={"name": path.name.removesuffix(SUFFIX)})


def own_terms(folder: Path) -> tuple[dict[str, OwnTerm], list[str]]:
    """The terms saved in a folder by name, and a sentence for each file that is none."""
    terms, problems = {}, []
    for path in sorted(folder.glob(f"*{SUFFIX}")):
        try:
            found = read_term(path)
            terms[found.name] = found
        except InputError as error:
            problems.append(str(error))
    return terms, problems


def term_file(own: OwnTerm, folder: Path) -> tuple[Path, str]:
    """Where a named term is saved, and the text of its file; raises InputError for a name without a letter."""
    slug = re.sub(r"[^\w-]+", "-", own.name).strip("-")
    if not slug:
        raise InputError("A term needs a name with a letter or a number in it.")
    path = folder / f"{slug}{SUFFIX}"
    if path.exists() and _name_in(path) != own.name:  # “a b” and “a-b” are two terms
        path = folder / f"{slug}-{hashlib.sha256(own.name.encode()).hexdigest()[:6]}{SUFFIX}"
    return path, own.model_dump_json(indent=1, exclude_none=True) + "\n"


def _name_in(path: Path) -> str | None:
    """The name of the term in a file; None where it holds none."""
    try:
        return read_term(path).name
    except InputError:
        return None
