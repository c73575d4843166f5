"""Steps of scattering: blank, level, bins, ranges merged, absolute scale; against sums by hand and drawn noise."""

from __future__ import annotations

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.models import term_of, term_sum
from curvesieve.core.steps.ranges import Blank, Merge, matched
from curvesieve.core.steps.scattering import AbsoluteScale, LevelAtLargeQ, LogBins, ScatteringVector

Q = np.geomspace(0.02, 2, 120)


class Others:
    """The curves beside one, by name."""

    def __init__(self, **curves):
        self.curves = curves

    def curve(self, name):
        if name not in self.curves:
            raise cs.InputError(f"there is no curve {name!r}.")
        return self.curves[name]

    def family(self):
        return list(self.curves.values())


def curve(y, u=None, q=Q, **more):
    return cs.Curve(q, np.asarray(y), u, **{"x_unit": "1/nm", "y_unit": "1/cm", **more})


def spheres(q=Q):
    summed = term_sum(term_of("sphere~schulz"))
    values = {"forward": 40.0, "radius": 6.0, "spread": 0.15, "background": 0.0}
    return summed.evaluate(q, [values[name] for name in summed.names])


MATRIX = 0.002 * Q**-2.5 + 0.3


def test_a_blank_is_taken_off_in_each_way():
    sample, blank = curve(spheres() + 0.8 * MATRIX, 0.01 + 0 * Q), curve(MATRIX, 0.002 + 0 * Q)
    others = Others(blank=blank)
    for step in (
        Blank(donor="blank", by="a factor", factor=0.8),
        Blank(donor="blank", by="transmissions", own=0.4, of_blank=0.5),
        Blank(donor="blank", by="times", own=60, of_blank=75),
    ):
        made = step.passing(sample, others)
        assert made.curve.y == pytest.approx(spheres(), abs=1e-12)
        assert made.curve.u == pytest.approx(np.hypot(0.01, 0.8 * 0.002))
        assert "× 0.8" in made.message
    found = Blank(donor="blank", by="matched at large q", low=1.5).passing(sample, others)
    factor = float(found.message.split("× ")[1].split(" ±")[0])
    assert factor == pytest.approx(0.8, rel=0.06)  # what is left of the spheres there is in it
    assert found.curve.y == pytest.approx(sample.y - factor * MATRIX, rel=1e-3, abs=1e-4)
    own = float(found.message.split("± ")[1].split(" ")[0])
    expected = np.sqrt(0.01**2 + (factor * 0.002) ** 2 + (own * MATRIX) ** 2)
    assert found.curve.u == pytest.approx(expected, rel=0.05)
    assert found.curve.u[0] > 3 * 0.01  # where the blank is large, what is not known of its factor is most of u
    with pytest.raises(cs.InputError, match="no other curve is named"):
        Blank().apply(sample)
    with pytest.raises(cs.InputError, match="one point tells no factor"):
        Blank(donor="blank", by="matched at large q", low=1.99).passing(sample, others)
    far = Others(blank=curve(MATRIX, None, Q + 5))
    with pytest.raises(cs.InputError, match="does not reach"):
        Blank(donor="blank").passing(sample, far)
    short = Others(blank=blank.take(slice(20, None)))
    made = Blank(donor="blank").passing(sample, short)
    assert "20 points beyond its ends dropped" in made.message
    assert len(made.caught) == 20
    much = Blank(donor="blank", factor=5).passing(sample, others)
    assert "at or below 0" in much.message
    assert len(much.curve) == len(sample)  # and none of them is lost


