"""Units: the text a file gives, how it is shown, the unit of a product, and conversions.

A unit is kept as the text that came in ("cm-1"). Showing and multiplying need only the small reader below, so
that drawing an axis never loads the unit library; recognising and converting go through one pint registry.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from functools import cache, lru_cache
from typing import Any

import numpy as np

from curvesieve.core.errors import InputError

Factors = tuple[tuple[str, int], ...]
"""A unit as (symbol, exponent) pairs, in the order in which they were first named."""

# What laboratories write and no registry knows: kept as units of their own, convertible to nothing else.
TRADE_UNITS = (
    "counts", "count", "cts", "a.u.", "arb. u.", "arb. units", "arb.unit", "abs.", "Abs.", "wt%", "at%", "mol%", "vol%",
    "σ",
)  # fmt: skip

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
    said = shown(unit)  # a unit of 1 is shown as none
    return f"{name} ({said})" if said else name


@lru_cache(maxsize=4096)
def power_product(x_unit: str, x_power: Fraction | int, y_unit: str, y_power: Fraction | int) -> str:
    """The unit of x**x_power · y**y_power; a power that is no whole number stands in brackets."""
    powers: dict[str, Fraction | int] = {}
    for unit, power in ((y_unit, y_power), (x_unit, x_power)):
        parts = factors(unit)
        for symbol, exponent in ((unit, 1),) if parts is None else parts:
            powers[symbol] = powers.get(symbol, 0) + exponent * power
    return "·".join(
        s if p == 1 else f"{s}^{p}" if p.denominator == 1 else f"{s}^({p})"
        for s, p in powers.items()
        if p and s.strip()
    )


@cache
def registry() -> Any:
    """The one pint registry, made when a unit is first converted or checked."""
    import pint

    return pint.UnitRegistry(cache_folder=None, non_int_type=Decimal)


@dataclass(frozen=True)
class InBase:
    """A unit against the base units of its kind: base value = value·factor + offset.

    `powers` are the (base symbol, power) pairs, sorted; a unit that is not known is a base of its own.
    """

    factor: float
    offset: float
    powers: tuple[tuple[str, Fraction], ...]


@lru_cache(maxsize=1024)
def in_base(unit: str) -> InBase:
    """What a unit measures and how large it is; a plain number for no unit. Never fails: see `InBase`."""
    parts = factors(unit)
    if parts is None:
        return InBase(1.0, 0.0, ((unit.strip(), Fraction(1)),))
    factor, offset = 1.0, 0.0
    powers: dict[str, Fraction] = {}
    for symbol, power in parts:
        known = None if symbol in TRADE_UNITS else _parsed(symbol)
        if known is None:
            powers[symbol] = powers.get(symbol, Fraction(0)) + power
            continue
        quantity = registry().Quantity
        one, zero = (quantity(Decimal(number), known).to_base_units() for number in (1, 0))
        if parts == ((symbol, 1),):
            offset = float(zero.magnitude)
        factor *= float((one.magnitude - zero.magnitude) ** power)
        for base, exponent in one.unit_items():
            if base != "radian":  # an angle is a plain number in formulas
                powers[base] = powers.get(base, Fraction(0)) + Fraction(exponent).limit_denominator(1000) * power
    return InBase(factor, offset, tuple(sorted((base, power) for base, power in powers.items() if power)))


ARBITRARY = ("counts", "count", "cts", "a.u.", "arb. u.", "arb. units", "arb.unit", "")
"""Scales without a size of their own: numbers in one of them mean what they mean in another."""


def alike(unit: str, other: str) -> bool:
    """Whether numbers in one unit mean the same in the other: ``cm-1`` and ``1/cm``, or two arbitrary scales."""
    one, two = unit.strip(), other.strip()
    return one == two or in_base(one) == in_base(two) or (one in ARBITRARY and two in ARBITRARY)


def convertible(unit: str, other: str) -> bool:
    """Whether numbers in one unit can be written in the other: ``s`` and ``ms``, or two that are `alike`."""
    if alike(unit, other):
        return True
    try:
        _conversion(unit, other)
    except InputError:
        return False
    return True


_USUAL = """
    Pa kPa MPa GPa psi ksi N kN mN lbf m mm µm nm Å cm inch J mJ kJ MJ/m^3 kJ/m^3 J/m^3 J/m^2 kJ/m^2 N/m N/mm kN/m s ms
    min h d Hz kHz MHz 1/s 1/min 1/h K °C % 1 1/cm 1/nm 1/Å eV meV kJ/mol g mg kg V mV A mA Ω kΩ S/m mm^2 m^2 mm^3 m^3 L
    mL m/s mm/s mm/min W mW Pa*s mPa*s degree radian
