"""Edits of what is read off curves: measures, quantities, groups, and how the ledger shows them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.measures.base import Measure, MeasureSlot
from curvesieve.core.measures.outcome import own_name
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import Reading, ReadingKey
from curvesieve.core.recipe import next_measure_id
from curvesieve.core.rules import moved
from curvesieve.core.study.document import ColumnLook, CurveEntry, FromLedger, LedgerColumn
from curvesieve.core.study.edits.base import Edit, change_curve, change_family, new_id
from curvesieve.core.study.edits.recipes import change_part
from curvesieve.core.study.study import Study

Slots = tuple[MeasureSlot, ...]


def _change_measures(curve_id: str, change: Callable[[Slots], Slots]) -> Edit:
    return change_part(curve_id, "measures", lambda recipe: change(recipe.measures))


def _change_slot(curve_id: str, slot_id: str, changes: Callable[[MeasureSlot], dict[str, object]]) -> Edit:
    def change(slots: Slots) -> Slots:
        return tuple(slot.model_copy(update=changes(slot)) if slot.id == slot_id else slot for slot in slots)

    return _change_measures(curve_id, change)


def add_measure(curve_id: str, measure: Measure, name: str = "") -> Edit:
    """Puts a measure at the end of the curve's list, or of its family's where that is shared."""

    def change(slots: Slots) -> Slots:
        return (*slots, MeasureSlot(id=next_measure_id(slots, measure.slug), rule=measure, name=name.strip()))

    return _change_measures(curve_id, change)


def add_measures(curve_id: str, added: Slots) -> Edit:
    """Puts slots at the end of the list in force, with their names and units; an id that is taken gets a number."""

    def change(slots: Slots) -> Slots:
        for slot in added:
            slots = (*slots, slot.model_copy(update={"id": next_measure_id(slots, slot.rule.slug)}))
        return slots

    return _change_measures(curve_id, change)


def set_measures(curve_id: str, slots: Slots) -> Edit:
    """Other measures in the place of all that there are."""
    return _change_measures(curve_id, lambda _: slots)


def remove_measure(curve_id: str, slot_id: str) -> Edit:
    """Takes a measure out of the list in force."""
    return _change_measures(curve_id, lambda slots: tuple(slot for slot in slots if slot.id != slot_id))


def change_measure(curve_id: str, slot_id: str, measure: Measure) -> Edit:
    """Other fields for a measure."""
    return _change_slot(curve_id, slot_id, lambda _: {"rule": measure})


def switch_measure(curve_id: str, slot_id: str, on: bool) -> Edit:
    """Switches a measure on or off."""
    return _change_slot(curve_id, slot_id, lambda _: {"on": on})


def name_measure(curve_id: str, slot_id: str, name: str) -> Edit:
    """Another name for a measure, which formulas may call it by; an empty one gives back its own label."""
    return _change_slot(curve_id, slot_id, lambda _: {"name": name.strip()[:200]})


def show_in(curve_id: str, slot_id: str, quantity: str, unit: str) -> Edit:
    """The unit that a reading is shown in; an empty one gives back its own. Raises InputError for what is no unit."""
    if unit.strip() and not units.is_known(unit):
        raise InputError(f"“{unit}” is no unit that is known; write for example GPa or N/mm^2.")

    def changes(slot: MeasureSlot) -> dict[str, object]:
        kept = {name: text for name, text in slot.units.items() if name != quantity}
        return {"units": kept | ({quantity: unit.strip()} if unit.strip() else {})}

    return _change_slot(curve_id, slot_id, changes)


def move_measure(curve_id: str, slot_id: str, place: int) -> Edit:
    """Puts a measure at another place (from 0) of its list: formulas see those before them."""
    return _change_measures(curve_id, lambda slots: moved(slots, slot_id, place))


# -- quantities and groups ----------------------------------------------------------------------------


def set_quantity(curve_id: str, quantity: Quantity, for_family: bool = False) -> Edit:
    """Gives a curve, or its family, a quantity; one of the same name gives way.

    Raises InputError for a name that a formula cannot call, or for a curve in no family.
    """
    if not quantity.name.isidentifier():
        raise InputError(f"“{quantity.name}” cannot be a name in a formula; use letters, digits and _ alone.")

    def edit(study: Study) -> Study:
        if not for_family:
            return change_curve(curve_id, lambda curve: _with(curve, [quantity]))(study)
        family = study.family_of(curve_id)
        if family is None:
            raise InputError("This curve is in no family whose quantities could be set.")
        kept = tuple(one for one in family.quantities if one.name != quantity.name)
        return change_family(study, family, {"quantities": (*kept, quantity)})

    return edit


def give_readings(family_id: str, readings: Sequence[Reading]) -> Edit:
    """Gives a family readings of a curve as quantities, by their names: ``caglioti_u``, ``peak_center_1``.

    They are copies: what is read later changes nothing in them. Those of the same names give way. Raises InputError
    where there is nothing to give, or a value that is none.
    """
    given = tuple(
        Quantity(name=name_as_quantity(one), value=one.value, u=one.u, unit=one.unit, origin="reading")
        for one in readings
        if math.isfinite(one.value)
    )
    if not given:
        raise InputError("There is no number to give; see what the reading says.")
    names = {one.name for one in given}

    def edit(study: Study) -> Study:
        family = next(one for one in study.document.families if one.id == family_id)
        kept = tuple(one for one in family.quantities if one.name not in names)
        return change_family(study, family, {"quantities": (*kept, *given)})

    return edit


def name_as_quantity(reading: Reading) -> str:
    """What a reading is called where it is given on: its quantity, with the number of its peak or loop."""
    name = own_name(reading.quantity)
    return f"{name}_{reading.part}" if reading.part else name


def set_quantities(given: Mapping[str, Sequence[Quantity]]) -> Edit:
    """Gives each of several curves quantities of its own; those of the same names give way."""

    def edit(study: Study) -> Study:
        curves = tuple(_with(c, given[c.id]) if given.get(c.id) else c for c in study.document.curves)
        return study.with_document(curves=curves)

    return edit


def _with(curve: CurveEntry, quantities: Sequence[Quantity]) -> CurveEntry:
    places = {one.name: place for place, one in enumerate(curve.quantities)}
    made = list(curve.quantities)
    for one in quantities:
        if one.name in places:
            made[places[one.name]] = one
        else:
            made.append(one)
    return curve.model_copy(update={"quantities": tuple(made)})


def remove_quantity(curve_id: str, name: str) -> Edit:
    """Takes a quantity from a curve, or, where it has none of its own, from its family."""

    def edit(study: Study) -> Study:
        own, family = study.entry(curve_id).quantities, study.family_of(curve_id)
        if any(one.name == name for one in own):
            kept = tuple(one for one in own if one.name != name)
            return change_curve(curve_id, lambda curve: curve.model_copy(update={"quantities": kept}))(study)
        if family is None:
            return study
        return change_family(study, family, {"quantities": tuple(q for q in family.quantities if q.name != name)})

    return edit


def set_groups(groups: Mapping[str, str], family_id: str = "", grouped_by: str = "") -> Edit:
    """Puts curves into groups of the ledger, by id; an empty name takes them out.

    `grouped_by` is the line of the preamble that files which join the family read theirs from.
    """

    def edit(study: Study) -> Study:
        curves = tuple(
            curve.model_copy(update={"group": groups[curve.id].strip()}) if curve.id in groups else curve
            for curve in study.document.curves
        )
        study = study.with_document(curves=curves)
        family = next((one for one in study.document.families if one.id == family_id), None)
        return study if family is None else change_family(study, family, {"grouped_by": grouped_by})

    return edit


# -- the ledger ---------------------------------------------------------------------------------------


def look_of_column(family_id: str, key: ReadingKey, order: Sequence[ReadingKey] = (), **changes: object) -> Edit:
    """Shows a column of a family's ledger otherwise: `shown`, `title`, `unit`; with `order`, all in that order."""

    def edit(study: Study) -> Study:
        family = next(one for one in study.document.families if one.id == family_id)
        looks = {look.key: look for look in family.columns}
        for one in order:
            looks.setdefault(one, ColumnLook(key=one))
        looks[key] = looks.get(key, ColumnLook(key=key)).model_copy(update=changes)
        if order:
            rest = [one for one in looks if one not in order]
            looks = {one: looks[one] for one in (*order, *rest)}
        return change_family(study, family, {"columns": tuple(looks.values())})

    return edit


def column_as_curve(family_id: str, x: LedgerColumn, y: LedgerColumn, label: str, curve_id: str) -> Edit:
    """A curve of two columns of a family's ledger, beside all families; it follows them."""

    def edit(study: Study) -> Study:
        source = FromLedger(family=family_id, x=x, y=y)
        entry = CurveEntry(id=curve_id or new_id("curve"), label=label, source=source)
        return study.with_document(curves=(*study.document.curves, entry))

    return edit
