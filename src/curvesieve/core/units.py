"""Units: the text a file gives, how it is shown, the unit of a product, and conversions.

A unit is kept as the text that came in ("cm-1"). Showing and multiplying need only the small reader below, so
that drawing an axis never loads the unit library; recognising and converting go through one pint registry.
"""

from __future__ import annotations

import re
from functools import cache, lru_cache
from typing import Any

import numpy as np

from curvesieve.core.errors import InputError

Factors = tuple[tuple[str, int], ...]
"""A unit as (symbol, exponent) pairs, in the order in which they were first named."""

# What laboratories write and no registry knows: kept as units of their own, convertible to nothing else.
TRADE_UNITS = ("counts", "count", "cts", "a.u.", "arb. u.", "arb. units", "arb.unit", "wt%", "at%", "mol%", "vol%", "σ")

_FACTOR = re.compile(r"^(?P<symbol>(?:[^\W\d_]|[%°.])+)(?:(?:\^|\*\*)?(?P<exponent>[+-]?\d+))?$")
_SUPERSCRIPT = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")
_PLAIN = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹−", "-0123456789-")


@lru_cache(maxsize=1024)
def factors(unit: str) -> Factors | None:
    """Reads ``cm-1``, ``1/cm``, ``N/mm^2``, ``N·m`` into factors; None when the text has no such shape."""
    text = unit.strip().translate(_PLAIN).replace("·", "*").replace("**", "^")
    if not text or text == "1":
        return ()
    if text in TRADE_UNITS:
        return ((text, 1),)
    powers: dict[str, int] = {}
    outer = inner = 1
    for token in re.findall(r"[*/()]|[^*/\s()]+", text):
        if token == "(":
            outer, inner = inner, inner  # a bracket takes the sign of the slash before it, to its end
        elif token == ")":
            outer = inner = 1
        elif token == "/":
            inner = -1
        elif token == "*":
            inner = outer
        else:
            if token != "1":
                match = _FACTOR.match(token)
                if not match:
                    return None
                powers[match["symbol"]] = powers.get(match["symbol"], 0) + inner * int(match["exponent"] or 1)
            inner = outer
    return tuple((symbol, power) for symbol, power in powers.items() if power)


def shown(unit: str) -> str:
    """The unit as it is set on screen: ``cm-1`` → ``cm⁻¹``. A text that is no unit is shown as it is."""
    parts = factors(unit)
    if parts is None:
        return unit
    return "·".join(s if p == 1 else s + str(p).translate(_SUPERSCRIPT) for s, p in parts)


def written(unit: str) -> str:
    """The unit in plain ASCII exponents, as files have it: ``cm⁻¹`` → ``cm-1``."""
    parts = factors(unit)
    return unit if parts is None else " ".join(s if p == 1 else f"{s}{p}" for s, p in parts)


def labelled(name: str, unit: str) -> str:
    """An axis or column title: ``Raman shift (cm⁻¹)``."""
    return f"{name} ({shown(unit)})" if unit else name


def power_product(x_unit: str, x_power: int, y_unit: str, y_power: int) -> str:
    """The unit of x**x_power · y**y_power, the form in which a term declares its parameters' units."""
    powers: dict[str, int] = {}
    for unit, power in ((y_unit, y_power), (x_unit, x_power)):
        parts = factors(unit)
        for symbol, exponent in ((unit, 1),) if parts is None else parts:
            powers[symbol] = powers.get(symbol, 0) + exponent * power
    return "·".join(s if p == 1 else f"{s}^{p}" for s, p in powers.items() if p and s.strip())


@cache
def registry() -> Any:
    """The one pint registry, made when a unit is first converted or checked."""
    import pint

    return pint.UnitRegistry(cache_folder=None)


@lru_cache(maxsize=1024)
def is_known(unit: str) -> bool:
    """Whether the text names a unit that can be converted, or one of the trade's own."""
    if unit.strip() in TRADE_UNITS:
        return True
    return bool(unit.strip()) and _parsed(unit) is not None


def _parsed(unit: str) -> Any:
    parts = factors(unit)
    if parts is None:
        return None
    try:
        return registry().parse_units("*".join(f"{s}**{p}" for s, p in parts) or "dimensionless")
    except Exception:  # pint raises many kinds for a text it cannot read; all mean "not a unit"
        return None


def convert(values: np.ndarray, unit: str, target: str) -> np.ndarray:
    """Values in `unit` expressed in `target`; raises InputError when no exact conversion exists."""
    source, wanted = _parsed(unit), _parsed(target)
    for text, found in ((unit, source), (target, wanted)):
        if found is None:
            raise InputError(f"The unit “{text}” is not known, so nothing can be converted to or from it.")
    try:
        return np.asarray(registry().Quantity(values, source).to(wanted).magnitude)
    except Exception as error:
        raise InputError(f"“{unit}” cannot be converted to “{target}”: they measure different things.") from error
