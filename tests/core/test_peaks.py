"""Peaks found, counted, fitted in one go; splines as backgrounds; fits of many parameters inside bounds."""

from __future__ import annotations

import json
import math
from types import SimpleNamespace

import mpmath as mp
import numpy as np
import pytest
from benchmarks import patterns
from scipy.interpolate import make_lsq_spline
from scipy.optimize import least_squares, lsq_linear

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import fit, fit_model
from curvesieve.core.fitting.inside import _step
from curvesieve.core.formula import compile_formula
from curvesieve.core.models import TERMS, Model
from curvesieve.core.peaks import Asked, find_peaks, fit_peaks
from curvesieve.core.peaks.growing import best_of, how_many
from curvesieve.core.peaks.making import placed_peak, with_found
from curvesieve.core.peaks.noise import are_counts, noise_of
from curvesieve.core.peaks.scales import response_to_gaussian, responses
from curvesieve.core.peaks.together import _pruned as pruned
from tests.core.strd import STRD, certified

LN = 4 * math.log(2)


def gaussian(x, center, height, fwhm):
    return height * np.exp(-LN * ((x - center) / fwhm) ** 2)


def noisy(y, x, sigma=1.0, seed=0, **units) -> cs.Curve:
    return cs.Curve(x, y + np.random.default_rng(seed).normal(0, sigma, x.size), **units)


X = np.arange(0.0, 100.0, 0.1)


@pytest.mark.parametrize("name", ["Gauss1", "Gauss2", "Gauss3"])
def test_nist_gaussians_from_found_peaks_with_no_start(name):
    one, curve = certified(name), cs.read(STRD / f"{name}.dat").curve("x", "y")
    found = find_peaks(curve)
    assert len(found.peaks) == 2
    model = Model().with_background("exponential-background", curve)
    ground = model.background.with_starts({"offset": 0.0}).with_state("offset", hold=True)
    model = with_found(model.replaced(ground), curve, found.peaks, "gaussian")
    result = fit_model(model, curve)
    assert result.converged
    values, sd = list(one.value.values()), list(one.sd.values())
    wanted = {"amplitude": values[0], "length": 1 / values[1]}
    for k, at in ((1, 2), (2, 5)):
        wanted |= {f"height_{k}": values[at], f"center_{k}": values[at + 1]}
        wanted[f"fwhm_{k}"] = 2 * math.sqrt(math.log(2)) * values[at + 2]
        assert result.parameters[f"center_{k}"].u == pytest.approx(sd[at + 1], rel=1e-6)
    for full, value in wanted.items():
        assert result.parameters[full].value == pytest.approx(value, rel=1e-7), full


def test_eckerle4_from_its_found_peak():
    one, curve = certified("Eckerle4"), cs.read(STRD / "Eckerle4.dat").curve("x", "y")
    found = find_peaks(curve)
    assert len(found.peaks) == 1
    result = fit_model(with_found(Model(), curve, found.peaks, "gaussian"), curve)
    assert result.parameters["center_1"].value == pytest.approx(one.value["b3"], rel=1e-8)
    assert result.parameters["fwhm_1"].value == pytest.approx(
        2 * math.sqrt(2 * math.log(2)) * one.value["b2"], rel=1e-7
    )


@pytest.mark.parametrize("scale", [1e-12, 1.0, 1e12])
@pytest.mark.parametrize("stretch", [1e-12, 1.0, 1e12])
def test_finding_knows_no_units(scale, stretch):
    places = (20.0, 45.0, 47.0, 80.0)
    y = 5 + 0.1 * X + sum(gaussian(X, c, 40, 1.2) for c in places)
    curve = noisy(y, X)
    plain = find_peaks(curve).peaks
    assert [one.center for one in plain] == pytest.approx(places, abs=0.2)
    assert [one.fwhm for one in plain] == pytest.approx([1.2] * 4, rel=0.4)
    assert [plain[k].height for k in (0, 3)] == pytest.approx([40] * 2, rel=0.2)
    turned = find_peaks(cs.Curve(curve.x * stretch, curve.y * scale)).peaks
    assert [one.center for one in turned] == pytest.approx([one.center * stretch for one in plain], rel=1e-9)
    assert [one.height for one in turned] == pytest.approx([one.height * scale for one in plain], rel=1e-9)
    assert [one.significance for one in turned] == pytest.approx([one.significance for one in plain], rel=1e-9)


