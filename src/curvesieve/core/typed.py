"""Numbers as people type, paste and place them."""

from __future__ import annotations

import math
import re

from curvesieve.core.errors import InputError


def numbers_in(text: str) -> list[float]:
    """The numbers of a text, with blanks, semicolons or commas between them; a comma alone may be a decimal one.

    Raises InputError for the first word that is no finite number.
    """
    found = []
    for word in re.split(r"[\s;]+|,\s+|,(?=\S*\.)", text):
        if not word:
            continue
        try:
            found.append(float(word.replace("−", "-").replace(",", ".")))
        except ValueError:
            raise InputError(f"“{word}” is not a number") from None
        if not math.isfinite(found[-1]):
            raise InputError(f"“{word}” is not a number")
    return found


def rounded(values: tuple[float, ...], span: float) -> tuple[float, ...]:
    """Numbers to about a thousandth of a span: what a hand can place, without endless digits."""
    if not span > 0 or not math.isfinite(span):
        return values
    places = math.ceil(3 - math.log10(span))
    return tuple(round(value, places) for value in values)


def placed(value: float, span: float) -> str:
    """A number with the digits that a thousandth of a span asks for: 5612034.25 in a span of 10, 5.6 in one of 100."""
    return f"{rounded((value,), span)[0]:.12g}"
