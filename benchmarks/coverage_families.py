"""How often 95 % intervals of a law in the condition hold the truth: by a joint fit, and by fits one by one and a law
through what they gave."""

from __future__ import annotations

import math

import numpy as np

import curvesieve as cs
from curvesieve.core.fitting.prediction import coverage as factor
from curvesieve.core.fitting.result import FittedParameter

RUNS, SEED = 2000, 17
TEMPERATURES = (300.0, 320.0, 340.0, 360.0, 380.0)
ENERGY, RATE, MIDDLE = 4000.0, 1.5, 340
NOISE, POINTS = 0.05, 60
LAW = f"rate*exp(-T_a*(1/c - 1/{MIDDLE}))"


def _family(rng: np.random.Generator) -> list[cs.Curve]:
    """Decays of one amplitude and level whose rates follow Arrhenius."""
    x = np.linspace(0, 3, POINTS)
    rates = [RATE * math.exp(-ENERGY * (1 / t - 1 / MIDDLE)) for t in TEMPERATURES]
    return [cs.Curve(x, 2 * np.exp(-k * x) + 0.5 + rng.normal(0, NOISE, x.size)) for k in rates]


def counted(runs: int = RUNS) -> tuple[dict[str, list[float]], dict[str, list[float]]]:
    """For the rate and T_a: whether each interval held the truth, by the joint fit and in two stages, and its value.

    Each list is [share that held, standard deviation of the values].
    """
    from scipy.special import stdtrit

    truth = {"rate": RATE, "T_a": ENERGY}
    rng = np.random.default_rng(SEED)
    joint: dict[str, list[tuple[bool, float]]] = {name: [] for name in truth}
    staged: dict[str, list[tuple[bool, float]]] = {name: [] for name in truth}
    start = {"a": 2.0, "b": 0.5, "k": RATE}
    for _ in range(runs):
        curves = _family(rng)
        one = cs.fit_family(
            "a*exp(-k*x) + b", curves, TEMPERATURES, shared=("a", "b"), by_condition={"k": LAW}, start=start
        )
        t = float(stdtrit(one.statistics.dof, 0.975))
        alone = [cs.fit("a*exp(-k*x) + b", c.x, c.y, start=start).parameters["k"] for c in curves]
        law = cs.fit(
            LAW, TEMPERATURES, [p.value for p in alone], [p.u or 1.0 for p in alone], start=truth, variable="c"
        )
        for name, true in truth.items():
            joint[name].append(_held(one.laws["k"][name], true, t))
            staged[name].append(_held(law.parameters[name], true, factor(law, 0.95)))
    return _shares(joint), _shares(staged)


def _held(found: FittedParameter, true: float, k: float) -> tuple[bool, float]:
    return abs(found.value - true) <= k * (found.u or 0.0), found.value


def _shares(found: dict[str, list[tuple[bool, float]]]) -> dict[str, list[float]]:
    return {
        name: [float(np.mean([held for held, _ in each])), float(np.std([value for _, value in each], ddof=1))]
        for name, each in found.items()
    }


def lines() -> list[str]:
    """The table, and what it says."""
    joint, staged = counted()
    rows = []
    for name in joint:
        (by_joint, sd), (by_two, sd_two) = joint[name], staged[name]
        met = "yes" if 0.94 <= by_joint <= 0.96 else "**no**"
        rows.append(
            f"| {name} | {100 * by_joint:.1f} % | {100 * by_two:.1f} % | {sd_two / sd:.2f} | 94 to 96 % | {met} |"
        )
    return [
        "",
        "## A law in the condition",
        "",
        f"Five decays at {TEMPERATURES[0]:g} to {TEMPERATURES[-1]:g} K, amplitude and level one for all, rates by",
        f"Arrhenius: {RUNS:,} families, seed {SEED}. The joint fit, against each curve fitted by itself and the law",
        "through their rates, weighted by u.",
        "Chance alone spreads a share by ± 0.5 % (one standard deviation).",
        "",
        "| parameter | joint | in two stages | s. d. of two stages over joint | wanted of joint | met |",
        "|---|---|---|---|---|---|",
        *rows,
    ]  # fmt: skip
