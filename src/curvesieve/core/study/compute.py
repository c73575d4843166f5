"""What is computed from a study: the passed curve of each sieve, and fits. Results are kept by content."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import fit_model
from curvesieve.core.fitting.fit import Watch
from curvesieve.core.readings import peak_readings
from curvesieve.core.steps import Sieve
from curvesieve.core.steps.sieve import Sieved
from curvesieve.core.study.document import FitEntry, Study

_MAX_KEPT_POINTS = 30_000_000
_QUICK_POINTS = 20_000
"""Points times steps that pass in well under 50 ms."""


class _Kept:
    """The latest results by key, up to a number of points in all. Safe to use from several threads."""

    def __init__(self) -> None:
        self._results: OrderedDict[tuple[str, str], Sieved] = OrderedDict()
        self._points = 0
        self._lock = Lock()

    def get(self, key: tuple[str, str]) -> Sieved | None:
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
            return self._results.get(key)

    def put(self, key: tuple[str, str], result: Sieved) -> None:
        with self._lock:
            if key not in self._results:
                self._points += _size(result)
            self._results[key] = result
            while self._points > _MAX_KEPT_POINTS and len(self._results) > 1:
                self._points -= _size(self._results.popitem(last=False)[1])


def _size(result: Sieved) -> int:
    return len(result.recorded) * (1 + len(result.trail))


_kept = _Kept()


def _key(curve: Curve, sieve: Sieve) -> tuple[str, str]:
    return curve.digest, repr([(slot.id, slot.on, slot.step.to_json()) for slot in sieve.slots])


def sieved(curve: Curve, sieve: Sieve) -> Sieved:
    """What the sieve makes of the curve; the same (curve, steps) are computed once."""
    key = _key(curve, sieve)
    result = _kept.get(key)
    if result is None:
        result = sieve(curve)
        _kept.put(key, result)
    return result


def sieved_if_quick(study: Study, curve_id: str) -> Sieved | None:
    """What `sieved_curve` gives, when it is known already or so small that nobody would wait; otherwise None."""
    curve, sieve = study.recorded(curve_id), study.sieve(curve_id)
    if not sieve.slots or len(curve) * len(sieve.slots) <= _QUICK_POINTS:
        return sieved(curve, sieve)
    return _kept.get(_key(curve, sieve))


def sieved_curve(study: Study, curve_id: str) -> Sieved:
    """A study's curve through its own sieve."""
    return sieved(study.recorded(curve_id), study.sieve(curve_id))


def fit_curve(study: Study, curve_id: str, watch: Watch | None = None) -> FitEntry:
    """Fits the curve's model to what its sieve passes and reads off the peaks.

    Raises InputError when a step of the sieve cannot work (a fit of a curve that was not cleaned as asked
    would look right and be wrong), or when the model cannot be fitted.
    """
    entry = study.entry(curve_id)
    made = sieved_curve(study, curve_id)
    for trail in made.trail:
        if trail.problem:
            raise InputError(f"The step {trail.slot.step.label} does not work: {trail.problem}")
    result = fit_model(entry.model, made.curve, watch)
    readings = peak_readings(entry.model, result, made.curve.x_unit, made.curve.y_unit) if result.converged else ()
    return FitEntry(
        key=study.fit_key(curve_id),
        result=result,
        readings=readings,
        recorded=len(made.recorded),
        passed=len(made.curve),
        used=int(np.count_nonzero(entry.model.points_in_use(made.curve))),
    )
