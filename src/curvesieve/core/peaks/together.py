"""From a curve to fitted peaks in one go: found, fitted with the background that suits them, completed, doubted."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import FitResult
from curvesieve.core.models import Model, PlacedTerm
from curvesieve.core.models.drawing import height_of, width_of
from curvesieve.core.peaks.finding import LEAST, Found, find_peaks
from curvesieve.core.peaks.growing import completed
from curvesieve.core.peaks.making import (
    BACKGROUND,
    PROFILE,
    STIFF,
    Watch,
    fitted_peaks,
    stayed,
    with_best_ground,
    with_found,
)
from curvesieve.core.peaks.noise import counts_or_u

_HOLDS = 3.0
"""A peak that the fit keeps is at least so many times as high as its u."""
_ONE = 0.95
"""A correlation of two peaks' parameters beyond which the data hardly tell them apart."""


@dataclass(frozen=True)
class Asked:
    """What is asked of the peaks of a curve: their profile, the background (empty: the one that suits best) …

    `least` and `widest` are those of `find_peaks`, `dips` looks for minima; `complete` lets the fit ask for more peaks.
    """

    profile: str = PROFILE
    background: str = ""
    least: float = LEAST
    widest: float | None = None
    dips: bool = False
    complete: bool = True


@dataclass(frozen=True)
class FittedPeaks:
    """Peaks that were found and fitted: the model at its values, its fit, what was found first, what to be wary of."""

    model: Model
    result: FitResult
    found: Found
    notes: tuple[str, ...]


def fit_peaks(curve: Curve, asked: Asked = Asked(), stop: Watch | None = None) -> FittedPeaks:
    """Finds the peaks of a curve and fits them with a background, by counts where the y are counts.

    Peaks that are in doubt when they are found, as spikes are, are told and left out. Raises InputError where there is
    no peak, or the fit cannot be done.
    """
    found = find_peaks(curve, asked.least, asked.widest, asked.dips)
    sure = [one for one in found.peaks if not one.doubt]
    notes = [
        *found.notes,
        *(f"A peak at {one.center:.6g} is left out: {one.doubt}" for one in found.peaks if one.doubt),
    ]
    if not sure:
        raise InputError(
            " ".join([*notes, "No peak stands out; ask for a lower signal to noise, or look at the curve."])
        )
    model = Model(weights=counts_or_u(curve)).with_background(asked.background or BACKGROUND, curve)
    model = with_found(model, curve, sure, asked.profile)
    if not asked.background:
        model = with_best_ground(model, curve, STIFF)
    begun, result = fitted_peaks(model, curve, stop)
    model, strays = _without_strays(begun, begun.starting_at(result.values))
    if strays and asked.background:
        model, result = fitted_peaks(model, curve, stop)
        model = model.starting_at(result.values)
    if not asked.background:
        model, result = fitted_peaks(with_best_ground(model, curve), curve, stop)
        model = model.starting_at(result.values)
    if asked.complete and not asked.dips:
        model, result = completed(model, result, curve, asked.profile, stop)
    model, result, gone = _pruned(model, curve, result, stop)
    notes += [*_lost(strays, model), *gone]
    model, result = _in_order(model, curve, result)
    if not result.converged:
        notes.append(result.message)
    return FittedPeaks(model, result, found, (*notes, *result.warnings, *overlaps(model, result)))


def _without_strays(begun: Model, model: Model) -> tuple[Model, list[float]]:
    """The model without peaks that the fit made into something else, as a part of the background; where they were."""
    strays = [placed for placed in begun.lines if not stayed(placed, model.term_numbered(placed.number))]
    if len(strays) == len(begun.lines):
        return model, []
    for placed in strays:
        model = model.without(placed.number)
    return model, [placed.parameters["center"].start for placed in strays]


def _lost(places: list[float], model: Model) -> list[str]:
    """A sentence on each place of a stray at which no peak came to stand after all."""
    there = [(placed.parameters["center"].start, width_of(placed)) for placed in model.lines]
    return [
        f"A peak at {place:.6g} is left out: the fit moved it away or made it something else."
        for place in places
        if all(abs(place - center) > width for center, width in there)
    ]


def _pruned(model: Model, curve: Curve, result: FitResult, stop: Watch | None) -> tuple[Model, FitResult, list[str]]:
    """The fit without peaks that it has no use for: no higher than some of their u, or of no effect; and what was left.

    One at a time, the least sure first: others may be surer without it.
    """
    gone: list[str] = []
    while len(model.lines) > 1:
        spacing = float(np.median(np.abs(np.diff(np.sort(curve.used.x)))))
        sure = [(_surety(placed, result, spacing), placed) for placed in model.lines]
        least, placed = min(sure, key=lambda one: one[0])
        if least >= _HOLDS:
            break
        try:
            fewer, again = fitted_peaks(model.without(placed.number), curve, stop)
        except InputError:
            break
        fewer = fewer.starting_at(again.values)
        place = placed.parameters["center"].start
        said = "its scatter" if result.covariance is None else "its u"
        gone.append(f"A peak at {place:.6g} is left out: in the fit it is {least:.1f} times as high as {said}.")
        model, result = fewer, again
    return model, result, gone


def _surety(placed: PlacedTerm, result: FitResult, spacing: float) -> float:
    """The size of a peak over its u in the fit, beyond all where its size is not free.

    Of a fit without u, as one that has a peak too many, by the scatter about it: height·√(points of the width)/scatter.
    """
    if result.covariance is None:
        points = width_of(placed) / spacing
        points = points if points < result.statistics.n else 0.0  # as wide as everything: no peak
        return abs(height_of(placed)) * math.sqrt(points) / (result.statistics.rmse or 1e-300)
    shape = placed.term.shape
    assert shape is not None
    size = result.parameters[placed.full_name(shape.size)]
    if size.held or size.tied:
        return math.inf
    return abs(size.value) / size.u if size.u else math.inf


def _in_order(model: Model, curve: Curve, result: FitResult) -> tuple[Model, FitResult]:
    """The peaks numbered in the order of x, and the fit of that."""
    from curvesieve.core.fitting import fit_model

    order = sorted(model.peaks, key=lambda placed: placed.parameters["center"].start)
    if [placed.number for placed in order] == list(range(1, len(order) + 1)) or model.ties:
        return model, result
    peaks = tuple(placed.model_copy(update={"number": k}) for k, placed in enumerate(order, start=1))
    made = model.with_peaks(peaks)
    again = fit_model(made, curve)
    return (made.starting_at(again.values), again) if again.converged or not result.converged else (model, result)


def overlaps(model: Model, result: FitResult) -> tuple[str, ...]:
    """A sentence for each pair of peaks that the data hardly tell apart, with the correlation that shows it."""
    matrix = result.correlation()
    if matrix is None:
        return ()
    owner = {p.full_name(name): p for p in model.lines for name in p.parameters}
    told: dict[tuple[str, str], tuple[float, str, str]] = {}
    for i, j in zip(*np.nonzero(np.triu(np.abs(matrix) > _ONE, 1)), strict=True):
        one, other = result.free[int(i)], result.free[int(j)]
        if one in owner and other in owner and owner[one] is not owner[other]:
            pair = (owner[one].label, owner[other].label)
            value = float(matrix[i, j])
            if abs(value) > abs(told.get(pair, (0.0, "", ""))[0]):
                told[pair] = (value, one, other)
    return tuple(
        f"{a} and {b} overlap beyond what the data can tell apart: the correlation of {one} and {other} is "
        f"{value:.3f}. Hold or share a width, or fit one peak."
        for (a, b), (value, one, other) in told.items()
    )