def test_shoulders_dips_and_order():
    shoulder = noisy(gaussian(X, 50, 100, 4) + gaussian(X, 53.4, 35, 3), X, 0.3)
    two = find_peaks(shoulder).peaks
    assert [one.center for one in two] == pytest.approx([50, 53.4], abs=0.7)
    assert [one.shoulder for one in two] == [False, True]
    dips = find_peaks(noisy(50 - gaussian(X, 30, 20, 3), X, 0.5), dips=True).peaks
    assert [(round(one.center), one.height < 0) for one in dips] == [(30, True)]
    assert not find_peaks(noisy(50 - gaussian(X, 30, 20, 3), X, 0.5)).peaks
    backwards = cs.Curve(shoulder.x[::-1], shoulder.y[::-1])
    assert find_peaks(backwards).peaks == two


def test_what_is_odd_is_told():
    flat = find_peaks(cs.Curve(X, np.full(X.size, 3.0)))
    assert flat.peaks == ()
    assert "the same y, 3" in flat.notes[0]
    clipped = find_peaks(noisy(np.minimum(noisy(gaussian(X, 50, 900, 5), X).y, 700.0), X, 0.0))
    assert "all have y = 700: a detector that was full?" in clipped.notes[0]
    assert len(clipped.peaks) == 1
    spiked = noisy(gaussian(X, 50, 60, 5), X).y.copy()
    spiked[200] += 80
    spike, real = find_peaks(cs.Curve(X, spiked)).peaks
    assert spike.doubt == "narrower than two points, as a spike is"
    assert not real.doubt
    edge = find_peaks(noisy(gaussian(X, 1.0, 60, 5), X)).peaks
    assert edge[0].doubt.startswith("at the edge")
    for curve, asked, said in (
        (cs.Curve(X[:5], X[:5]), {}, "12 are needed"),
        (noisy(X, X), {"least": -1}, "zero or more"),
        (noisy(X, X), {"widest": 0.0}, "wider than nothing"),
    ):
        with pytest.raises(InputError, match=said):
            find_peaks(curve, **asked)


def test_points_that_share_an_x_are_told_and_a_shirley_ground_refuses_what_it_cannot_carry():
    curve = noisy(gaussian(X, 50, 60, 5), X)
    twice = cs.Curve(np.concatenate([X, X]), np.concatenate([curve.y, curve.y]))
    found = find_peaks(twice)
    assert found.notes[0].startswith("1,000 points with an x that stands before")
    assert [one.center for one in found.peaks] == [one.center for one in find_peaks(curve).peaks]
    assert fit_peaks(twice, Asked(profile="gaussian")).result.converged
    shirley = Model().with_background("shirley", curve)
    with pytest.raises(InputError, match="A Shirley background follows"):
        with_found(shirley, curve, found.peaks, "voigt")
    assert len(with_found(shirley, curve, found.peaks, "gaussian").peaks) == 1


def test_noise_alone_has_no_peaks_and_many_candidates_are_cut():
    found = [len(find_peaks(noisy(np.zeros(4000), np.arange(4000.0), seed=seed), 0.0).peaks) for seed in range(40)]
    assert sum(found) <= 4  # at five standard deviations, of 160,000 points
    teeth = noisy(np.where(np.arange(6000) % 12 < 3, 40.0, 0.0), np.arange(6000.0))
    many = find_peaks(teeth)
    assert len(many.peaks) == 200
    assert "the 200 most significant are told" in many.notes[0]


