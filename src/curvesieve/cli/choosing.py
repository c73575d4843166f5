"""Which curve of a file is meant, and how numbers are written on the command line."""

from __future__ import annotations

import argparse
from dataclasses import replace
from typing import Any

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.record import Record


def _column(record: Record, text: str) -> tuple[Record, int]:
    """The position of a channel, and the record, with a channel more when the text is a formula in its channels."""
    try:
        return record, record.index(text)
    except InputError:
        if not any(sign in text for sign in "+-*/^("):
            raise
    from curvesieve.core.intake.computed import ComputedChannel, compute

    made = compute(record, ComputedChannel(name=text, formula=text)).channel
    return replace(record, channels=(*record.channels, made)), len(record.channels)


def chosen_curve(record: Record, options: argparse.Namespace) -> Curve:
    """The curve of the channels that the options name; a channel may be a formula in others, such as ``log(y)``."""
    guess_x, guess_y = record.guess_xy()
    record, x = _column(record, options.x.split(",")[0].strip()) if options.x else (record, guess_x)
    others = [i for i in (guess_y, guess_x, *range(len(record.channels))) if i != x]
    record, y = _column(record, options.y) if options.y else (record, others[0])
    record, u = _column(record, options.u) if options.u else (record, None)
    curve: Curve = record.curve(x + 1, y + 1, None if u is None else u + 1)
    if getattr(options, "range", None) is None:
        return curve
    low, high = limits(options.range, "--range")
    keep = (curve.x >= low) & (curve.x <= high)
    if not keep.any():
        raise InputError(
            f"--range {options.range}: no point lies there; x runs {curve.x.min():g} to {curve.x.max():g}."
        )
    return curve.take(keep)


def several(record: Record, options: argparse.Namespace, variables: tuple[str, ...], count: int) -> Any:
    """The values of several independent variables, of shape (variables, n)."""
    import numpy as np

    channels = [name.strip() for name in (options.x or "").split(",") if name.strip()]
    if len(channels) != len(variables):
        raise InputError(f"--variable names {len(variables)} variables; give --x as many channels, with commas.")
    rows = [record.channels[record.index(name)].values for name in channels]
    if options.range is not None or any(row.size != count for row in rows):
        raise InputError("With several variables all rows must be numbers, and --range cannot be used.")
    return np.stack(rows)


def split_assignment(text: str) -> tuple[str, str]:
    name, equals, value = text.partition("=")
    if not equals or not name or not value:
        raise InputError(f"{text!r} must be of the form NAME=VALUE.")
    return name.strip(), value.strip()


def assignment(text: str, option: str) -> tuple[str, float]:
    name, value = split_assignment(text)
    try:
        return name, float(value)
    except ValueError:
        raise InputError(f"{option} {name}: {value!r} is not a number.") from None


def limits(text: str, option: str) -> tuple[float, float]:
    low, colon, high = text.partition(":")
    try:
        if not colon:
            raise ValueError
        return float(low or "-inf"), float(high or "inf")
    except ValueError:
        raise InputError(f"{option}: {text!r} must be of the form LOW:HIGH.") from None
