"""Edits of what is on the shelf: records, curves, families."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from curvesieve.core.errors import InputError
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Record
from curvesieve.core.study.document import ChannelEntry, CurveEntry, Family, FromRecord, RecordEntry
from curvesieve.core.study.edits.base import Edit, change_curve, change_family, new_id
from curvesieve.core.study.study import Study


def add_record(study: Study, record: Record) -> tuple[Study, str]:
    """The study with a record more, and the record's id. Equal arrays and sources are kept once."""
    arrays = dict(study.arrays)
    channels = []
    for channel in record.channels:
        arrays.setdefault(channel.digest, channel.values)
        channels.append(ChannelEntry(name=channel.name, unit=channel.unit, array=channel.digest))
    source = record.source
    entry = RecordEntry(
        id=new_id("record"), file_name=source.name, path=source.path, source=source.sha256,
        source_kept=bool(source.held),
        channels=tuple(channels), metadata=record.metadata, notes=record.notes,
    )  # fmt: skip
    document = study.document.model_copy(update={"records": (*study.document.records, entry)})
    sources = {**study.sources, source.sha256: source.held} if source.held else study.sources
    return replace(study, document=document, arrays=arrays, sources=sources), entry.id


def add_curves(
    study: Study,
    chosen: Sequence[tuple[Record, Take]],
    family_label: str,
    labels: Sequence[str] | None = None,
    conditions: Sequence[float | None] | None = None,
    condition: tuple[str, str] = ("", ""),
) -> Study:
    """Brings in curves taken from records together as one family; a record that comes several times is kept once.

    Raises InputError, before anything is added, when a choice makes no curve.
    """
    for record, take in chosen:
        take.curve(record)
    curves: list[CurveEntry] = []
    added: dict[int, str] = {}
    for i, (record, take) in enumerate(chosen):
        if id(record) not in added:
            study, added[id(record)] = add_record(study, record)
        record_id = added[id(record)]
        label = labels[i] if labels else record.source.name.rsplit(".", 1)[0]
        value = conditions[i] if conditions else None
        curves.append(
            CurveEntry(
                id=new_id("curve"),
                label=label,
                source=FromRecord(record=record_id, take=take),
                condition=value,
            )
        )  # fmt: skip
    family = Family(
        id=new_id("family"), label=family_label, condition=condition[0], unit=condition[1],
        curves=tuple(curve.id for curve in curves),
    )  # fmt: skip
    return study.with_document(curves=(*study.document.curves, *curves), families=(*study.document.families, family))


def remove_curve(curve_id: str) -> Edit:
    """Takes a curve off the shelf, and its record when no other curve uses it."""
    return remove_curves((curve_id,))


def remove_curves(curve_ids: Sequence[str]) -> Edit:
    """Takes curves off the shelf, and the records that no other curve uses."""
    gone = set(curve_ids)

    def edit(study: Study) -> Study:
        document = study.document
        curves = tuple(curve for curve in document.curves if curve.id not in gone)
        made = study.with_document(curves=curves, families=_without(document.families, gone))
        used = made.document.used_records()
        return made.with_document(records=tuple(record for record in document.records if record.id in used))

    return edit


def _without(families: Sequence[Family], gone: set[str]) -> tuple[Family, ...]:
    """The families without some curves; those that are left empty go, too."""
    made = []
    for family in families:
        rest = tuple(id_ for id_ in family.curves if id_ not in gone)
        if len(rest) == len(family.curves):
            made.append(family)
        elif rest:
            made.append(family.model_copy(update={"curves": rest}))
    return tuple(made)


def move_curves(curve_ids: Sequence[str], family_id: str) -> Edit:
    """Puts curves into a family (an id of none: out of all families).

    What is done to them stays: what they shared of a recipe and of quantities, they keep as their own. A condition of
    another quantity or unit than that of the new family is dropped, or its number would be read as something else.
    """

    def edit(study: Study) -> Study:
        document = study.document
        target = next((family for family in document.families if family.id == family_id), None)
        moving = [id_ for id_ in curve_ids if study.family_of(id_) is not target]
        if not moving:
            return study
        changed = {id_: _moved(study, id_, target) for id_ in moving}
        families = _without(document.families, set(moving))
        if target is not None:
            grown = target.model_copy(update={"curves": (*target.curves, *moving)})
            families = tuple(grown if family.id == target.id else family for family in families)
        curves = tuple(changed.get(curve.id, curve) for curve in document.curves)
        return study.with_document(curves=curves, families=families)

    return edit


def _moved(study: Study, curve_id: str, target: Family | None) -> CurveEntry:
    entry, family = study.entry(curve_id), study.family_of(curve_id)
    shared = family.quantities if family is not None else ()
    names = {one.name for one in entry.quantities}
    own = (*entry.quantities, *(one for one in shared if one.name not in names))
    changes: dict[str, object] = {"recipe": study.recipe(curve_id), "shared": (), "quantities": own}
    about = (family.condition, family.unit) if family else ("", "")
    if target is None or about != (target.condition, target.unit):
        changes["condition"] = None
    return entry.model_copy(update=changes)


def new_family(curve_ids: Sequence[str], label: str) -> Edit:
    """Makes a family of curves, which leave those that they are in; they keep what their conditions say.

    Raises InputError for a family without a name.
    """
    if not label.strip():
        raise InputError("A family needs a name.")

    def edit(study: Study) -> Study:
        kinds = {(f.condition, f.unit) if (f := study.family_of(id_)) else ("", "") for id_ in curve_ids}
        condition, unit = kinds.pop() if len(kinds) == 1 else ("", "")
        family = Family(id=new_id("family"), label=label.strip(), condition=condition, unit=unit)
        grown = study.with_document(families=(*study.document.families, family))
        return move_curves(curve_ids, family.id)(grown)

    return edit


def rename_family(family_id: str, label: str) -> Edit:
    """Another label for a family; raises InputError for an empty one."""
    if not label.strip():
        raise InputError("A family needs a name; the old one is kept.")

    def edit(study: Study) -> Study:
        family = next(family for family in study.document.families if family.id == family_id)
        return change_family(study, family, {"label": label.strip()})

    return edit


def rename_curve(curve_id: str, label: str) -> Edit:
    """Another label for a curve; raises InputError for an empty one."""
    if not label.strip():
        raise InputError("A curve needs a name; the old one is kept.")
    return change_curve(curve_id, lambda curve: curve.model_copy(update={"label": label.strip()}))