def test_counts_are_known_and_their_noise_rises_with_the_level():
    rng = np.random.default_rng(3)
    level = 40 + gaussian(X, 50, 4000, 12)
    counts = rng.poisson(level).astype(float)
    assert are_counts(X, counts)
    assert not are_counts(X, counts / 7)
    assert not are_counts(X, np.rint(counts + rng.normal(0, 60, X.size)).clip(0))
    noise = noise_of(X, counts)
    assert np.median(noise / np.sqrt(level + 1)) == pytest.approx(1, abs=0.03)
    white = noise_of(X, rng.normal(5, 0.3, X.size))
    assert np.median(white) == pytest.approx(0.3, rel=0.1)
    assert find_peaks(cs.Curve(X, counts)).peaks[0].noise == pytest.approx(math.sqrt(4041), rel=0.1)
    assert len(find_peaks(cs.Curve(X, counts)).peaks) == 1


def test_responses_are_in_standard_deviations_of_the_noise():
    rng = np.random.default_rng(5)
    y = rng.normal(0, 1, 60_000)
    for one in responses(y, np.ones(y.size), 100):
        assert one.value[10:-10].std() == pytest.approx(1, rel=0.12)
    at = np.arange(4001.0)
    for width in (6.0, 20.0, 60.0):
        clean = gaussian(at, 1984, 1.0, width)  # seen at every width: a multiple of 64
        for one in responses(clean, np.ones(at.size), 100):
            if 6 <= one.fwhm <= 4 * width:
                wanted = response_to_gaussian(width, one.fwhm)
                assert one.value.max() == pytest.approx(wanted, rel=0.04), (width, one.fwhm)


def test_patterns_of_the_benchmark_keep_what_it_says():
    made = patterns.counts(patterns=6, pairs=5)
    total = {name: sum(getattr(one, name) for one in made.values()) for name in vars(patterns.Count())}
    assert total["found"] / total["peaks"] >= at_least(0.97, total["peaks"])
    assert total["false"] / total["peaks"] <= 0.03
    assert total["within"] / total["isolated"] >= at_least(0.98, total["isolated"])
    assert total["told_apart"] / total["pairs"] >= at_least(0.8, total["pairs"])


def at_least(share: float, count: int) -> float:
    """What so few may fall to, by two standard deviations, where of many a share has to hold."""
    return share - 2 * math.sqrt(share * (1 - share) / count)


def test_peaks_that_cannot_be_told_apart_are_said_with_their_correlation():
    y = gaussian(X, 49.2, 50, 4) + gaussian(X, 50.8, 50, 4)
    curve = noisy(y, X, 2.0)
    model = Model().with_background("constant", curve)
    peaks = (placed_peak("gaussian", 1, 49.2, 50, 4), placed_peak("gaussian", 2, 50.8, 50, 4))
    model = model.model_copy(update={"terms": (*peaks, *model.terms)})
    result = fit_model(model, curve)
    from curvesieve.core.peaks.together import overlaps

    (said,) = overlaps(model.starting_at(result.values), result)
    assert said.startswith("P1 and P2 overlap beyond what the data can tell apart: the correlation of ")
    largest = float(said.split(" is ")[1].split(". ")[0])
    matrix = result.correlation()
    cross = [matrix[i, j] for i, a in enumerate(result.free) for j, b in enumerate(result.free)
             if a.endswith("_1") and b.endswith("_2")]  # fmt: skip
    assert abs(largest) == pytest.approx(max(map(abs, cross)), abs=6e-4)


def test_how_many_is_asked_of_the_data():
    y = 10 + gaussian(X, 30, 60, 6) + gaussian(X, 34.5, 40, 5) + gaussian(X, 70, 20, 4)
    curve = noisy(y, X)
    grown = how_many(Model().with_background("constant", curve), curve, 6, "gaussian")
    assert [one.peaks for one in grown][:4] == [0, 1, 2, 3]
    best = best_of(grown)
    assert best.peaks == 3
    centers = sorted(p.parameters["center"].start for p in best.model.lines)
    assert centers == pytest.approx([30, 34.5, 70], abs=0.3)
    assert grown[2].aicc > best.aicc + 10


