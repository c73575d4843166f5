"""A curve asked without a fit, against SciPy, NumPy and drawn data; its points as a table."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.interpolate import CubicSpline, PchipInterpolator, interp1d

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.readings.asked import over, y_at
from curvesieve.core.study import Study, edits
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.points import points_of
from curvesieve.demo import EXAMPLE
from curvesieve.demo.build import build_study

SCIPY = {
    "nearest point": lambda x, y, at: interp1d(x, y, "nearest")(at),
    "previous point": lambda x, y, at: interp1d(x, y, "previous")(at),
    "straight lines": lambda x, y, at: np.interp(at, x, y),
    "quadratic spline": lambda x, y, at: interp1d(x, y, "quadratic")(at),
    "cubic spline": lambda x, y, at: CubicSpline(x, y)(at),
    "monotone cubic": lambda x, y, at: PchipInterpolator(x, y)(at),
}


@pytest.mark.parametrize("scale", [1e-12, 1.0, 1e12])
@pytest.mark.parametrize("count", [5, 40, 2000])
def test_every_way_is_scipys_on_the_whole_curve(count, scale):
    rng = np.random.default_rng(count)
    x = np.cumsum(rng.uniform(0.5, 1.5, count)) * scale
    y = np.sin(np.arange(count) / 7.0) / scale + rng.normal(0, 0.1 / scale, count)
    curve = cs.Curve(x, y)
    backwards = cs.Curve(x[::-1], y[::-1])
    for at in rng.uniform(x[0], x[-1], 12):
        for found, same in zip(y_at(curve, float(at)), y_at(backwards, float(at)), strict=True):
            wanted = float(SCIPY[found.way](x, y, at))
            assert found.y == pytest.approx(wanted, rel=1e-7, abs=1e-9 / scale), (found.way, at)
            assert same.y == pytest.approx(found.y, rel=1e-9, abs=1e-12 / scale)
            assert found.u is None


def test_u_is_that_of_drawn_data():
    rng = np.random.default_rng(5)
    x = np.linspace(0, 10, 41)
    y, u = np.exp(-x / 4) * 100, np.linspace(0.5, 2.0, 41)
    curve = cs.Curve(x, y, u)
    for at in (3.31, 3.25, 9.9, 10.4):
        found = y_at(curve, at)
        drawn = [[one.y for one in y_at(cs.Curve(x, y + rng.normal(0, u)), at)] for _ in range(1500)]
        spread = np.std(drawn, axis=0, ddof=1)
        for one, seen in zip(found, spread, strict=True):
            bent = one.way == "monotone cubic" and at > x[-1]  # its end slope is cut off at zero
            assert one.u == pytest.approx(float(seen), rel=0.25 if bent else 0.09), (one.way, at)


def test_beyond_the_data_is_said():
    curve = cs.Curve([1.0, 2.0, 3.0, 5.0], [1.0, 4.0, 9.0, 25.0])
    after = {one.way: one for one in y_at(curve, 6.0)}
    assert all(one.about == "beyond the data, which end at 5" for one in after.values())
    assert (after["nearest point"].y, after["previous point"].y) == (25.0, 25.0)
    assert after["straight lines"].y == pytest.approx(33.0)
    assert after["quadratic spline"].y == pytest.approx(36.0), "x² is a parabola, also beyond its points"
    assert after["cubic spline"].y == pytest.approx(36.0)
    before = {one.way: one for one in y_at(curve, 0.0)}
    assert math.isnan(before["previous point"].y)
    assert before["previous point"].about == "there is none before 1"
    assert before["nearest point"].y == 1.0
    at_point = {one.way: one.y for one in y_at(curve, 3.0)}
    assert list(at_point.values()) == pytest.approx([9.0] * 6)


def test_awkward_curves_are_asked_or_refused():
    with pytest.raises(cs.InputError, match="turns back, so that several y belong to one x"):
        y_at(cs.Curve([1.0, 2.0, 1.5], [1.0, 2.0, 3.0]), 1.2)
    with pytest.raises(cs.InputError, match="1 point at different x; two are needed"):
        y_at(cs.Curve([1.0, 1.0], [1.0, 2.0]), 1.0)
    with pytest.raises(cs.InputError, match="Ask for y at a number"):
        y_at(cs.Curve([1.0, 2.0], [1.0, 2.0]), math.nan)
    doubled = y_at(cs.Curve([0.0, 1.0, 1.0, 2.0], [0.0, 1.0, 3.0, 4.0], [0.1, 0.3, 0.4, 0.1]), 1.0)
    assert doubled[0].y == 2.0
    assert doubled[0].u == pytest.approx(0.25), "the mean of two points"
    two = {one.way: one for one in y_at(cs.Curve([0.0, 1.0], [0.0, 1.0]), 0.25)}
    assert two["straight lines"].y == two["monotone cubic"].y == 0.25
    assert two["cubic spline"].about == "needs 4 points"
    flags = np.array([0, Flag.LEFT_OUT, 0], np.uint8)
    left = {one.way: one.y for one in y_at(cs.Curve([0.0, 1.0, 2.0], [0.0, 50.0, 2.0], flags=flags), 1.0)}
    assert left["straight lines"] == 1.0, "a point that is left out is used for nothing"


def test_what_a_stretch_holds():
    rng = np.random.default_rng(3)
    x = np.arange(50.0)
    y = rng.normal(5, 1, 50)
    flags = np.zeros(50, np.uint8)
    flags[20] = Flag.LEFT_OUT
    y[20] = 900.0
    found = over(cs.Curve(x, y, flags=flags), 30.0, 10.0)
    inside = np.array([y[i] for i in range(10, 31) if i != 20])
    assert found.n == 20
    assert found.mean == pytest.approx(inside.mean())
    assert found.sd == pytest.approx(inside.std(ddof=1))
    assert found.standard_error == pytest.approx(inside.std(ddof=1) / math.sqrt(20))
    assert (found.low, found.high) == (inside.min(), inside.max())
    assert y[int(found.low_at)] == found.low
    assert y[int(found.high_at)] == found.high
    assert found.total == pytest.approx(inside.sum())
    assert over(cs.Curve(x, y), None, None).n == 50
    assert math.isnan(over(cs.Curve(x, y), 3.0, 3.0).sd)
    with pytest.raises(cs.InputError, match=r"no point between 3\.2 and 3\.4"):
        over(cs.Curve(x, y), 3.2, 3.4)


@pytest.fixture(scope="module")
def study(tmp_path_factory) -> Study:
    made = build_study(tmp_path_factory.mktemp("demo"))
    entry = made.document.curves[EXAMPLE]
    return edits.set_fit(entry.id, fit_curve(made, entry.id))(made)


def test_points_carry_flags_fit_and_residual(study):
    entry = study.document.curves[EXAMPLE]
    points = points_of(study, entry.id)
    names = [channel.name for channel in points.record.channels]
    assert names == ["Raman shift", "Intensity", "flag", "fit", "residual"]
    x, y, flag, fit, residual = (channel.values for channel in points.record.channels)
    np.testing.assert_allclose(y - fit, residual)
    assert set(np.unique(flag)) == {0.0, 1.0}
    values = {name: p.value for name, p in study.fit(entry.id).result.parameters.items()}
    wanted = values["a"] + values["b"] * x if "a" in values else 0 * x
    for i in (1, 2, 3):
        center, height, fwhm = (values[f"{name}_{i}"] for name in ("center", "height", "fwhm"))
        wanted = wanted + height / (1 + ((x - center) / (fwhm / 2)) ** 2)
    np.testing.assert_allclose(fit - wanted, np.polyval(np.polyfit(x, fit - wanted, 1), x), atol=1e-6)
    recorded = points_of(study, entry.id, recorded=True)
    assert [channel.name for channel in recorded.record.channels] == names[:3]
    assert len(recorded.record) == 924
    summaries = points.summaries
    assert summaries[1].mean == pytest.approx(float(np.mean(y)))
    assert summaries[1].total == pytest.approx(float(np.sum(y)))
    assert summaries[2].count == 0, "flags are words"


def test_left_out_points_are_shown_and_count_for_nothing(study):
    entry = study.document.curves[EXAMPLE]
    from curvesieve.core.steps.trim import LeaveOut

    x = points_of(study, entry.id).record.channels[0].values[10]
    left = edits.add_step(entry.id, LeaveOut(points=(float(x),)), "out")(study)
    points = points_of(left, entry.id)
    assert int(points.left_out.sum()) == 1
    assert len(points.record) == len(points_of(study, entry.id).record)
    assert points.summaries[1].count == len(points.record) - 1
    assert [c.name for c in points.record.channels] == ["Raman shift", "Intensity", "flag"], "the fit is out of date"
