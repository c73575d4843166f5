"""What a report of a study is made of: headings, paragraphs, points, tables and figures, one after another."""

from __future__ import annotations

import platform
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from importlib.metadata import PackageNotFoundError, version

from curvesieve import __version__
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.figures.places import curves_in
from curvesieve.core.quantity import SCALES
from curvesieve.core.report.pages import Listing
from curvesieve.core.report.template import DEFAULT, lines_of
from curvesieve.core.report.words import (
    fit_in_words,
    measures_in_words,
    methods_paragraph,
    model_in_words,
    read_of,
    references_of,
    steps_in_words,
)
from curvesieve.core.study.document import Family
from curvesieve.core.study.fields import about
from curvesieve.core.study.figure_parts import FigureSpec
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.ledger_tables import short_table
from curvesieve.core.study.measuring import measure_curves
from curvesieve.core.study.passing import giver
from curvesieve.core.study.shared_numbers import family_numbers
from curvesieve.core.study.study import Study
from curvesieve.core.tracing.told import told_of

_LIBRARIES = ("numpy", "scipy", "pandas", "pint", "pybaselines", "matplotlib")
_MOST = 500


@dataclass(frozen=True)
class Heading:
    """A heading; `level` 1 is the title."""

    text: str
    level: int = 2


@dataclass(frozen=True)
class Paragraph:
    """Plain words."""

    text: str


@dataclass(frozen=True)
class Points:
    """Sentences in a list."""

    items: tuple[str, ...]


@dataclass(frozen=True)
class Drawing:
    """A figure with its number and name below."""

    spec: FigureSpec
    caption: str


Block = Heading | Paragraph | Points | Listing | Drawing


@dataclass(frozen=True, eq=False)
class StudyReport:
    """Blocks under a title, of the study that its figures are drawn from."""

    title: str
    study: Study
    blocks: tuple[Block, ...]


@dataclass(frozen=True, eq=False)
class _Scope:
    """What a report is about."""

    study: Study
    title: str
    families: tuple[Family, ...]
    curves: tuple[str, ...]
    figures: tuple[FigureSpec, ...]
    when: date


def report_of_study(
    study: Study, *, family: str = "", curve: str = "", template: str = DEFAULT, when: date | None = None
) -> StudyReport:
    """The report of a study, or of one family or curve of it by its id, as a template has it (see `template`).

    Raises InputError for a study without curves, with more than 500, and for a template that names what there is not.
    """
    scope = _scope(study, family, curve, when or date.today())
    if not scope.curves:
        raise InputError("There is no curve in this study yet, so there is nothing to report.")
    if len(scope.curves) > _MOST:
        raise InputError(f"A report tells of {_MOST} curves at the most; report one family at a time.")
    blocks: list[Block] = []
    for kind, text in lines_of(template, set(_PARTS), {"title": scope.title, "date": scope.when.isoformat()}):
        if kind == "part":
            blocks += _PARTS[text](scope)
        elif kind == "text":
            blocks.append(Paragraph(text))
        else:
            blocks.append(Heading(text, int(kind)))
    return StudyReport(scope.title, study, tuple(_without_empty(blocks)))


def _without_empty(blocks: list[Block]) -> list[Block]:
    """The blocks without headings that have nothing below them."""
    kept: list[Block] = []
    for place, block in enumerate(blocks):
        after = blocks[place + 1] if place + 1 < len(blocks) else None
        bare = isinstance(block, Heading) and block.level > 1
        if bare and (after is None or (isinstance(after, Heading) and after.level <= block.level)):  # type: ignore[union-attr]
            continue
        kept.append(block)
    return kept


def _scope(study: Study, family_id: str, curve_id: str, when: date) -> _Scope:
    document = study.document
    if curve_id:
        entry = study.entry(curve_id)
        figures = tuple(one for one in document.figures if _shows(study, one, (curve_id,)))
        family = study.family_of(curve_id)
        return _Scope(study, entry.label, (family,) if family is not None else (), (curve_id,), figures, when)
    if family_id:
        family = study.family(family_id)
        figures = tuple(one for one in document.figures if _shows(study, one, family.curves))
        return _Scope(study, family.label, (family,), family.curves, figures, when)
    curves = tuple(curve.id for curve in document.curves)
    return _Scope(study, document.title, document.families, curves, document.figures, when)


def _shows(study: Study, spec: FigureSpec, curves: tuple[str, ...]) -> bool:
    return any(id_ in curves for panel in spec.panels for id_ in curves_in(study, panel))


# -- parts --------------------------------------------------------------------------------------------


def _figures(scope: _Scope) -> list[Block]:
    return [Drawing(one, f"Figure {number}. {one.name}.") for number, one in enumerate(scope.figures, 1)]


