"""Steps: what passes, what is caught, and the habits that every step must have."""

from __future__ import annotations

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.steps import StepSlot, registered_steps
from curvesieve.core.steps.axis import CalibrateX
from curvesieve.core.steps.bridge import Bridge
from curvesieve.core.steps.combine import Combine
from curvesieve.core.steps.machine import Compliance
from curvesieve.core.steps.ranges import Blank, Merge
from curvesieve.core.steps.repair import Despike
from curvesieve.core.steps.scattering import ScatteringVector
from curvesieve.core.steps.sieve import through
from curvesieve.core.steps.spectra import Absorbance, SpectralAxis
from curvesieve.core.steps.trim import KeepRange
from curvesieve.demo.raman import LOADINGS, spectrum


def noisy(n: int = 400, u: bool = False, seed: int = 7) -> cs.Curve:
    rng = np.random.default_rng(seed)
    x = np.linspace(0, 10, n)
    return cs.Curve(x, 50 + 30 * np.exp(-((x - 5) ** 2)) + rng.normal(0, 1, n), np.full(n, 1.0) if u else None)


class _Others:
    """A blank and two replicates."""

    def curve(self, name: str) -> cs.Curve:
        return noisy(300, u=True, seed=1)

    def family(self) -> list[cs.Curve]:
        return [noisy(400, seed=2), noisy(500, seed=3)]


OTHERS = _Others()
READY = {
    "bridge": Bridge(low=4, high=5), "calibrate-x": CalibrateX(measured=(2.0, 8.0), references=(2.1, 8.1)),
    "scattering-vector": ScatteringVector(x_is="q in 1/Å"), "blank": Blank(donor="blank"),
    "merge": Merge(donor="blank"), "combine": Combine(donor="blank"),
    "compliance": Compliance(stiffness=50.0),
    "spectral-axis": SpectralAxis(x_is="eV"), "absorbance": Absorbance(percent="yes"),
}  # fmt: skip
"""Steps that can do nothing with their defaults alone, as they need to be told what is wrong or what to take."""


@pytest.mark.parametrize("slug", list(registered_steps()))
def test_habits_of_every_step(slug):
    """Defaults exist, JSON round-trips, input is never written to, and the same input gives the same output."""
    kind = registered_steps()[slug]
    curve = noisy(u=True)
    step = READY.get(slug) or kind.fitted_to(curve)
    assert cs.Sieve.parse({"sieve": 1, "steps": [{"step": slug}]}).slots[0].rule == kind()
    assert cs.Sieve.parse(json.loads(json.dumps({"steps": [step.to_json()]}))).slots[0].rule == step
    before = curve.digest
    once, again = step.apply_among(curve, OTHERS), step.apply_among(curve, OTHERS)
    assert curve.digest == before
    assert once.curve.digest == again.curve.digest
    assert once.caught.points.size == once.caught.passed_y.size
    assert kind.label
    assert kind.summary
    for name, info in kind.model_fields.items():
        assert info.title, name
        assert info.description, name
        assert name in kind.model_json_schema()["properties"]
    with pytest.raises(ValueError, match="read-only"):
        once.curve.y[0] = 0


@pytest.mark.parametrize("loading", LOADINGS)
def test_every_demo_spike_is_caught_and_hardly_a_good_point(loading):
    made = spectrum(loading)
    passed = Despike().apply(cs.Curve(made.x, made.y))
    caught = set(passed.caught.points.tolist())
    assert set(made.spikes) <= caught
    assert len(caught - set(made.spikes)) <= 0.001 * made.x.size
    assert (passed.curve.flags[list(made.spikes)] == Flag.PATCHED).all()
    clean = np.delete(np.arange(made.x.size), sorted(caught))
    np.testing.assert_array_equal(passed.curve.y[clean], made.y[clean])


def test_false_alarms_are_rare_on_pure_noise_and_slopes():
    # 5σ on normal noise would be 6e-7 a point with σ known; measured over a window it is more, but a tenth of the 0.1 %
    # that is allowed, whatever the slope.
    rng = np.random.default_rng(11)
    caught = 0
    for slope in (0, 0.5, 3, 40):
        x = np.arange(50_000.0)
        y = slope * x + 300 * np.sin(x / 300) + rng.normal(0, 2, x.size)
        caught += len(Despike().apply(cs.Curve(x, y)).caught)
    assert caught <= 1e-4 * 200_000


def test_keep_range_keeps_its_edges():
    curve = cs.Curve(np.arange(10.0), np.arange(10.0) ** 2)
    passed = KeepRange(low=2, high=7).apply(curve)
    assert list(passed.curve.x) == [2, 3, 4, 5, 6, 7]
    assert list(passed.caught.points) == [0, 1, 8, 9]
    assert len(KeepRange().apply(curve).caught) == 0


def test_a_step_that_cannot_work_passes_its_input_on_marked():
    curve = noisy(8)
    sieve = cs.Sieve.parse({"steps": [{"step": "despike"}, {"step": "keep-range", "low": 2}]})
    passed = sieve(curve)
    assert "window of 11 points needs 11 points" in passed.trail[0].problem.casefold()
    assert passed.trail[0].after is curve
    assert passed.x.min() >= 2
    outside = cs.Sieve.parse({"steps": [{"step": "keep-range", "low": 99, "high": 100}]})(curve)
    assert "the curve runs from 0 to 10" in outside.trail[0].problem
    off = cs.Sieve.parse({"steps": [{"step": "keep-range", "low": 2, "on": False}]})(curve)
    assert off.curve is curve


@pytest.mark.parametrize(
    ("data", "sentence"),
    [
        ({"step": "despyke"}, "no step 'despyke'.*did you mean 'despike'"),
        ({"step": "despike", "windw": 5}, "no field 'windw'.*did you mean 'window'"),
        ({"step": "despike", "window": 1}, "window must be greater than or equal to 3, but is 1"),
        ({"step": "keep-range", "low": 3, "high": 1}, "low \\(3\\) must not be above high \\(1\\)"),
        ({"step": "keep-range", "low": float("nan")}, "low must be a finite number"),
        ("despike", "A step must look like"),
    ],
)
def test_faulty_sieves_name_the_fault(data, sentence):
    with pytest.raises(cs.InputError, match=f"Step 1 of the sieve: .*{sentence}"):
        cs.Sieve.parse({"sieve": 1, "steps": [data]})


values = st.floats(-1e6, 1e6, allow_nan=False)


@settings(max_examples=40, deadline=None)
@given(
    points=st.lists(st.tuples(values, values, st.floats(1e-6, 1e3)), min_size=1, max_size=40), tidy=st.booleans(),
    known=st.booleans(),
)  # fmt: skip
@pytest.mark.parametrize("slug", list(registered_steps()))
def test_no_step_is_surprised_by_any_curve(slug, points, tidy, known):
    """Whatever the curve, a step passes something on or says why not; nothing that is not a number comes out."""
    x, y, u = np.array(sorted(points) if tidy else points).T.copy()
    start = cs.Curve(x, y, u if known else None)
    for step in {READY.get(slug) or registered_steps()[slug](), registered_steps()[slug].fitted_to(start)}:
        trail = through(StepSlot(id="s", rule=step), start, OTHERS)
        assert bool(trail.problem) == (trail.message == "let everything pass")
        assert len(trail.after) > 0
        assert all(line.x.size == line.y.size <= len(start) for line in trail.shapes)
