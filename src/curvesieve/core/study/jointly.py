"""Fits of a study's family: jointly, carried along from curve to curve, or each curve by itself."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.joint_result import JointResult
from curvesieve.core.fitting.sharing import Sharing
from curvesieve.core.models import Model
from curvesieve.core.models.again import read_again
from curvesieve.core.recipe import fit_read, must_work, read_off
from curvesieve.core.steps.sieve import Sieved
from curvesieve.core.study.document import Family, FitEntry
from curvesieve.core.study.family_fit import FamilyFit
from curvesieve.core.study.family_parts import JointEntry
from curvesieve.core.study.fits import entry_of, fit_curves
from curvesieve.core.study.many import Fitted
from curvesieve.core.study.passing import sieve_family, source_problem
from curvesieve.core.study.standing import in_order
from curvesieve.core.study.study import Study

Values = Mapping[str, float]
_WORSE = 3.0
"""A fit that leaves so many times the scatter of the one before is not handed on."""


def sharing_of(family: Family) -> Sharing:
    """How the family shares those parameters that its model has."""
    names = set(family.recipe.model.names)
    said = [one for one in family.sharing if one.name in names]
    return Sharing(
        tuple(one.name for one in said if not one.law), {one.name: one.law for one in said if one.law}
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class Members:
    """The curves of a family that are fitted together: as they passed, with labels and conditions."""

    ids: tuple[str, ...]
    labels: tuple[str, ...]
    conditions: tuple[float | None, ...]
    curves: tuple[Curve, ...]
    recorded: tuple[int, ...]
    model: Model


def members_of(
    study: Study,
    family_id: str,
    watch: Callable[[float], None] | None = None,
    problems: dict[str, str] | None = None,
) -> Members:
    """The curves that a joint fit of a family takes, through their sieves.

    Raises InputError, by the label of the curve, where one cannot be made or a step does not work (with `problems` such
    a curve is left out, and the reason put there), and for a family without curves under its model. `watch` is told the
    share done and may raise to stop.
    """
    family, ids = study.family(family_id), study.jointly_fitted(family_id)
    model = family.recipe.model
    if not model.terms:
        raise InputError(f"{family.label} shares no model yet; share one from a curve of it, on the Curve bench.")
    if not ids:
        raise InputError(f"No curve of {family.label} is under its shared model; step some in.")
    passed = dict(zip(ids, sieve_family(study, ids, watch), strict=True))
    for id_ in list(ids):
        said = source_problem(study, id_) or step_problem(passed[id_])
        if not said:
            continue
        if problems is None:
            raise InputError(f"{study.entry(id_).label}: {said}")
        problems[id_] = said
        ids.remove(id_)
    if not ids:
        raise InputError(next(iter((problems or {}).values())))
    labels = [study.entry(id_).label for id_ in ids]
    return Members(
        tuple(ids), tuple(labels), tuple(study.entry(id_).condition for id_ in ids),
        tuple(passed[id_].curve for id_ in ids), tuple(len(passed[id_].recorded) for id_ in ids), model,
    )  # fmt: skip


def step_problem(made: Sieved) -> str:
    """Why a step of a sieve does not work, in a sentence; empty: all do."""
    try:
        must_work(made)
    except InputError as error:
        return str(error)
    return ""


def fit_jointly_in(
    study: Study,
    family_id: str,
    watch: Callable[[dict[str, Values]], None] | None = None,
    stop: Callable[[], None] = lambda: None,
) -> FamilyFit:
    """The joint fit of a family, beginning from what its curves' fits found, where they are of this model.

    `watch` is given, at each step, the values of each curve by id; it and `stop` may raise to stop. Raises InputError
    for what cannot be fitted.
    """
    from curvesieve.core.fitting.family import fit_jointly

    members = members_of(study, family_id, lambda share: stop())
    names = members.model.names

    def seen(full: Floats) -> None:
        if watch is not None:
            watch({
                id_: dict(zip(names, column, strict=True))
                for id_, column in zip(members.ids, full.T.tolist(), strict=True)
            })  # fmt: skip

    known = [known_values(study, id_) for id_ in members.ids]
    sharing = sharing_of(study.family(family_id))
    found = fit_jointly(
        members.model, members.curves, members.labels, members.conditions, sharing, known, seen, stop
    )  # fmt: skip
    return _told(study, family_id, members, found)


def known_values(study: Study, curve_id: str) -> Values | None:
    """What a curve's fit found, where it is one of just what stands there; else None."""
    fit = study.fit(curve_id)
    return fit.result.values if fit is not None and study.fit_state(curve_id) == "fitted" else None


def _told(study: Study, family_id: str, members: Members, found: JointResult) -> FamilyFit:
    key = study.joint_key(family_id)
    fits = {
        id_: entry_of(study, id_, curve, read_off(members.model, curve, recorded, result)).model_copy(
            update={"joint": key}
        )
        for id_, curve, recorded, result in zip(
            members.ids, members.curves, members.recorded, found.curves, strict=True
        )
    }
    joint = JointEntry(key=key, curves=members.ids, result=found.model_copy(update={"curves": ()}))
    return FamilyFit("jointly", fits, joint=joint)


# -- carried along -------------------------------------------------------------------------------------


def order_along(study: Study, family_id: str) -> list[str]:
    """The curves under a family's model in the order of the condition; those without one come last, as they stand."""
    together = set(study.jointly_fitted(family_id))
    return [id_ for id_ in in_order(study, study.family(family_id)) if id_ in together]


