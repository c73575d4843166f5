"""Channels computed from others: ``force / (width*thickness)``, with named quantities, units and uncertainties."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict

from curvesieve.core import units
from curvesieve.core.curve import frozen
from curvesieve.core.errors import FormulaError, InputError
from curvesieve.core.formula import Formula, compile_formula, evaluate, parse
from curvesieve.core.formula.dimension import result_unit
from curvesieve.core.formula.functions import CONSTANTS, FUNCTIONS
from curvesieve.core.formula.zeros import check_zero
from curvesieve.core.intake.extensometer import carried_on
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Channel, Record

PREAMBLE = "preamble"
"""The origin of a quantity that stands in a file's preamble."""
_OF_CHANNEL: dict[str, Callable[[np.ndarray], np.floating[Any]]] = {
    "first": lambda values: values[0],
    "last": lambda values: values[-1],
    "mean": np.mean,
    "max": np.max,
    "min": np.min,
    "sd": lambda values: np.std(values, ddof=1) if values.size > 1 else np.float64(np.nan),
}
"""What a formula may ask of a whole channel: ``length/first(length) - 1``. Values that are missing do not count."""
_ASKED = re.compile(rf"\b(?P<what>{'|'.join(_OF_CHANNEL)})\(\s*(?P<name>[^\W\d]\w*)\s*\)")
_CARRIED = re.compile(r"\bcarried_on\(\s*(?P<first>[^\W\d]\w*)\s*,\s*(?P<then>[^\W\d]\w*)\s*(?:,\s*(?P<row>\d+)\s*)?\)")
"""A channel that goes on with the steps of another where it was taken off, or from a row on; see `extensometer`."""


class ComputedChannel(BaseModel):
    """A channel made by a formula of the record's other channels and of quantities.

    `unit` is the wanted unit, or empty for the one that follows. `quantities` are those given by hand for many files:
    for all that have none in their own preamble, or for all (see `Quantity`).
    """

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    name: str
    formula: str
    unit: str = ""
    quantities: tuple[Quantity, ...] = ()


@dataclass(frozen=True)
class Computed:
    """What came of it: the channel, the uncertainty that its quantities bring (None where they have none), how."""

    channel: Channel
    u: Channel | None
    quantities: tuple[Quantity, ...]
    described: str


def name_in_formula(name: str) -> str:
    """The name by which a formula calls a channel or a preamble's line: ``Raman shift`` → ``Raman_shift``."""
    made = re.sub(r"\W+", "_", name.strip()).strip("_") or "channel"
    made = f"c_{made}" if made[0].isdigit() else made
    return f"{made}_" if made in FUNCTIONS or made in CONSTANTS else made


def quantities_of(record: Record) -> tuple[Quantity, ...]:
    """The quantities in the lines of the record's preamble: ``Width: 12,70 mm``."""
    return quantities_in(tuple(record.metadata))


@lru_cache(maxsize=4096)
def quantities_in(preamble: tuple[tuple[str, str], ...]) -> tuple[Quantity, ...]:
    """The same for a preamble's lines: the key and the text of each.

    Kept, since a tray of hundreds of files asks again for every field that is shown.
    """
    found = []
    for key, text in preamble:
        try:
            found.append(Quantity.read(name_in_formula(key), text).model_copy(update={"origin": PREAMBLE}))
        except InputError:
            continue  # not every line is a quantity
    return tuple(found)


def _channels(record: Record) -> dict[str, Channel]:
    named: dict[str, Channel] = {}
    for channel in record.channels:
        named.setdefault(name_in_formula(channel.name), channel)
    return named


def _asked(record: Record, text: str) -> tuple[str, list[Quantity]]:
    """The formula with what it asks of whole channels as names, and their values as quantities."""
    folded = {name.casefold(): channel for name, channel in _channels(record).items()}
    found: dict[str, Quantity] = {}

    def named(match: re.Match[str]) -> str:
        channel = folded.get(match["name"].casefold())
        values = channel.values[np.isfinite(channel.values)] if channel is not None else np.empty(0)
        if channel is None or not values.size:
            return match[0]
        name = f"{match['what']}_of_{name_in_formula(channel.name)}"
        found[name] = Quantity(name=name, value=float(_OF_CHANNEL[match["what"]](values)), unit=channel.unit)
        return name

    return _ASKED.sub(named, text), list(found.values())


def _with_carried(record: Record, text: str) -> tuple[Record, str]:
    """The record with a channel more for each ``carried_on(a, b)`` of a formula, and the formula with its name.

    Raises InputError where the two are not of one kind.
    """
    folded = {name.casefold(): channel for name, channel in _channels(record).items()}
    made: dict[str, Channel] = {}

    def named(match: re.Match[str]) -> str:
        first, then = (folded.get(match[one].casefold()) for one in ("first", "then"))
        if first is None or then is None:
            return match[0]
        name = f"{match['first']}_then_{match['then']}"
        other = units.convert(then.values, then.unit, first.unit)
        row = int(match["row"]) - 1 if match["row"] else None
        made[name] = Channel(name, first.unit, frozen(carried_on(first.values, other, row)))
        return name

    text = _CARRIED.sub(named, text)
    return (replace(record, channels=(*record.channels, *made.values())) if made else record), text


def read_formula(record: Record, text: str) -> Formula:
    """The formula with the record's channels as its variables; their names may be written in small letters."""
    record, text = _with_carried(record, text)
    named = tuple(_channels(record))
    text, _ = _asked(record, text)
    formula = parse(text, named)
    folded = {name.casefold(): name for name in named}
    wrong = {p: folded[p.casefold()] for p in formula.parameters if p.casefold() in folded}
    if wrong:
        text = re.sub(r"[^\W\d]\w*", lambda match: wrong.get(match[0], match[0]), text)
        formula = parse(text, named)
    return formula


