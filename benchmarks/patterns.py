"""Three hundred generated patterns: how many of their peaks are found and fitted as they were made."""

from __future__ import annotations

import math
import os
from concurrent.futures import ProcessPoolExecutor
from contextlib import nullcontext
from dataclasses import dataclass

import numpy as np

from benchmarks.timing import Row, against, at_most
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.following import derived_quantity
from curvesieve.core.models import term_of
from curvesieve.core.peaks import Asked, find_peaks, fit_peaks

PROFILES = ("gaussian", "lorentzian", "pseudo-voigt", "voigt", "split-pseudo-voigt")
PATTERNS, PAIRS = 300, 100
_STEP, _FIRST = 0.02, 10.0
_MOST_POINTS = 7000
_ISOLATED = 4.0
"""Peaks with no other nearer than so many widths are isolated."""


def shape(slug: str, x: np.ndarray, center: float, height: float, fwhm: float) -> np.ndarray:
    """A peak, by formulas of its own: nothing of what is tested is used to make it."""
    z = 4 * ((x - center) / fwhm) ** 2
    if slug == "gaussian":
        return height * np.exp(-math.log(2) * z)
    if slug == "lorentzian":
        return height / (1 + z)
    if slug == "voigt":
        from scipy.special import voigt_profile

        both = 0.5346 + math.sqrt(0.2166 + 1)  # of equal widths
        s, g = fwhm / both / (2 * math.sqrt(2 * math.log(2))), fwhm / both / 2
        return height * voigt_profile(x - center, s, g) / voigt_profile(0, s, g)
    if slug == "split-pseudo-voigt":
        z = 4 * ((x - center) / np.where(x < center, 0.8 * fwhm, 1.2 * fwhm)) ** 2
    return height * (0.5 / (1 + z) + 0.5 * np.exp(-math.log(2) * z))


@dataclass(frozen=True)
class Pattern:
    """A made curve and the truth of its peaks: centers, widths in x, heights over the noise beside them."""

    profile: str
    curve: Curve
    centers: np.ndarray
    widths: np.ndarray
    ratios: np.ndarray
    counted: bool

    @property
    def isolated(self) -> np.ndarray:
        """Which peaks have no other near."""
        gaps = np.diff(self.centers)
        near = np.minimum(np.append(gaps, np.inf), np.insert(gaps, 0, np.inf))
        return near >= _ISOLATED * self.widths


def pattern(seed: int) -> Pattern:
    """From 2 to 30 peaks of one profile, 3 to 200 points wide, on a background that bends; normal noise, or counts."""
    rng = np.random.default_rng(seed)
    profile = PROFILES[seed % len(PROFILES)]
    width = float(np.exp(rng.uniform(math.log(3), math.log(200))))
    count = int(rng.integers(2, min(30, max(int(_MOST_POINTS / (4.5 * width)), 2)) + 1))
    places = 2 * width + np.cumsum(3 * width + rng.exponential(1.5 * width, count))
    n = int(max(400, places[-1] + 3 * width))
    at, t = np.arange(n), np.linspace(0, 1, n)
    widths = width * rng.uniform(0.7, 1.4, count)
    ratios = np.exp(rng.uniform(math.log(5), math.log(500), count))
    bends = (1 + 0.5 * t - 0.8 * t**2, np.exp(-3 * t), 0.3 + np.exp(-(((t - 0.4) / 0.35) ** 2)))
    counted = seed % 2 == 0
    ground = bends[seed % 3] * (rng.uniform(20, 2000) if counted else rng.uniform(1, 100))
    noise = np.sqrt(np.interp(places, at, ground)) if counted else np.ones(count)
    y = ground + sum(
        shape(profile, at, c, h, w) for c, h, w in zip(places, ratios * noise, widths, strict=True)
    )  # fmt: skip
    y = rng.poisson(np.maximum(y, 0)).astype(float) if counted else y + rng.normal(0, 1, n)
    curve = Curve(_FIRST + _STEP * at, y, x_unit="deg", y_unit="counts" if counted else "a.u.")
    return Pattern(profile, curve, _FIRST + _STEP * places, _STEP * widths, ratios, counted)


@dataclass
class Count:
    """What came of the patterns of one profile."""

    peaks: int = 0
    found: int = 0
    false: int = 0
    isolated: int = 0
    within: int = 0
    fits: int = 0
    converged: int = 0
    pairs: int = 0
    told_apart: int = 0


def matched(found: np.ndarray, centers: np.ndarray, widths: np.ndarray) -> list[int | None]:
    """For each true peak the found one that lies within half of its width, each taken once."""
    free, made = list(range(found.size)), []
    for center, width in zip(centers, widths, strict=True):
        near = min(free, key=lambda k: abs(found[k] - center), default=None)
        hit = near if near is not None and abs(found[near] - center) < 0.5 * width else None
        made.append(hit)
        if hit is not None:
            free.remove(hit)
    return made


def count_pattern(count: Count, seed: int) -> None:
    """Finds and fits the peaks of one pattern."""
    made = pattern(seed)
    found = np.array([one.center for one in find_peaks(made.curve).peaks if not one.doubt])
    hits = matched(found, made.centers, made.widths)
    count.peaks += made.centers.size
    count.found += sum(hit is not None for hit in hits)
    count.false += found.size - sum(hit is not None for hit in hits)
    try:
        fit = fit_peaks(made.curve, Asked(profile=made.profile))
    except InputError:
        return
    count.fits += 1
    count.converged += fit.result.converged
    places = np.array([fit.result.parameters[p.full_name("center")].value for p in fit.model.lines])
    for k, hit in enumerate(matched(places, made.centers, made.widths)):
        if hit is None or not made.isolated[k]:
            continue
        placed = fit.model.lines[hit]
        center = fit.result.parameters[placed.full_name("center")]
        derived = next((d for d in placed.term.derived if d.name == "fwhm"), None)
        if derived is None:
            width = fit.result.parameters[placed.full_name("fwhm")]
            value, u = width.value, width.u
        else:
            value, u = derived_quantity(fit.result, derived, placed.full_name)
        near = center.u is not None and abs(center.value - made.centers[k]) <= 3 * center.u
        count.isolated += 1
        count.within += bool(near and u is not None and abs(value - made.widths[k]) <= 3 * u)


