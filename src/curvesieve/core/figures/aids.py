"""What Matplotlib has not: numbers as 1.2×10³, axes with a stretch left out, and axes in another unit.

Scripts that draw a figure again begin with the text of this file, so it uses NumPy alone.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np

Turn = Callable[[Any], Any]

RAISED = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")


def scientific(digits: int | None) -> Callable[..., str]:
    """Writes numbers as ``1.2×10³``, with so many digits after the point (None: as many as needed, up to three)."""

    def write(value: float, place: int | None = None) -> str:
        if value == 0 or not math.isfinite(value):
            return "0" if value == 0 else ""
        mantissa, _, exponent = f"{value:.{3 if digits is None else digits}e}".partition("e")
        if digits is None:
            mantissa = mantissa.rstrip("0").rstrip(".")
        power = f"10{str(int(exponent)).translate(RAISED)}"
        return power if mantissa == "1" else f"{mantissa}×{power}".replace("-", "−")

    return write


def powers() -> Callable[..., str]:
    """Writes numbers of a logarithmic axis: powers of ten as such, from 0.01 to 100 as they are."""
    power = scientific(None)

    def write(value: float, place: int | None = None) -> str:
        if value <= 0 or not math.isfinite(value):
            return ""
        return f"{value:g}" if 1e-2 <= value <= 1e2 else power(value, place)

    return write


def plain(digits: int) -> Callable[..., str]:
    """Writes numbers with so many digits after the point."""
    return lambda value, place=None: f"{value:.{digits}f}".replace("-", "−")


def left_out(low: float, high: float, width: float) -> tuple[Turn, Turn]:
    """The two functions of an axis on which the stretch from low to high is only as long as `width`."""
    squeezed = width / (high - low)

    def there(x: Any) -> Any:
        x = np.asarray(x, dtype=float)
        return np.where(x < low, x, np.where(x < high, low + (x - low) * squeezed, x - (high - low) + width))

    def back(x: Any) -> Any:
        x = np.asarray(x, dtype=float)
        return np.where(x < low, x, np.where(x < low + width, low + (x - low) / squeezed, x + (high - low) - width))

    return there, back


def over(x: Any) -> Any:
    """1/x, without a place where x is zero."""
    x = np.asarray(x, dtype=float)
    return np.divide(1.0, x, out=np.full_like(x, np.nan), where=x != 0)


def linear(factor: float, zero: float) -> tuple[Turn, Turn]:
    """The two functions of an axis beside another: ``factor*x + zero``."""
    return lambda x: np.asarray(x) * factor + zero, lambda x: (np.asarray(x) - zero) / factor


def divided(number: float) -> tuple[Turn, Turn]:
    """The two functions of an axis beside another: ``number / x``."""

    def turn(x: Any) -> Any:
        with np.errstate(divide="ignore"):
            return number / np.asarray(x, dtype=float)

    return turn, turn
