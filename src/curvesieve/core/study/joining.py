"""Tomorrow's files: curves that join a family and are done as its last ones were."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.formats import Table, tables
from curvesieve.core.formats.opening import main_table
from curvesieve.core.formats.text import Watch
from curvesieve.core.intake.applied import Taken, apply_pattern
from curvesieve.core.intake.condition import propose
from curvesieve.core.intake.library import recognise
from curvesieve.core.intake.pattern import Pattern
from curvesieve.core.intake.take import Take
from curvesieve.core.recipe import PARTS, Part, Recipe
from curvesieve.core.record import Record, Source
from curvesieve.core.study import edits
from curvesieve.core.study.document import CurveEntry, Family, FromRecord, RecordEntry
from curvesieve.core.study.given import said_in
from curvesieve.core.study.study import Study


@dataclass(frozen=True)
class Joined:
    """A study with some curves more in a family: their ids; and a sentence for each file that could not join."""

    study: Study
    curves: tuple[str, ...]
    problems: tuple[str, ...]


def last_of(study: Study, family: Family) -> tuple[CurveEntry, FromRecord]:
    """The last curve of a family that comes from a record: files that join are done as it was. Raises InputError."""
    for id_ in reversed(family.curves):
        entry = study.entry(id_)
        if isinstance(entry.source, FromRecord):
            return entry, entry.source
    raise InputError(f"No curve of {family.label} comes from a file, so no file can be done as they were.")


def tables_like(study: Study, family_id: str, source: Source, watch: Watch | None = None) -> list[Table]:
    """The tables of a file that may join a family: all, where its curves are of files with several, or the main one.

    Raises InputError when the file cannot be understood.
    """
    family = next(one for one in study.document.families if one.id == family_id)
    _, last = last_of(study, family)
    found = tables(source, watch)
    return found if " · " in study.record_entry(last.record).file_name else [main_table(found)]


def join_family(study: Study, family_id: str, tables: Sequence[Table], saved: Sequence[Pattern] = ()) -> Joined:
    """Takes curves of tables into a family, from the channels and in the units of its last curve.

    They are under the recipe that the family shares; what it does not share is done as to its last curve.

    The condition is read off names or preambles, where that gives what the family's other curves have; otherwise it
    stays open. `saved` are the user's reading patterns. A file that does not fit is told, and the others go on.
    Raises InputError when the family has no curve that comes from a file.
    """
    family = next(one for one in study.document.families if one.id == family_id)
    last, source = last_of(study, family)
    known = _sources_of(study, family)
    made: list[tuple[Taken, Take]] = []
    problems = []
    for table in tables:
        try:
            found, pattern = recognise(table, saved)
            taken = apply_pattern(found.record, pattern)
            record = taken.record
            table_of_file = (record.source.sha256, _title(record.source.name))
            if table_of_file in known:
                raise InputError(f"{record.source.name} is in {family.label} already.")
            made.append((taken, _take_like(record, study.record_entry(source.record), source.take, family)))
            known.add(table_of_file)
        except InputError as error:
            problems.append(str(error))
    conditions = _conditions(study, family, [taken.record for taken, _ in made])
    ids = []
    for (taken, take), condition in zip(made, conditions, strict=True):
        record = taken.record
        study, record_id = edits.add_record(study, record)
        recipe, shared = _recipe_like(study, family, last)
        entry = CurveEntry(
            id=edits.new_id("curve"), label=_label(record, condition, last, family), condition=condition,
            source=FromRecord(record=record_id, take=take),
            group=said_in(record.metadata, family.grouped_by), recipe=recipe, shared=shared,
            quantities=taken.quantities,
        )  # fmt: skip
        ids.append(entry.id)
        study = study.with_document(curves=(*study.document.curves, entry))
    grown = family.model_copy(update={"curves": (*family.curves, *ids)})
    families = tuple(grown if one.id == family_id else one for one in study.document.families)
    return Joined(study.with_document(families=families) if ids else study, tuple(ids), tuple(problems))


def grafted(study: Study, made: Study, curve_ids: Sequence[str], family_id: str) -> Study:
    """A study with the curves that joined a family of another state of it, their records, numbers and fits.

    Raises InputError when the family is gone meanwhile, or when all of the files came in meanwhile.
    """
    family = next((one for one in study.document.families if one.id == family_id), None)
    if family is None:
        raise InputError("The family that the files were for is not in the study any more; nothing was brought in.")
    known = _sources_of(study, family)
    curve_ids = [id_ for id_ in curve_ids if _table_of(made.record_of(id_)) not in known]
    if not curve_ids:
        raise InputError(f"The files are in {family.label} already; nothing was brought in a second time.")
    entries = [made.entry(id_) for id_ in curve_ids]
    records = [record for id_ in curve_ids if (record := made.record_of(id_)) is not None]
    fits = {fit.key: fit for id_ in curve_ids if (fit := made.fit(id_)) is not None}
    grown = family.model_copy(update={"curves": (*family.curves, *curve_ids)})
    document = study.document.model_copy(
        update={
            "records": (*study.document.records, *dict.fromkeys(records)),
            "curves": (*study.document.curves, *entries),
            "families": tuple(grown if one.id == family_id else one for one in study.document.families),
        }
    )
    arrays = {channel.array: made.arrays[channel.array] for record in records for channel in record.channels}
    sources = {record.source: made.sources[record.source] for record in records if record.source_kept}
    return Study(document, {**study.arrays, **arrays}, {**study.sources, **sources}, {**study.results, **fits})


def _source(study: Study, curve_id: str) -> FromRecord | None:
    source = study.entry(curve_id).source
    return source if isinstance(source, FromRecord) else None


def _sources_of(study: Study, family: Family) -> set[tuple[str, str]]:
    """The tables that a family's curves come from: the hashes of their files, and their titles in these."""
    return {_table_of(study.record_of(id_)) for id_ in family.curves}


