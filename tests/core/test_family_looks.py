"""How families stand: lifts, made alike, guides; trends with laws and units; groups of readings compared."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from scipy import stats

import curvesieve as cs
from curvesieve.core.errors import InputError
from curvesieve.core.family.groups import compare_groups
from curvesieve.core.family.laws import LAWS, law_text
from curvesieve.core.family.lifting import as_map, divisor, lift_of
from curvesieve.core.fitting.sharing import CONDITION
from curvesieve.core.measures.base import parse_measure
from curvesieve.core.models import Model
from curvesieve.core.reading import ReadingKey
from curvesieve.core.study import edits, load_study, save_study
from curvesieve.core.study.family_parts import NORMALS, STANDS, Guide, TrendEntry
from curvesieve.core.study.jointly import fit_jointly_in
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.measuring import measure_curves
from curvesieve.core.study.passing import sieved_curve
from curvesieve.core.study.shared_numbers import family_numbers, shared_numbers
from curvesieve.core.study.standing import guide_place, guides_offered, residual_strips, standing
from curvesieve.core.study.trends import law_units, trend_of
from tests.core.test_families import decay_model, decays, family_of, shared

TRUTH = [(2.0 + 0.5 * c, 1.0, 0.5 + 0.1 * c) for c in (0, 1, 2, 4)]
CONDITIONS = (0.0, 1.0, 2.0, 4.0)


@pytest.fixture
def family():
    study, id_, ids = family_of(decays(TRUTH), CONDITIONS, decay_model, unit="g")
    return study, id_, ids


def passed(study, ids):
    return {id_: sieved_curve(study, id_).curve for id_ in ids}


# -- lifts ------------------------------------------------------------------------------------------


@pytest.mark.parametrize("scale", [1e-12, 1.0, 1e12])
@pytest.mark.parametrize("log", [False, True])
@pytest.mark.parametrize("seed", range(6))
def test_neighbours_that_are_lifted_never_touch(seed, log, scale):
    rng = np.random.default_rng(seed)
    curves = []
    for _ in range(int(rng.integers(2, 8))):
        x = np.sort(rng.uniform(0, 10, int(rng.integers(2, 60))))
        y = rng.normal(0, 1, x.size) * scale
        curves.append(cs.Curve(x, np.abs(y) + 0.01 * scale if log else y))
    step = lift_of(curves, log)
    grid = np.linspace(0, 10, 4001)
    rows = []
    for k, c in enumerate(curves):
        y = np.interp(grid, c.x, np.log10(c.y) if log else c.y, left=np.nan, right=np.nan)
        rows.append(y + k * (math.log10(step) if log else step))
    for below, above in pairwise(rows):
        gap = above - below
        assert not (gap[np.isfinite(gap)] <= 0).any()


def test_a_lift_is_no_larger_than_it_must_be():
    x = np.linspace(0, 1, 50)
    low, high = cs.Curve(x, np.zeros(50)), cs.Curve(x, np.ones(50))
    assert lift_of([high, low]) == pytest.approx(1.0, abs=0.2)
    assert lift_of([low, high]) == pytest.approx(0.0, abs=0.2)
    assert lift_of([low]) == 0.0
    assert lift_of([low], log=True) == 1.0
    assert lift_of([]) == 0.0


def test_curves_are_made_alike_by_closed_forms():
    x = np.linspace(0, math.pi, 2001)
    curve = cs.Curve(x[::-1], 3 * np.sin(x[::-1]))
    assert divisor(curve, "as they are") == 1.0
    assert divisor(curve, "by maximum") == pytest.approx(3, rel=1e-6)
    assert divisor(curve, "by area") == pytest.approx(6, rel=1e-5)
    assert divisor(curve, "at a point", math.pi / 6) == pytest.approx(1.5, rel=1e-5)
    band = 3 * (math.cos(1.0) - math.cos(2.0))
    assert divisor(curve, "by a band", 2.0, 1.0) == pytest.approx(band, rel=1e-3)
    for how, low, high, said in (
        ("by a band", None, 2.0, "two ends"), ("by a band", 7.0, 8.0, "no point between"),
        ("at a point", None, None, "give the place"), ("at a point", 9.0, None, "does not reach"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=said):
            divisor(curve, how, low, high)
    with pytest.raises(InputError, match="above zero"):
        divisor(cs.Curve(x, -np.sin(x)), "by area")


def test_a_map_has_no_number_where_a_curve_has_none():
    one, two = (
        cs.Curve(np.array([0.0, 1.0]), np.array([0.0, 2.0])),
        cs.Curve(np.array([3.0, 2.0]), np.array([1.0, 5.0])),
    )
    grid, rows = as_map([one, two], 301)
    assert (grid[0], grid[-1]) == (0.0, 3.0)
    assert rows[0, 50] == pytest.approx(2 * grid[50])
    assert rows[1, -50] == pytest.approx(np.interp(grid[-50], [2, 3], [5, 1]))
    assert np.isnan(rows[0, -1])
    assert np.isnan(rows[1, 0])
    with pytest.raises(InputError):
        as_map([])


@pytest.mark.parametrize("stand", STANDS)
@pytest.mark.parametrize("normal", NORMALS)
def test_every_stand_and_every_way_to_be_made_alike(family, stand, normal):
    """y is what was measured over what it was divided by, above the others by the lift; the study stays."""
    study, id_, ids = family
    study = edits.look_at_family(
        id_, lambda look: look.model_copy(update={"stand": stand, "normal": normal, "low": 0.5, "high": 2.0})
    )(study)
    curves = passed(study, ids)
    made = standing(study, study.family(id_), curves)
    assert [one.id for one in made.curves] == ids
    assert made.alike == (normal != "as they are")
    step = made.lift if stand == "lifted" else 0.0
    assert (step > 0) == (stand == "lifted")
    for k, one in enumerate(made.curves):
        want = curves[one.id].y / divisor(curves[one.id], normal, 0.5, 2.0) + step * k
        assert one.y == pytest.approx(want, rel=1e-12)
    assert (passed(study, ids)[ids[0]].y == curves[ids[0]].y).all()


def awkward(rng) -> tuple[np.ndarray, np.ndarray]:
    """A curve of one to fifty points that is unsorted, flat, all at one x, huge, tiny or has gaps."""
    n = int(rng.choice([1, 2, 3, 50]))
    x = rng.normal(0, 1, n) * 10.0 ** rng.integers(-12, 13)
    y = rng.normal(0, 1, n) * 10.0 ** rng.integers(-12, 13)
    kind = int(rng.integers(0, 8))
    if kind == 0:
        y[:] = 0
    elif kind == 1:
        x[:] = x[0]
    elif kind == 2:
        x, y = np.abs(x), np.abs(y)
    elif kind == 3 and n > 2:
        y[int(rng.integers(0, n))] = np.nan
    elif kind == 4:
        x = np.sort(x)
    elif kind == 5:
        y *= 1e200
    elif kind == 6:
        y[:] = 3.0
    return x, y


@pytest.mark.filterwarnings("error")
@pytest.mark.parametrize("seed", range(12))
def test_awkward_families_stand_or_are_told(seed):
    rng = np.random.default_rng(seed)
    curves = [awkward(rng) for _ in range(int(rng.integers(1, 6)))]
    conditions = [None if rng.random() < 0.2 else float(rng.integers(-3, 4)) for _ in curves]
    study, id_, ids = family_of(curves, conditions, lambda curve: Model())
    seen = passed(study, ids)
    for stand in STANDS:
        for normal in NORMALS:
            for logs in ((False, False), (True, True)):
                changes = {"stand": stand, "normal": normal, "low": 0.0, "high": 1.0, "y_log": logs[1]}
                looked = edits.look_at_family(id_, lambda one, new=changes: one.model_copy(update=new))(study)
                made = standing(looked, looked.family(id_), seen)
                assert all(math.isfinite(one.lift) for one in made.curves)
                assert len(made.curves) + len(made.said) >= len(ids) or not made.curves
                if all(np.isfinite(one.y).all() for one in made.curves) and made.curves:
                    grid, rows = as_map([cs.Curve(one.x, one.y) for one in made.curves])
                    assert rows.shape == (len(made.curves), grid.size)


def test_a_factor_below_zero_lifts_nothing_on_a_logarithmic_axis(family):
    study, id_, ids = family
    looked = edits.look_at_family(
        id_, lambda one: one.model_copy(update={"stand": "lifted", "lift": -2.0, "y_log": True})
    )(study)
    made = standing(looked, looked.family(id_), passed(study, ids))
    assert [one.lift for one in made.curves] == [1, 1, 1, 1]
    assert any("factor above zero" in one for one in made.said)


def test_what_is_not_drawn_is_told_and_lifts_by_hand_add(family, tmp_path):
    study, id_, ids = family

    def look(**changes):
        return edits.look_at_family(id_, lambda one: one.model_copy(update=changes))

    by_hand = look(stand="lifted", lift=10.0, lifted=((ids[1], 2.5),), hidden=(ids[3],))(study)
    made = standing(by_hand, by_hand.family(id_), passed(study, ids))
    assert [one.lift for one in made.curves] == [0.0, 12.5, 20.0]
    log = look(stand="lifted", lift=10.0, y_log=True, lifted=((ids[1], 1.0),))(study)
    assert [one.lift for one in standing(log, log.family(id_), passed(study, ids)).curves] == [1, 100, 100, 1000]
    far = look(normal="at a point", low=99.0)(study)
    said = standing(far, far.family(id_), passed(study, ids))
    assert not said.curves
    assert all(f"c{k} is not drawn: it does not reach 99" in " ".join(said.said) for k in range(4))
    save_study(by_hand, tmp_path / "a.sieve")
    assert load_study(tmp_path / "a.sieve").family(id_).look == by_hand.family(id_).look


def test_fits_and_iterates_are_drawn_where_the_fit_used_points(family):
    study, id_, ids = family
    study = edits.look_at_family(id_, lambda one: one.model_copy(update={"fits": True}))(study)
    model = study.model(ids[0]).model_copy(update={"low": 1.0, "high": 3.0})
    study = edits.set_model(ids[0], model)(study)
    assert all(one.fit is None for one in standing(study, study.family(id_), passed(study, ids)).curves)
    study = edits.set_family_fit(id_, fit_jointly_in(shared(study, id_, k=""), id_))(shared(study, id_, k=""))
    made = standing(study, study.family(id_), passed(study, ids))
    for one in made.curves:
        values = study.fit(one.id).result.values
        inside = (one.x >= 1) & (one.x <= 3)
        assert np.isnan(one.fit[~inside]).all()
        want = values["a"] * np.exp(-values["k"] * one.x) + values["b"]
        assert one.fit[inside] == pytest.approx(want[inside])
    on_the_way = {ids[0]: {"a": 1.0, "k": 0.0, "b": 1.0}}
    first = standing(study, study.family(id_), passed(study, ids), on_the_way).curves[0]
    assert first.fit[np.isfinite(first.fit)] == pytest.approx(2.0)
    strips = residual_strips(study, study.family(id_), passed(study, ids))
    assert [strip.id for strip in strips] == ids
    assert all(strip.x.min() >= 1 and strip.x.max() <= 3 for strip in strips)
    least = sum(float(strip.r @ strip.r) for strip in strips)
    assert least == pytest.approx(study.family(id_).joint.result.statistics.rss)


def test_a_guide_follows_the_reading_that_it_is_linked_to(family):
    study, id_, ids = family
    curve = passed(study, ids)[ids[0]]
    assert guides_offered(study, study.family(id_), ids[0], curve) == []
    typed = Guide(x=2.5)
    assert guide_place(study, study.family(id_), typed) == (2.5, "2.5")
    study = edits.add_measure(ids[0], parse_measure({"measure": "x-at-value", "y": 1.5}))(study)
    measure_curves(study, ids)
    offered = guides_offered(study, study.family(id_), ids[0], curve)
    assert [guide.key.source for _, guide in offered] == ["x-at-value"]
    far = edits.add_measure(ids[0], parse_measure({"measure": "formula", "formula": "100*x"}))(study)
    measure_curves(far, ids)
    again = guides_offered(far, far.family(id_), ids[0], curve)
    assert [guide.key.source for _, guide in again] == ["x-at-value"]  # the other lies far beyond the curve
    x, words = guide_place(study, study.family(id_), offered[0][1])
    assert curve.x.min() < x < curve.x.max()
    assert "c0" in words
    gone = edits.remove_curve(ids[0])(study)
    assert guide_place(gone, gone.family(id_), offered[0][1]) is None


# -- trends -----------------------------------------------------------------------------------------


def read_at(study, id_, ids, x=0.0):
    """The family with a reading of y at x in each curve, and the key of its column."""
    study = edits.share(ids[0], "measures")(
        edits.add_measure(ids[0], parse_measure({"measure": "value-at", "at": x}))(study)
    )
    measure_curves(study, ids)
    column = ledger_of(study, study.family(id_)).columns[0]
    return study, column


def test_a_law_through_readings_is_the_weighted_line_of_numpy(family):
    study, id_, ids = family
    study = edits.set_family_fit(id_, fit_jointly_in(study, id_))(study)  # each its own: independent readings
    column = next(c for c in ledger_of(study, study.family(id_)).columns if c.title == "a")
    trend = trend_of(study, study.family(id_), TrendEntry(key=column.key, unit=column.unit))
    x, y = np.array(CONDITIONS), np.array([study.fit(one).result.parameters["a"].value for one in ids])
    u = np.array([study.fit(one).result.parameters["a"].u for one in ids])
    (slope, at_0), covariance = np.polyfit(x, y, 1, w=1 / u, cov=True)
    found = trend.result.parameters
    assert (found["slope"].value, found["at_0"].value) == pytest.approx((slope, at_0), rel=1e-8)
    assert (found["slope"].u, found["at_0"].u) == pytest.approx(np.sqrt(np.diag(covariance)), rel=1e-6)
    assert trend.curves == tuple(ids)
    assert trend.units == {"at_0": "V", "slope": "V·g^-1"}
    assert trend.through[1] == pytest.approx(at_0 + slope * trend.through[0])


def test_a_trend_says_what_is_missing_and_what_hangs_together(family):
    study, id_, ids = family
    with pytest.raises(InputError, match="has no center"):
        trend_of(study, study.family(id_), TrendEntry(key=ReadingKey("fit", "center", 0)))
    study, column = read_at(study, id_, ids)
    entry = TrendEntry(key=column.key, unit=column.unit)
    lost = edits.set_conditions(id_, {ids[1]: None})(study)
    assert "1 curve has no point here." in trend_of(lost, lost.family(id_), entry).said
    two = edits.set_conditions(id_, dict.fromkeys(ids[1:], None))(study)
    alone = trend_of(two, two.family(id_), entry)
    assert alone.result is None
    assert any("1 point, and the law has 2 parameters" in one for one in alone.said)
    none = edits.set_conditions(id_, dict.fromkeys(ids, None))(study)
    with pytest.raises(InputError, match="both a condition"):
        trend_of(none, none.family(id_), entry)
    odd = trend_of(study, study.family(id_), entry.model_copy(update={"law": "a + c"}))
    assert any("units of the law do not fit" in one for one in odd.said)
    assert trend_of(study, study.family(id_), entry.model_copy(update={"law": ""})).result is None
    with pytest.raises(InputError, match="cannot be read"):
        edits.set_trends(id_, [entry.model_copy(update={"law": "a +"})])
    joint = shared(study, id_, k="k0 + k1*c")
    joint = edits.set_family_fit(id_, fit_jointly_in(joint, id_))(joint)
    key = next(c.key for c in ledger_of(joint, joint.family(id_)).columns if c.title == "k")
    of_law = trend_of(joint, joint.family(id_), TrendEntry(key=key))
    assert of_law.result is None
    assert any("joint fit itself" in one for one in of_law.said)


def test_a_point_far_off_is_marked_and_stays_in_the_law():
    truth = [(2.0 + 0.5 * c, 1.0, 0.5) for c in range(9)]
    truth[4] = (9.0, 1.0, 0.5)
    study, id_, ids = family_of(decays(truth), range(9), decay_model)
    study, column = read_at(study, id_, ids)
    trend = trend_of(study, study.family(id_), TrendEntry(key=column.key, unit=column.unit))
    assert trend.outlying == (4,)
    assert any("c4" in one and "still in it" in one for one in trend.said)
    line = np.polyfit(trend.x, trend.y, 1, w=None if trend.u is None else 1 / trend.u)
    assert trend.result.values["slope"] == pytest.approx(line[0], rel=1e-7)


def test_numbers_of_laws_and_of_the_joint_fit_are_those_of_the_family(family):
    study, id_, ids = family
    study, column = read_at(study, id_, ids)
    study = edits.set_trends(id_, [TrendEntry(key=column.key, unit=column.unit)])(study)
    names = [one.title for one in family_numbers(study, study.family(id_))]
    assert names == [f"at_0 of {column.title}", f"slope of {column.title}"]
    study = shared(study, id_, k="")
    study = edits.set_family_fit(id_, fit_jointly_in(study, id_))(study)
    assert next(one.title for one in family_numbers(study, study.family(id_))) == "k"
    changed = edits.set_conditions(id_, {ids[0]: 9.0})(shared(study, id_, k="k0 + k1*c"))
    assert next(one.title for one in family_numbers(changed, changed.family(id_))) != "k"


# -- laws -------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", LAWS)
@pytest.mark.parametrize("unit", ["K", "°C", "degF"])
def test_every_law_can_be_read_and_has_units(name, unit):
    from curvesieve.core.formula import parse

    text = law_text(name, unit, [20.0, 40.0, 60.0])
    assert parse(text, (CONDITION,)).parameters
    units, problem = law_units(text, unit, "s")
    assert not problem
    assert set(units) == set(parse(text, (CONDITION,)).parameters)
    assert "s" in units.values() or name == "an exponential"


def test_an_activation_energy_follows_from_temperatures_in_celsius():
    """k = A·exp(−E/RT) with E = 50 kJ/mol, at temperatures in °C."""
    r, energy = 8.314462618, 50.0
    celsius = (20.0, 30.0, 40.0, 50.0)
    rates = [1.2 * math.exp(-1e3 * energy / r * (1 / (t + 273.15) - 1 / 308.15)) for t in celsius]
    study, id_, _ = family_of(decays([(2.0, k, 0.5) for k in rates]), celsius, decay_model, unit="°C")
    law = law_text("Arrhenius", "°C", celsius)
    assert law == "at_308K*exp(-T_a*(1/(c + 273.15) - 1/308))"
    study = shared(study, id_, a="", b="", k=law)
    study = edits.set_family_fit(id_, fit_jointly_in(study, id_))(study)
    found = {one.name: one for one in shared_numbers(study, study.family(id_))}
    assert found["E"].unit == "kJ/mol"
    assert abs(found["E"].value - energy) < 3.5 * found["E"].u
    assert 0 < found["E"].u < 1
    assert found["T_a"].unit == "K"
    with pytest.raises(InputError, match="temperature"):
        law_text("Arrhenius", "g", [1.0])
    with pytest.raises(InputError, match="absolute zero"):
        law_text("Arrhenius", "K", [-1.0])
    with pytest.raises(InputError, match="above zero"):
        law_text("a power law", "g", [0.0, 1.0])


# -- groups -----------------------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(5))
def test_groups_are_compared_as_scipy_compares_them(seed):
    rng = np.random.default_rng(seed)
    a, b = rng.normal(1, 0.2, 7), rng.normal(1.2, 0.4, 9)
    found = compare_groups(a, b)
    t, rank = stats.ttest_ind(a, b, equal_var=False), stats.mannwhitneyu(a, b)
    assert found.difference == pytest.approx(a.mean() - b.mean())
    assert [one[2] for one in found.tests] == pytest.approx([t.pvalue, rank.pvalue])
    assert found.interval == pytest.approx(tuple(t.confidence_interval(0.95)))
    assert found.cautions == ()
    pairs = compare_groups(a, b[:7], paired=True)
    t, rank = stats.ttest_rel(a, b[:7]), stats.wilcoxon(a - b[:7])
    assert [one[2] for one in pairs.tests] == pytest.approx([t.pvalue, rank.pvalue])
    assert pairs.difference == pytest.approx(float(np.mean(a - b[:7])))


def test_few_readings_are_cautioned_and_impossible_ones_refused():
    few = compare_groups([1.0, 1.1, 1.2], [5.0, 5.1, 5.2])
    assert any("normal" in one for one in few.cautions)
    assert any("0.1 in the rank test" in one for one in few.cautions)  # 2/C(6, 3)
    assert few.tests[1][2] == pytest.approx(0.1)
    for first, second, paired, said in (
        ([1.0], [2.0, 3.0], False, "two readings"), ([1.0, 2.0], [1.0, 2.0, 3.0], True, "equal number"),
        ([1.0, 1.0], [2.0, 2.0], False, "no scatter"), ([1.0, 2.0], [2.0, 3.0], True, "no scatter"),
        ([1.0, math.nan], [2.0, 2.0], False, "numbers"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=said):
            compare_groups(first, second, paired)


def test_means_of_groups_are_curves_with_the_scatter_of_their_members(family):
    study, id_, ids = family
    study = edits.set_groups(dict.fromkeys(ids[:2], "dry") | dict.fromkeys(ids[2:], "wet"), id_)(study)
    study = edits.mean_as_curve(id_, "mean", "dry", "mean of dry", "m")(study)
    mean = sieved_curve(study, "m").curve
    two = [sieved_curve(study, one).curve for one in ids[:2]]
    assert mean.y == pytest.approx((two[0].y + two[1].y) / 2)
    assert mean.u is not None
    whole = edits.mean_as_curve(id_, "median", "", "median", "n")(study)
    assert len(sieved_curve(whole, "n").curve) == len(two[0])
