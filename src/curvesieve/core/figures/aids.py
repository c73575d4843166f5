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


def colour_walk(stops: Any) -> Any:
    """Colours on the way from stop to stop."""
    from matplotlib.colors import LinearSegmentedColormap

    return LinearSegmentedColormap.from_list("along", list(stops))


def surface(
    x: Any, y: Any, z: Any, stops: Any, ends: Any, turn: float, tilt: float, height: float, edge: str, width: float
) -> Any:
    """A surface seen from a side, as quadrangles from back to front; in bands between `ends` where there are any."""
    from matplotlib.collections import PolyCollection

    low, high = float(np.nanmin(z)), float(np.nanmax(z))
    wide = max(float(np.ptp(x)), float(np.ptp(y))) or 1.0
    c, s, a = math.cos(math.radians(turn)), math.sin(math.radians(turn)), math.radians(tilt)
    u, v = (x - x.mean()) / wide, (y - y.mean()) / wide
    up = height * ((z - low) / (high - low) - 0.5) if high > low else 0 * z
    across, depth = u * c - v * s, u * s + v * c
    seen = np.stack([across, depth * math.sin(a) + up * math.cos(a)], axis=-1)

    def corners(values: Any) -> Any:
        return np.stack([values[:-1, :-1], values[:-1, 1:], values[1:, 1:], values[1:, :-1]], axis=2)

    quads, deep, level = corners(seen), corners(depth).mean(axis=2), corners(z).mean(axis=2)
    whole = np.isfinite(level)
    order = np.argsort(-deep[whole])
    share = (level[whole] - low) / (high - low) if high > low else 0 * level[whole]
    inner = [one for one in ends if low < one < high]
    if inner:
        share = np.searchsorted(inner, level[whole]) / len(inner)
    faces = colour_walk(stops)(share)[order]
    return PolyCollection(quads[whole][order], facecolors=faces, edgecolors=edge, linewidths=width)
