"""Edits of fields: made, named, changed, removed; and their slices as curves that stay linked."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pydantic import ValidationError

from curvesieve.core.errors import InputError, counted
from curvesieve.core.fields.reads.base import FieldMeasure, MeasureSlot
from curvesieve.core.fields.slices import SliceSpec
from curvesieve.core.fields.steps.base import FieldSlot, FieldStep
from curvesieve.core.recipe import next_measure_id
from curvesieve.core.record import Record
from curvesieve.core.study.document import CurveEntry, Family, FromField
from curvesieve.core.study.edits.base import Edit, free_name, new_id
from curvesieve.core.study.edits.shelf import add_record
from curvesieve.core.study.field_parts import FieldEntry, FieldSource, OfChannels, OfDifference, OfTable
from curvesieve.core.study.fields import entry_of
from curvesieve.core.study.study import Study


def add_field(source: FieldSource, name: str, field_id: str = "") -> Edit:
    """A field more, at the end; a name that is taken gets a number."""

    def edit(study: Study) -> Study:
        free = free_name(name, {field.name for field in study.document.fields}, "field")
        entry = FieldEntry(id=field_id or new_id("field"), name=free, source=source)
        return study.with_document(fields=(*study.document.fields, entry))

    return edit


def add_field_of(record: Record, source: OfChannels | OfTable, name: str, field_id: str = "") -> Edit:
    """A field of a record that is brought in with it. The record's id in `source` is set here."""

    def edit(study: Study) -> Study:
        study, record_id = add_record(study, record)
        return add_field(source.model_copy(update={"record": record_id}), name, field_id)(study)

    return edit


def name_field(field_id: str, name: str) -> Edit:
    """Another name for a field. Raises InputError for an empty one, and for one that another field has."""
    if not name.strip():
        raise InputError("A field needs a name; the old one is kept.")

    def edit(study: Study) -> Study:
        if any(field.name == name.strip() and field.id != field_id for field in study.document.fields):
            raise InputError(f"There is a field {name.strip()} already; choose another name.")
        return change_field(field_id, name=name.strip())(study)

    return edit


def change_field(field_id: str, **changes: Any) -> Edit:
    """A field with other parts (filling, levels, slices, look, sieve, measures …), checked like one from a file.

    Raises InputError with the first fault.
    """

    def edit(study: Study) -> Study:
        field = entry_of(study, field_id)
        made = field.model_copy(update=changes)
        if made == field:
            return study
        try:
            FieldEntry.model_validate(made.model_dump())
        except ValidationError as error:
            raise InputError(str(error.errors()[0]["msg"]).removeprefix("Value error, ").capitalize() + ".") from error
        fields = tuple(made if one.id == field_id else one for one in study.document.fields)
        return study.with_document(fields=fields)

    return edit


def field_step(field_id: str, rule: FieldStep, slot_id: str = "") -> Edit:
    """A step more at the end of a field's sieve, or another in the place of the one of that id."""

    def edit(study: Study) -> Study:
        sieve = entry_of(study, field_id).sieve
        if any(slot.id == slot_id for slot in sieve):
            made = tuple(slot.model_copy(update={"rule": rule}) if slot.id == slot_id else slot for slot in sieve)
        else:
            made = (*sieve, FieldSlot(id=slot_id or free_step(entry_of(study, field_id)), rule=rule))
        return change_field(field_id, sieve=made)(study)

    return edit


def field_measure(field_id: str, rule: FieldMeasure, slot_id: str = "") -> Edit:
    """A measure more at the end of a field's list, or another in the place of the one of that id."""

    def edit(study: Study) -> Study:
        slots = entry_of(study, field_id).measures
        if any(slot.id == slot_id for slot in slots):
            made = tuple(slot.model_copy(update={"rule": rule}) if slot.id == slot_id else slot for slot in slots)
        else:
            made = (*slots, MeasureSlot(id=slot_id or next_measure_id(slots, rule.slug), rule=rule))
        return change_field(field_id, measures=made)(study)

    return edit


def free_step(field: FieldEntry) -> str:
    """The id of a step more in a field's sieve."""
    numbers = [int(slot.id[1:]) for slot in field.sieve if slot.id[1:].isdigit()]
    return f"s{max(numbers, default=0) + 1}"


def remove_field(field_id: str) -> Edit:
    """Takes a field out, and its record when nothing else uses it. Raises InputError where curves or fields use it."""

    def edit(study: Study) -> Study:
        field = entry_of(study, field_id)
        used = [curve.label for curve in sliced_curves(study, field_id)]
        if used:
            raise InputError(
                f"{counted(len(used), 'curve')} on the shelf {'are slices' if len(used) > 1 else 'is a slice'} of "
                f"{field.name} ({', '.join(used[:3])}{' …' if len(used) > 3 else ''}); take them off the shelf first."
            )
        others = [
            one.name for one in study.document.fields
            if (isinstance(one.source, OfDifference) and field_id in (one.source.first, one.source.second))
            or (one.filling is not None and one.filling.grid.like == field_id)
        ]  # fmt: skip
        if others:
            raise InputError(
                f"{', '.join(others)} {'are' if len(others) > 1 else 'is'} made with {field.name}; remove that first."
            )
        made = study.with_document(fields=tuple(one for one in study.document.fields if one.id != field_id))
        kept = made.document.used_records()
        return made.with_document(records=tuple(record for record in made.document.records if record.id in kept))

    return edit


def sliced_curves(study: Study, field_id: str) -> list[CurveEntry]:
    """The curves that are slices of a field, in the order of the study."""
    curves = study.document.curves
    return [one for one in curves if isinstance(one.source, FromField) and one.source.field == field_id]


def slices_as_family(
    field_id: str, specs: Sequence[SliceSpec], labels: Sequence[str], condition: tuple[str, str], family_id: str = ""
) -> Edit:
    """Slices of a field as a family of curves that follow it; the condition is where they are cut.

    Lines that are drawn anywhere have no condition. Raises InputError where there is no slice.
    """
    if not specs:
        raise InputError("There is no slice to bring in; choose how many, or draw one over the map.")

    def edit(study: Study) -> Study:
        field = entry_of(study, field_id)
        curves = tuple(
            CurveEntry(
                id=new_id("curve"), label=label, source=FromField(field=field_id, slice=spec),
                condition=spec.at if spec.along != "line" else None,
            )
            for spec, label in zip(specs, labels, strict=True)
        )  # fmt: skip
        family = Family(
            id=family_id or new_id("family"),
            label=f"Slices of {field.name}",
            condition=condition[0],
            unit=condition[1],
            curves=tuple(curve.id for curve in curves),
        )
        return study.with_document(
            curves=(*study.document.curves, *curves), families=(*study.document.families, family)
        )

    return edit
