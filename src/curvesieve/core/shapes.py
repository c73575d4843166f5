"""What a rule draws on the plot to show what it did, in data coordinates: lines, points, fills, words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from curvesieve.core.curve import Floats

Role = Literal["taken", "construction", "result", "aid"]
"""What a shape stands for, which the canvas gives a colour and a dash: what was `taken` off; a `construction`, such as
a line prolonged; the `result` itself; an `aid` to the eye."""


@dataclass(frozen=True, eq=False)
class Line:
    """A line through points x, y of one length; a gap where either is NaN."""

    x: Floats
    y: Floats
    role: Role = "construction"


@dataclass(frozen=True)
class Point:
    """One place that was found."""

    x: float
    y: float
    role: Role = "result"


@dataclass(frozen=True, eq=False)
class Fill:
    """The area between `low` and `high` over x, all of one length."""

    x: Floats
    low: Floats
    high: Floats
    role: Role = "aid"


@dataclass(frozen=True)
class Words:
    """A short text that begins at a place, such as a symbol with its number."""

    x: float
    y: float
    text: str
    role: Role = "result"


Shape = Line | Point | Fill | Words