def has_own(record: Record, name: str, own: Sequence[Quantity] = ()) -> bool:
    """Whether a file's preamble, or what was typed for it alone (`own`), gives a quantity."""
    return any(quantity.name.casefold() == name.casefold() for quantity in (*quantities_of(record), *own))


def needed(record: Record, wanted: ComputedChannel, own: Sequence[Quantity] = ()) -> list[Quantity | str]:
    """The quantities that the formula names, in order; those without a value anywhere as their names.

    `own` are those typed for this one file. They go before those typed for all files, these before the file's own
    preamble, and that before those typed for files that have none. Raises FormulaError for a formula that cannot be
    understood.
    """
    given = sorted(wanted.quantities, key=lambda quantity: quantity.everywhere)
    fallback = [quantity for quantity in given if not quantity.everywhere]
    known = {
        quantity.name.casefold(): quantity
        for quantity in (*fallback, *quantities_of(record), *given[len(fallback) :], *own)
    }
    asked = {quantity.name for quantity in _asked(record, wanted.formula)[1]}
    names = [name for name in read_formula(record, wanted.formula).parameters if name not in asked]
    return [
        known[name.casefold()].model_copy(update={"name": name}) if name.casefold() in known else name for name in names
    ]


def compute(record: Record, wanted: ComputedChannel, own: Sequence[Quantity] = ()) -> Computed:
    """The channel that a formula gives; everything is computed in base units and expressed in the wanted unit.

    Raises FormulaError where the formula or its units are wrong, InputError when a quantity has no value. `u` holds
    the uncertainty of the quantities alone, by the exact derivatives (GUM, JCGM 100, section 5.1.2); it is common to
    all points, not a scatter between them. `own` as in `needed`.
    """
    grown, text = _with_carried(record, wanted.formula)
    if text != wanted.formula:
        made = compute(grown, wanted.model_copy(update={"formula": text}), own)
        return replace(made, described=made.described.replace(text, wanted.formula, 1))
    formula = read_formula(record, wanted.formula)
    quantities = needed(record, wanted, own)
    missing = [quantity for quantity in quantities if isinstance(quantity, str)]
    if missing:
        raise InputError(
            f"{wanted.name}: {' and '.join(missing)} {'is' if len(missing) == 1 else 'are'} not known; "
            f"give a value, or use a channel: {', '.join(_channels(record))}."
        )
    given = [*(q for q in quantities if isinstance(q, Quantity)), *_asked(record, wanted.formula)[1]]
    channels = {name: channel for name, channel in _channels(record).items() if name in _names_used(formula)}
    unit_of = {name: channel.unit for name, channel in channels.items()} | {q.name: q.unit for q in given}
    try:
        unit = result_unit(formula, unit_of, wanted.unit)
    except FormulaError:
        raise
    except InputError as error:
        raise InputError(f"{wanted.name}: {error}") from error
    target = units.in_base(unit)
    values = {name: _in_base(channel.values, channel.unit) for name, channel in channels.items()}
    constants = {quantity.name: _in_base(np.asarray(quantity.value), quantity.unit) for quantity in given}
    everything = dict.fromkeys(formula.variables, 0.0) | values | constants
    try:
        check_zero(formula, everything, unit_of, unit)
    except InputError as error:
        raise InputError(f"{wanted.name}: {error}") from error
    result = (evaluate(formula, everything) - target.offset) / target.factor
    result = np.broadcast_to(result, (len(record),)).copy()
    result[~np.isfinite(result)] = np.nan
    if not np.isfinite(result).any():
        raise InputError(f"{wanted.name}: the formula has no value in any row; look at its logarithms and divisions.")
    text = ", ".join(f"{quantity.name} = {quantity.written()}" for quantity in given)
    described = f"{wanted.name} = {wanted.formula}" + (f" with {text}" if text else "")
    spread = _spread(formula, everything, given, len(record)) / target.factor
    u = Channel(f"u({wanted.name})", unit, frozen(spread)) if any(q.u for q in given) else None
    return Computed(Channel(wanted.name, unit, frozen(result)), u, tuple(given), described)


def _names_used(formula: Formula) -> set[str]:
    import ast

    trees = [formula.body, *(expression for _, expression in formula.lets)]
    return {node.id for tree in trees for node in ast.walk(tree) if isinstance(node, ast.Name)}


def _in_base(values: np.ndarray, unit: str) -> np.ndarray:
    measure = units.in_base(unit)
    return np.asarray(values * measure.factor + measure.offset)


def _spread(formula: Formula, values: Mapping[str, Any], given: Sequence[Quantity], rows: int) -> np.ndarray:
    """√Σ(∂f/∂q·u(q))² in base units, of shape (rows,)."""
    total = np.zeros(rows)
    if not any(quantity.u for quantity in given):
        return total
    compiled = compile_formula(formula)
    variables = [values[name] for name in formula.variables]
    slopes = compiled.jacobian(variables, [float(values[name]) for name in formula.parameters])
    for name, slope in zip(formula.parameters, slopes, strict=True):
        quantity = next(q for q in given if q.name == name)
        if quantity.u:
            total += (np.broadcast_to(slope, (rows,)) * quantity.u * units.in_base(quantity.unit).factor) ** 2
    return np.sqrt(total)