def carry_along(
    study: Study, family_id: str, from_id: str = "", watch: Callable[[float], None] | None = None
) -> FamilyFit:
    """Fits a family's curves from the one in hand outwards, each from what its neighbour's fit found.

    Where that leads nowhere, starts are found in the curve's own data; a curve that cannot be fitted is stepped over.
    `watch` is told the share done and may raise to stop. Raises InputError as `members_of` does.
    """
    problems: dict[str, str] = {}
    members = members_of(study, family_id, None, problems)
    place = {id_: k for k, id_ in enumerate(members.ids)}
    order = [id_ for id_ in order_along(study, family_id) if id_ in place]
    begin = order.index(from_id) if from_id in order else 0
    made = _Carried(study, members)
    first = made.fitted(place[order[begin]], known_values(study, order[begin]) or {})
    for side in (order[begin + 1 :], order[:begin][::-1]):
        before = first
        for id_ in side:
            before = made.fitted(place[id_], before) or before
            if watch is not None:
                watch(made.count / len(order))
    return FamilyFit(
        "along", made.fits, problems | made.problems, None, tuple(made.anew), tuple(made.worse), along_from=order[begin]
    )


class _Carried:
    """What was carried along so far."""

    def __init__(self, study: Study, members: Members) -> None:
        self.study, self.members = study, members
        self.fits: dict[str, FitEntry] = {}
        self.problems: dict[str, str] = {}
        self.anew: list[str] = []
        self.worse: list[str] = []
        self._scatter = math.inf
        """What the last good fit left."""

    @property
    def count(self) -> int:
        """How many curves were tried."""
        return len(self.fits.keys() | self.problems.keys())

    def fitted(self, k: int, start: Values | None) -> Values | None:
        """Fits the curve at a place; what it found, or None where that is nothing to carry further."""
        id_, curve, recorded = self.members.ids[k], self.members.curves[k], self.members.recorded[k]
        found = best_of(self.members.model, curve, recorded, start or {}, _WORSE * self._scatter)
        if isinstance(found, str):
            self.problems[id_] = found
            return None
        fit, anew = found
        self.fits[id_] = entry_of(self.study, id_, curve, fit)
        if anew:
            self.anew.append(id_)
        if not fit[0].converged:
            self.problems[id_] = fit[0].message
            return None
        scatter = fit[0].statistics.residual_sd or 0.0
        if scatter > _WORSE * self._scatter:
            self.worse.append(id_)
            return None
        self._scatter = scatter or self._scatter
        return fit[0].values


def best_of(
    model: Model, curve: Curve, recorded: int, start: Values, most: float = math.inf
) -> tuple[Fitted, bool] | str:
    """The fit of a curve from a start; where it leads nowhere, from starts found in the curve's data.

    So it does, too, where more than `most` scatter is left. And whether it was the latter; a sentence where neither
    can be done.
    """
    begun = model.starting_at(dict(start))
    try:
        found = fit_read(begun, curve, recorded)
    except InputError as error:
        found, said = None, str(error)
    if found is not None and found[0].converged and _scatter(found) <= most:
        return found, False
    try:
        again = fit_read(model.starting_at(starts_in(model, curve)), curve, recorded)
    except InputError as error:
        return (found, False) if found is not None else (said or str(error))
    if found is None or (again[0].converged, -_scatter(again)) > (found[0].converged, -_scatter(found)):
        return again, True
    return found, False


def _scatter(found: Fitted) -> float:
    return found[0].statistics.residual_sd or 0.0


def starts_in(model: Model, curve: Curve) -> dict[str, float]:
    """Starts that a curve's own data give: peaks are looked for near where the model has them, a law is searched."""
    from curvesieve.core.fitting import search_model

    ground = model.background
    if ground is not None and not ground.term.has_rule:
        return search_model(model, curve)
    return read_again(model, curve).start


# -- each by itself ------------------------------------------------------------------------------------


def fit_each(study: Study, family_id: str, watch: Callable[[float], None] | None = None) -> FamilyFit:
    """Fits every curve of a family by itself, on all cores; where the given starts lead nowhere, starts are found.

    `watch` is told the share done and may raise to stop. Curves with a model of their own are fitted by that. Raises
    InputError where no curve has a model.
    """
    from curvesieve.core.fitting.family import starts_alike

    ids = [id_ for id_ in study.family(family_id).curves if study.model(id_).terms]
    if not ids:
        raise InputError(f"No curve of {study.family(family_id).label} has a model to fit.")
    shared = set(study.jointly_fitted(family_id))

    def at_once(passed: Mapping[str, Curve]) -> dict[str, Values]:
        """Where those under the shared model end by themselves, all at once: the careful solver ends at the same."""
        chosen = [id_ for id_ in passed if id_ in shared]
        model = study.family(family_id).recipe.model
        found = starts_alike(model, [passed[id_] for id_ in chosen])
        return {id_: values for id_, values in zip(chosen, found, strict=True) if values is not None}

    fits, problems = fit_curves(study, ids, watch, at_once)
    astray = [id_ for id_ in ids if id_ not in fits or not fits[id_].result.converged]
    anew = []
    for id_, made in zip(astray, sieve_family(study, astray), strict=True):
        if step_problem(made):
            continue
        found = best_of(study.model(id_), made.curve, len(made.recorded), {})
        if isinstance(found, str):
            problems[id_] = found
            continue
        fits[id_] = entry_of(study, id_, made.curve, found[0])
        problems.pop(id_, None)
        if not found[0][0].converged:
            problems[id_] = found[0][0].message
        elif found[1]:
            anew.append(id_)
    return FamilyFit("each", fits, problems, None, tuple(anew))


def fit_again(study: Study, family: Family, watch: Callable[[float], None] | None = None) -> FamilyFit:
    """Fits a family the way in which it was fitted last. Raises InputError as that way does."""
    if family.way == "jointly":
        return fit_jointly_in(study, family.id)
    if family.way == "along":
        return carry_along(study, family.id, family.along_from, watch)
    return fit_each(study, family.id, watch)
