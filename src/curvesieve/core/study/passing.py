"""What a study's curves become in their sieves. Results are kept by content."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError, nearest
from curvesieve.core.kept import Kept
from curvesieve.core.steps import Sieve, Step
from curvesieve.core.steps.sieve import Sieved, Trail, through
from curvesieve.core.study.document import FromField, FromLedger, FromRecord
from curvesieve.core.study.fields import filled_if_known
from curvesieve.core.study.many import pass_many
from curvesieve.core.study.outcomes import known
from curvesieve.core.study.sources import made_curve
from curvesieve.core.study.study import Study

_MAX_KEPT_POINTS = 30_000_000
_MAX_DERIVED = 500
NOTHING = Curve(np.empty(0), np.empty(0))
"""What stands for a curve that cannot be made, or is not made yet."""
_QUICK_POINTS = 20_000
"""Points of a simple filter (see `Step.effort`) that pass in well under 50 ms; donors' points count, too."""


def _size(result: Sieved) -> int:
    return len(result.recorded) * (1 + len(result.trail))


_kept: Kept[Sieved] = Kept(_MAX_KEPT_POINTS, _size)
"""By the curve and its steps; see `_key`."""


@dataclass(frozen=True)
class _OthersInStudy:
    """The other curves of a study, as they passed what they give through; see `Study.giving`."""

    study: Study
    curve_id: str

    def curve(self, name: str) -> Curve:
        found = self.study.named(name)
        if found is None:
            known = [c.label for c in self.study.document.curves if c.id != self.curve_id]
            raise InputError(
                f"there is no curve {name!r} in this study any more{nearest(name, known)}; choose another."
            )
        return self._passed(found)

    def family(self) -> list[Curve]:
        family = self.study.family_of(self.curve_id)
        return [self._passed(id_) for id_ in (family.curves if family else ()) if id_ != self.curve_id]

    def _passed(self, curve_id: str) -> Curve:
        return sieved(recorded(self.study, curve_id), self.study.giving(curve_id)).curve


_derived: Kept[Curve | str] = Kept(_MAX_DERIVED)
"""Curves that come from no record, by their digests, or why there are none."""


def recorded(study: Study, curve_id: str) -> Curve:
    """The curve before its sieve; one without points where it cannot be made, see `source_problem`."""
    if isinstance(study.entry(curve_id).source, FromRecord):
        return study.from_record(curve_id)
    found = _derived_of(study, curve_id)
    return NOTHING if isinstance(found, str) else found


def recorded_at_hand(study: Study, curve_id: str) -> Curve | None:
    """What `recorded` gives, where nobody would wait for it; None for one of a ledger that needs readings first."""
    return recorded(study, curve_id) if _is_at_hand(study, curve_id) else None


def source_problem(study: Study, curve_id: str) -> str:
    """Why a curve of a ledger or a mean cannot be made; empty where all is well."""
    found = None if isinstance(study.entry(curve_id).source, FromRecord) else _derived_of(study, curve_id)
    return found if isinstance(found, str) else ""


def _derived_of(study: Study, curve_id: str) -> Curve | str:
    digest = study.digest(curve_id)
    found = _derived.get(digest)
    if found is None:
        try:
            found = made_curve(
                study,
                curve_id,
                giver(study),
                lambda id_: sieved_curve(study, id_),
            )
        except InputError as error:
            found = str(error)
        _derived.put(digest, found)
    return found


def giver(study: Study) -> Callable[[str], Curve]:
    """What gives a curve of the study, by its id, as others take it: passed through what it gives through."""
    return lambda id_: sieved(recorded(study, id_), study.giving(id_)).curve


def _key(curve: Curve, sieve: Sieve, others: Sequence[str] = ()) -> tuple[str, str]:
    steps = repr([(slot.id, slot.name, slot.on, slot.rule.to_json()) for slot in sieve.slots])
    return curve.digest, "|".join([steps, *others])


def sieved(curve: Curve, sieve: Sieve) -> Sieved:
    """What the sieve makes of the curve by itself; the same (curve, steps) are computed once."""
    key = _key(curve, sieve)
    result = _kept.get(key)
    if result is None:
        result = sieve(curve)
        _kept.put(key, result)
    return result


def sieved_if_quick(study: Study, curve_id: str) -> Sieved | None:
    """What `sieved_curve` gives, when it is known already or so small that nobody would wait; otherwise None."""
    if not all(_is_at_hand(study, id_) for id_ in (curve_id, *study.taken_from(curve_id))):
        return None
    curve, sieve = recorded(study, curve_id), study.sieve(curve_id)
    others = [(recorded(study, id_), study.giving(id_)) for id_ in study.taken_from(curve_id)]
    if sum(_effort(*one) for one in [(curve, sieve), *others]) <= _QUICK_POINTS:
        return sieved_curve(study, curve_id)
    return _kept.get(_key(curve, sieve, _needed(study, curve_id)))


