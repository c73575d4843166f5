"""Edits of a family as one: how its curves share parameters, what a fit of all found, how it is looked at."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Literal

from curvesieve.core.errors import FormulaError, InputError, nearest
from curvesieve.core.fitting.sharing import CONDITION
from curvesieve.core.formula import parse
from curvesieve.core.study.document import CurveEntry, FromMean
from curvesieve.core.study.edits.base import Edit, change_family
from curvesieve.core.study.edits.recipes import set_fits, set_model
from curvesieve.core.study.family_fit import FamilyFit
from curvesieve.core.study.family_parts import FamilyLook, Shared, TrendEntry
from curvesieve.core.study.study import Study


def set_sharing(family_id: str, name: str, law: str | None) -> Edit:
    """One parameter of the shared model for all (an empty law), on a law in ``c``, or each its own (None).

    Raises InputError for a name that the model has not, and for a law that cannot be read or has nothing to fit.
    """
    if law:
        check_law(name, law)

    def edit(study: Study) -> Study:
        family = study.family(family_id)
        names = family.recipe.model.names
        if name not in names:
            raise InputError(f"There is no parameter {name} in the shared model{nearest(name, list(names))}")
        rest = {one.name: one for one in family.sharing if one.name in names and one.name != name}
        if law is not None:
            rest[name] = Shared(name=name, law=law)
        return change_family(study, family, {"sharing": tuple(rest[one] for one in names if one in rest)})

    return edit


def check_law(name: str, law: str) -> None:
    """Raises InputError for a law in the condition that cannot be read, or that has no parameter to fit."""
    try:
        formula = parse(law, (CONDITION,))
    except FormulaError as error:
        raise InputError(f"The law of {name}, {law!r}, cannot be read: {error}") from error
    if not formula.parameters:
        raise InputError(f"The law {name} = {law} has no parameter that could be fitted.")


def leave_out(family_id: str, curve_ids: Sequence[str], out: bool) -> Edit:
    """Takes curves out of what is fitted together, or back in."""

    def edit(study: Study) -> Study:
        family = study.family(family_id)
        kept = [id_ for id_ in family.apart if id_ not in curve_ids and id_ in family.curves]
        return change_family(study, family, {"apart": (*kept, *curve_ids) if out else tuple(kept)})

    return edit


def set_family_fit(family_id: str, found: FamilyFit) -> Edit:
    """What a fit of a family found; a joint one is kept with what it shares."""

    def edit(study: Study) -> Study:
        family = study.family(family_id)
        changes: dict[str, object] = {"way": found.way, "along_from": found.along_from}
        if found.joint is not None:
            changes["joint"] = found.joint
        return set_fits(found.fits)(change_family(study, family, changes))

    return edit


def look_at_family(family_id: str, change: Callable[[FamilyLook], FamilyLook]) -> Edit:
    """Another way to look at a family."""

    def edit(study: Study) -> Study:
        family = study.family(family_id)
        made = change(family.look)
        return study if made == family.look else change_family(study, family, {"look": made})

    return edit


def set_trends(family_id: str, trends: Sequence[TrendEntry]) -> Edit:
    """The plots of readings against the condition. Raises InputError for a law that cannot be read."""
    for one in trends:
        if one.law:
            check_law("the readings", one.law)

    def edit(study: Study) -> Study:
        return change_family(study, study.family(family_id), {"trends": tuple(trends)})

    return edit


def set_conditions(family_id: str, values: Mapping[str, float | None]) -> Edit:
    """Other conditions of a family's curves. Raises InputError for one that is no number."""
    for value in values.values():
        if value is not None and not math.isfinite(value):
            raise InputError("A condition is a number; leave it empty where there is none.")

    def edit(study: Study) -> Study:
        curves = tuple(
            curve.model_copy(update={"condition": values[curve.id]}) if curve.id in values else curve
            for curve in study.document.curves
        )
        return study.with_document(curves=curves)

    return edit


def name_condition(family_id: str, name: str, unit: str) -> Edit:
    """Another name and unit of what a family's curves are ordered by; the numbers stay as they are."""

    def edit(study: Study) -> Study:
        return change_family(study, study.family(family_id), {"condition": name.strip(), "unit": unit.strip()})

    return edit


def mean_as_curve(family_id: str, by: Literal["mean", "median"], group: str, label: str, curve_id: str) -> Edit:
    """The mean or median of a family's curves (with a `group`: of that), beside all families; it follows them."""

    def edit(study: Study) -> Study:
        source = FromMean(family=family_id, by=by, group=group)
        entry = CurveEntry(id=curve_id, label=label, source=source)
        return study.with_document(curves=(*study.document.curves, entry))

    return edit


def starts_for_all(family_id: str, curve_id: str) -> Edit:
    """The values that one curve's fit found, as starts of the shared model. Raises InputError where there is no fit."""

    def edit(study: Study) -> Study:
        fit = study.fit(curve_id)
        if fit is None:
            raise InputError(f"{study.entry(curve_id).label} has no fit whose values could be given to the others.")
        if not study.shares(curve_id, "model"):
            raise InputError(f"{study.entry(curve_id).label} has a model of its own; step it in first.")
        return set_model(curve_id, study.model(curve_id).starting_at(fit.result.values))(study)

    return edit
