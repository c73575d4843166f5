"""Named numbers with unit and uncertainty, as people and preambles write them: read whole, or refused."""

from __future__ import annotations

import re
from fractions import Fraction

from pydantic import BaseModel, ConfigDict, Field

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.reading import concise

SCALES = {"x": "scale_of_x", "y": "scale_of_y"}
"""Quantities of a curve that say how well the scale of an axis is known: 1 ± a share common to all points, as of a
stress that was made with one width. Readings have it in their u."""
_PLAIN = str.maketrans("−⁻⁺⁰¹²³⁴⁵⁶⁷⁸⁹", "--+0123456789")
_POWER_OF_TEN = re.compile(r"\s*[×x*·⋅]\s*10\s*(?:\^|\*\*)?\s*\(?(?P<power>[-−⁻+⁺]?[\d⁰¹²³⁴⁵⁶⁷⁸⁹]+)\)?(?![\d.])")
_NUMBER = re.compile(
    r"(?P<sign>[+-]?)(?P<digits>\d[\d.,'’]*|[.,]\d+)(?:\((?P<last>\d+)\))?(?P<power>[eE][+-]?\d+)?(?P<rest>.*)\Z", re.S
)
_FRACTION = re.compile(r"(?P<sign>[+-]?)(?P<top>\d+)\s*/\s*(?P<bottom>\d+)(?P<rest>\s.*|)\Z", re.S)


class Quantity(BaseModel):
    """A number that a formula names: value, standard uncertainty (None where unknown) and unit.

    `everywhere` tells of one in a reading pattern whether it stands for all files, whatever their own preambles say,
    or only for those that have none. `origin` tells of one that belongs to a curve where it was read: ``preamble`` or
    ``column``; empty where it was typed.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    name: str
    value: float
    u: float | None = Field(default=None, ge=0)
    unit: str = ""
    everywhere: bool = False
    origin: str = ""

    @classmethod
    def read(cls, name: str, text: str) -> Quantity:
        """From ``12.70(2) mm``, ``12.7 ± 0.2 mm``, ``1.27×10^-3 m``, ``1/8 in`` and the like.

        Raises InputError, with what cannot be understood, rather than read a part of it.
        """
        try:
            value, u, unit = _read(text)
        except ValueError as error:
            raise InputError(
                f"{name}: “{text.strip()}” is no quantity ({error}); write it as 12.70(2) mm or 12.7 ± 0.2 mm."
            ) from None
        return cls(name=name, value=value, u=u, unit=unit)

    def written(self) -> str:
        """``12.70(2) mm``."""
        number = concise(self.value, self.u) if self.u else f"{self.value:.12g}"
        return f"{number} {units.shown(self.unit)}".strip()


def _read(text: str) -> tuple[float, float | None, str]:
    """Value, uncertainty and unit of a text; raises ValueError with a reason."""
    plain = text.strip()
    if plain.startswith("(") and (end := plain.find(")")) > 0 and re.search(r"±|\+/?-", plain[:end]):
        plain = plain[1:end] + plain[end + 1 :]  # (12.7 ± 0.2) mm
    left, sign, right = (part.strip() for part in re.sub(r"\+/?-(?=\s*[\d.,])", "±", plain).partition("±"))
    value, u, unit = _number_and_unit(left)
    if not sign:
        return value, u, unit
    if u is not None:
        raise ValueError("it has two uncertainties")
    spread, twice, spread_unit = _number_and_unit(right)
    if twice is not None or spread < 0:
        raise ValueError("what stands behind ± is no uncertainty")
    if spread_unit == "%" and unit != "%" and unit:
        return value, abs(value) * spread / 100, unit
    if not unit:
        return value, spread, spread_unit
    if spread_unit and spread_unit != unit:
        one, other = units.in_base(spread_unit), units.in_base(unit)
        if one.powers != other.powers:
            raise ValueError(f"“{spread_unit}” and “{unit}” measure different things")
        spread *= one.factor / other.factor
    return value, spread, unit


def _number_and_unit(text: str) -> tuple[float, float | None, str]:
    text = _POWER_OF_TEN.sub(lambda match: f"e{match['power'].translate(_PLAIN)}", text, count=1)
    text = text.replace("−", "-")
    if match := _FRACTION.match(text):
        if int(match["bottom"]) == 0:
            raise ValueError("it divides by zero")
        value = float(Fraction(int(match["top"]), int(match["bottom"])))
        return -value if match["sign"] == "-" else value, None, _unit(match["rest"])
    found = _NUMBER.match(text)
    if found is None:
        raise ValueError("it does not begin with a number" if text else "a number is missing")
    digits = _decimal(found["digits"])
    power = int(found["power"][1:]) if found["power"] else 0
    value = float(f"{found['sign']}{digits}e{power}")
    decimals = len(digits.partition(".")[2])
    u = float(f"{found['last']}e{power - decimals}") if found["last"] else None
    if abs(value) == float("inf"):
        raise ValueError("the number is too large")
    return value, u, _unit(found["rest"])


def _decimal(digits: str) -> str:
    """The digits with a decimal point and no marks between thousands; raises ValueError where both could be meant."""
    plain = digits.replace("'", "").replace("’", "")
    marks = [mark for mark in plain if mark in ".,"]
    if not marks:
        return plain
    if len(set(marks)) == 2:
        decimal = marks[-1]
        whole, _, part = plain.rpartition(decimal)
        if decimal in whole or not re.fullmatch(r"\d{1,3}(?:[.,]\d{3})+", whole):
            raise ValueError("its marks are in no order")
        return f"{re.sub(r'[.,]', '', whole)}.{part}"
    if len(marks) > 1:
        if not re.fullmatch(r"\d{1,3}(?:[.,]\d{3})+", plain):
            raise ValueError("its marks are in no order")
        return re.sub(r"[.,]", "", plain)
    if marks[0] == "," and re.fullmatch(r"[1-9]\d{0,2},\d{3}", plain):
        raise ValueError(f"{digits} may be {plain.replace(',', '.')} or {plain.replace(',', '')}")
    return plain.replace(",", ".")


def _unit(rest: str) -> str:
    """The unit that the rest of a text is; raises ValueError when it is none."""
    unit = rest.strip()
    if not unit:
        return ""
    # Asked last whether it is known: that loads the unit library, which most preambles do not need.
    if rest[0] in "()^" or units.factors(unit) is None or (re.search(r"\s", unit) and not units.is_known(unit)):
        raise ValueError(f"“{unit}” is no unit")
    return unit
