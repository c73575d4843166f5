"""What the measures of a study's curves read and draw."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from curvesieve.core.measures.base import Measure, MeasureSlot, Seen
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.measures.taking import outcome, scales_of, taken
from curvesieve.core.study.many_measures import MeasureJob, measure_many
from curvesieve.core.study.outcomes import (
    Outcomes,
    drawn_from,
    drawn_if_known,
    fit_seen,
    keep,
    known,
    problem_of,
    refused,
)
from curvesieve.core.study.passing import sieve_family, sieved_curve, sieved_if_quick, source_problem
from curvesieve.core.study.study import Study

QUICK_EFFORT = 60_000
"""The effort (see `Rule.effort`) up to which a list of measures is taken while the window waits."""


def measured_curve(study: Study, curve_id: str) -> Outcomes:
    """What the measures of a curve read and drew, in the order of the list; those that are off are not there."""
    return _drawn(study, curve_id)[1] if study.measures(curve_id) else ()


def _drawn(study: Study, curve_id: str) -> tuple[Seen, Outcomes]:
    return drawn_from(study, curve_id, sieved_curve(study, curve_id), source_problem(study, curve_id))


def measured_if_quick(study: Study, curve_id: str) -> Outcomes | None:
    """What `measured_curve` gives, when it is known or nobody would wait for it; otherwise None."""
    if not study.measures(curve_id):
        return ()
    found = drawn_if_known(study, curve_id)
    if found is not None:
        return found[1]
    made = sieved_if_quick(study, curve_id)
    if made is None:
        return None
    effort = sum(slot.rule.effort(made.curve) for slot in study.measures(curve_id) if slot.on)
    return measured_curve(study, curve_id) if effort <= QUICK_EFFORT else None


def preview_measure(study: Study, curve_id: str, slot: MeasureSlot, rule: Measure) -> Outcome:
    """What a measure with other fields would read in its place; nothing is kept."""
    seen, outcomes = _drawn(study, curve_id)
    before: list[Outcome] = []
    for one in outcomes:
        if one.slot.id == slot.id:
            break
        before.append(one)
    recorded = len(sieved_curve(study, curve_id).recorded)
    changed = slot.model_copy(update={"rule": rule})
    if scales_of(seen.quantities):  # its u needs all that it stands on, read again
        earlier = [one for one in study.measures(curve_id) if one.id in {each.slot.id for each in before}]
        return taken([*earlier, changed], seen, recorded)[-1]
    return outcome(changed, seen.after(before), recorded)


def unread(study: Study, curve_ids: Sequence[str]) -> list[str]:
    """Those of the curves whose readings are not known yet."""
    return [id_ for id_ in curve_ids if known(study, id_) is None]


def measure_curves(
    study: Study, curve_ids: Sequence[str], watch: Callable[[float], None] | None = None
) -> dict[str, Outcomes]:
    """What the measures of many curves read, by id, on all cores; what is known is not worked out again.

    `watch` is told the share done and may raise to stop.
    """
    told = watch or (lambda share: None)
    missing = unread(study, curve_ids)
    passed = dict(zip(missing, sieve_family(study, missing, lambda share: told(share / 2)), strict=True))
    read: dict[str, Outcomes] = {}
    jobs: dict[str, MeasureJob] = {}
    for id_, made in passed.items():
        slots, problem = study.measures(id_), source_problem(study, id_) or problem_of(made)
        if problem:
            read[id_] = keep(study, id_, refused(slots, problem))
        else:
            fit = fit_seen(study, id_, made, slots)
            jobs[id_] = MeasureJob(slots, made.curve, len(made.recorded), study.quantities(id_), fit)
    done = measure_many(list(jobs.values()), lambda share: told(0.5 + share / 2))
    read |= {id_: keep(study, id_, outcomes) for id_, outcomes in zip(jobs, done, strict=True)}
    return {id_: outcomes for id_ in curve_ids if (outcomes := read.get(id_) or known(study, id_)) is not None}
