"""Edits: each takes a study and gives a new one. Nothing here changes anything in place."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from curvesieve.core.errors import InputError
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model
from curvesieve.core.recipe import PARTS, Part, Recipe
from curvesieve.core.record import Record
from curvesieve.core.steps import Step, StepSlot
from curvesieve.core.study.document import (
    ChannelEntry,
    CurveEntry,
    Family,
    FitEntry,
    FromRecord,
    RecordEntry,
)
from curvesieve.core.study.study import Study

Edit = Callable[[Study], Study]
_MOST_RESULTS = 2000
"""So many fits of earlier starts and steps are remembered; they are not saved."""


def new_id(kind: str) -> str:
    """A short name that is unique within any study."""
    return f"{kind}-{uuid.uuid4().hex[:10]}"


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
                source=FromRecord(
                    record=record_id, x=take.x, y=take.y, u=take.u, x_unit=take.x_unit, y_unit=take.y_unit,
                    where=take.where,
                ),
                condition=value,
            )
        )  # fmt: skip
    family = Family(
        id=new_id("family"), label=family_label, condition=condition[0], unit=condition[1],
        curves=tuple(curve.id for curve in curves),
    )  # fmt: skip
    return study.with_document(curves=(*study.document.curves, *curves), families=(*study.document.families, family))


def change_curve(curve_id: str, change: Callable[[CurveEntry], CurveEntry]) -> Edit:
    """An edit of one curve's entry."""

    def edit(study: Study) -> Study:
        curves = tuple(change(curve) if curve.id == curve_id else curve for curve in study.document.curves)
        return study.with_document(curves=curves)

    return edit


def remove_curve(curve_id: str) -> Edit:
    """Takes a curve off the shelf, and its record when no other curve uses it."""
    return remove_curves((curve_id,))


def remove_curves(curve_ids: Sequence[str]) -> Edit:
    """Takes curves off the shelf, and the records that no other curve uses."""
    gone = set(curve_ids)

    def edit(study: Study) -> Study:
        document = study.document
        curves = tuple(curve for curve in document.curves if curve.id not in gone)
        used = {curve.source.record for curve in curves if isinstance(curve.source, FromRecord)}
        return study.with_document(
            curves=curves,
            families=_without(document.families, gone),
            records=tuple(record for record in document.records if record.id in used),
        )

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

    What is done to them stays: where they shared a sieve or a model, they keep it as their own. A condition of another
    quantity or unit than that of the new family is dropped, or its number would be read as something else.
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
    changes: dict[str, object] = {"recipe": study.recipe(curve_id), "shared": ()}
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
        return _change_family(study, family, {"label": label.strip()})

    return edit


def rename_curve(curve_id: str, label: str) -> Edit:
    """Another label for a curve; raises InputError for an empty one."""
    if not label.strip():
        raise InputError("A curve needs a name; the old one is kept.")
    return change_curve(curve_id, lambda curve: curve.model_copy(update={"label": label.strip()}))


def _change_part(curve_id: str, part: Part, change: Callable[[Recipe], object]) -> Edit:
    """Changes a part of the curve's own recipe, or of its family's where it shares that part."""

    def edit(study: Study) -> Study:
        family = study.family_of(curve_id) if study.shares(curve_id, part) else None
        recipe = study.entry(curve_id).recipe if family is None else family.recipe
        made = recipe.model_copy(update={part: change(recipe)})
        if family is None:
            return change_curve(curve_id, lambda curve: curve.model_copy(update={"recipe": made}))(study)
        return _change_family(study, family, {"recipe": made})

    return edit


def _change_slots(curve_id: str, change: Callable[[tuple[StepSlot, ...]], tuple[StepSlot, ...]]) -> Edit:
    return _change_part(curve_id, "sieve", lambda recipe: change(recipe.sieve))


def _change_family(study: Study, family: Family, changes: dict[str, object]) -> Study:
    families = tuple(
        other.model_copy(update=changes) if other.id == family.id else other for other in study.document.families
    )
    return study.with_document(families=families)


def set_sieve(curve_id: str, slots: tuple[StepSlot, ...]) -> Edit:
    """Other steps in the place of all that the curve (or its family, where it shares) has."""
    return _change_slots(curve_id, lambda old: slots)


def share(curve_id: str, part: Part) -> Edit:
    """Makes a part of the curve's recipe that of its whole family: editing it once changes all. Others' own goes.

    Raises InputError when the curve is in no family.
    """

    def edit(study: Study) -> Study:
        family = study.family_of(curve_id)
        if family is None or len(family.curves) < 2:
            raise InputError(f"This curve is alone; a {part} is shared within a family of two or more.")
        given = getattr(study.recipe(curve_id), part)
        changed = {id_: _sharing(study, study.entry(id_), part, given) for id_ in family.curves}
        curves = tuple(changed.get(curve.id, curve) for curve in study.document.curves)
        shared = family.recipe.model_copy(update={part: given})
        return _change_family(study.with_document(curves=curves), family, {"recipe": shared})

    return edit


def _sharing(study: Study, curve: CurveEntry, part: Part, given: object) -> CurveEntry:
    """The curve with a part of its recipe given by the family; its own goes, and with another model its last fit."""
    own = curve.recipe.model_copy(update={part: getattr(Recipe(), part)})
    changes: dict[str, object] = {"recipe": own, "shared": tuple(p for p in PARTS if p in curve.shared or p == part)}
    if part == "model" and study.model(curve.id) != given:
        changes["result"] = ""
    return curve.model_copy(update=changes)


def step_out(curve_id: str, part: Part) -> Edit:
    """Gives the curve a sieve or a model of its own, which begins as the shared one."""

    def edit(study: Study) -> Study:
        return change_curve(curve_id, lambda curve: _owning(study, curve, part))(study)

    return edit


