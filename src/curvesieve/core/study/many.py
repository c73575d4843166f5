"""Many curves through their sieves, and fitted, on all cores."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import FitResult
from curvesieve.core.models import Model
from curvesieve.core.reading import Basis, Reading
from curvesieve.core.recipe import fit_read
from curvesieve.core.steps import Caught, Sieve, Trail
from curvesieve.core.steps.sieve import Sieved
from curvesieve.core.study.processes import Elsewhere, by_pieces, packed

_WORTH_IT = 200_000
"""Points times steps below which other processes cost more than they save."""
_WORTH_FITTING = 3_000_000
"""Points times parameters below which fits are done before another process has begun."""
Job = tuple[Curve, Sieve]
_Piece = list[tuple[dict[str, Any], str]]


def pass_many(jobs: Sequence[Job], watch: Callable[[float], None] | None = None) -> list[Sieved]:
    """The curves through their sieves, in order; `watch` is told the share done and may raise to stop."""
    work = sum(len(curve) * len(sieve.slots) for curve, sieve in jobs)

    def passed(piece: Sequence[Job]) -> list[Sieved]:
        return [sieve(curve) for curve, sieve in piece]

    def given(piece: Sequence[Job]) -> _Piece:
        return [(packed(curve), json.dumps(sieve.to_json())) for curve, sieve in piece]

    def taken(piece: Sequence[Job], trails: list[list[dict[str, Any]]]) -> list[Sieved]:
        return [_unpacked(*job, one) for job, one in zip(piece, trails, strict=True)]

    return by_pieces(jobs, passed, Elsewhere(_work, given, taken) if work >= _WORTH_IT else None, watch)


FitJob = tuple[Model, Curve, int]
"""A model, the curve that passed, and how many of its points were recorded."""
Fitted = tuple[FitResult, tuple[Reading, ...], Basis]


def fit_many(jobs: Sequence[FitJob], watch: Callable[[float], None] | None = None) -> list[Fitted | str]:
    """The fits of many curves, in order; in place of one that cannot be made, the reason.

    `watch` is told the share done and may raise to stop. A fit is the same to the last digit wherever it is made.
    """
    work = sum(len(curve) * len(model.names) for model, curve, _ in jobs)

    def fitted(piece: Sequence[FitJob]) -> list[Fitted | str]:
        return [_fit(job) for job in piece]

    def given(piece: Sequence[FitJob]) -> list[tuple[str, dict[str, Any], int]]:
        return [(model.model_dump_json(), packed(curve), count) for model, curve, count in piece]

    return by_pieces(jobs, fitted, Elsewhere(_fit_piece, given) if work >= _WORTH_FITTING else None, watch)


def _fit_piece(piece: list[tuple[str, dict[str, Any], int]]) -> list[Fitted | str]:
    """In the other process."""
    return [_fit((Model.model_validate_json(model), Curve(**fields), count)) for model, fields, count in piece]


def _fit(job: FitJob) -> Fitted | str:
    try:
        return fit_read(*job)
    except InputError as error:
        return str(error)


@lru_cache(maxsize=64)
def _sieve_of(text: str) -> Sieve:
    return Sieve.parse(json.loads(text))


def _changed(before: Curve, after: Curve) -> dict[str, Any]:
    """The fields of a curve that are not those of the one before: only they are sent back."""
    return {name: value for name, value in packed(after).items() if value is not getattr(before, name)}


def _work(piece: _Piece) -> list[list[dict[str, Any]]]:
    """In the other process: each curve's trail as plain values."""
    answers = []
    for fields, text in piece:
        made = _sieve_of(text)(Curve(**fields))
        answers.append(
            [
                {
                    "after": _changed(trail.before, trail.after),
                    "caught": (trail.caught.points, trail.caught.passed_y),
                    "said": (trail.message, trail.problem),
                    "shapes": trail.shapes,
                }
                for trail in made.trail
            ]
        )
    return answers


def _unpacked(curve: Curve, sieve: Sieve, trails: list[dict[str, Any]]) -> Sieved:
    made: list[Trail] = []
    current = curve
    for slot, one in zip(sieve.slots, trails, strict=True):
        after = replace(current, **one["after"]) if one["after"] else current
        message, problem = one["said"]
        made.append(Trail(slot, current, after, Caught(*one["caught"]), message, problem, one["shapes"]))
        current = after
    return Sieved(curve, tuple(made))
