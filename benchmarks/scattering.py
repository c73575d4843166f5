"""Scattering: spheres of many sizes, rods in all directions, inversions; and 300 generated curves of known truth."""

from __future__ import annotations

import time

import numpy as np
from scipy.special import gammaln

import curvesieve as cs
from benchmarks.timing import Row, against, at_most, times_faster
from benchmarks.tracing import _median_ms
from curvesieve.core.inversion import pair_distances, sphere_sizes
from curvesieve.core.models import term_of, term_sum
from curvesieve.core.models.integrals import averages

Q = np.geomspace(0.01, 3, 500)
TRUE = {"forward": 40.0, "radius": 8.0, "spread": 0.12, "background": 0.02}
START = {"forward": 50.0, "radius": 7.5, "spread": 0.15, "background": 0.01}
_SIZES, _CURVES = 80, 300


def bare(q: np.ndarray, forward: float, radius: float, spread: float, background: float) -> np.ndarray:
    """The same intensity as an experienced user writes it in NumPy: a sum over 80 sizes."""
    shape, scale = 1 / spread**2, radius * spread**2
    r = np.linspace(max(radius * (1 - 5 * spread), 1e-3), radius * (1 + 7 * spread), _SIZES)
    z = q[:, None] * r
    amplitude = 3 * (np.sin(z) - z * np.cos(z)) / z**3
    weight = np.exp((shape - 1) * np.log(r / scale) - r / scale - gammaln(shape)) * r**6
    return np.asarray(forward * (amplitude**2 @ weight) / weight.sum() + background)


def _curve(seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    summed = term_sum(term_of("sphere~schulz"))
    true = summed.evaluate(Q, [TRUE[name] for name in summed.names])
    u = 0.02 * true
    return true + u * np.random.default_rng(seed).normal(size=Q.size), u


def rows() -> list[Row]:
    """The rows of the table."""
    import lmfit

    summed = term_sum(term_of("sphere~schulz"))
    p = np.array([TRUE[name] for name in summed.names])
    value, jacobian = np.empty(Q.size), np.empty((p.size, Q.size))
    y, u = _curve()

    def afresh() -> None:
        averages.forget()
        summed.both([Q], p, value, jacobian)

    def fit_afresh() -> None:
        averages.forget()
        cs.fit("sphere~schulz", Q, y, u, start=START)

    model = lmfit.Model(bare, independent_vars=["q"])

    def fit_lmfit() -> None:
        model.fit(y, q=Q, weights=1 / u, **START)

    rod = term_sum(term_of("cylinder~schulz"))
    told = {"forward": 40.0, "radius": 2.0, "length": 40.0, "spread": 0.15, "background": 0.01}
    q = np.geomspace(0.02, 3, 300)
    rods = rod.evaluate(q, [told[name] for name in rod.names])
    noisy = rods * (1 + 0.02 * np.random.default_rng(2).normal(size=q.size))

    def fit_rods() -> None:
        averages.forget()
        cs.fit("cylinder~schulz", q, noisy, 0.02 * rods)

    few = np.geomspace(0.02, 3, 200)
    spheres = summed.evaluate(few, p.tolist())

    def sizes() -> None:
        sphere_sizes(few, spheres, 0.02 * spheres, np.linspace(1, 25, 100))

    def distances() -> None:
        pair_distances(few, spheres, 0.02 * spheres)

    def fit_again() -> None:
        cs.fit("sphere~schulz", Q, y, u, start=START)

    lmfit_value, numpy_value = "lmfit driving the NumPy value", "the bare NumPy value"
    return [
        at_most(f"spheres of {_SIZES} sizes, 500 q: value and all slopes", numpy_value,
                against(afresh, lambda: bare(Q, **TRUE)), 4.0),
        times_faster("fit of spheres of many sizes, 500 q, nothing kept from before", lmfit_value,
                     against(fit_afresh, fit_lmfit, 7), 6.0),
        times_faster("the same fit again", lmfit_value, against(fit_again, fit_lmfit, 7), 6.0),
        at_most("fit of rods of many radii in all directions, 300 q, starts found", "2 s",
                (_median_ms(fit_rods, 3), 2000.0), 1.0),
        at_most("200 q to 100 sizes with its smoothing", "1 s", (_median_ms(sizes, 5), 1000.0), 1.0),
        at_most("pair distances of 200 q with Dmax", "1 s", (_median_ms(distances, 5), 1000.0), 1.0),
    ]  # fmt: skip


def lines() -> list[str]:
    """How often what is told of 300 generated curves holds within twice its u."""
    summed = term_sum(term_of("sphere~schulz"))
    rng = np.random.default_rng(7)
    held: dict[str, list[bool]] = {"Guinier Rg": [], "radius": [], "spread": [], "Rg of p(r)": []}
    began = time.perf_counter()
    for _ in range(_CURVES):
        radius, spread = np.exp(rng.uniform(np.log(2), np.log(15))), rng.uniform(0.05, 0.3)
        forward = 10 ** rng.uniform(0, 3)
        level = forward * 10 ** rng.uniform(-5, -3)
        q = np.geomspace(0.1 / radius, 20 / radius, int(rng.integers(80, 250)))
        known = {"forward": forward, "radius": radius, "spread": spread, "background": level}
        true = summed.evaluate(q, [known[name] for name in summed.names])
        exposure = 10 ** rng.uniform(3.3, 5) / forward * q / q[0]
        counts = rng.poisson(true * exposure)
        y, u = counts / exposure, np.sqrt(np.maximum(counts, 1)) / exposure
        rg = radius * np.sqrt(0.6 * (1 + 6 * spread**2) * (1 + 7 * spread**2))
        found = cs.measure("guinier", cs.Curve(q, y, u))[0]
        held["Guinier Rg"].append(abs(found.value - rg) < 2 * (found.u or 0))
        fit = cs.fit("sphere~schulz", q, y, u).parameters
        for name in ("radius", "spread"):
            held[name].append(abs(fit[name].value - known[name]) < 2 * (fit[name].u or 0))
        apart = pair_distances(q, y - level, u).rg  # the level is known here: p(r) has none of its own
        held["Rg of p(r)"].append(abs(apart[0] - rg) < 2 * apart[1])
    shares = " | ".join(f"{np.mean(one):.1%}" for one in held.values())
    return [
        "", f"## {_CURVES} generated curves of scattering", "",
        "Spheres of a gamma density (radius 2 to 15, spread 0.05 to 0.3) over a level, counts of 2,000 to 100,000 "
        f"at the top, seed 7; within 2 u of the truth (goal ≥ 95 %; {time.perf_counter() - began:.0f} s in all).", "",
        "| " + " | ".join(held) + " |", "|" + "---|" * len(held), f"| {shares} |", "",
    ]  # fmt: skip