def _table_of(record: RecordEntry | None) -> tuple[str, str]:
    return ("", "") if record is None else (record.source, _title(record.file_name))


def _title(name: str) -> str:
    """What tells a table from the others of its file; empty where it is the only one."""
    return name.partition(" · ")[2]


def _take_like(record: Record, old: RecordEntry, like: Take, family: Family) -> Take:
    """The channels of a record that are called as those of an older one, in the units of the older one's curve."""
    name = record.source.name
    if like.where is not None:
        raise InputError(f"{name}: the curves of {family.label} are chosen rows; bring it in on the Intake bench.")

    def place(index: int) -> int:
        wanted = old.channels[index].name
        names = [channel.name for channel in record.channels]
        if wanted not in names:
            raise InputError(
                f"{name} has no channel {wanted!r}, as the curves of {family.label} have; it has {', '.join(names)}. "
                "Bring it in on the Intake bench."
            )
        return names.index(wanted)

    def unit(index: int, target: str) -> str:
        was, channel = old.channels[index].unit, record.channels[place(index)]
        if channel.unit == was:
            return target
        if not channel.unit.strip() or not was.strip():
            ours, theirs = (units.shown(one) or "no unit" for one in (was, channel.unit))
            raise InputError(
                f"{name} has {channel.name} in {theirs}, the curves of {family.label} in {ours}. Bring it in on the "
                "Intake bench and say what it is."
            )
        return target or was

    take = Take(
        place(like.x), place(like.y), None if like.u is None else place(like.u),
        unit(like.x, like.x_unit), unit(like.y, like.y_unit),
    )  # fmt: skip
    try:
        take.curve(record)
    except InputError as error:
        raise error if name in str(error) else InputError(f"{name}: {error}") from error
    return take


def _recipe_like(study: Study, family: Family, last: CurveEntry) -> tuple[Recipe, tuple[Part, ...]]:
    """What the family shares, and for the rest what is done to its last curve, as the new curve's own."""
    shared = tuple(part for part in PARTS if any(study.shares(id_, part) for id_ in family.curves))
    own = edits.fresh(study.recipe(last.id)).model_copy(update={part: getattr(Recipe(), part) for part in shared})
    return own, shared


def _conditions(study: Study, family: Family, records: Sequence[Record]) -> list[float | None]:
    """What the names or the preambles say, where they say of the family's own curves what is known of them."""
    own = [(id_, source) for id_ in family.curves if (source := _source(study, id_)) is not None]
    found = propose([*(study.record(source.record) for _, source in own), *records])
    said = [study.entry(id_).condition for id_, _ in own]
    agreed = found.unit == family.unit and all(
        told is not None and known is not None and math.isclose(told, known, rel_tol=1e-9)
        for told, known in zip(found.values, said, strict=False)
    )
    return list(found.values[len(own) :]) if agreed and own else [None] * len(records)


def _label(record: Record, condition: float | None, last: CurveEntry, family: Family) -> str:
    """Called by its condition where the last curve is, otherwise by its file."""
    unit = units.shown(family.unit)
    for digits in ("g", ".1f", ".0f", ".2f"):
        by_condition = last.condition is not None and last.label == f"{last.condition:{digits}} {unit}".strip()
        if condition is not None and by_condition:
            return f"{condition:{digits}} {unit}".strip()
    return record.source.name.rsplit(".", 1)[0]