def test_a_factor_that_is_found_holds_in_its_u():
    """Drawn 400 times: the scatter of the factor is its u, and about 95 % lie within twice that."""
    rng = np.random.default_rng(1)
    y, found = 0.5 + Q, []
    for _ in range(400):
        one, other = 1.7 * y + 0.05 * rng.normal(size=Q.size), y + 0.02 * rng.normal(size=Q.size)
        found.append(matched(one, 0.05 + 0 * Q, other, 0.02 + 0 * Q))
    factors, us, chi2 = (np.array(part) for part in zip(*found, strict=True))
    assert factors.std() == pytest.approx(us.mean(), rel=0.12)
    assert np.mean(np.abs(factors - 1.7) < 2 * us) > 0.92
    assert chi2.mean() == pytest.approx(1, abs=0.05)
    bare = matched(1.7 * y * (1 + 0.01 * rng.normal(size=Q.size)), None, y, None)
    assert bare[0] == pytest.approx(1.7, abs=0.01)
    assert bare[1] == pytest.approx(1.7 * 0.01 / Q.size**0.5, rel=0.2)
    with pytest.raises(cs.InputError, match="zero there"):
        matched(y, None, 0 * y, None)


def test_a_level_at_large_q():
    q = np.geomspace(0.02, 8, 300)
    sample = curve(spheres(q) + 0.12, 0.02 * (spheres(q) + 0.12), q)
    made = LevelAtLargeQ(low=3.0).passing(sample, Others())
    level = float((sample.y - made.curve.y)[0])
    assert level == pytest.approx(0.12, rel=2e-3)
    assert (made.curve.u > sample.u).all()
    flat = LevelAtLargeQ(by="the mean", low=6.0).passing(sample, Others())
    assert float((sample.y - flat.curve.y)[0]) == pytest.approx(sample.y[q >= 6].mean(), rel=1e-3)
    bare = LevelAtLargeQ(low=3.0).passing(curve(sample.y, None, q), Others())
    assert bare.curve.u is None
    assert LevelAtLargeQ.fitted_to(sample).low == pytest.approx(1.79, abs=0.01)
    with pytest.raises(cs.InputError, match="three are needed"):
        LevelAtLargeQ(low=7.9).passing(sample, Others())
    with pytest.raises(cs.InputError, match="no point lies"):
        LevelAtLargeQ(low=80).passing(sample, Others())


def test_bins_even_in_log_q_are_weighted_means():
    """A loop over the bins; u of the mean by the weights, or by the scatter in the bin."""
    rng = np.random.default_rng(2)
    q = np.sort(rng.uniform(0.02, 2, 2000))
    u = 0.01 + 0.02 * rng.random(q.size)
    y = 1 / q + u * rng.normal(size=q.size)
    made = LogBins(per_decade=10).passing(curve(y, u, q), Others()).curve
    place = np.floor(np.log10(q / q[0]) * 10)
    for k, bin_ in enumerate(np.unique(place)):
        inside = place == bin_
        weight = 1 / u[inside] ** 2
        assert made.y[k] == pytest.approx(weight @ y[inside] / weight.sum())
        assert made.x[k] == pytest.approx(weight @ q[inside] / weight.sum())
        assert made.u[k] == pytest.approx(weight.sum() ** -0.5)
    bare = LogBins(per_decade=3).passing(curve(y, None, q), Others()).curve
    inside = np.floor(np.log10(q / q[0]) * 3) == 0
    assert bare.u[0] == pytest.approx(y[inside].std(ddof=1) / inside.sum() ** 0.5)
    wrong = cs.Curve(np.array([-1.0, 0.0, 1.0, 2.0]), np.ones(4))
    told = LogBins().passing(wrong, Others())
    assert "2 points with q at or below 0 dropped" in told.message
    assert told.caught.points.tolist() == [0, 1]
    with pytest.raises(cs.InputError, match="above zero"):
        LogBins().apply(cs.Curve(np.array([-1.0, 0.0]), np.ones(2)))
    patched = cs.Curve(q, y, u, flags=np.where(np.arange(q.size) == 5, Flag.PATCHED, 0))
    assert (LogBins().passing(patched, Others()).curve.flags & Flag.PATCHED).sum() == 1