def _is_at_hand(study: Study, curve_id: str) -> bool:
    """Whether a curve before its sieve is there at once: one of a ledger may need many readings first."""
    source = study.entry(curve_id).source
    if not isinstance(source, FromLedger | FromField) or _derived.get(study.digest(curve_id)) is not None:
        return True
    if isinstance(source, FromField):
        return filled_if_known(study, source.field) is not None or study.field(source.field) is None
    return all(known(study, id_) is not None for id_ in study.members(curve_id))


def _effort(curve: Curve, sieve: Sieve) -> float:
    return sum(slot.rule.effort(curve) for slot in sieve.slots if slot.on)


def sieved_curve(study: Study, curve_id: str) -> Sieved:
    """A study's curve through its sieve, among the other curves of the study."""
    curve, sieve = recorded(study, curve_id), study.sieve(curve_id)
    key = _key(curve, sieve, _needed(study, curve_id))
    result = _kept.get(key)
    if result is None:
        made = sieve(curve, _OthersInStudy(study, curve_id))
        result = replace(made, trail=tuple(_with_word(study, curve_id, trail) for trail in made.trail))
        _kept.put(key, result)
    return result


def preview(study: Study, curve_id: str, trail: Trail, step: Step) -> Trail:
    """What a step with other fields would do in its place; nothing is kept."""
    slot = trail.slot.model_copy(update={"rule": step, "on": True})
    return _with_word(study, curve_id, through(slot, trail.before, _OthersInStudy(study, curve_id)))


def _with_word(study: Study, curve_id: str, trail: Trail) -> Trail:
    """The trail of a step with a word on curves that it took from as they were before steps of theirs; see `giving`."""
    names = [] if trail.problem or not trail.slot.on else study.giving_less(study.donors(curve_id, trail.slot.rule))
    if not names:
        return trail
    whose = "its" if len(names) == 1 else "their"
    word = f"{' and '.join(names)} taken without {whose} own steps that take from other curves"
    return replace(trail, message=f"{trail.message}; {word}")


def _needed(study: Study, curve_id: str) -> list[str]:
    """What a result depends on beside its own curve: those that steps take from, and what those give."""
    return [
        f"{study.digest(id_)} {study.giving(id_).key()} {study.giving_less([id_])}"
        for id_ in study.taken_from(curve_id)
    ]


def passed_units(study: Study, curve_id: str) -> tuple[str, str] | None:
    """The units of x and y of a curve as it passed its sieve; None while a large one is still being passed.

    Whatever shows a unit beside a fit or a start asks here: a step may have changed those of the record.
    """
    made = sieved_if_quick(study, curve_id)
    if made is not None:
        return made.curve.x_unit, made.curve.y_unit
    fit = study.fit(curve_id)
    return (fit.x_unit, fit.y_unit) if fit is not None and study.fit_is_current(curve_id) else None


def sieve_family(study: Study, curve_ids: Sequence[str], watch: Callable[[float], None] | None = None) -> list[Sieved]:
    """Many curves of a study through their sieves, on all cores; `watch` is told the share done and may raise to stop.

    Sieves that take from other curves are passed here, one after the other.
    """
    jobs = [(recorded(study, id_), study.sieve(id_)) for id_ in curve_ids]
    alone = [i for i, (_, sieve) in enumerate(jobs) if not any(slot.rule.takes() != () for slot in sieve.slots)]
    made = dict(zip(alone, pass_many([jobs[i] for i in alone], watch), strict=True))
    for i, (curve, sieve) in enumerate(jobs):
        if i in made:
            _kept.put(_key(curve, sieve), made[i])
        else:
            made[i] = sieved_curve(study, curve_ids[i])
    return [made[i] for i in range(len(jobs))]


def unusual_catches(
    study: Study, curve_ids: Sequence[str], watch: Callable[[float], None] | None = None
) -> dict[str, str]:
    """Curves of a family whose sieve failed or caught far more than is usual in it, each with the reason.

    More than three times the family's median share of caught points, and at least five points more.
    """
    made = dict(zip(curve_ids, sieve_family(study, curve_ids, watch), strict=True))
    reasons: dict[str, str] = {}
    counts = {id_: sum(len(trail.caught) for trail in one.trail) for id_, one in made.items()}
    usual = float(np.median(list(counts.values()))) if counts else 0.0
    for id_, one in made.items():
        problem = next((trail for trail in one.trail if trail.problem), None)
        if problem is not None:
            reasons[id_] = f"{problem.slot.rule.label}: {problem.problem}"
        elif counts[id_] > 3 * usual and counts[id_] >= usual + 5:
            reasons[id_] = f"{counts[id_]:,} points caught, {usual:,.0f} is usual in this family"
    return reasons
