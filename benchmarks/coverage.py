"""How often 95 % intervals hold the truth: 6,000 simulated fits for each of six terms, by covariance and Student's t.

The profile intervals of a hundred of them are counted as well, and those of six situations in which the data say
little: 10 to 15 points, 400 data sets each. Run by `make coverage`; it rewrites docs/coverage.md.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

from benchmarks import coverage_families
from curvesieve.core.fitting import fit
from curvesieve.core.fitting.prediction import coverage as factor
from curvesieve.core.fitting.problem import state_problem
from curvesieve.core.fitting.profile import profile_intervals
from curvesieve.core.fitting.request import Request
from curvesieve.core.formula import evaluate
from curvesieve.core.models import TERMS, formula_sum

TABLE = Path(__file__).parents[1] / "docs" / "coverage.md"
RUNS, SEED = 6000, 31
CASES = {
    "gaussian": ({"center": 5.0, "height": 10.0, "fwhm": 2.0}, np.linspace(0, 10, 80), 0.4),
    "lorentzian": ({"center": 5.0, "height": 10.0, "fwhm": 2.0}, np.linspace(0, 10, 80), 0.4),
    "exponential": ({"offset": 1.0, "amplitude": 8.0, "tau": 2.0}, np.linspace(0, 10, 60), 0.3),
    "stretched-exponential": (
        {"offset": 1.0, "amplitude": 8.0, "tau": 1.5, "stretching": 0.8}, np.geomspace(0.02, 30, 90), 0.1,
    ),
    "langmuir": ({"capacity": 6.0, "affinity": 0.8}, np.linspace(0.1, 12, 50), 0.15),
    "logistic": ({"lower": 0.5, "upper": 7.0, "rate": 1.4, "middle": 5.0}, np.linspace(0, 10, 70), 0.25),
}  # fmt: skip
_EVERY = 60
HARD_RUNS, HARD_SEED = 400, 5
HARD = {
    "two exponentials, 15 points": (
        "a*exp(-k*x) + b*exp(-m*x)", {"a": 6.0, "k": 2.0, "b": 4.0, "m": 0.4}, np.linspace(0, 6, 15), 0.3, False,
    ),
    "Hill law, 10 points, known u": (
        "top*x^n/(c^n + x^n)", {"top": 10.0, "n": 1.5, "c": 4.0}, np.geomspace(0.3, 12, 10), 0.5, True,
    ),
    "logistic, 12 points, one plateau short": (
        "lo + (up - lo)/(1 + exp(-r*(x - m)))", {"lo": 0.5, "up": 7.0, "r": 1.2, "m": 5.0}, np.linspace(1, 8, 12), 0.5,
        False,
    ),
    "broad Gaussian on a level, 13 points": (
        "h*exp(-4*log(2)*((x - c)/w)^2) + o", {"h": 6.0, "c": 5.0, "w": 3.5, "o": 1.0}, np.linspace(1.5, 8.5, 13), 0.6,
        False,
    ),
    "stretched exponential, 14 points": (
        "a*exp(-(x/t)^s) + o", {"a": 8.0, "t": 1.5, "s": 0.7, "o": 1.0}, np.geomspace(0.05, 10, 14), 0.25, False,
    ),
    "saturation not reached, 10 points, known u": (
        "v*x/(c + x)", {"v": 8.0, "c": 6.0}, np.linspace(0.8, 6, 10), 0.3, True,
    ),
}  # fmt: skip


def counted(slug: str) -> tuple[dict[str, float], dict[str, float], int]:
    """Shares of intervals that hold the truth by parameter: by covariance, by profile; and fits that failed."""
    truth, x, noise = CASES[slug]
    term = TERMS[slug]
    clean = evaluate(term.parsed, {"x": x, **truth})
    rng = np.random.default_rng(SEED)
    held, profiled, profiles, failed = dict.fromkeys(truth, 0), dict.fromkeys(truth, 0), 0, 0
    for run in range(RUNS):
        y = clean + rng.normal(0, noise, x.size)
        result = fit(slug, x, y, start=truth)
        if not result.converged or result.covariance is None:
            failed += 1
            continue
        k = factor(result, 0.95)
        for name, value in truth.items():
            p = result.parameters[name]
            held[name] += abs(p.value - value) <= k * (p.u or 0.0)
        if run % _EVERY == 0:
            profiles += 1
            problem = state_problem(formula_sum(term.formula), x, y, None, Request(truth))
            for interval in profile_intervals(problem, result):
                profiled[interval.name] += interval.low <= truth[interval.name] <= interval.high
    done = RUNS - failed
    return ({n: c / done for n, c in held.items()}, {n: c / profiles for n, c in profiled.items()}, failed)


def hard_counted(case: str, runs: int = HARD_RUNS) -> tuple[dict[str, float], int, int]:
    """Shares of profile intervals that hold the truth by parameter; how many had an open end; how many were refused."""
    text, truth, x, noise, known = HARD[case]
    law = formula_sum(text)
    clean = law.evaluate(x, [truth[name] for name in law.names])
    u = np.full(x.size, noise) if known else None
    rng = np.random.default_rng(HARD_SEED)
    held, opened, refused = dict.fromkeys(truth, 0), 0, 0
    for _ in range(runs):
        y = clean + rng.normal(0, noise, x.size)
        try:
            result = fit(text, x, y, u, start=truth, scaled=not known)
            found = profile_intervals(state_problem(law, x, y, u, Request(truth)), result)
        except ValueError:
            refused += 1
            continue
        for interval in found:
            held[interval.name] += interval.low <= truth[interval.name] <= interval.high
            opened += not np.isfinite([interval.low, interval.high]).all()
    return {n: c / max(runs - refused, 1) for n, c in held.items()}, opened, refused


def hard_lines() -> list[str]:
    """The second table, and what it says."""
    lines = [
        "",
        "## Where the data say little",
        "",
        f"Profile intervals of {HARD_RUNS} data sets a situation, seed {HARD_SEED}; an end that the data do not limit",
        "is open. Chance alone spreads a share by ± 1.1 % (one standard deviation).",
        "",
        "| situation | by parameter | mean | open | refused | wanted | met |",
        "|---|---|---|---|---|---|---|",
    ]
    for case in HARD:
        shares, opened, refused = hard_counted(case)
        mean = float(np.mean(list(shares.values())))
        each = ", ".join(f"{name} {100 * share:.1f}" for name, share in shares.items())
        met = "yes" if all(0.93 <= share <= 0.97 for share in shares.values()) else "**not all**"
        lines.append(f"| {case} | {each} % | {100 * mean:.1f} % | {opened} | {refused} | 93 to 97 % | {met} |")
    return lines


def main() -> int:
    lines = [
        "# Do the intervals hold the truth?",
        "",
        f"Written by `make coverage`. {RUNS:,} simulated fits a term, seed {SEED}; share of 95 % intervals that hold",
        "the true value, by value ± t·u, and by the profile of a hundred of the fits (± 2 % is chance).",
        "Chance alone spreads the first by ± 0.3 % (one standard deviation; of 2,000 fits it would be ± 0.5 %).",
        "",
        "| term | parameter | by u | by profile | wanted | met |",
        "|---|---|---|---|---|---|",
    ]
    for slug in CASES:
        shares, profiled, failed = counted(slug)
        for name, share in shares.items():
            met = "yes" if 0.94 <= share <= 0.96 else "**no**"
            lines.append(
                f"| {slug} | {name} | {100 * share:.1f} % | {100 * profiled[name]:.0f} % | 94 to 96 % | {met} |"
            )
        if failed:
            lines.append(f"| {slug} | {failed} fits did not converge | | | | |")
    lines += hard_lines()
    lines += coverage_families.lines()
    TABLE.write_text("\n".join(lines) + "\n", encoding="utf-8")
    print("\n".join(lines))
    return 0


if __name__ == "__main__":
    sys.exit(main())
