"""How many peaks: models that grow where the residual asks for it, judged by AICc."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import FitResult
from curvesieve.core.models import Model, PlacedTerm
from curvesieve.core.models.drawing import height_of, width_of
from curvesieve.core.peaks.finding import FoundPeak, find_peaks
from curvesieve.core.peaks.making import PROFILE, Watch, fitted_peaks, fitted_region, patient, placed_peak, with_found
from curvesieve.core.peaks.noise import noise_of

WORTH = 10.0
"""By how much AICc must fall for a peak more: beyond 10 the poorer model has next to no support (Burnham and Anderson
2002; from memory)."""
_AGAIN, _MOST_SPLIT, _LONGER = 3, 6, 300
"""Times that the residual is searched, peaks that are tried as two, and iterates after which a trial is given up."""
_SURE = 3.0
"""So many standard deviations too large must the scatter about a peak be for a second one to be looked for in it."""
_SPLIT_BY, _SPLIT_WIDTH, _SPLIT_HEIGHT = 0.35, 0.75, 0.65


@dataclass(frozen=True)
class Grown:
    """A model of so many peaks with its fit, as `how_many` went through it."""

    peaks: int
    model: Model
    result: FitResult

    @property
    def aicc(self) -> float:
        """AICc of its fit, infinite where there is none."""
        value = self.result.statistics.aicc
        return np.inf if value is None or not self.result.converged else value


def how_many(
    model: Model,
    curve: Curve,
    most: int = 12,
    profile: str = PROFILE,
    watch: Callable[[float], None] | None = None,
    stop: Watch | None = None,
) -> tuple[Grown, ...]:
    """Models with one peak more each, from the ground alone on, each peak where the one before leaves most.

    `watch` is told the share done, `stop` sees each iterate; both may raise. Ends at `most` peaks, or when nothing
    stands out any more. Raises InputError where the ground alone cannot be fitted.
    """
    from curvesieve.core.fitting import fit_model

    bare = model.model_copy(update={"terms": () if model.background is None else (model.background,), "derived": ()})
    made: list[Grown] = []
    now = bare
    if bare.terms:
        result = fit_model(bare, curve, stop)
        now = bare.starting_at(result.values)
        made.append(Grown(0, now, result))
    for count in range(1, most + 1):
        if watch is not None:
            watch(count / (most + 1))
        step = _one_more(now, curve, profile, stop)
        if step is None:
            break
        now = step.model
        made.append(step)
    return tuple(made)


def _one_more(model: Model, curve: Curve, profile: str, stop: Watch | None) -> Grown | None:
    """The best of the models with a peak more: at the highest residual, or in the place of the worst peak, two."""
    tried = []
    for candidate in _candidates(model, curve, profile):
        try:
            started, result = fitted_peaks(candidate, curve, patient(stop, _LONGER))
        except InputError:
            continue
        tried.append(Grown(len(candidate.lines), started.starting_at(result.values), result))
    return min(tried, key=lambda one: one.aicc) if tried else None


def _candidates(model: Model, curve: Curve, profile: str) -> list[Model]:
    left = _left_over(model, curve)
    found = sorted(find_peaks(left, 0.0).peaks, key=lambda one: -one.significance)[:1] if len(left) else []
    made = []
    if found:
        made.append(with_found(model, curve, found, profile))
    elif not model.lines:
        top = int(np.argmax(left.y))
        width = float(np.ptp(left.x)) / 10
        made.append(
            with_found(model, curve, [FoundPeak(float(left.x[top]), float(left.y[top]), width, 1.0, 0.0)], profile)
        )
    worst = [placed for _, placed in sorted(_badness(model, curve), key=lambda one: -one[0])[:2]]
    made += [split for placed in worst if (split := _split(model, placed)) is not None]
    return made


def _left_over(model: Model, curve: Curve) -> Curve:
    """What the model leaves of the points in use, with the noise that they have."""
    used = model.in_use(curve)
    order = np.argsort(used.x, kind="stable")
    used = used.take(order)
    noise = used.u if used.u is not None else noise_of(used.x, used.y)
    left = used.y - model.sum.evaluate(used.x, list(model.start.values()))
    good = np.isfinite(left) & np.isfinite(noise) & (noise > 0)
    return replace(used, y=left, u=np.maximum(noise, np.finfo(float).tiny)).take(good)


def _badness(model: Model, curve: Curve) -> list[tuple[float, PlacedTerm]]:
    """By how many standard deviations the scatter about each peak is too large, near its top."""
    left = _left_over(model, curve)
    assert left.u is not None
    weighed = (left.y / left.u) ** 2
    found = []
    for placed in model.lines:
        near = np.abs(left.x - placed.parameters["center"].start) <= width_of(placed)
        count = int(near.sum())
        if count >= 4:
            found.append((float((weighed[near].mean() - 1) * np.sqrt(count / 2)), placed))
    return found


def _split(model: Model, placed: PlacedTerm) -> Model | None:
    """The model with two peaks in the place of one; None where others follow it."""
    if placed.own is not None or any(p.second_of == placed.number for p in model.peaks) or model.ties:
        return None
    center, height, width = placed.parameters["center"].start, height_of(placed), width_of(placed)
    number = max(p.number for p in model.terms) + 1
    pair = [
        placed_peak(placed.slug, k, center + side * _SPLIT_BY * width, _SPLIT_HEIGHT * height, _SPLIT_WIDTH * width)
        for k, side in ((placed.number, -1), (number, 1))
    ]
    pair[0] = pair[0].model_copy(update={"name": placed.name})
    peaks = [pair[0] if p.number == placed.number else p for p in model.peaks]
    return model.with_peaks((*peaks, pair[1]))


def completed(
    model: Model, result: FitResult, curve: Curve, profile: str = PROFILE, stop: Watch | None = None
) -> tuple[Model, FitResult]:
    """The fit with the peaks more that its residual asks for, and with two for one where that is much better.

    Each is kept where AICc falls by more than `WORTH`. Raises nothing: what cannot be fitted is left.
    """
    now = model.starting_at(result.values)
    for _ in range(_AGAIN):
        try:
            found = [one for one in find_peaks(_left_over(now, curve)).peaks if not one.doubt]
        except InputError:  # too few points
            break
        if not found:
            break
        better = _better(now, result, with_found(now, curve, found, profile), curve, stop)
        if better is None:
            break
        now, result = better
    for sigma, placed in sorted(_badness(now, curve), key=lambda one: -one[0])[:_MOST_SPLIT]:
        if sigma < _SURE:
            break
        split = _split(now, placed)
        if split is None:
            continue
        pair = (placed.number, max(p.number for p in split.terms))
        try:
            near = fitted_region(split, curve, pair, patient(stop))
        except InputError:
            continue
        better = _better(now, result, near, curve, stop)
        if better is not None:
            now, result = better
    return now, result


def _better(
    now: Model, result: FitResult, candidate: Model, curve: Curve, stop: Watch | None
) -> tuple[Model, FitResult] | None:
    try:
        started, found = fitted_peaks(candidate, curve, patient(stop, _LONGER))
    except InputError:
        return None
    old, new = result.statistics.aicc, found.statistics.aicc
    if not found.converged or old is None or new is None or new > old - WORTH:
        return None
    return started.starting_at(found.values), found


def best_of(grown: Sequence[Grown]) -> Grown:
    """That with the lowest AICc; of those that are as good, the one with the fewest peaks."""
    lowest = min(one.aicc for one in grown)
    return next(one for one in grown if one.aicc <= lowest + WORTH / 5)