def test_two_ranges_become_one():
    rng = np.random.default_rng(3)
    low, high = np.geomspace(0.02, 0.5, 80), np.geomspace(0.2, 3, 90)
    first = spheres(low) * (1 + 0.01 * rng.normal(size=80))
    second = spheres(high) / 3.4 * (1 + 0.01 * rng.normal(size=90))
    small, large = curve(first, 0.01 * first, low), curve(second, 0.01 * second, high)
    made = Merge(donor="wide").passing(small, Others(wide=large))
    assert len(made.curve) == 170
    assert made.curve.is_sorted
    factor = float(made.message.split("× ")[1].split(" ±")[0])
    assert factor == pytest.approx(3.4, rel=0.01)
    assert "χ²" in made.message
    at = np.searchsorted(made.curve.x, high[-1])
    assert made.curve.y[at] == pytest.approx(second[-1] * factor, rel=1e-4)
    assert made.curve.u[at] > 0.01 * second[-1] * factor
    other_units = cs.Curve(high / 10, second, 0.01 * second, x_unit="1/Å", y_unit="1/cm")
    again = Merge(donor="wide").passing(small, Others(wide=other_units))
    assert again.curve.x == pytest.approx(made.curve.x)
    kept = Merge(donor="wide", overlap="this").passing(small, Others(wide=large)).curve
    assert len(kept) == 80 + int((high > low[-1]).sum())
    taken = Merge(donor="wide", overlap="the other").passing(small, Others(wide=large))
    assert len(taken.caught) == int((low >= high[0]).sum())
    by_hand = Merge(donor="wide", by="a factor", factor=2).passing(small, Others(wide=large)).curve
    assert by_hand.y[-1] == pytest.approx(2 * second[-1])
    bare = Merge(donor="wide").passing(small, Others(wide=curve(second, None, high)))
    assert bare.curve.u is None
    assert "only one of them has u" in bare.message
    apart = Others(wide=curve(second, None, high + 5))
    with pytest.raises(cs.InputError, match="two are needed"):
        Merge(donor="wide").passing(small, apart)


def test_q_follows_from_the_angle_and_the_wavelength():
    """q = 4π·sin θ/λ; silicon's 111 at 28.442° of Cu Kα1 has d = 0.31356 nm (SRM 640, from memory)."""
    angles = cs.Curve([10.0, 28.442, 90.0], [1.0, 2.0, 3.0], x_unit="deg")
    made = ScatteringVector(wavelength="Cu Kα1").apply(angles).curve
    assert 2 * np.pi / made.x[1] == pytest.approx(0.31356, rel=2e-5)
    assert (made.x_unit, made.x_label) == ("1/nm", "q")
    other = ScatteringVector(wavelength="0.15405929 nm", to="1/Å").apply(angles).curve
    assert other.x == pytest.approx(made.x / 10, rel=1e-6)
    assert ScatteringVector(to="1/Å").apply(made).curve.x == pytest.approx(made.x / 10)
    bare = cs.Curve(angles.x, angles.y)
    assert ScatteringVector(x_is="2θ in degrees", wavelength="Cu Kα1").apply(bare).curve.x == pytest.approx(made.x)
    assert ScatteringVector(x_is="q in 1/Å").apply(bare).curve.x == pytest.approx(10 * bare.x)
    with pytest.raises(cs.InputError, match="already"):
        ScatteringVector(x_is="q in 1/nm").apply(angles)
    with pytest.raises(cs.InputError, match="Give x its unit"):
        ScatteringVector().apply(bare)
    with pytest.raises(cs.InputError, match="beyond 180"):
        ScatteringVector().apply(cs.Curve([10.0, 400.0], [1.0, 1.0], x_unit="deg"))


def test_an_absolute_scale_divides_by_the_thickness():
    made = AbsoluteScale(thickness=0.2, factor=3.0).apply(curve(spheres(), 0.1 + 0 * Q, y_unit="counts")).curve
    assert made.y == pytest.approx(spheres() * 15)
    assert made.u == pytest.approx(1.5 + 0 * Q)
    assert made.y_unit == "1/cm"
    with pytest.raises(cs.InputError):
        AbsoluteScale().changed(thickness=0)
