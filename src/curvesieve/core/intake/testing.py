"""A reading pattern for the files of a mechanical test: its channels computed, one choice for all files of a kind."""

from __future__ import annotations

import re
from collections.abc import Sequence

from curvesieve.core.intake.computed import name_in_formula
from curvesieve.core.intake.dimensions import renamed, sizes_of
from curvesieve.core.intake.machine import TESTS, plan_of
from curvesieve.core.intake.pattern import ComputedRule, Pattern, Role, TestRule, without_computed
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Record


def as_test(
    pattern: Pattern,
    record: Record,
    slug: str,
    specimen: str = "",
    extension: str = "",
    own: Sequence[Quantity] = (),
    off: int | None = None,
) -> Pattern:
    """The pattern with the channels of a test as x and y; those that another test made go.

    `record` is the file in hand with the pattern's names and units, `own` what was typed for it alone. `specimen` and
    `extension` are choices, empty: what is found; `off` is the row at which the extensometer was taken off. Values that
    were typed for many files stay. Raises InputError where the file has no channels for the test.
    """
    typed = {one.name: one for rule in pattern.computed for one in rule.channel.quantities}
    plain = without_test(pattern)
    sizes = sizes_of(record, (*own, *typed.values()))
    plan = plan_of(record, TESTS[slug], sizes, specimen, extension, off)
    taken = {rule.name for rule in plain.channels} | {rule.channel.name for rule in plain.computed}
    roles: list[Role] = [*["leave"] * (len(plan.computed) - 2), "x", "y"]  # type: ignore[list-item]
    rules: list[ComputedRule] = []
    names: dict[str, str] = {}
    for wanted, role in zip(plan.computed, roles, strict=True):
        name = next(n for n in _names(wanted.name) if n not in taken)
        formula = renamed(wanted.formula, sizes)
        for old, new in names.items():  # channels of the test that were made before it, by the names that they got
            formula = re.sub(rf"\b{name_in_formula(old)}\b", name_in_formula(new), formula)
        quantities = tuple(one for key, one in typed.items() if key in formula)
        channel = wanted.model_copy(update={"name": name, "formula": formula, "quantities": quantities})
        names[wanted.name] = name
        rules.append(ComputedRule(channel=channel, role=role))
    left = tuple(rule.model_copy(update={"role": "leave"}) for rule in plain.channels)
    others = tuple(
        rule if rule.role == "condition" else rule.model_copy(update={"role": "leave"}) for rule in plain.computed
    )
    kept = tuple(one if rule.role != "condition" else rule for one, rule in zip(left, plain.channels, strict=True))
    test = TestRule(
        test=slug,
        specimen=plan.shape,
        extension=plan.extension,
        off=off,
        made=tuple(names[one.name] for one in plan.computed),
    )
    return plain.model_copy(
        update={"channels": kept, "computed": (*others, *rules), "test": test, "arrangement": "one curve"}
    )


def without_test(pattern: Pattern) -> Pattern:
    """The pattern without the channels that a test made."""
    made = () if pattern.test is None else pattern.test.made
    for name in made:
        place = next((i for i, rule in enumerate(pattern.computed) if rule.channel.name == name), None)
        if place is not None:
            pattern = without_computed(pattern, place)
    return pattern.model_copy(update={"test": None})


def _names(name: str) -> list[str]:
    """A name, and others for where a channel of the file has it."""
    other = f"Engineering {name.lower()}" if name in ("Stress", "Strain") else f"{name} of the test"
    return [name, other, *(f"{name} {k}" for k in range(2, 99))]
