"""One extracted quantity and how it is written with its uncertainty."""

from __future__ import annotations

import math
from dataclasses import dataclass
from decimal import Context, Decimal
from typing import NamedTuple

from curvesieve.core import units


class ReadingKey(NamedTuple):
    """What a reading is, in any curve: the same key in two curves is the same quantity, in one column of the ledger.

    `source` says what took it: ``fit`` (a parameter or what follows from it), ``own`` (a formula that the user named),
    ``statistics`` (of the fit), or a measure's id. `part` is the number of the peak or loop, 0 for the whole.
    """

    source: str
    quantity: str
    part: int = 0


@dataclass(frozen=True)
class Basis:
    """The points that a reading rests on: how many, of how many that were recorded, and from where to where in x."""

    used: int = 0
    recorded: int = 0
    span: tuple[float, float] | None = None


@dataclass(frozen=True)
class Reading:
    """A number with its standard uncertainty and the way it was made.

    `u` is the standard uncertainty in the unit of the value, None where it could not be found.
    `method` says how, in a few words; `reference` names the source of the method.
    """

    key: ReadingKey
    name: str
    symbol: str
    value: float
    u: float | None
    unit: str
    method: str
    reference: str
    basis: Basis = Basis()
    aside: bool = False
    """Whether it stands beside what was asked for, as R² beside a slope."""
    doubt: str = ""
    """Why it is not to be trusted as it stands, as a slope of what is not straight; empty: nothing is against it."""

    @property
    def how(self) -> str:
        """The method, and what makes the number doubtful, where there is such a thing."""
        return f"{self.method}; doubtful: {self.doubt}" if self.doubt else self.method

    @property
    def quantity(self) -> str:
        """What is read: ``center``, ``area``, a name of the user's."""
        return self.key.quantity

    @property
    def written(self) -> str:
        """``2.41(2) GPa``."""
        return f"{concise(self.value, self.u)} {units.shown(self.unit)}".strip()

    @property
    def part(self) -> int:
        """The number of the peak or loop, from 1; 0 for the whole."""
        return self.key.part


_EXACT = Context(prec=1200)
"""Digits enough for any two floats: nothing is rounded but where it is written to be."""


def _places(u: Decimal) -> int:
    """Decimal places that show u with one digit, or with two when its first digit is a 1 (common practice)."""
    return -u.adjusted() + (1 if u.as_tuple().digits[0] == 1 else 0)


def _fixed(value: Decimal, places: int) -> str:
    """The number with so many decimal places, rounded as it is written: 0.00035 is a tie, its binary is not."""
    rounded = value.quantize(Decimal(1).scaleb(-places, _EXACT), context=_EXACT)
    return f"{rounded + 0:f}" if rounded else f"{abs(rounded):f}"


def _written(value: float, u: float) -> tuple[str, str, int]:
    """A value and its u > 0 to the places of u, and the power of ten that both have lost to stay readable."""
    number, spread = Decimal(repr(float(value))), Decimal(repr(float(u)))
    magnitude = max(abs(number), spread)
    exponent = 0
    if _places(spread) < 0 or not Decimal("1e-4") <= magnitude < Decimal("1e7"):
        exponent = magnitude.adjusted()
        number, spread = number.scaleb(-exponent, _EXACT), spread.scaleb(-exponent, _EXACT)
    places = _places(spread)
    return _fixed(number, places), _fixed(spread, places), exponent


def concise(value: float, u: float | None) -> str:
    """``1338.1(3)``: the digits in brackets are u in the last places (JCGM 100:2008, 7.2.2)."""
    if not math.isfinite(value):
        return "–"
    if u is None or not math.isfinite(u):
        return f"{value:.6g}"
    if u <= 0:
        return f"{value:.10g}"
    number, spread, exponent = _written(value, u)
    return f"{number}({spread.replace('.', '').lstrip('0')})" + (f"e{exponent}" if exponent else "")


def plus_minus(value: float, u: float | None) -> str:
    """``1338.1 ± 0.3``, rounded in the same way as `concise`."""
    if not math.isfinite(value):
        return "–"
    if u is None or not math.isfinite(u) or u <= 0:
        return f"{value:.6g}"
    number, spread, exponent = _written(value, u)
    return f"({number} ± {spread})e{exponent}" if exponent else f"{number} ± {spread}"
