"""What a report says, as values: a page for the set, and one for each specimen."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from curvesieve.core import units
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.literature import Literature, beside
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.quantity import SCALES
from curvesieve.core.reading import concise
from curvesieve.core.steps.axis import in_units
from curvesieve.core.study.document import Family
from curvesieve.core.study.ledger import Ledger, ledger_of
from curvesieve.core.study.ledger_tables import short_table
from curvesieve.core.study.measuring import measured_curve
from curvesieve.core.study.outcomes import Outcomes
from curvesieve.core.study.passing import sieved_curve
from curvesieve.core.study.study import Study

_MOST, _MOST_LINES = 500, 12
Rows = tuple[tuple[str, ...], ...]


@dataclass(frozen=True)
class Listing:
    """A table with a heading over it; the first of its rows names the columns."""

    title: str
    rows: Rows


@dataclass(frozen=True, eq=False)
class Drawn:
    """A curve to draw, with the constructions of its readings, and its name and group."""

    label: str
    group: str
    curve: Curve
    outcomes: tuple[Outcome, ...] = ()


@dataclass(frozen=True, eq=False)
class Page:
    """A page: title, what it is about, the curves of its figure, tables, sentences."""

    title: str
    about: str
    curves: tuple[Drawn, ...]
    listings: tuple[Listing, ...]
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class Report:
    """Pages under one title."""

    title: str
    pages: tuple[Page, ...]


def report_of(study: Study, family: Family, literature: Sequence[Literature] = ()) -> Report:
    """The report of a family: what its specimens have in common on the first page, then a page each.

    Raises InputError for a family without readings, or with more than 500 curves.
    """
    if len(family.curves) > _MOST:
        raise InputError(f"A report has a page a curve, and {_MOST} at the most; {family.label} has more.")
    outcomes = {id_: measured_curve(study, id_) for id_ in family.curves}
    if not any(one.readings for each in outcomes.values() for one in each):
        raise InputError(f"{family.label} has no readings yet; add some, or a set of readings, before its report.")
    specimens = [_specimen(study, id_, outcomes[id_]) for id_ in family.curves]
    if len(specimens) == 1:
        return Report(specimens[0].title, tuple(specimens))
    return Report(family.label, (_set_page(study, family, outcomes, specimens, literature), *specimens))


def report_of_curve(study: Study, curve_id: str) -> Report:
    """The report of one curve alone; raises InputError where nothing is read of it."""
    outcomes = measured_curve(study, curve_id)
    if not any(one.readings for one in outcomes):
        raise InputError("Nothing is read of this curve yet; add readings before its report.")
    page = _specimen(study, curve_id, outcomes)
    return Report(page.title, (page,))


def _set_page(
    study: Study,
    family: Family,
    outcomes: Mapping[str, Outcomes],
    specimens: Sequence[Page],
    literature: Sequence[Literature],
) -> Page:
    ledger = ledger_of(study, family, outcomes)
    listings = [_group_listing(ledger)] if len(ledger.rows) > 1 else []
    listings.append(Listing("Specimens", tuple(map(tuple, short_table(ledger, with_groups=False)))))
    lines = beside(ledger, literature)
    if lines:
        head = ("material", "reading", "literature", "measured", "n", "deviation", "in u", "source")
        rows = [
            (one.row.material, one.row.reading, one.row.written,
             f"{concise(one.mean, one.u)} {units.shown(one.row.unit)}".strip(), str(one.n), f"{one.percent:+.2g} %",
             "–" if one.in_u is None else f"{one.in_u:+.1f}", one.row.source)
            for one in lines
        ]  # fmt: skip
        listings.append(Listing("Beside the literature", (head, *rows)))
    curves, strangers = _in_units_of_first([one for page in specimens for one in page.curves])
    notes = ["Digits in brackets are the standard uncertainty in the last places; of means, s of the specimens."]
    if strangers:
        notes.append(f"Not drawn, as they are in other units: {', '.join(strangers)}.")
    return Page(family.label, f"{len(specimens)} specimens", curves, tuple(listings), tuple(notes))


def _in_units_of_first(drawn: Sequence[Drawn]) -> tuple[tuple[Drawn, ...], list[str]]:
    """The curves without their constructions, all in the units of the first; the names of those that cannot be."""
    first = drawn[0].curve
    made, strangers = [], []
    for one in drawn:
        try:
            curve = in_units(one.curve, first.x_unit, first.y_unit, one.label)
        except InputError:
            strangers.append(one.label)
            continue
        made.append(Drawn(one.label, one.group, curve))
    return tuple(made), strangers


def _group_listing(ledger: Ledger) -> Listing:
    """A row a reading, for each group its mean with s, the half of its 95 % interval, and how many."""
    groups = [group for group in ledger.groups() if group.name or not ledger.is_grouped]
    head = ["reading", *(text for one in groups for text in (f"{one.name or 'all'}: mean(s)", "95 %", "n"))]
    rows = [tuple(head)]
    for place, column in enumerate(ledger.columns):
        row = [column.heading]
        for group in groups:
            found = group.columns[place]
            if found is None:
                row += ["–", "", "0"]
            else:
                half = "" if math.isnan(found.half) else f"±{found.half:.2g}"
                row += [concise(found.mean, None if math.isnan(found.s) else found.s), half, str(found.n)]
        rows.append(tuple(row))
    return Listing("Groups" if ledger.is_grouped else "All specimens", tuple(rows))


def _specimen(study: Study, curve_id: str, outcomes: Outcomes) -> Page:
    entry, family = study.entry(curve_id), study.family_of(curve_id)
    passed = sieved_curve(study, curve_id)
    about = [study.origin(curve_id)]
    if entry.group:
        about.append(entry.group)
    if entry.condition is not None and family is not None and family.condition:
        about.append(f"{family.condition} {entry.condition:g} {units.shown(family.unit)}".strip())
    readings = [
        (one.name, one.written, one.how, one.reference) for each in outcomes for one in each.readings if not one.aside
    ]
    listings = [Listing("Properties", (("reading", "value", "how", "by"), *readings))]
    scales = set(SCALES.values())
    given = [
        (one.name.replace("_", " "), one.written()) for one in study.quantities(curve_id) if one.name not in scales
    ]
    if given:
        listings.append(Listing("Specimen and test", (("quantity", "value"), *given)))
    record = study.record_of(curve_id)
    lines = record.metadata[:_MOST_LINES] if record is not None else ()
    if lines:
        listings.append(Listing("As the file says", (("line", "text"), *lines)))
    steps = [f"{trail.slot.title}: {trail.message or trail.problem}" for trail in passed.trail if trail.slot.on]
    notes = [*steps]
    notes += [f"{one.slot.title}: {one.problem}" for one in outcomes if one.problem]
    notes += [f"{one.slot.title}: {one.warning}" for one in outcomes if one.warning]
    if record is not None:
        notes += list(record.notes)
        notes.append(f"SHA-256 of the file: {record.source}")
    drawn = Drawn(entry.label, entry.group, passed.curve, tuple(outcomes))
    return Page(entry.label, " · ".join(about), (drawn,), tuple(listings), tuple(notes))
