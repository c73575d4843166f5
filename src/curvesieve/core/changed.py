"""Frozen parts with other values of their fields; what a field does not take is said in a sentence."""

from __future__ import annotations

from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from curvesieve.core.errors import InputError

P = TypeVar("P", bound=BaseModel)


def changed(part: P, **changes: Any) -> P:
    """A part with other values of its fields. Raises InputError, which says what a field takes."""
    whole = {name: getattr(part, name) for name in type(part).model_fields} | changes
    try:
        return type(part).model_validate(whole)
    except ValidationError as error:
        fault = error.errors()[0]
        where = " ".join(str(one).replace("_", " ") for one in fault["loc"] if not isinstance(one, int))
        said = str(fault["msg"]).removeprefix("Value error, ")
        raise InputError(f"{where}: {said[:1].lower()}{said[1:]}; what stood there is kept.") from error
