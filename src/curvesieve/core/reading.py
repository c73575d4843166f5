"""One extracted quantity and how it is written with its uncertainty."""

from __future__ import annotations

import math
from dataclasses import dataclass
from decimal import Decimal


@dataclass(frozen=True)
class Reading:
    """A number with its standard uncertainty and the way it was made.

    `u` is the standard uncertainty in the unit of the value, None where it could not be found.
    `method` says how, in a few words; `reference` names the source of the method.
    """

    name: str
    symbol: str
    value: float
    u: float | None
    unit: str
    method: str
    reference: str


def _places(u: float) -> int:
    """Decimal places that show u with one digit, or with two when the first is a 1 (common practice)."""
    exponent = math.floor(math.log10(u))
    first = int(f"{u:.0e}"[0])
    if float(f"{u:.0e}") >= 10 ** (exponent + 1):
        exponent += 1
    return -exponent + (1 if first == 1 else 0)


def _fixed(value: float, places: int) -> str:
    """The number with so many decimal places, rounded as it is written: 0.00035 is a tie, its binary is not."""
    return f"{Decimal(repr(value)).quantize(Decimal(1).scaleb(-places)):f}"


def concise(value: float, u: float | None) -> str:
    """``1338.1(3)``: the digits in brackets are u in the last places (JCGM 100:2008, 7.2.2)."""
    if not math.isfinite(value):
        return "–"
    if u is None or not math.isfinite(u):
        return f"{value:.6g}"
    if u <= 0:
        return f"{value:.10g}"
    value, u = float(value), float(u)
    places = _places(u)
    magnitude = max(abs(value), u)
    if places < 0 or magnitude >= 1e7 or magnitude < 1e-4:
        exponent = math.floor(math.log10(magnitude))
        body = concise(value / 10**exponent, u / 10**exponent)
        return f"{body}e{exponent}" if exponent else body
    return f"{_fixed(value, places)}({_fixed(u, places).replace('.', '').lstrip('0')})"


def plus_minus(value: float, u: float | None) -> str:
    """``1338.1 ± 0.3``, rounded in the same way as `concise`."""
    if not math.isfinite(value):
        return "–"
    if u is None or not math.isfinite(u) or u <= 0:
        return f"{value:.6g}"
    value, u = float(value), float(u)
    places = _places(u)
    magnitude = max(abs(value), u)
    if places < 0 or magnitude >= 1e7 or magnitude < 1e-4:
        exponent = math.floor(math.log10(magnitude))
        if exponent:
            scaled = 10.0**exponent
            inner = max(_places(u / scaled), 0)
            return f"({_fixed(value / scaled, inner)} ± {_fixed(u / scaled, inner)})e{exponent}"
    places = max(places, 0)
    return f"{_fixed(value, places)} ± {_fixed(u, places)}"
