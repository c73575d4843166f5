"""A pattern put to a table: the record with its names, units and computed channels, and the curves taken from it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from curvesieve.core.errors import InputError
from curvesieve.core.intake.computed import Computed, compute
from curvesieve.core.intake.dimensions import sizes_of
from curvesieve.core.intake.machine import TESTS, plan_of
from curvesieve.core.intake.oddities import oddities_of_test
from curvesieve.core.intake.pattern import Pattern, TestRule
from curvesieve.core.intake.scattering import oddities_of_scattering
from curvesieve.core.intake.take import Take
from curvesieve.core.intake.tested import quantities_of_test
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Record

_MAX_VALUES = 500


@dataclass(frozen=True, eq=False)
class Taken:
    """What a table gives: its record, its curves, and for each the condition that a channel says (None for none)."""

    record: Record
    takes: tuple[Take, ...]
    conditions: tuple[float | None, ...]
    condition: tuple[str, str] = ("", "")
    computed: tuple[Computed, ...] = ()
    quantities: tuple[Quantity, ...] = ()
    """What a mechanical test gives beside its curve; see `tested.quantities_of_test`."""
    test: str = ""
    """The mechanical test that it is of, by its slug."""
    told: tuple[str, ...] = ()
    """What is odd about it as such a test; its record has these notes, too."""

    def label(self, i: int) -> str:
        """What tells a curve from the others of its record: the name of its y."""
        return self.record.channels[self.takes[i].y].name


def with_names(record: Record, pattern: Pattern) -> Record:
    """A record of the pattern's kind, with the names and units that the pattern gives its channels."""
    channels = tuple(
        replace(channel, name=rule.name, unit=rule.unit)
        for channel, rule in zip(record.channels, pattern.channels, strict=True)
    )
    return replace(record, channels=channels)


def apply_pattern(record: Record, pattern: Pattern, own: Sequence[Quantity] = ()) -> Taken:
    """Puts a pattern to a record of its kind; `own` are quantities that were typed for this one file.

    Raises InputError when a formula, a unit or the roles give no curve; the sentence says which.
    """
    made = with_names(record, pattern)
    results: list[Computed] = []
    notes = list(record.notes)
    for computed_rule in pattern.computed:
        computed = compute(made, computed_rule.channel, own)
        results.append(computed)
        notes.append(computed.described)
        made = replace(made, channels=(*made.channels, computed.channel))
    spreads = [computed.u for computed in results if computed.u is not None]
    made = replace(made, channels=(*made.channels, *spreads), notes=tuple(notes))
    takes = _takes(made, pattern)
    if not takes:
        if len(made.channels) < 2:
            made.curve()  # raises, with the sentence
        raise InputError(f"{record.source.name}: choose one channel as x and one as y; a curve needs both.")
    made_takes, conditions, condition = _by_condition(made, pattern, takes)
    for chosen in made_takes:
        chosen.curve(made)  # raises when it is none
    told = () if pattern.test else tuple(oddities_of_scattering(made, made_takes[0]))
    made = replace(made, notes=(*made.notes, *told))
    tested = Taken(made, tuple(made_takes), tuple(conditions), condition, tuple(results), told=told)
    return tested if pattern.test is None else _of_test(tested, pattern.test, own)


def _of_test(taken: Taken, rule: TestRule, own: Sequence[Quantity]) -> Taken:
    """With what a mechanical test gives beside its curve, and a word on what is odd; raises InputError for a sign."""
    test, record = TESTS[rule.test], taken.record
    by_name = {one.channel.name: one for one in taken.computed}
    made = [by_name[name] for name in rule.made]
    given = tuple(one for each in made for one in each.quantities)
    sizes = sizes_of(record, (*own, *given))
    spreads = [one.u for one in taken.computed if one.u is not None]
    x, y = (record.index(one.channel.name) for one in made[-2:])
    if any((chosen.x, chosen.y) != (x, y) for chosen in taken.takes):
        said = f"not taken as {test.label.lower()}: x and y are not those of the test"
        return replace(taken, record=replace(record, notes=(*record.notes, said)), told=(said,))
    plain = replace(record, channels=record.channels[: len(record.channels) - len(taken.computed) - len(spreads)])
    chosen = plan_of(plain, test, sizes, rule.specimen, rule.extension, rule.off).notes
    odd = oddities_of_test(record, test, x, y, rule.extension)
    told = (*(note for note in chosen if " taken" in note), *odd)
    grown = replace(record, notes=(*record.notes, *told))
    given_by = quantities_of_test(record, made, sizes, rule.specimen)
    return replace(taken, record=grown, quantities=given_by, test=rule.test, told=told)


def _takes(record: Record, pattern: Pattern) -> list[Take]:
    """Each y goes with the last x before it, or else with the first; a u goes with the last y before it."""
    targets = [rule.to for rule in pattern.channels] + [""] * len(pattern.computed)
    roles = pattern.roles
    first_x = next((i for i, role in enumerate(roles) if role == "x"), None)
    if first_x is None:
        return []
    x = first_x
    takes: list[Take] = []
    for i, role in enumerate(roles):
        if role == "x":
            x = i
        elif role == "y":
            takes.append(Take(x, i, None, targets[x], targets[i]))
    for i, role in enumerate(roles):
        if role == "u" and takes:
            owner = max((k for k, chosen in enumerate(takes) if chosen.y < i), default=0)
            takes[owner] = replace(takes[owner], u=i)
    return takes


def _by_condition(
    record: Record, pattern: Pattern, takes: list[Take]
) -> tuple[list[Take], list[float | None], tuple[str, str]]:
    """The condition that a channel gives: one value for the file, or several, which split its rows."""
    place = next((i for i, role in enumerate(pattern.roles) if role == "condition"), None)
    if place is None:
        return takes, [None] * len(takes), ("", "")
    channel = record.channels[place]
    found = np.unique(channel.values[np.isfinite(channel.values)])
    about = (channel.name, channel.unit)
    if found.size == 0:
        raise InputError(f"{channel.name} has no number that could be a condition.")
    if found.size > _MAX_VALUES or found.size * 2 > len(record):
        raise InputError(
            f"{channel.name} has {found.size:,} different values in {len(record):,} rows; a condition is the same over "
            "a whole curve. Choose another channel."
        )
    if found.size == 1:
        return takes, [float(found[0])] * len(takes), about
    split = [(replace(chosen, where=(place, float(value))), float(value)) for chosen in takes for value in found]
    return [chosen for chosen, _ in split], [value for _, value in split], about
