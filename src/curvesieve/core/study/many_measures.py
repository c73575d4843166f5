"""What the measures of many curves read, on all cores."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from curvesieve.core.curve import Curve
from curvesieve.core.fitting import FitResult
from curvesieve.core.measures.base import MeasureSlot, Seen
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.measures.taking import taken
from curvesieve.core.models import Model
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import Reading
from curvesieve.core.study.keys import ByParts
from curvesieve.core.study.processes import Elsewhere, by_pieces, packed

_WORTH_MEASURING = 1_000_000
"""The effort of measures below which other processes cost more than they save."""
_texts: ByParts[tuple[str, ...]] = ByParts(100)
_Said = list[tuple[tuple[Reading, ...], str, str, str, bool]]
"""Readings, sentence, problem and warning of each measure, and whether there is nothing to find."""


@dataclass(frozen=True, eq=False)
class MeasureJob:
    """Measures for a curve that passed, of which so many points were recorded, with its quantities and its fit."""

    slots: tuple[MeasureSlot, ...]
    curve: Curve
    recorded: int
    quantities: tuple[Quantity, ...] = ()
    fit: FitSeen | None = None

    @property
    def effort(self) -> float:
        """The work that its measures are on this curve."""
        return sum(slot.rule.effort(self.curve) for slot in self.slots if slot.on)

    def done(self) -> tuple[Outcome, ...]:
        """What the measures read, without their drawings."""
        made = taken(self.slots, Seen.of(self.curve, self.quantities, self.fit), self.recorded)
        return tuple(one.bare for one in made)


def measure_many(jobs: Sequence[MeasureJob], watch: Callable[[float], None] | None = None) -> list[tuple[Outcome, ...]]:
    """What many curves read, in order; `watch` is told the share done and may raise to stop."""

    def done(piece: Sequence[MeasureJob]) -> list[tuple[Outcome, ...]]:
        return [job.done() for job in piece]

    def given(piece: Sequence[MeasureJob]) -> list[dict[str, Any]]:
        return [_packed_job(job) for job in piece]

    worth = sum(job.effort for job in jobs) >= _WORTH_MEASURING
    return by_pieces(jobs, done, Elsewhere(_measure_piece, given, _taken) if worth else None, watch)


def _taken(piece: Sequence[MeasureJob], answers: list[_Said]) -> list[tuple[Outcome, ...]]:
    made = []
    for job, said in zip(piece, answers, strict=True):
        slots = [slot for slot in job.slots if slot.on]
        made.append(tuple(_unpacked(slot, *one) for slot, one in zip(slots, said, strict=True)))
    return made


def _unpacked(
    slot: MeasureSlot, readings: tuple[Reading, ...], sentence: str, problem: str, warning: str, absent: bool
) -> Outcome:
    traced = tuple((one, None) for one in readings)
    return Outcome(slot, traced, sentence=sentence, problem=problem, warning=warning, absent=absent)


def _packed_job(job: MeasureJob) -> dict[str, Any]:
    return {
        "slots": _texts.get((job.slots,), lambda: tuple(slot.model_dump_json() for slot in job.slots)),
        "curve": packed(job.curve),
        "recorded": job.recorded,
        "quantities": tuple(one.model_dump_json() for one in job.quantities),
        "fit": None if job.fit is None else (job.fit.model.model_dump_json(), job.fit.result.model_dump_json()),
    }


@lru_cache(maxsize=256)
def _measure_slots_of(texts: tuple[str, ...]) -> tuple[MeasureSlot, ...]:
    return tuple(MeasureSlot.model_validate_json(text) for text in texts)


def _measure_piece(piece: list[dict[str, Any]]) -> list[_Said]:
    """In the other process: what each curve read, as plain values."""
    answers = []
    for given in piece:
        curve, fit = Curve(**given["curve"]), None
        if given["fit"] is not None:
            model, result = given["fit"]
            fit = FitSeen(Model.model_validate_json(model), FitResult.model_validate_json(result), curve)
        quantities = tuple(Quantity.model_validate_json(one) for one in given["quantities"])
        job = MeasureJob(_measure_slots_of(given["slots"]), curve, given["recorded"], quantities, fit)
        answers.append([(one.readings, one.sentence, one.problem, one.warning, one.absent) for one in job.done()])
    return answers
