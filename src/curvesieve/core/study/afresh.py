"""A study computed afresh: every curve through its sieve, every model fitted, nothing taken from what was known."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

from curvesieve.core.errors import InputError
from curvesieve.core.recipe import Recipe
from curvesieve.core.study import edits
from curvesieve.core.study.document import FromLedger
from curvesieve.core.study.fits import fit_curve, fit_curves
from curvesieve.core.study.passing import recorded
from curvesieve.core.study.study import Study


@dataclass(frozen=True)
class Afresh:
    """A study with all its fits, and a sentence for each curve, by id, that has none though it has a model."""

    study: Study
    problems: dict[str, str] = field(default_factory=dict)


def computed_afresh(study: Study, watch: Callable[[float], None] | None = None) -> Afresh:
    """Fits every curve that has a model, on all cores. `watch` is told the share done and may raise to stop.

    Curves of a ledger come after the fits that they are made of.
    """
    study = replace(study, results={})
    wanted = [curve.id for curve in study.document.curves if study.model(curve.id).terms]
    later = [id_ for id_ in wanted if _of_ledger(study, id_)]
    fits, problems = fit_curves(study, [id_ for id_ in wanted if id_ not in set(later)], watch)
    study = edits.set_fits(fits)(study)
    for id_ in sorted(later, key=lambda id_: len(study.needs(id_))):
        try:
            study = edits.set_fit(id_, fit_curve(study, id_))(study)
        except InputError as error:
            problems[id_] = str(error)
    unfinished = {
        id_: fit.result.message for id_ in wanted if (fit := study.fit(id_)) is not None and not fit.result.converged
    }
    return Afresh(study, {id_: said for id_ in wanted if (said := (problems | unfinished).get(id_))})


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
