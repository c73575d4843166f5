"""Readings taken: what a measure found, with name, u and unit; a list of measures, one after the other."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import Absent, InputError
from curvesieve.core.measures.base import MeasureSlot, Seen, Taken
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.measures.trace import Trace, Traced, in_unit
from curvesieve.core.quantity import SCALES, Quantity
from curvesieve.core.reading import Basis, Reading, ReadingKey

_SYMBOL = re.compile(r"\S{1,12}")
"""A name that is a symbol as well: ``E``, ``Rp0.2``."""


def outcome(slot: MeasureSlot, seen: Seen, recorded: int = 0) -> Outcome:
    """What one measure gives; a measure that cannot work says why in `problem`: no InputError is raised.

    `recorded` is how many points the curve had before its sieve.
    """
    try:
        if not len(seen.whole):
            raise InputError("no point is left to read from; look at the steps of the sieve.")
        with np.errstate(all="ignore"):
            made = slot.rule.take(seen)
            traced = tuple(_traced(slot, made, seen, recorded))
    except InputError as error:
        problem = str(error)
        return Outcome(slot, problem=problem[0].upper() + problem[1:], absent=isinstance(error, Absent))
    from_points = any(found.slopes is not None for found in made.found)
    said = made.said_u or (seen.spread.said if from_points else "")
    sentence, warning = f"{made.sentence}; {said}" if said else made.sentence, made.warning
    return Outcome(slot, traced, made.shapes, sentence, warning=warning and f"{warning[0].upper()}{warning[1:]}.")


def _traced(slot: MeasureSlot, made: Taken, seen: Seen, recorded: int) -> Iterator[Traced]:
    rule, points, curve = slot.rule, made.used, seen.curve
    rule_yields = rule.yields_now()
    declared = {one.quantity: one for one in rule_yields}
    span = (float(points.x[0]), float(points.x[-1])) if len(points) else None
    basis = Basis(len(points), recorded or len(curve), span)
    sigma = seen.spread.at(points)
    for number, found in enumerate(made.found):
        said = declared[found.quantity]
        u, trace = found.u, found.trace
        if found.slopes is not None and (u is not None or not made.said_u):
            if sigma is not None or u is not None:
                trace = Trace(points.rows, found.slopes * (1.0 if sigma is None else sigma))
        elif u is not None and trace is None:
            trace = Trace(np.array([-1 - seen.count - number]), np.array([u]))
        if trace is not None:
            u = trace.u if u is None else u
            trace = trace.scaled_to(u)
        if not math.isfinite(found.value) or (u is not None and not math.isfinite(u)):
            raise InputError(f"{found.quantity} lies beyond all numbers; choose another band or unit.")
        name = f"{found.of} {plain_name(said.quantity)}".strip()
        symbol = said.symbol
        if slot.name:
            leads = rule.leads and said is rule_yields[0]  # the first of its yields is what the user means by it
            name = slot.name if leads else f"{slot.name} {name}"
            symbol = slot.name if leads and _SYMBOL.fullmatch(slot.name) else symbol
        value, unit = found.value, found.unit
        if unit is None:
            unit = units.power_product(curve.x_unit, said.x, curve.y_unit, said.y)
            if said.gap and units.has_own_zero(unit):
                factor, unit = units.of_difference(unit)
                value, u = value * factor, None if u is None else u * factor
                trace = trace and Trace(trace.causes, trace.adds * factor)
        key = ReadingKey(slot.id, found.quantity, found.part)
        reading = Reading(key, name, symbol, value, u, unit, rule.method(), rule.reference, basis, said.aside)
        if made.warning and said.quantity != "r2":  # how straight a doubtful line is, is no doubtful number
            reading = replace(reading, doubt=made.warning)
        place = found.unit is None and not said.gap
        yield _shown_in(reading, trace, slot.units.get(found.quantity, ""), place)


def plain_name(quantity: str) -> str:
    """A quantity as people write it: ``x at maximum``, ``R²``."""
    return "R²" if quantity == "r2" else quantity.replace("-", " ")


def _shown_in(reading: Reading, trace: Trace | None, unit: str, place: bool) -> Traced:
    """A reading in the unit that it is shown in. Raises InputError where its own is of another kind.

    A unit with a zero of its own, as °C, is for places on its scale only: whether another number is one is not known.
    """
    if not unit or unit == reading.unit:
        return reading, trace
    if not place and (units.has_own_zero(unit) or units.has_own_zero(reading.unit)):
        own = units.shown(reading.unit)
        raise InputError(f"{reading.name} in {own} may be a difference, and stays in {own}; it is asked for in {unit}.")
    try:
        return in_unit((reading, trace), unit)
    except InputError as error:
        raise InputError(f"{reading.name} is asked for in {unit}: {error}") from error


def taken(slots: Sequence[MeasureSlot], seen: Seen, recorded: int = 0) -> list[Outcome]:
    """What the measures of a list give, in order; each sees the readings of those before it, by their names.

    Where a quantity says how well the scale of an axis is known (see `quantity.SCALES`), that is in the u of readings:
    all is read again with the axis stretched and shrunk by it, and half the difference is a cause of its own (JCGM 100,
    5.1.3 NOTE 2). A reading that is not there on both sides has no u. Readings of a fit have it not: the fit is as it
    was.
    """
    made = _taken(slots, seen, recorded)
    for number, (axis, share) in enumerate(scales_of(seen.quantities).items()):
        if share >= 1:
            made = [_without_u(one) for one in made]
            continue
        up, down = (_taken(slots, _stretched(seen, axis, 1 + sign * share), recorded) for sign in (1, -1))
        made = [_with_scale(*three, _SCALE_CAUSE - number) for three in zip(made, up, down, strict=True)]
    return made


_SCALE_CAUSE = -2_000_000
"""The cause of the u of the scale of an axis; see `Trace`."""
_ROUNDING = 1e-9
"""A change of a reading by less of itself is none."""


def scales_of(quantities: Sequence[Quantity]) -> dict[str, float]:
    """The relative standard uncertainty of the scale of each axis that has one, by ``x`` and ``y``."""
    by_name = {one.name: one for one in reversed(quantities)}
    found = {axis: by_name.get(name) for axis, name in SCALES.items()}
    return {axis: one.u / abs(one.value) for axis, one in found.items() if one is not None and one.u and one.value}


def _without_u(one: Outcome) -> Outcome:
    """An outcome of a curve whose scale may be anything: its readings have no u, and say why."""
    said = "no u: that of a scale is as large as the scale"
    traced = tuple((replace(r, u=None, method=f"{r.method}; {said}"), None) for r in one.readings)
    return one if one.slot.rule.of_fit else replace(one, traced=traced)


def _stretched(seen: Seen, axis: str, factor: float) -> Seen:
    """The same with the x, or the y and its u, of all points multiplied."""
    curve = seen.curve
    if axis == "x":
        curve = replace(curve, x=curve.x * factor)
    else:
        curve = replace(curve, y=curve.y * factor, u=None if curve.u is None else curve.u * factor)
    return Seen.of(curve, seen.quantities, seen.fit)


def _with_scale(one: Outcome, up: Outcome, down: Outcome, cause: int) -> Outcome:
    """An outcome with the u of a scale in its readings, by what they are on both sides of it."""
    if one.problem or one.slot.rule.of_fit:
        return one
    sides = [{reading.key: reading.value for reading in side.readings} for side in (up, down)]
    traced = []
    for reading, trace in one.traced:
        high, low = (side.get(reading.key, math.nan) for side in sides)
        part = (high - low) / 2
        if not abs(part) <= _ROUNDING * abs(reading.value):
            if not math.isfinite(part):
                reading, trace = replace(reading, u=None), None
            else:
                own = trace if trace is not None else Trace(np.zeros(0, np.intp), np.zeros(0))
                trace = Trace(np.append(own.causes, cause), np.append(own.adds, part))
                method = reading.method
                method += "" if method.endswith(_WITH_SCALE) else _WITH_SCALE
                reading = replace(reading, u=math.hypot(reading.u or 0.0, part), method=method)
        traced.append((reading, trace))
    return replace(one, traced=tuple(traced))


_WITH_SCALE = "; u with the dimensions"


def _taken(slots: Sequence[MeasureSlot], seen: Seen, recorded: int) -> list[Outcome]:
    made: list[Outcome] = []
    for slot in slots:
        if slot.on:
            made.append(outcome(slot, seen.after(made), recorded))
    return made
