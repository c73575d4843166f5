"""Numbers of single peaks against closed forms and against data drawn again; crests of profiles that lean."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq, minimize_scalar

import curvesieve as cs
from curvesieve.core.errors import InputError
from curvesieve.core.formula import evaluate
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.models import Model, term_of
from curvesieve.core.models.crest import crest_of
from curvesieve.core.peaks.making import placed_peak
from curvesieve.core.quantity import Quantity
from tests.core.test_diffraction import read

X = np.linspace(0, 20, 801)
RUNS = 240


def shapes(x, *peaks):
    """Gaussians by (center, height, FWHM), written out here."""
    return sum(h * np.exp(-4 * math.log(2) * ((x - c) / w) ** 2) for c, h, w in peaks)


def fit_of(y, slug="gaussian", peaks=((8.0, 10.0, 2.0), (11.0, 6.0, 3.0)), x=X, **units) -> FitSeen:
    from curvesieve.core.fitting import fit_model

    curve = cs.Curve(x, y, **{"x_unit": "1/cm", "y_unit": "counts", **units})
    model = Model().with_background("line", curve)
    model = model.with_peaks(tuple(placed_peak(slug, k, *p) for k, p in enumerate(peaks, start=1)))
    result = fit_model(model, curve)
    assert result.converged, result.message
    return FitSeen(model, result, curve)


def values(fit: FitSeen, slug: str, quantities=(), **fields) -> dict[int, tuple[float, float]]:
    found = read(fit, slug, quantities, **fields)
    assert not found.problem, found.problem
    return {r.part: (r.value, r.u) for r in found.readings}


PEAKS = ((8.0, 10.0, 2.0), (11.0, 6.0, 3.0))
ROOT = math.sqrt(math.pi / (4 * math.log(2)))


def test_numbers_of_gaussians_are_those_of_their_closed_forms():
    noise = 0.05
    fit = fit_of(3 + 0.1 * X + shapes(X, *PEAKS) + np.random.default_rng(2).normal(0, noise, X.size))
    areas = [h * w * ROOT for _, h, w in PEAKS]
    want = {
        "center": [8, 11], "height": [10, 6], "FWHM": [2, 3], "area": areas, "share": [a / sum(areas) for a in areas],
        "sigma": [w / math.sqrt(8 * math.log(2)) for w in (2, 3)], "integral breadth": [w * ROOT for w in (2, 3)],
        "signal to noise": [10 / noise, 6 / noise],
    }  # fmt: skip
    units = {"center": "cm^-1", "height": "counts", "share": "", "signal to noise": "", "sigma": "cm^-1"}
    for what, true in want.items():
        got = values(fit, "peak-number", what=what)
        for number, one in enumerate(true, start=1):
            value, u = got[number]
            assert abs(value - one) < 3.5 * u, (what, number)
            assert u < 0.1 * one
        if what in units:
            assert read(fit, "peak-number", what=what).readings[0].unit == units[what]
    assert list(values(fit, "peak-number", what="height", peaks="2")) == [2]
    only = values(fit, "peak-number", what="share", peaks="2")
    assert only[2][0] == pytest.approx(areas[1] / sum(areas), rel=0.01)  # of the areas of all, not of the chosen


def test_u_of_share_ratio_and_shift_is_that_of_data_drawn_again():
    rng = np.random.default_rng(5)
    clean = 3 + shapes(X, *PEAKS)
    asked = {
        "share": ("peak-number", {"what": "share"}), "area": ("peak-ratio", {"over": "2", "peaks": "1"}),
        "height": ("peak-ratio", {"what": "height", "over": "1", "peaks": "2"}),
        "S/N": ("peak-number", {"what": "signal to noise", "peaks": "1"}),
        "shift": ("line-shift", {"peaks": "1", "place": "7.5 1/cm"}),
    }  # fmt: skip
    drawn: dict[str, list[tuple[float, float]]] = {name: [] for name in asked}
    for _ in range(RUNS):
        fit = fit_of(clean + rng.normal(0, 0.4, X.size))
        for name, (slug, fields) in asked.items():
            drawn[name].append(next(iter(values(fit, slug, **fields).values())))
    for name, pairs in drawn.items():
        found, told = np.array(pairs).T
        assert np.sqrt(np.mean(told**2)) == pytest.approx(found.std(ddof=1), rel=0.16), name  # 3.5 s.d. of 240 draws


def test_ratio_adds_several_and_a_quantity_brings_its_u_to_a_shift():
    three = ((5.0, 8.0, 1.5), (10.0, 6.0, 2.0), (15.0, 4.0, 1.0))
    fit = fit_of(shapes(X, *three) + np.random.default_rng(1).normal(0, 0.02, X.size), peaks=three)
    got = values(fit, "peak-ratio", over="2, 3", peaks="1")[0]
    assert got[0] == pytest.approx((6 * 2 + 4) / (8 * 1.5), rel=0.01)
    every = values(fit, "peak-ratio", over="1", peaks="")[0][0]
    assert every == pytest.approx(values(fit, "peak-number", what="share")[1][0], rel=1e-12)
    place = Quantity(name="line", value=4.0, u=0.5, unit="1/cm")
    shift, u = values(fit, "line-shift", [place], peaks="1", place="line")[0]
    assert shift == pytest.approx(1.0, abs=0.02)
    assert u == pytest.approx(0.5, rel=1e-3)
    per_mm = values(fit, "line-shift", peaks="1", place="0.4(1) 1/mm")[0]
    assert per_mm == pytest.approx((1.0, 1.0), abs=0.02)


@pytest.mark.parametrize(
    ("slug", "fields", "said"),
    [
        ("line-shift", {"peaks": "1, 2", "place": "1 1/cm"}, "A shift is that of one peak, and 2 are chosen"),
        ("line-shift", {"peaks": "", "place": "1 1/cm"}, "A shift is that of one peak"),
        ("line-shift", {"peaks": "1"}, "The place that the shift is from is not set"),
        ("line-shift", {"peaks": "1", "place": "3 s"}, ""),
        ("peak-ratio", {"over": "7"}, "There is no peak 7"),
        ("peak-number", {"peaks": "x"}, "“x” is no list of peaks"),
    ],
)
def test_what_cannot_be_read_is_refused(slug, fields, said):
    fit = fit_of(shapes(X, *PEAKS) + np.random.default_rng(1).normal(0, 0.02, X.size))
    found = read(fit, slug, **fields)
    assert found.problem.startswith(said)
    assert found.problem


def test_numbers_that_a_profile_has_not_are_told_and_the_others_read():
    y = 10 / (1 + 4 * ((X - 8) / 2) ** 2) + np.random.default_rng(1).normal(0, 0.02, X.size)
    fit = fit_of(y, "lorentzian", ((8.0, 10.0, 2.0),))
    assert read(fit, "peak-number", what="sigma").problem == "P1 is no Gaussian, and has no sigma; read its FWHM."
    exact = fit_of(shapes(X, *PEAKS))
    assert "no noise beside it" in read(exact, "peak-number", what="signal to noise").problem


def numeric(slug, values):
    """Top and full width by other means: bounded search and Brent's roots, on the formula as it stands."""
    term = term_of(slug, None)

    def f(x):
        return float(evaluate(term.parsed, {"x": np.float64(x), **{n: np.float64(v) for n, v in values.items()}}))

    reach = 40 * max(abs(v) for n, v in values.items() if n in ("fwhm", "tail"))
    grid = values["center"] + np.linspace(-reach, reach, 8_001)
    best = grid[int(np.argmax([f(x) for x in grid]))]
    step = grid[1] - grid[0]
    top = minimize_scalar(lambda x: -f(x), bounds=(best - step, best + step), method="bounded",
                          options={"xatol": 1e-12 * reach}).x  # fmt: skip
    half = f(top) / 2
    left = next(x for x in grid[grid < top][::-1] if f(x) < half)
    right = next(x for x in grid[grid > top] if f(x) < half)
    return top, f(top), brentq(lambda x: f(x) - half, top, right) - brentq(lambda x: f(x) - half, left, top)