def test_second_lines_follow_and_are_no_readings():
    from curvesieve.core.readings import fit_readings

    y = gaussian(X, 40, 60, 3) + gaussian(X, 46, 30, 3)
    curve = noisy(y, X)
    first = placed_peak("gaussian", 1, 40, 50, 2.5).model_copy(update={"name": "Kα1"})
    other = placed_peak("gaussian", 2, 46, 25, 2.5).model_copy(update={"second_of": 1})
    for name, tie in (("center", "center_1 + 6"), ("height", "height_1/2"), ("fwhm", "fwhm_1")):
        other = other.with_state(name, tie=tie)
    model = Model(terms=(first, other)).with_background("constant", curve)
    assert json.loads(model.model_dump_json())["terms"][0].get("second_of") is None
    assert Model.model_validate_json(model.model_dump_json()) == model
    result = fit_model(model, curve)
    assert result.parameters["center_1"].value == pytest.approx(40, abs=0.1)
    readings = fit_readings(model, result, "deg", "counts")
    assert [r.name for r in readings] == ["Kα1 center", "Kα1 height", "Kα1 FWHM", "Kα1 area"]
    assert [placed.label for placed in model.peaks] == ["Kα1", "P1′"]
    assert model.without(1).peaks == ()


@pytest.mark.parametrize("knots", [2, 4, 8])
def test_spline_background_is_scipys_spline_of_least_squares(knots):
    x = np.linspace(3, 17, 400)
    y = np.sin(x / 3) * 40 + 2 * x + np.random.default_rng(1).normal(0, 1, x.size)
    result = fit(f"spline-{knots}", x, y)
    inner = np.linspace(3, 17, knots)
    t = np.concatenate([[3] * 3, inner, [17] * 3])
    known = make_lsq_spline(x, y, t, 3)
    for k, place in enumerate(inner, start=1):
        assert result.follows[f"y{k}"].value == pytest.approx(float(known(place)), rel=1e-9)
    assert result.statistics.rss == pytest.approx(float(((y - known(x)) ** 2).sum()), rel=1e-9)
    with pytest.raises(InputError, match="from 2 to 20 knots"):
        fit("spline-99", x, y)


def test_many_parameters_inside_bounds_end_where_scipys_trust_region_does():
    rng = np.random.default_rng(8)
    places = np.array([12.0, 30.0, 48.0, 66.0, 84.0])
    shares = [0.0, 0.2, 1.0, 1.0, 0.6]

    def shape(p):
        total = np.full(X.size, p[-1])
        for c, h, w, m in p[:-1].reshape(-1, 4):
            z = 4 * ((X - c) / w) ** 2
            total = total + h * (m / (1 + z) + (1 - m) * np.exp(-math.log(2) * z))
        return total

    true = np.array([v for c, m in zip(places, shares, strict=True) for v in (c, 40.0, 4.0, m)] + [10.0])
    curve = cs.Curve(X, shape(true) + rng.normal(0, 1.5, X.size))
    model = Model().with_background("constant", curve)
    peaks = tuple(placed_peak("pseudo-voigt", k, c + 0.3, 35, 5) for k, c in enumerate(places, start=1))
    model = model.model_copy(update={"terms": (*peaks, *model.terms)})
    found = fit_model(model, curve)
    low = np.array([-np.inf, -np.inf, 0, 0] * 5 + [-np.inf])
    high = np.array([np.inf, np.inf, np.inf, 1] * 5 + [np.inf])
    start = np.array([v for c in places for v in (c + 0.3, 35, 5, 0.5)] + [10.0])
    known = least_squares(
        lambda p: shape(p) - curve.y, start, bounds=(low, high), xtol=1e-14, ftol=1e-14, x_scale="jac"
    )
    assert found.converged
    assert found.statistics.rss == pytest.approx(2 * known.cost, rel=1e-7)
    on = [k + 1 for k, m in enumerate(known.x[3:20:4]) if m < 1e-6 or m > 1 - 1e-6]
    assert on
    assert [k for k in range(1, 6) if found.parameters[f"mixing_{k}"].on_bound] == on