def count_pair(count: Count, seed: int) -> None:
    """Two peaks 0.7 of their width apart, the higher 50 times the noise: are both found by the fit?"""
    rng = np.random.default_rng(10_000 + seed)
    profile = PROFILES[seed % len(PROFILES)]
    width = float(np.exp(rng.uniform(math.log(6), math.log(200))))
    n = int(max(300, 16 * width))
    at = np.arange(n, dtype=float)
    middle = n / 2 + rng.uniform(-width, width)
    centers = middle + width * np.array([-0.35, 0.35])
    heights = 50 * np.array([1.0, rng.uniform(0.6, 1.0)])
    y = 20 + 5 * np.sin(2 * at / n) + rng.normal(0, 1, n)
    y = y + sum(shape(profile, at, c, h, width) for c, h in zip(centers, heights, strict=True))
    count.pairs += 1
    try:
        fit = fit_peaks(Curve(at, y), Asked(profile=profile))
    except InputError:
        return
    places = np.array([fit.result.parameters[p.full_name("center")].value for p in fit.model.lines])
    count.told_apart += all(hit is not None for hit in matched(places, centers, np.full(2, 0.7 * width)))


def _one(what: tuple[str, int]) -> Count:
    kind, seed = what
    made = Count()
    (count_pattern if kind == "pattern" else count_pair)(made, seed)
    return made


def counts(patterns: int = PATTERNS, pairs: int = PAIRS, workers: int = 1) -> dict[str, Count]:
    """What came of all, by profile; on several cores where there are several workers."""
    jobs = [*(("pattern", seed) for seed in range(patterns)), *(("pair", seed) for seed in range(pairs))]
    made = {profile: Count() for profile in PROFILES}
    with ProcessPoolExecutor(workers) if workers > 1 else nullcontext() as pool:
        results = map(_one, jobs) if pool is None else pool.map(_one, jobs, chunksize=4)
        for (_, seed), one in zip(jobs, results, strict=True):
            total = made[PROFILES[seed % len(PROFILES)]]
            for name, value in vars(one).items():
                setattr(total, name, getattr(total, name) + value)
    return made


def rows() -> list[Row]:
    """Finding on 100,000 points with noise against SciPy's maxima with their prominences."""
    from scipy.signal import find_peaks as maxima

    rng = np.random.default_rng(1)
    at = np.arange(100_000, dtype=float)
    y = rng.normal(0, 1, at.size) + 1000 * np.exp(-at / 40_000)
    for center in np.linspace(500, 99_500, 60):
        width = float(rng.uniform(3, 200))
        near = slice(max(int(center - 4 * width), 0), int(center + 4 * width))
        y[near] += shape("gaussian", at[near], center, float(rng.uniform(10, 200)), width)
    curve = Curve(at, y)
    found = find_peaks(curve).peaks
    assert abs(len(found) - 60) <= 2, len(found)
    pair = against(lambda: find_peaks(curve), lambda: maxima(y, prominence=5.0), 7, 1)
    return [at_most("find peaks, 100,000 points", "scipy.signal.find_peaks with prominences", pair, 2)]


def _share(part: int, whole: int) -> str:
    return f"{part} of {whole} ({100 * part / whole:.1f} %)" if whole else "–"


def lines() -> list[str]:
    """A table in Markdown: a row a claim, a column a profile, and all."""
    made = counts(workers=os.cpu_count() or 1)
    total = Count(**{name: sum(getattr(one, name) for one in made.values()) for name in vars(Count())})
    columns = {**{term_of(slug).label: one for slug, one in made.items()}, "all": total}
    rows = {
        "peaks of 5σ and more, found (goal ≥ 97 %)": lambda c: _share(c.found, c.peaks),
        "false ones beside them (goal ≤ 3 %)": lambda c: _share(c.false, c.peaks),
        "fits that converged": lambda c: _share(c.converged, c.fits),
        "isolated: center and FWHM within 3u (goal ≥ 98 %)": lambda c: _share(c.within, c.isolated),
        "pairs 0.7 FWHM apart told apart (goal ≥ 80 %)": lambda c: _share(c.told_apart, c.pairs),
    }
    head = [
        f"## {PATTERNS} generated patterns", "",
        "From 2 to 30 peaks of one profile, 3 to 200 points wide, 5 to 500 times the noise, on backgrounds that bend; "
        "counts, or normal noise. Found without a model, then fitted with the profile that they were made of and the "
        f"background that suits best, with no start given. Isolated is what has no other within {_ISOLATED:g} widths. "
        f"The {PAIRS} pairs are 6 to 200 points wide, the higher peak 50 times the noise, the other 0.6 to 1 of it.",
        "", f"| | {' | '.join(columns)} |", "|---|" + "---|" * len(columns),
    ]  # fmt: skip
    return [
        *head,
        *(f"| {said} | {' | '.join(cell(one) for one in columns.values())} |" for said, cell in rows.items()),
        "",
    ]


if __name__ == "__main__":
    print("\n".join(lines()))