@pytest.mark.parametrize(
    ("slug", "more"),
    [
        ("exponentially-modified-gaussian", {"area": 3.0, "tail": 2.0}),
        ("exponentially-modified-gaussian", {"area": 3.0, "tail": 20.0}),
        ("doniach-sunjic", {"height": 2.0, "asymmetry": 0.15}),
    ],
)  # fmt: skip
def test_crests_of_leaning_profiles_are_where_other_means_find_them(slug, more):
    values = {"center": 4.0, "fwhm": 1.5, **more}
    crest = crest_of(term_of(slug, None), values)
    top, height, fwhm = numeric(slug, values)
    assert crest.x == pytest.approx(top, abs=1e-6)
    assert crest.height == pytest.approx(height, rel=1e-10)
    assert crest.fwhm == pytest.approx(fwhm, rel=1e-6)


@given(
    st.floats(1.5, 40), st.sampled_from([1e-12, 1e-3, 1.0, 1e6, 1e12]), st.floats(-1e3, 1e3), st.sampled_from([1, -1])
)
@settings(max_examples=60, deadline=None)
def test_a_fano_line_has_the_crest_of_its_closed_form(q, scale, center, side):
    width = 2.0 * scale
    values = {"center": center * scale, "height": 3.0, "fwhm": width, "asymmetry": side * q}
    crest = crest_of(term_of("fano", None), values)
    assert crest.x == pytest.approx(
        values["center"] + width / (2 * side * q), abs=1e-7 * max(width, abs(values["center"]))
    )
    assert crest.height == pytest.approx(3.0, rel=1e-9)
    assert crest.fwhm == pytest.approx(width * math.sqrt(1 + 2 / q**2), rel=1e-7)


