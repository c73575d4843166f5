"""Edits of what is done to curves: steps, models, whose they are, and what fits found."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from curvesieve.core.errors import InputError
from curvesieve.core.models import Model
from curvesieve.core.recipe import PARTS, SAID, Part, Recipe
from curvesieve.core.rules import moved
from curvesieve.core.steps import Step, StepSlot
from curvesieve.core.study.document import CurveEntry, FitEntry
from curvesieve.core.study.edits.base import Edit, change_curve, change_family, new_id
from curvesieve.core.study.study import Study

_MOST_RESULTS = 2000
"""So many fits of earlier starts and steps are remembered; they are not saved."""


def change_part(curve_id: str, part: Part, change: Callable[[Recipe], object]) -> Edit:
    """Changes a part of the curve's own recipe, or of its family's where it shares that part."""

    def edit(study: Study) -> Study:
        family = study.family_of(curve_id) if study.shares(curve_id, part) else None
        recipe = study.entry(curve_id).recipe if family is None else family.recipe
        made = recipe.model_copy(update={part: change(recipe)})
        if family is None:
            return change_curve(curve_id, lambda curve: curve.model_copy(update={"recipe": made}))(study)
        return change_family(study, family, {"recipe": made})

    return edit


def _change_slots(curve_id: str, change: Callable[[tuple[StepSlot, ...]], tuple[StepSlot, ...]]) -> Edit:
    return change_part(curve_id, "sieve", lambda recipe: change(recipe.sieve))


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
            raise InputError(f"This curve is alone; {SAID[part]} shared within a family of two or more.")
        given = getattr(study.recipe(curve_id), part)
        changed = {id_: _sharing(study, study.entry(id_), part, given) for id_ in family.curves}
        curves = tuple(changed.get(curve.id, curve) for curve in study.document.curves)
        shared = family.recipe.model_copy(update={part: given})
        return change_family(study.with_document(curves=curves), family, {"recipe": shared})

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
            raise InputError(
                f"This curve is in no family; there {'are' if part == 'measures' else 'is'} no shared {part}."
            )
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


def set_family_recipe(family_id: str, recipe: Recipe, curve_ids: Sequence[str]) -> Edit:
    """Makes a recipe that of a family, shared by some of its curves; the others have what they had, as their own."""

    def edit(study: Study) -> Study:
        family = next(one for one in study.document.families if one.id == family_id)
        sharing = {"recipe": Recipe(), "shared": PARTS, "result": ""}
        owning = set(family.curves) - set(curve_ids)
        changed = {id_: study.entry(id_).model_copy(update=sharing) for id_ in curve_ids}
        changed |= {
            id_: study.entry(id_).model_copy(update={"recipe": study.recipe(id_), "shared": ()}) for id_ in owning
        }
        curves = tuple(changed.get(curve.id, curve) for curve in study.document.curves)
        return change_family(study.with_document(curves=curves), family, {"recipe": fresh(recipe)})

    return edit


def fresh(recipe: Recipe) -> Recipe:
    """The same recipe with new ids for its steps, so that it is told from the one that it was copied from.

    Measures keep theirs: what they read stands in one column of the ledger, whose curve it may be.
    """
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
    return _change_slots(curve_id, lambda slots: moved(slots, slot_id, place))


def set_model(curve_id: str, model: Model) -> Edit:
    """Another model, or the same with other starts or another range; the last fit goes, as it is not of this one.

    Ties and quantities that name parameters which the model no longer has go with them. A model that was as it is now
    before has the fit of then.
    """

    def edit(study: Study) -> Study:
        family = study.family_of(curve_id) if study.shares(curve_id, "model") else None
        touched = {id_ for id_ in family.curves if study.shares(id_, "model")} if family is not None else {curve_id}
        changed = change_part(curve_id, "model", lambda recipe: model.whole())(study)
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
