"""Values of marks as people type them: numbers, with a unit or without, or dates."""

from __future__ import annotations

import math
from datetime import UTC, datetime

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.formats.moments import MOMENT, order_of, seconds
from curvesieve.core.quantity import Quantity
from curvesieve.core.tracing.axes import Scale

_DAY = 86_400.0


def value_of(text: str, scale: Scale, unit: str) -> tuple[float, str]:
    """The value of a typed text on an axis of a scale and unit, and the axis's unit afterwards.

    A unit that is typed becomes that of an axis without one; else the number is converted to the axis's. On an axis of
    dates the value is in seconds since 1970. Raises InputError for what is no number, no date, or of another kind.
    """
    if scale == "dates":
        return _moment(text), "s"
    try:
        found = Quantity.read("mark", text)
    except InputError:
        raise InputError(f"“{text}” is not a number; type it as it is printed, such as 0.01 or 10 min.") from None
    if not found.unit or found.unit == unit:
        return found.value, unit
    if not unit:
        return found.value, found.unit
    if not units.convertible(found.unit, unit):
        raise InputError(f"“{text}” is in {found.unit}, the axis in {unit}; these measure different things.")
    return float(units.convert(np.array([found.value]), found.unit, unit)[0]), unit


def _moment(text: str) -> float:
    plain = text.strip()
    if plain.isdigit() and len(plain) == 4:
        plain = f"{plain}-01-01"  # a year is its beginning
    if not MOMENT.match(plain):
        raise InputError(f"“{text}” is not a date; type it such as 2024-05-01, 1.5.2024 12:30 or 2024.")
    how = order_of(0, [plain])
    found = float(seconds([plain], how)[0])
    if not math.isfinite(found):
        raise InputError(f"“{text}” is not a date that the calendar has.")
    if not how.sure:
        raise InputError(f"“{text}” may be two dates; type the year first, such as 2024-05-01.")
    return found


def said(value: float, scale: Scale) -> str:
    """A value of a mark as it is shown: a date where the axis has dates."""
    if scale != "dates":
        return f"{value:.10g}"
    moment = datetime.fromtimestamp(value, UTC)
    return f"{moment:%Y-%m-%d}" if value % _DAY == 0 else f"{moment:%Y-%m-%d %H:%M}"