def test_a_profile_without_a_half_has_no_crest():
    with pytest.raises(InputError, match="no peak"):
        crest_of(term_of("line", None), {"slope": 1.0, "offset": 0.0})
    with pytest.raises(InputError, match="does not fall to half"):
        crest_of(term_of("doniach-sunjic", None), {"center": 0.0, "height": 1.0, "fwhm": 1.0, "asymmetry": 1.0})


def test_leaning_peaks_are_read_by_their_crest_and_refused_where_a_center_is_wanted():
    truth = {"center": 8.0, "area": 30.0, "fwhm": 1.5, "tail": 2.0}
    term = term_of("exponentially-modified-gaussian", None)
    y = evaluate(term.parsed, {"x": X, **{n: np.float64(v) for n, v in truth.items()}})
    fit = fit_of(y + np.random.default_rng(3).normal(0, 0.03, X.size), term.slug, ((8.5, 8.0, 2.5),))
    top, height, fwhm = numeric(term.slug, truth)
    for what, true in (("center", top), ("height", height), ("FWHM", fwhm), ("area", 30.0)):
        value, u = values(fit, "peak-number", what=what)[1]
        assert abs(value - true) < 3.5 * u
        assert u < 0.05 * true
    assert "center is not its maximum" in read(fit, "spacing", wavelength="Cu Kα1").problem


def test_lines_against_a_table_tell_how_far_each_is_from_the_nearest():
    peaks = ((4.9, 8.0, 1.5), (10.2, 6.0, 2.0), (15.1, 4.0, 1.0))
    fit = fit_of(shapes(X, *peaks) + np.random.default_rng(1).normal(0, 0.02, X.size), peaks=peaks)
    found = read(fit, "lines-against-table", typed=(5.0, 10.0, 15.0, 99.0))
    got = {(r.quantity, r.part): (r.value, r.u) for r in found.readings}
    for number, off in ((1, -0.1), (2, 0.2), (3, 0.1)):
        value, u = got["deviation", number]
        assert abs(value - off) < 4 * u
    assert got["mean-deviation", 0][0] == pytest.approx(np.mean([got["deviation", k][0] for k in (1, 2, 3)]))
    assert got["scatter", 0][0] == pytest.approx(np.std([got["deviation", k][0] for k in (1, 2, 3)], ddof=1))
    assert "P1 5, P2 10, P3 15" in found.sentence
    assert "Give the reference lines" in read(fit, "lines-against-table").problem
    assert "nearest to the same line" in read(fit, "lines-against-table", typed=(5.0,)).problem
    assert "there is no table of lines 'tin'" in read(fit, "lines-against-table", table="tin").problem.lower()
    wide = read(fit, "lines-against-table", table="polystyrene", peaks="1")
    assert wide.readings[0].value == pytest.approx(4.9 - 620.9, abs=0.1)


def test_a_table_of_ones_own_travels_with_the_measure(tmp_path):
    from curvesieve.core.measures import parse_measure
    from curvesieve.core.steps.reference_lines import OWN, TABLES, add_tables

    (tmp_path / "mine.lines").write_text("5.0 # first\n10.0\n")
    assert not add_tables(tmp_path)
    try:
        measure = parse_measure({"measure": "lines-against-table", "table": "mine"})
    finally:
        del OWN["mine"], TABLES["mine"]
    again = parse_measure(measure.to_json())
    assert again == measure
    assert again.lines_known().tolist() == [5.0, 10.0]
    assert "carried" not in parse_measure({"measure": "lines-against-table"}).to_json()


def test_peaks_are_read_without_a_model_as_they_were_made():
    from curvesieve.core.measures import MeasureSlot, Seen, taken
    from curvesieve.core.peaks import find_peaks
    from curvesieve.core.readings.bare_peaks import bare_measures

    peaks = ((5.0, 8.0, 1.5), (14.0, 4.0, 2.0))
    noise = 0.01
    curve = cs.Curve(X, 1 + 0.2 * X + shapes(X, *peaks) + np.random.default_rng(1).normal(0, noise, X.size))
    found = find_peaks(curve).peaks
    measures = bare_measures(found, curve)
    assert [name for _, name in measures] == ["centroid 1", "width 1", "area 1", "centroid 2", "width 2", "area 2"]
    slots = [MeasureSlot(id=f"m{k}", rule=measure) for k, (measure, _) in enumerate(measures)]
    got = [one.readings[0] for one in taken(slots, Seen.of(curve))]
    for k, (center, height, fwhm) in enumerate(peaks):
        place, width, area = got[3 * k : 3 * k + 3]
        assert abs(place.value - center) < 4 * place.u
        assert abs(width.value - fwhm) < 4 * width.u
        assert abs(area.value - height * fwhm * ROOT) < 4 * area.u + 1e-3 * area.value  # the tails beyond the band
    with pytest.raises(InputError, match="too few to be read"):
        bare_measures([found[0]], curve.take(slice(0, None, 100)))


