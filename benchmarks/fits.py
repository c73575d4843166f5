"""One Gaussian on a line, 1,000 points: ours, with statistics, against curve_fit and lmfit."""

from __future__ import annotations

import math

import numpy as np

from benchmarks.timing import Row, against, at_most, times_faster

K = 4 * math.log(2)


def shape(x, height, center, fwhm, offset, slope):
    return height * np.exp(-K * ((x - center) / fwhm) ** 2) + offset + slope * x


def jacobian(x, height, center, fwhm, offset, slope):
    z = (x - center) / fwhm
    bell = np.exp(-K * z**2)
    by_center = height * bell * 2 * K * z / fwhm
    return np.column_stack([bell, by_center, by_center * z, np.ones_like(x), x])


def rows() -> list[Row]:
    import lmfit
    from scipy.optimize import curve_fit

    from curvesieve.core.fitting import fit

    rng = np.random.default_rng(2)
    x = np.linspace(0, 10, 1000)
    y = shape(x, 40, 4.2, 1.7, 3, 0.4) + rng.normal(0, 0.5, x.size)
    start = {"height": 30.0, "center": 4.0, "fwhm": 2.0, "offset": 0.0, "slope": 0.0}
    formula = "height*exp(-4*log(2)*((x - center)/fwhm)^2) + offset + slope*x"
    p0 = list(start.values())
    model = lmfit.Model(shape)

    def ours():
        return fit(formula, x, y, start=start)

    def bare():
        return curve_fit(shape, x, y, p0=p0, jac=jacobian)

    def theirs():
        return model.fit(y, x=x, **start)

    found, known = [p.value for p in ours().parameters.values()], bare()[0]
    np.testing.assert_allclose(found, known, rtol=1e-5)
    what = "fit: Gaussian + line, 1,000 points, statistics included"
    return [
        at_most(what, "scipy.optimize.curve_fit, exact Jacobian", against(ours, bare, 80, 5), 1.5),
        times_faster(what, "lmfit", against(ours, theirs, 40, 5), 6),
    ]