def test_command_line_finds_fits_and_reads_peaks(tmp_path, capsys):
    x = np.arange(20, 60, 0.02)
    y = 50 + sum(900 / (1 + 4 * ((x - c) / 0.3) ** 2) for c in (28.44, 47.30, 56.12))
    y = np.random.default_rng(2).poisson(y)
    path = tmp_path / "pattern.csv"
    rows = "".join(f"{a:.2f},{b}\n" for a, b in zip(x, y, strict=True))
    path.write_text(f"Sample: made up\nWavelength: 0.15405929 nm\n\n2theta (deg),Intensity (counts)\n{rows}")
    assert main(["peaks", str(path), "--profile", "lorentzian", "--json"]) == 0
    (entry,) = json.loads(capsys.readouterr().out)
    by_symbol = {(r["symbol"], r["part"]): r for r in entry["readings"]}
    for k, c in enumerate((28.44, 47.30, 56.12), start=1):
        assert abs(by_symbol["center", k]["value"] - c) < 4 * by_symbol["center", k]["u"]
        assert abs(by_symbol["fwhm", k]["value"] - 0.3) < 4 * by_symbol["fwhm", k]["u"]
        size = 0.9 * 0.15405929 / (math.radians(0.3) * math.cos(math.radians(c / 2)))
        sizes = [r for r in entry["readings"] if r["part"] == k and r["name"] == f"D P{k} size"]
        assert abs(sizes[0]["value"] - size) < 4 * sizes[0]["u"]
    assert main(["peaks", str(path), "--wavelength", "Cu Ka1", "--range", "40:50"]) == 0
    told = capsys.readouterr().out
    assert "P1 center" in told
    assert "needs 3 reflections, and 1 are chosen" in told
    for words, said in (
        (["--least", "many"], "'many' is not a number"), (["--profile", "line"], "is no peak"),
        (["--range", "50:55"], "No peak stands out"), (["--wavelength", "blue"], "no quantity"),
    ):  # fmt: skip
        status = main(["peaks", str(path), *words])
        shown = capsys.readouterr()
        assert said in shown.err + shown.out, words
        assert status == 2, words
    dips = tmp_path / "dips.csv"
    rows = "".join(
        f"{a:.2f},{200 - b}\n" for a, b in zip(x, 90 / (1 + ((x - 40) / 1.5) ** 2) + np.sin(x * 99), strict=True)
    )
    dips.write_text(f"2theta (deg),Intensity (counts)\n{rows}")
    assert main(["peaks", str(dips), "--dips", "--widest", "8", "--background", "line", "--profile", "lorentzian"]) == 0
    assert "P1 center            40.00" in capsys.readouterr().out
    assert main(["peaks", str(dips), "--dips", "--widest", "0.5"]) == 2
    assert "No peak stands out" in capsys.readouterr().err


def test_peaks_of_a_whole_pattern_in_one_go_with_its_background_and_a_spike_told():
    rng = np.random.default_rng(4)
    y = 200 * np.exp(-X / 40) + sum(gaussian(X, c, h, 2.5) for c, h in ((20, 80), (44, 50), (47, 45), (75, 120)))
    y = y + rng.normal(0, 1.5, X.size)
    y[600] += 60
    made = fit_peaks(cs.Curve(X, y), Asked(profile="gaussian"))
    assert made.result.converged
    centers = [made.result.parameters[p.full_name("center")] for p in made.model.lines]
    assert [p.number for p in made.model.lines] == [1, 2, 3, 4]
    for found, true in zip(centers, (20, 44, 47, 75), strict=True):
        assert abs(found.value - true) < 4 * found.u
    assert any("left out: narrower than two points" in note for note in made.notes)
    with pytest.raises(InputError, match="No peak stands out"):
        fit_peaks(noisy(np.zeros(X.size), X))