"""
"""Units that laboratories show numbers in."""


def of_kind(unit: str) -> list[str]:
    """Common units that numbers in `unit` can be converted to, without itself."""
    if not is_known(unit or "1"):
        return []
    powers = in_base(unit).powers
    angle = "radian" in unit or "deg" in unit or unit == "°"
    found = []
    for one in _USUAL.split():
        plain_angle = one in ("degree", "radian")
        same = sorted(factors(one) or ()) == sorted(factors(unit) or ())
        if in_base(one).powers == powers and not same and (plain_angle == angle or powers):
            found.append(one)
    return found


def has_own_zero(unit: str) -> bool:
    """Whether a unit counts from a zero of its own, as °C does: its numbers have differences, but no ratios or sums."""
    return in_base(unit).offset != 0


def of_difference(unit: str) -> tuple[float, str]:
    """What the difference of two values is multiplied by, and its unit: kelvin for °C and °F, else the same."""
    return (in_base(unit).factor, "K") if has_own_zero(unit) else (1.0, unit)


def read_change(text: str) -> tuple[str, str]:
    """What a unit field says: ``mm`` → (``mm``, ``""``); ``% → 1`` or ``% -> 1`` → (``%``, ``1``), a conversion."""
    unit, arrow, target = text.replace("->", "→").partition("→")
    return unit.strip(), (target.strip() or "1") if arrow else ""


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
    for spelling in (str, _small):  # Ohm, Volt, Newton: names of units, as one begins a noun
        try:
            return registry().parse_units("*".join(f"{spelling(s)}**{p}" for s, p in parts) or "dimensionless")
        except Exception:  # pint raises many kinds for a text it cannot read; all mean "not a unit"
            continue
    return None


def _small(symbol: str) -> str:
    """A unit's name in small letters; symbols of one or two letters mean other things in them."""
    return symbol.lower() if len(symbol) > 2 and symbol[0].isupper() and symbol[1:].islower() else symbol


def convert(values: np.ndarray, unit: str, target: str) -> np.ndarray:
    """Values in `unit` expressed in `target`; raises InputError when no exact conversion exists.

    The factor is worked out in decimal arithmetic and a factor such as 1/100 divides, so that 5.5 % is 0.055.
    `values` may have any shape, and the answer has the same.
    """
    factor, zero = _conversion(unit, target)
    inverse = 1 / factor
    whole = abs(factor) < 1 and inverse == inverse.to_integral_value()
    scaled = np.asarray(values) / float(inverse) if whole else np.asarray(values) * float(factor)
    return np.asarray(scaled + float(zero))


@lru_cache(maxsize=1024)
def _conversion(unit: str, target: str) -> tuple[Decimal, Decimal]:
    """Factor and zero of a conversion; raises as `convert`. Kept: reading units costs more than most conversions."""
    source, wanted = _parsed(unit if unit.strip() else "1"), _parsed(target if target.strip() else "1")
    for text, found in ((unit, source), (target, wanted)):
        if found is None:
            raise InputError(f"The unit “{text}” is not known, so nothing can be converted to or from it.")
    quantity = registry().Quantity
    try:
        one, zero = (quantity(Decimal(number), source).to(wanted).magnitude for number in (1, 0))
    except Exception as error:
        raise InputError(f"“{unit}” cannot be converted to “{target}”: they measure different things.") from error
    return one - zero, zero
