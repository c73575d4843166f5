"""Models: starts read off the data, the range in use, flags, and what is drawn of them."""

from __future__ import annotations

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.models import Model
from curvesieve.core.models.drawing import base_under, model_lines, residual


def lorentzian(x, center, height, fwhm):
    return height / (1 + 4 * ((x - center) / fwhm) ** 2)


@pytest.fixture
def two_peaks() -> cs.Curve:
    x = np.linspace(0, 100, 801)
    rng = np.random.default_rng(3)
    y = 20 + 0.1 * x + lorentzian(x, 30, 50, 6) + lorentzian(x, 65, 30, 10) + rng.normal(0, 0.5, x.size)
    return cs.Curve(x, y)


def test_starts_are_near_enough(two_peaks):
    model = Model().with_background("line", two_peaks)
    for pointed, center, height, fwhm in ((31.5, 30, 50, 6), (64, 65, 30, 10)):
        model = model.add_peak("lorentzian", two_peaks, pointed)
        start = {name: state.start for name, state in model.peaks[-1].parameters.items()}
        assert start["center"] == pytest.approx(center, abs=1.0)
        assert start["height"] == pytest.approx(height, rel=0.25)
        assert start["fwhm"] == pytest.approx(fwhm, rel=0.35)
    line = model.background.parameters
    assert line["offset"].start == pytest.approx(20, abs=4)
    assert model.names == (
        "center_1", "height_1", "fwhm_1", "center_2", "height_2", "fwhm_2", "offset", "slope",
    )  # fmt: skip


def test_removing_a_peak_keeps_the_others_numbers(two_peaks):
    model = Model().with_background("constant", two_peaks)
    for pointed in (30, 65, 90):
        model = model.add_peak("gaussian", two_peaks, pointed)
    rest = model.without(2)
    assert [placed.number for placed in rest.peaks] == [1, 3]
    assert rest.names[-1] == "offset"
    assert rest.sum.names == rest.names, "a copied model must not carry the sum of the old one"
    assert rest.add_peak("gaussian", two_peaks, 65).peaks[-1].number == 4
    assert model.with_background(None, two_peaks).background is None


def test_patched_left_out_and_outside_points_are_not_used(two_peaks):
    flags = np.zeros(len(two_peaks), np.uint8)
    flags[100:110], flags[200:205] = Flag.PATCHED, Flag.LEFT_OUT
    curve = two_peaks.with_y(two_peaks.y, None, flags)
    model = Model(low=10.0, high=90.0)
    used = model.in_use(curve)
    assert len(used) == np.count_nonzero((curve.x >= 10) & (curve.x <= 90)) - 15
    with pytest.raises(cs.InputError, match="No point lies in the range in use"):
        Model(low=200.0).in_use(curve)


def test_lines_show_the_narrowest_peak_and_add_up(two_peaks):
    model = Model().with_background("line", two_peaks).add_peak("lorentzian", two_peaks, 30)
    narrow = model.replaced(model.peaks[0].with_starts({"center": 33.37, "height": 40, "fwhm": 1e-3}))
    lines = model_lines(narrow, two_peaks)
    assert lines.total.max() == pytest.approx(40 + base_under(narrow, 1), rel=1e-3)
    np.testing.assert_allclose(lines.total, lines.peaks[0][1], rtol=1e-12)
    x, r = residual(narrow, two_peaks)
    np.testing.assert_allclose(r + narrow.sum.evaluate(x, list(narrow.start.values())), two_peaks.y, rtol=1e-12)
    assert residual(narrow, two_peaks, most=100)[0].size <= 115
    assert model_lines(Model(), two_peaks) is None
    assert model_lines(Model(terms=model.terms, low=500.0), two_peaks) is None


def test_curves_refuse_what_is_no_curve():
    cases = [
        (([1, 2], [1]), {}, "y has the shape"),
        (([1, 2], [1, float("nan")]), {}, "y is not a number at point 2"),
        (([1, 2], [1, 2]), {"u": np.array([1.0, 0.0])}, "u must be above zero, but is 0 at point 2"),
        ((np.ones((2, 2)), np.ones((2, 2))), {}, "x has the shape"),
    ]
    for arrays, more, sentence in cases:
        with pytest.raises(cs.InputError, match=sentence):
            cs.Curve(*arrays, **more)
    mine = np.arange(3.0)
    curve = cs.Curve(mine, mine)
    mine[0] = 99.0
    assert curve.x[0] == 0.0, "a curve keeps its own numbers"
    assert cs.Curve([0, 1], [1, 2]).digest == cs.Curve([0.0, 1.0], np.array([1, 2])).digest