def test_what_the_fit_has_no_use_for_is_left_out_with_a_word():
    y = gaussian(X, 30, 60, 3) + gaussian(X, 70, 60, 3)
    curve = noisy(y, X, 2.0)
    model = Model().with_background("constant", curve)
    peaks = tuple(placed_peak("gaussian", k, c, 5.0 if k == 2 else 55.0, 3) for k, c in ((1, 30), (2, 50), (3, 70)))
    model = model.model_copy(update={"terms": (*peaks, *model.terms)})
    result = fit_model(model, curve)
    model, result, gone = pruned(model.starting_at(result.values), curve, result, None)
    assert [placed.number for placed in model.lines] == [1, 3]
    assert result.converged
    assert len(gone) == 1
    assert "times as high as its u" in gone[0]


def test_slopes_of_a_voigt_profile_that_is_nearly_a_lorentzian():
    mp.mp.dps = 50
    x = np.array([0.0, 0.2, 0.7, 3.0])
    names = TERMS["voigt"].parsed.parameters
    compiled = compile_formula(TERMS["voigt"].parsed)

    def exact(at, gauss):
        s, g = gauss / (2 * mp.sqrt(2 * mp.log(2))), mp.mpf(1) / 2

        def w(place):
            z = (mp.mpf(place) + 1j * g) / (s * mp.sqrt(2))
            return (mp.exp(-z * z) * mp.erfc(-1j * z)).real

        return w(at) / w(0)

    for ratio, rel in ((0.1, 1e-10), (0.02, 1e-9), (2e-3, 1e-8)):
        values = {"center": 0.0, "height": 1.0, "fwhm_gauss": ratio, "fwhm_lorentz": 1.0}
        columns = compiled.jacobian((x,), [values[name] for name in names])
        found = columns[names.index("fwhm_gauss")]
        h = mp.mpf(10) ** -15
        known = [float((exact(at, ratio + h) - exact(at, ratio - h)) / (2 * h)) for at in x.tolist()]
        np.testing.assert_allclose(found, known, atol=rel * np.abs(known).max())
    flat = compiled.value((x,), [{**values, "fwhm_gauss": 0.0}[name] for name in names])
    np.testing.assert_allclose(flat, 1 / (1 + 4 * x**2), rtol=1e-7)


def test_a_step_inside_bounds_is_the_least_squares_solution_inside_them():
    rng = np.random.default_rng(3)
    for _ in range(30):
        design, target = rng.normal(size=(40, 6)), rng.normal(size=40) * 3
        lower, upper = -rng.uniform(0.05, 0.6, 6), rng.uniform(0.05, 0.6, 6)
        problem = SimpleNamespace(lower=lower, upper=upper)
        stacked = np.concatenate([design.T, -target[None]])
        moved = np.zeros(6)
        for _ in range(40):
            left = np.concatenate([design.T, (design @ moved - target)[None]])
            moved = _step(problem, moved, left @ left.T, 1e-9, np.linalg.norm(design, axis=0), np.zeros(6, bool))
        known = lsq_linear(design, target, (lower, upper), tol=1e-14, method="bvls")
        assert ((design @ moved - target) ** 2).sum() == pytest.approx(2 * known.cost, rel=1e-9)
        first = _step(
            problem, np.zeros(6), stacked @ stacked.T, 1e-9, np.linalg.norm(design, axis=0), np.zeros(6, bool)
        )
        free = (first > lower) & (first < upper)
        pull = design.T @ (design @ first - target)
        np.testing.assert_allclose(pull[free], 0, atol=1e-6)  # all others solved for, knowing those on their bounds


def test_the_first_of_many_lines_side_by_side_is_as_wide_as_the_others():
    """Tails of a comb make the edge look broad at first; the width must come down to what is there."""
    x = np.linspace(0, 300, 10_000)
    y = 10 + sum(100 / (1 + 4 * ((x - c) / 2) ** 2) for c in np.arange(5, 300, 10))
    found = find_peaks(cs.Curve(x, y + np.random.default_rng(1).normal(0, 1, x.size))).peaks
    assert len(found) == 30
    assert not any(one.doubt for one in found)
    for one in found:
        assert one.fwhm == pytest.approx(2.0, rel=0.1)