def _owning(study: Study, curve: CurveEntry, part: Part) -> CurveEntry:
    own = curve.recipe.model_copy(update={part: getattr(study.recipe(curve.id), part)})
    return curve.model_copy(update={"recipe": own, "shared": tuple(p for p in curve.shared if p != part)})


def step_in(curve_id: str, part: Part) -> Edit:
    """Puts the curve under the sieve or the model that its family shares; its own goes.

    Raises InputError for a curve in no family.
    """

    def edit(study: Study) -> Study:
        family = study.family_of(curve_id)
        if family is None:
            raise InputError(f"This curve is in no family; there is no shared {part}.")
        given = getattr(family.recipe, part)
        return change_curve(curve_id, lambda curve: _sharing(study, curve, part, given))(study)

    return edit


def set_recipe(curve_ids: Sequence[str], recipe: Recipe) -> Edit:
    """Gives curves a recipe as their own, each with steps of fresh ids."""

    def edit(study: Study) -> Study:
        chosen = set(curve_ids)
        curves = tuple(
            curve.model_copy(update={"recipe": fresh(recipe), "shared": (), "result": ""})
            if curve.id in chosen
            else curve
            for curve in study.document.curves
        )
        return study.with_document(curves=curves)

    return edit


def fresh(recipe: Recipe) -> Recipe:
    """The same recipe with new ids for its steps, so that it is told from the one that it was copied from."""
    slots = tuple(slot.model_copy(update={"id": new_id("step")}) for slot in recipe.sieve)
    return recipe.model_copy(update={"sieve": slots})


def copy_sieve(curve_id: str, targets: Sequence[str]) -> Edit:
    """Gives other curves a copy of this one's sieve, as sieves of their own."""

    def edit(study: Study) -> Study:
        given = study.recipe(curve_id)
        changed = {}
        for id_ in targets:
            curve = _owning(study, study.entry(id_), "sieve")
            own = curve.recipe.model_copy(update={"sieve": fresh(given).sieve})
            changed[id_] = curve.model_copy(update={"recipe": own})
        return study.with_document(curves=tuple(changed.get(curve.id, curve) for curve in study.document.curves))

    return edit


def name_step(curve_id: str, slot_id: str, name: str) -> Edit:
    """Another name for a step; an empty one gives back its own label."""
    return _change_slots(
        curve_id,
        lambda slots: tuple(s.model_copy(update={"name": name.strip()}) if s.id == slot_id else s for s in slots),
    )


def add_step(curve_id: str, step: Step, slot_id: str) -> Edit:
    """Puts a step at the end of the curve's sieve."""
    return _change_slots(curve_id, lambda slots: (*slots, StepSlot(id=slot_id, rule=step)))


def remove_step(curve_id: str, slot_id: str) -> Edit:
    """Takes a step out of the sieve in force."""
    return _change_slots(curve_id, lambda slots: tuple(slot for slot in slots if slot.id != slot_id))


def change_step(curve_id: str, slot_id: str, step: Step) -> Edit:
    """Other fields for a step."""
    return _change_slots(
        curve_id,
        lambda slots: tuple(s.model_copy(update={"rule": step}) if s.id == slot_id else s for s in slots),
    )


def switch_step(curve_id: str, slot_id: str, on: bool) -> Edit:
    """Switches a step on or off."""
    return _change_slots(
        curve_id, lambda slots: tuple(s.model_copy(update={"on": on}) if s.id == slot_id else s for s in slots)
    )


def move_step(curve_id: str, slot_id: str, place: int) -> Edit:
    """Puts a step at another place (from 0) of its sieve."""

    def change(slots: tuple[StepSlot, ...]) -> tuple[StepSlot, ...]:
        moved = next(slot for slot in slots if slot.id == slot_id)
        rest = [slot for slot in slots if slot.id != slot_id]
        rest.insert(max(0, min(place, len(rest))), moved)
        return tuple(rest)

    return _change_slots(curve_id, change)


def set_model(curve_id: str, model: Model) -> Edit:
    """Another model, or the same with other starts or another range; the last fit goes, as it is not of this one.

    Ties and quantities that name parameters which the model no longer has go with them. A model that was as it is now
    before has the fit of then.
    """

    def edit(study: Study) -> Study:
        family = study.family_of(curve_id) if study.shares(curve_id, "model") else None
        touched = {id_ for id_ in family.curves if study.shares(id_, "model")} if family is not None else {curve_id}
        changed = _change_part(curve_id, "model", lambda recipe: model.whole())(study)
        known = {id_: changed.fit_key(id_) if changed.results else "" for id_ in touched}
        results = {id_: key if key in changed.results else "" for id_, key in known.items()}
        curves = tuple(
            curve.model_copy(update={"result": key})
            if (key := results.get(curve.id, curve.result)) != curve.result
            else curve
            for curve in changed.document.curves
        )
        return changed.with_document(curves=curves)

    return edit


def set_fit(curve_id: str, fit: FitEntry) -> Edit:
    """What a fit of a curve found."""
    return set_fits({curve_id: fit})


def set_fits(fits: Mapping[str, FitEntry]) -> Edit:
    """The fits of several curves at once."""

    def edit(study: Study) -> Study:
        curves = tuple(
            curve.model_copy(update={"result": fits[curve.id].key}) if curve.id in fits else curve
            for curve in study.document.curves
        )
        results = {**study.results, **{fit.key: fit for fit in fits.values()}}
        made = replace(study.with_document(curves=curves), results=results)
        return made if len(results) <= _MOST_RESULTS + 2 * len(curves) else made.settled()

    return edit
