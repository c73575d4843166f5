"""Narrow peaks among many points are found without a start: a sample of twenty each, all of which are found."""

import numpy as np
import pytest

import curvesieve as cs


@pytest.mark.parametrize(("points", "fwhm", "seeds"), [(2000, 3, range(5)), (20_000, 8, (0,))])
def test_two_narrow_peaks_are_found_among_many_points(points, fwhm, seeds):
    for seed in seeds:
        rng = np.random.default_rng(seed)
        at = np.arange(points)
        first, second = np.sort(rng.uniform(0.1, 0.9, 2)) * points
        centers = (first, max(second, first + 6 * fwhm))
        y = 5 + rng.normal(size=points)
        for center, height in zip(centers, rng.uniform(8, 40, 2), strict=True):
            y = y + height * np.exp(-(((at - center) / (fwhm / 2.3548)) ** 2) / 2)
        found = cs.fit("h1*exp(-((x-c1)/w1)^2) + h2*exp(-((x-c2)/w2)^2) + o", at * 0.01, y)
        places = np.sort([found.parameters[name].value for name in ("c1", "c2")]) / 0.01
        assert np.abs(places - centers).max() < fwhm
