"""A study computed afresh: every curve through its sieve, every model fitted, nothing taken from what was known."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

from curvesieve.core.errors import InputError
from curvesieve.core.recipe import Recipe
from curvesieve.core.study import edits
from curvesieve.core.study.document import Family, FromLedger
from curvesieve.core.study.fits import fit_curve, fit_curves
from curvesieve.core.study.jointly import fit_again
from curvesieve.core.study.measuring import measure_curves
from curvesieve.core.study.outcomes import Outcomes
from curvesieve.core.study.passing import recorded
from curvesieve.core.study.study import Study


@dataclass(frozen=True)
class Afresh:
    """A study with all its fits and what its measures read; a sentence for each curve, by id, that was not fitted."""

    study: Study
    problems: dict[str, str] = field(default_factory=dict)
    read: dict[str, Outcomes] = field(default_factory=dict)

    def notes(self) -> dict[str, list[str]]:
        """All that failed, by curve: its fit, then each of its measures."""
        made: dict[str, list[str]] = {}
        for curve in self.study.document.curves:
            said = [self.problems[curve.id]] if curve.id in self.problems else []
            failed = [one for one in self.read.get(curve.id, ()) if one.problem]
            said += [f"{one.slot.title}: {one.problem}" for one in failed]
            if said:
                made[curve.id] = said
        return made


def computed_afresh(study: Study, watch: Callable[[float], None] | None = None) -> Afresh:
    """Fits every curve that has a model and reads all off, on all cores; families the way they were fitted last.

    `watch` is told the share done and may raise to stop. Curves of a ledger come after the fits that they are made of.
    """
    study = replace(study, results={})
    wanted = [curve.id for curve in study.document.curves if study.model(curve.id).terms]
    as_one = {id_: family for family in study.document.families for id_ in _fitted_as_one(study, family)}
    later = [id_ for id_ in wanted if id_ not in as_one and _of_ledger(study, id_)]
    fits, problems = fit_curves(study, [id_ for id_ in wanted if id_ not in {*later, *as_one}], watch)
    study = edits.set_fits(fits)(study)
    for family in {family.id: family for family in as_one.values()}.values():
        try:
            found = fit_again(study, family)
        except InputError as error:
            problems |= dict.fromkeys((id_ for id_, its in as_one.items() if its is family), str(error))
            continue
        study = edits.set_family_fit(family.id, found)(study)
        problems |= found.problems
    for id_ in sorted(later, key=lambda id_: len(study.needs(id_))):
        try:
            study = edits.set_fit(id_, fit_curve(study, id_))(study)
        except InputError as error:
            problems[id_] = str(error)
    unfinished = {
        id_: fit.result.message for id_ in wanted if (fit := study.fit(id_)) is not None and not fit.result.converged
    }
    read = measure_curves(study, [curve.id for curve in study.document.curves])
    return Afresh(study, {id_: said for id_ in wanted if (said := (problems | unfinished).get(id_))}, read)


def _fitted_as_one(study: Study, family: Family) -> list[str]:
    """The curves of a family that its last way of fitting takes together."""
    if family.way in ("", "each"):
        return [id_ for id_ in family.curves if study.model(id_).terms] if family.way else []
    return study.jointly_fitted(family.id) if family.recipe.model.terms else []


def _of_ledger(study: Study, curve_id: str) -> bool:
    return any(isinstance(study.entry(id_).source, FromLedger) for id_ in (curve_id, *study.needs(curve_id)))


def with_recipe(study: Study, curve_ids: Sequence[str], recipe: Recipe) -> Afresh:
    """Gives curves a recipe as their own; those in other units than it is for keep what they had, with the reason."""
    problems = _refused(study, curve_ids, recipe)
    ready = [id_ for id_ in curve_ids if id_ not in problems]
    return Afresh(edits.set_recipe(ready, _bare(recipe))(study), problems)


def with_shared_recipe(study: Study, family_id: str, recipe: Recipe) -> Afresh:
    """Makes a recipe that of a family; curves in other units than it is for have, as their own, what they had.

    Raises InputError when it is for none of the curves.
    """
    family = next(one for one in study.document.families if one.id == family_id)
    problems = _refused(study, family.curves, recipe)
    ready = [id_ for id_ in family.curves if id_ not in problems]
    if not ready:
        raise InputError(next(iter(problems.values()), f"{family.label} has no curves."))
    return Afresh(edits.set_family_recipe(family_id, _bare(recipe), ready)(study), problems)


def _bare(recipe: Recipe) -> Recipe:
    """As the study keeps it: what curves it is for has been asked."""
    return recipe.model_copy(update={"x_unit": None, "y_unit": None})


def _refused(study: Study, curve_ids: Sequence[str], recipe: Recipe) -> dict[str, str]:
    problems: dict[str, str] = {}
    for id_ in curve_ids:
        try:
            recipe.check(recorded(study, id_))
        except InputError as error:
            problems[id_] = str(error)
    return problems