def _readings(scope: _Scope) -> list[Block]:
    made: list[Block] = []
    in_families: set[str] = set()
    for family in scope.families:
        in_families |= set(family.curves)
        read = measure_curves(scope.study, family.curves)
        ledger = ledger_of(scope.study, family, read)
        table = short_table(ledger)
        if len(scope.curves) == 1:
            label = scope.study.entry(scope.curves[0]).label
            table = [table[0], *(row for row in table[1:] if row[0].split(" · ")[0] == label)]
        if ledger.columns and len(table) > 1:
            made.append(Listing(family.label, tuple(map(tuple, table))))
        shared = family_numbers(scope.study, family, read)
        if shared and len(scope.curves) > 1:
            numbers = tuple((one.title, one.written, one.law) for one in shared)
            made.append(Listing(f"{family.label}: of the family as one", (("number", "value", "law"), *numbers)))
    single = [id_ for id_ in scope.curves if id_ not in in_families]
    rows = [
        (scope.study.entry(id_).label, one.name, one.written, one.how)
        for id_ in single for one in read_of(scope.study, id_) if not one.aside
    ]  # fmt: skip
    if rows:
        made.append(Listing("Single curves", (("curve", "reading", "value", "how"), *rows)))
    if made:
        made.append(Paragraph("Digits in brackets are the standard uncertainty in the last places."))
    return made


def _quantities(scope: _Scope) -> list[Block]:
    scales = set(SCALES.values())
    rows = [
        (scope.study.entry(id_).label, one.name.replace("_", " "), one.written())
        for id_ in scope.curves for one in scope.study.quantities(id_) if one.name not in scales
    ]  # fmt: skip
    return [Listing("", (("curve", "quantity", "value"), *rows))] if rows else []


def _recipes(scope: _Scope) -> list[Block]:
    """What was done to each curve, with how much each step caught; those treated alike once."""
    study = scope.study
    groups: dict[tuple[str, ...], list[str]] = {}
    for id_ in scope.curves:
        groups.setdefault(_treated(study, id_), []).append(study.entry(id_).label)
    made: list[Block] = []
    for sentences, labels in groups.items():
        if sentences:
            made += [Heading(", ".join(labels), 3), Points(sentences)]
    return made


def _treated(study: Study, curve_id: str) -> tuple[str, ...]:
    said = []
    if words := steps_in_words(study, curve_id):
        said.append(f"Sieve: {words}.")
    model = study.model(curve_id)
    if words := model_in_words(model):
        fit = study.fit(curve_id) if study.fit_is_current(curve_id) else None
        said.append(f"Model: {words}{'; ' + fit_in_words(model, fit) if fit is not None else '; not fitted'}.")
    said += [f"Read: {one}." for one in measures_in_words(read_of(study, curve_id))]
    return tuple(said)


def _methods(scope: _Scope) -> list[Block]:
    return [Paragraph(methods_paragraph(scope.study, scope.curves, __version__))]


def _references(scope: _Scope) -> list[Block]:
    found = references_of(scope.study, scope.curves)
    return [Points(tuple(found))] if found else []


def _files(scope: _Scope) -> list[Block]:
    records = {one.id: one for id_ in scope.curves if (one := scope.study.record_of(id_)) is not None}
    told = _fields_told(scope)
    charts = {chart.id: chart for id_ in scope.curves if (chart := scope.study.chart_of(id_)) is not None}
    rows = [(one.file_name, one.source) for one in records.values()]
    rows += [(f"{one.name} (picture of a chart)", one.picture) for one in charts.values()]
    rows += [
        (f"{one['source']} (points of the field {one['field']})", one["SHA-256"])
        for one in told.values()
        if "SHA-256" in one
    ]
    notes = tuple(f"{one.file_name}: {note}" for one in records.values() for note in one.notes)
    notes += tuple(f"{one.name}: {told_of(one.trace)}" for one in charts.values())
    for field in told.values():
        said = ", ".join(f"{key} {value}" for key, value in field.items() if key not in ("field", "SHA-256"))
        notes += (f"{field['field']}: {said}",)
    made: list[Block] = [Listing("", (("file", "SHA-256"), *rows))] if rows else []
    return [*made, Points(notes)] if notes else made


def _fields_told(scope: _Scope) -> dict[str, dict[str, str]]:
    """What was done to the fields that curves are slices of, by their ids; where that cannot be had, why."""
    found = {one.id: one.name for id_ in scope.curves if (one := scope.study.field_of(id_)) is not None}
    told = {}
    for id_, name in found.items():
        try:
            told[id_] = dict(about(scope.study, id_, giver(scope.study)))
        except InputError as error:
            told[id_] = {"field": name, "cannot be made:": str(error)}
    return told


def _versions(scope: _Scope) -> list[Block]:
    named = [f"Curve Sieve {__version__}", f"Python {platform.python_version()}"]
    for name in _LIBRARIES:
        try:
            named.append(f"{name} {version(name)}")
        except PackageNotFoundError:
            continue
    return [Paragraph(f"{'; '.join(named)}. {scope.when.isoformat()}.")]


def _about(scope: _Scope) -> list[Block]:
    names = [
        f"{one.label}: {len(one.curves)} curves"
        + (f" over {units.labelled(one.condition, one.unit)}" if one.condition else "")
        for one in scope.families
    ]
    return [Paragraph(" · ".join(names))] if names else []


_PARTS: Mapping[str, Callable[[_Scope], list[Block]]] = {
    "about": _about, "figures": _figures, "readings": _readings, "quantities": _quantities, "recipes": _recipes,
    "methods": _methods, "references": _references, "files": _files, "versions": _versions,
}  # fmt: skip
