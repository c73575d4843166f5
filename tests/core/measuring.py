"""What the tests of measures share: a curve, a setting for each measure, and how one is read."""

from __future__ import annotations

import os

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.fitting.fits import fit_model
from curvesieve.core.measures import MeasureSlot, Seen, parse_measure, registered_measures, taken
from curvesieve.core.measures.base import Measure
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.taking import outcome
from curvesieve.core.models import Model

MEASURES = registered_measures()
SPECTRAL = ("band-gap",)
MECHANICAL = ("offset-yield", "proportional-limit", "total-proof", "elongation", "ramberg-osgood", "hardening", "loops",
              "unloading")  # fmt: skip
REFLECTED = ("spacing", "scherrer", "williamson-hall", "instrument-widths", "lattice", "peak-number", "peak-ratio",
             "line-shift", "lines-against-table")  # fmt: skip
SCATTERED = ("guinier", "power-of-q", "crossover", "porod", "invariant", "pair-distances", "volume-fraction",
             "hydrodynamic-radius")  # fmt: skip
ALONE = [slug for slug in MEASURES if slug not in (*MECHANICAL, *REFLECTED, *SPECTRAL, *SCATTERED)]
"""Measures of any curve alone; the others need an elastic line or a test (test_tension.py, test_mechanics.py), or
peaks (test_diffraction.py, test_lattice.py, test_peak_numbers.py), or light
(test_spectra.py), or q (test_scattering_measures.py)."""
SET = {
    "straight-part": {"low": 1.0, "high": 3.0}, "highest-point": {"low": 2.5, "high": 5.5, "points": 301},
    "lowest-point": {"low": 5.0, "high": 8.8, "points": 301}, "value-at": {"at": 3.33}, "x-at-value": {"y": 3.0},
    "step-height": {"at": 2.603, "reach": 0.804, "level": False}, "slope-at": {"at": 2.9, "points": 21},
    "area": {"low": 1.0, "high": 7.0}, "moments": {"low": 1.0, "high": 7.0, "base": "chord"},
    "width-at-share": {"low": 1.0, "high": 7.0, "points": 41}, "mean-and-scatter": {"low": 8.0},
    "signal-to-noise": {"low": 2.0, "high": 6.0, "noise_low": 8.0, "noise_high": 10.0}, "period": {"low": 7.0},
    "meeting-of-lines": {"low": 2.5, "high": 3.2, "other_low": 4.8, "other_high": 5.5},
    "approach": {"low": 1.003, "high": 4.0, "points": 21, "share": 0.3}, "formula": {"formula": "1 + 1"},
    "law-over-band": {"law": "line", "high": 0.8}, "fitted-value": {"at": 3.33}, "fitted-place": {"y": 3.0},
    "fitted-extremum": {"low": 2.0}, "fitted-area": {"low": 2.0, "high": 5.0},
    "fitted-quantity": {"formula": "center_1"}, "peak-number": {"what": "height"}, "line-shift": {"place": "3.5"},
    "lines-against-table": {"typed": (3.5,)},
    "chord": {"low": 1.0, "high": 3.0},
}  # fmt: skip
X = np.linspace(0, 10, 801)
Y = 5 * np.exp(-0.5 * ((X - 4) / 0.8) ** 2) + 0.3 * np.cos(2 * np.pi * X / 1.7) * (X > 6.5) + 0.5


def made(slug: str, **fields) -> Measure:
    return parse_measure({"measure": slug, **(fields or SET.get(slug, {}))})


def seen(measure: Measure, curve: cs.Curve) -> Seen:
    """The curve; for measures of the fit with that of a peak on a level to what lies before its oscillation."""
    return Seen.of(curve, fit=fit_of(curve) if measure.of_fit else None)


def fit_of(curve: cs.Curve) -> FitSeen:
    x = curve.used.x
    end = float(x.min() + 0.6206 * np.ptp(x))
    model = Model(high=end).with_background("constant", curve)
    model = model.add_peak("gaussian", curve, float(x.min() + 0.4 * np.ptp(x)))
    result = fit_model(model, curve)
    assert result.converged, result.message
    return FitSeen(model, result, curve)


def read(measure: Measure, curve: cs.Curve) -> dict[str, tuple[float, float | None]]:
    found = outcome(MeasureSlot(id="m", rule=measure), seen(measure, curve))
    assert not found.problem, found.problem
    return {r.quantity: (r.value, r.u) for r in found.readings}


def alike(one: dict, other: dict) -> None:
    assert list(one) == list(other)
    for quantity, (value, u) in other.items():
        assert one[quantity][0] == pytest.approx(value, rel=1e-9), quantity
        assert (one[quantity][1] is None) == (u is None)
        assert u is None or one[quantity][1] == pytest.approx(u, rel=1e-9), quantity


def noisy(seed: int = 0, u: bool = True) -> cs.Curve:
    rng = np.random.default_rng(seed)
    return cs.Curve(X, Y + rng.normal(0, 0.03, X.size), np.full(X.size, 0.03) if u else None, x_unit="s", y_unit="N")


def listed(curve: cs.Curve, *slots: tuple[str, str, dict]) -> list:
    return taken(tuple(MeasureSlot(id=f"m{k}", rule=MEASURES[slug](**fields), name=name)
                       for k, (slug, name, fields) in enumerate(slots)), Seen.of(curve))  # fmt: skip


RUNS = int(os.environ.get("RUNS", "500"))
"""The s. d. of 500 is known to 3 %; ``make monte-carlo`` draws 2,000."""
