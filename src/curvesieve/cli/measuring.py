"""`measure` and `tension`: readings of files' curves, by a recipe, by one measure, by the set for a test."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from curvesieve.cli.choosing import chosen_curve, split_assignment
from curvesieve.core.errors import InputError

if TYPE_CHECKING:
    from curvesieve.core.quantity import Quantity
    from curvesieve.core.reading import Reading
    from curvesieve.core.recipe import Done, Recipe
    from curvesieve.core.record import Record


def measure_files(options: argparse.Namespace) -> int:
    """Prints the readings of each file; one that cannot be read, and each measure that fails, makes the status 2."""
    from curvesieve.core.formats import read
    from curvesieve.core.quantity import Quantity

    recipe = _recipe(options)
    given = [Quantity.read(*split_assignment(text)) for text in options.quantity]

    def done(record: Record) -> Done:
        return recipe(chosen_curve(record, options), quantities=_quantities(record, given))

    return each_file(options, lambda name: _said(done(read(name))))


def tension_files(options: argparse.Namespace) -> int:
    """Prints the properties that the set for tension tests reads; status and errors as of `measure_files`."""
    from curvesieve.core.formats import read
    from curvesieve.core.intake.machine import TESTS
    from curvesieve.core.quantity import Quantity
    from curvesieve.core.sets import BY_TEST, read_test

    sizes = ("width", "thickness", "diameter", "inner_diameter", "area", "gauge", "span", "load_span")
    given = [Quantity.read(size, text) for size in sizes if (text := getattr(options, size))]
    if options.test not in BY_TEST:
        raise InputError(f"There is no test {options.test!r}; there are {', '.join(TESTS)}.")

    def done(name: str) -> dict[str, Any]:
        test = read_test(read(name), given, BY_TEST[options.test])
        said = _said(test.done)
        return said | {"notes": [*said["notes"], *test.notes]}

    return each_file(options, done)


def each_file(options: argparse.Namespace, done: Callable[[str], dict[str, Any]]) -> int:
    """Prints what is read of each file; one that cannot be read, and each measure that fails, makes the status 2."""
    found: list[dict[str, Any]] = []
    failed: list[str] = []
    for name in options.files:
        entry: dict[str, Any] = {"file": Path(name).name, "readings": [], "notes": []}
        try:
            entry |= done(name)
        except InputError as error:
            entry["notes"] = entry["failed"] = [str(error)]
        told = entry.pop("failed", [])
        failed += [f"{entry['file']}: {note}" if entry["file"] not in note else note for note in told]
        found.append(entry)
    if options.json:
        print(json.dumps(found, ensure_ascii=False, indent=1))
    else:
        _print(found)
    for line in failed:
        print(f"curvesieve: {line}".replace("\n", " "), file=sys.stderr)
    return 2 if failed else 0


def _recipe(options: argparse.Namespace) -> Recipe:
    from curvesieve.core.measures.base import MeasureSlot, parse_measure
    from curvesieve.core.recipe import Recipe

    if (options.recipe is None) == (options.measure is None):
        raise InputError("Say what to read by either --recipe R.json or --measure SLUG.")
    if options.recipe is not None:
        if options.set:
            raise InputError("--set goes with --measure; a recipe has its own fields.")
        return Recipe.load(options.recipe)
    rule = parse_measure({"measure": options.measure, **dict(map(split_assignment, options.set))})
    return Recipe(measures=(MeasureSlot(id=rule.slug, rule=rule),))


def _quantities(record: Record, given: list[Quantity]) -> list[Quantity]:
    """Those of the command line, then those of the file's preamble."""
    from curvesieve.core.intake.computed import quantities_of

    names = {one.name for one in given}
    return [*given, *(one for one in quantities_of(record) if one.name not in names)]


def _said(done: Done) -> dict[str, Any]:
    notes = [f"{one.slot.title}: {one.problem}" for one in done.outcomes if one.problem]
    absent = [f"{one.slot.title}: {one.problem}" for one in done.outcomes if one.absent]
    warnings = [f"{one.slot.title}: {one.warning}" for one in done.outcomes if one.warning]
    failed = [note for note in notes if note not in absent]
    if done.fit is not None and not done.fit.converged:
        notes.insert(0, done.fit.message)
    return {"readings": said_readings(done.readings), "notes": [*notes, *warnings], "failed": failed}


def said_readings(readings: Sequence[Reading]) -> list[dict[str, Any]]:
    """Readings as the JSON of the command line has them."""
    from curvesieve.core.study.ledger_tables import reading_entry

    return [reading_entry(one) for one in readings]


def _print(found: list[dict[str, Any]]) -> None:
    from curvesieve.core import units
    from curvesieve.core.reading import plus_minus

    for entry in found:
        print(entry["file"])
        for r in entry["readings"]:
            name = f"{r['name']} {r['part']}" if r["part"] and str(r["part"]) not in r["name"] else r["name"]
            print(f"  {name:<20} {plus_minus(r['value'], r['u'])} {units.shown(r['unit'])}  {r['method']}".rstrip())
        for note in entry["notes"]:
            print(f"  note: {note}")