def test_bands_of_peaks_side_by_side_meet_in_the_middle_between_them():
    from curvesieve.core.peaks.finding import FoundPeak
    from curvesieve.core.readings.bare_peaks import bare_measures

    found = [FoundPeak(8.0, 5.0, 2.0, 0.1, 50.0), FoundPeak(10.0, 4.0, 2.0, 0.1, 50.0)]
    curve = cs.Curve(X, shapes(X, (8.0, 5.0, 2.0), (10.0, 4.0, 2.0)))
    bands = [(measure.low, measure.high) for measure, _ in bare_measures(found[::-1], curve)[::3]]
    assert bands == [(5.0, 9.0), (9.0, 13.0)]


def test_the_noise_of_a_narrow_peak_is_that_of_all_points():
    rng = np.random.default_rng(4)
    x = np.linspace(0, 20, 201)
    peak = ((8.0, 10.0, 0.2),)  # two points wide: those about it alone would tell nothing
    noise = rng.normal(0, 0.2, x.size)
    fit = fit_of(3 + shapes(x, *peak) + noise, peaks=peak, x=x)
    value, _ = values(fit, "peak-number", what="signal to noise")[1]
    residual = fit.curve.y - fit.model.starting_at(fit.result.values).sum.evaluate(x, list(fit.result.values.values()))
    assert value == pytest.approx(fit.result.values["height_1"] / np.sqrt(np.mean(residual**2)), rel=1e-9)


def test_the_crest_of_a_steep_rise_with_a_long_tail_is_found_to_its_width():
    """As the tail grows beyond all bounds, the profile falls to half after tail·ln 2, and its top is at the rise."""
    values_ = {"center": 1.0, "area": 2.0, "fwhm": 0.02, "tail": 50.0}
    term = term_of("exponentially-modified-gaussian", None)
    crest = crest_of(term, values_)

    def f(x):
        return float(evaluate(term.parsed, {"x": np.float64(x), **{n: np.float64(v) for n, v in values_.items()}}))

    top = minimize_scalar(lambda x: -f(x), bounds=(0.98, 1.2), method="bounded", options={"xatol": 1e-12}).x
    assert crest.x == pytest.approx(top, abs=2e-4)  # the top is flat: 1e-8 of its height over 2e-3 in x
    assert crest.height == pytest.approx(f(top), rel=1e-9)
    assert crest.fwhm == pytest.approx(50.0 * math.log(2), rel=2e-3)


def test_what_is_held_has_no_u_and_is_not_called_exact():
    """A center that was held is no result: zero for its u would call it exact."""
    from curvesieve.core.fitting import fit_model

    free = fit_of(3 + shapes(X, *PEAKS) + np.random.default_rng(2).normal(0, 0.05, X.size))
    model = free.model.replaced(free.model.term_numbered(1).with_state("center", hold=True))
    fit = FitSeen(model, fit_model(model, free.curve), free.curve)
    assert values(fit, "peak-number", what="center")[1][1] is None
    assert values(fit, "peak-number", what="center")[2][1] > 0
    assert values(fit, "line-shift", peaks="1", place="7.5(1) 1/cm")[0][1] is None
    assert values(fit, "line-shift", peaks="2", place="7.5(1) 1/cm")[0][1] > 0.1
    against = {(r.quantity, r.part): r.u for r in read(fit, "lines-against-table", typed=(8.0, 11.0)).readings}
    assert against["deviation", 1] is None
    assert against["deviation", 2] > 0
    assert against["mean-deviation", 0] is None  # it stands on the one that is held, too
    assert values(fit, "peak-number", what="height")[1][1] > 0


def test_a_peak_of_ones_own_is_as_wide_as_it_is_and_not_as_its_parameter_says():
    """height/(1 + ((x − c)/w)⁴) is at half of its height at c ± w: its FWHM is 2w."""
    from curvesieve.core.fitting import fit_model
    from curvesieve.core.models import OwnTerm

    y = 10 / (1 + ((X - 8) / 1.5) ** 4) + np.random.default_rng(1).normal(0, 0.02, X.size)
    curve = cs.Curve(X, y)
    own = OwnTerm(formula="height/(1 + ((x - center)/fwhm)^4)", kind="peak")
    model = Model().with_background("line", curve).add_peak("own", curve, 8.0, own)
    fit = FitSeen(model, fit_model(model, curve), curve)
    value, u = values(fit, "peak-number", what="FWHM")[1]
    assert abs(value - 3.0) < 4 * u
    assert u < 0.05
