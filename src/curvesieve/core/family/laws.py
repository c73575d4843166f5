"""Laws in a condition that are offered by name; each is a formula in ``c``, which can be typed as well."""

from __future__ import annotations

from collections.abc import Sequence

from curvesieve.core import units
from curvesieve.core.errors import InputError

LAWS = ("a line", "a power law", "an exponential", "Arrhenius")
POWER_LAW = "at_1*c^power"
GAS_CONSTANT = 8.314462618
"""J/(mol·K), exact since 2019 (SI Brochure, 9th edition: k·N_A; from memory)."""


def law_text(name: str, unit: str, conditions: Sequence[float]) -> str:
    """The formula of a law of `LAWS` for a condition in that unit, which has these values.

    Arrhenius is written about the middle of the temperatures, so that its two parameters hardly hang together:
    ``at_T·exp(−T_a·(1/T − 1/T₀))``, where T_a is the activation energy over the gas constant. Raises InputError for
    Arrhenius where the condition is no temperature, and for a power law where a condition is not above zero.
    """
    if name == "a line":
        return "at_0 + slope*c"
    if name == "a power law":
        if any(one <= 0 for one in conditions):
            raise InputError("A power law needs conditions above zero.")
        return POWER_LAW
    if name == "an exponential":
        return "at_0*exp(rate*c)"
    base = units.in_base(unit) if unit else None
    if base is None or base.powers != units.in_base("K").powers:
        raise InputError(f"Arrhenius needs a temperature as condition; this is in {units.shown(unit) or 'no unit'}.")
    kelvin = [one * base.factor + base.offset for one in conditions]
    if not kelvin or min(kelvin) <= 0:
        raise InputError("Arrhenius needs temperatures above absolute zero.")
    middle = round(sum(kelvin) / len(kelvin))
    place = "c" if base.factor == 1 else f"({base.factor!r}*c)"
    place = place if not base.offset else f"({place} + {base.offset!r})"
    return f"at_{middle}K*exp(-T_a*(1/{place} - 1/{middle}))"


def is_arrhenius(law: str) -> bool:
    """Whether a law is the Arrhenius one that `law_text` writes, so that an activation energy follows from T_a."""
    return law.startswith("at_") and "K*exp(-T_a*(1/" in law
