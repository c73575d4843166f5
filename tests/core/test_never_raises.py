"""Fits of awkward data: an answer or a sentence, never an error of an algebra, and never without an end."""

from __future__ import annotations

import random
import warnings

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.fitting import FitResult
from curvesieve.core.models import TERMS

X = np.linspace(0, 10, 40)
AWKWARD = {
    "zeros": np.zeros(40), "ones": np.ones(40), "falling": -3 - X, "noise": np.random.default_rng(0).normal(size=40),
    "a step": (X > 5) * 1.0, "a spike": (np.arange(40) == 7) * 5.0, "huge": 1e300 * np.exp(-X),
    "tiny": 1e-300 * np.exp(-X), "large": 1e12 * X**2, "alternating": np.tile([1.0, -1.0], 20),
}  # fmt: skip
LOSSES = ("squared", "huber", "soft_l1", "cauchy", "absolute")
CASES = [(slug, name, loss) for slug in TERMS for name in AWKWARD for loss in LOSSES]


def tried(slug: str, y: np.ndarray, loss: str) -> FitResult | str:
    """The fit, or the sentence with which it is refused."""
    try:
        return cs.fit(slug, X, y, loss=loss)
    except cs.InputError as error:
        return str(error)


@pytest.mark.parametrize(("slug", "name", "loss"), [
    ("logistic", "zeros", "huber"), ("gaussian", "tiny", "cauchy"), ("pearson", "tiny", "absolute"),
    *random.Random(7).sample(CASES, 40),
])  # fmt: skip
def test_a_fit_gives_an_answer_or_a_sentence(slug, name, loss):
    with warnings.catch_warnings():
        warnings.simplefilter("error", RuntimeWarning)
        found = tried(slug, AWKWARD[name], loss)
    if isinstance(found, str):
        assert found[0].isupper()
        assert found.endswith((".", "?", ")"))
        return
    assert all(np.isfinite(p.value) for p in found.parameters.values())
    assert all(p.u is None or p.u >= 0 for p in found.parameters.values())
    assert found.message


@pytest.mark.parametrize("loss", LOSSES)
def test_a_fit_listens_while_it_runs(loss):
    """Whoever watches may stop it, in every path of the solver, after a few steps."""
    from curvesieve.core.fitting.fits import fit_model
    from curvesieve.core.models import Model

    curve = cs.Curve(X, AWKWARD["noise"])
    model = Model(loss=loss).with_background("line", curve)
    for at in (2.0, 5.0, 8.0):
        model = model.add_peak("voigt", curve, at)
    seen = []

    class Stop(Exception):
        pass

    def watch(values):
        seen.append(values)
        if len(seen) > 4:
            raise Stop

    with pytest.raises(Stop):
        fit_model(model, curve, watch)
    assert len(seen) == 5
    assert all(len(values) == len(model.names) for values in seen)
