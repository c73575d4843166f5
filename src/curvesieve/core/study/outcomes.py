"""What measures read, kept by all that it depends on; and how it is read off a curve that passed its sieve."""

from __future__ import annotations

from collections.abc import Sequence

from curvesieve.core.errors import InputError
from curvesieve.core.kept import Kept
from curvesieve.core.measures.base import MeasureSlot, Seen
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.measures.taking import taken
from curvesieve.core.recipe import must_work
from curvesieve.core.steps.sieve import Sieved
from curvesieve.core.study.study import Study

Outcomes = tuple[Outcome, ...]
_MOST_READ, _MOST_DRAWN = 20_000, 12

_read: Kept[Outcomes] = Kept(_MOST_READ)
_drawn: Kept[tuple[Seen, Outcomes]] = Kept(_MOST_DRAWN)


def known(study: Study, curve_id: str) -> Outcomes | None:
    """What the measures of a curve read, without their drawings; None where that is not worked out yet."""
    return _read.get(study.measures_key(curve_id)) if study.measures(curve_id) else ()


def keep(study: Study, curve_id: str, outcomes: Outcomes) -> Outcomes:
    """Remembers what the measures of a curve read."""
    return _read.put(study.measures_key(curve_id), tuple(one.bare for one in outcomes))


def drawn_if_known(study: Study, curve_id: str) -> tuple[Seen, Outcomes] | None:
    """What the measures of a curve saw, read and drew, where that is known."""
    return _drawn.get(study.measures_key(curve_id))


def drawn_from(study: Study, curve_id: str, made: Sieved, problem: str = "") -> tuple[Seen, Outcomes]:
    """What the measures of a curve see, read and draw, of what its sieve made; a `problem` keeps all from reading."""
    found = drawn_if_known(study, curve_id)
    if found is not None:
        return found
    slots = study.measures(curve_id)
    problem = problem or problem_of(made)
    seen = Seen.of(made.curve, study.quantities(curve_id), fit_seen(study, curve_id, made, slots))
    outcomes = refused(slots, problem) if problem else tuple(taken(slots, seen, len(made.recorded)))
    keep(study, curve_id, outcomes)
    return _drawn.put(study.measures_key(curve_id), (seen, outcomes))


def fit_seen(study: Study, curve_id: str, made: Sieved, slots: Sequence[MeasureSlot]) -> FitSeen | None:
    """The fit that measures may ask; None where none of them does, or there is none that is current."""
    fit = study.fit(curve_id) if any(slot.on and slot.rule.of_fit for slot in slots) else None
    if fit is None or not fit.result.converged or not study.fit_is_current(curve_id):
        return None
    return FitSeen(study.model(curve_id), fit.result, made.curve)


def problem_of(made: Sieved) -> str:
    """Why nothing is read of a curve whose sieve does not work; empty where all is well."""
    try:
        must_work(made)
    except InputError as error:
        return str(error)
    return ""


def refused(slots: Sequence[MeasureSlot], problem: str) -> Outcomes:
    """What a list of measures gives when nothing can be read."""
    return tuple(Outcome(slot, problem=problem) for slot in slots if slot.on)
