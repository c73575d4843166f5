"""A study's questions, families and many curves at once, against what plain arithmetic gives."""

from __future__ import annotations

import re

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.intake.applied import Taken
from curvesieve.core.intake.condition import Condition
from curvesieve.core.intake.families import Corrections, Proposal, propose_family
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model
from curvesieve.core.models.areas import tie_of_area, with_areas
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps import Sieve, StepSlot
from curvesieve.core.steps.level import Zero
from curvesieve.core.steps.repair import Despike
from curvesieve.core.steps.smooth import Smooth
from curvesieve.core.steps.trim import LeaveOut, SortMerge
from curvesieve.core.study import Study, edits, many
from curvesieve.core.study.answers import QUESTIONS, answer, residuals_of
from curvesieve.core.study.fits import band_of, fit_curve, fitted_curve
from curvesieve.core.study.passing import recorded, sieve_family, sieved_curve, unusual_catches
from curvesieve.core.typed import numbers_in

X = np.linspace(0, 10, 81)


def record(name: str, y: np.ndarray, unit: str = "N") -> Record:
    return Record(Source(name, name.encode()), (Channel("t", "s", X), Channel("F", unit, y)))


def study_of(*ys: np.ndarray) -> Study:
    records = [record(f"{i}.csv", y) for i, y in enumerate(ys)]
    return edits.add_curves(Study(), [(r, Take(0, 1)) for r in records], "f", labels=[f"c{i}" for i in range(len(ys))])


def fitted(study: Study, id_: str, model: Model) -> Study:
    study = edits.set_model(id_, model)(study)
    return edits.set_fit(id_, fit_curve(study, id_))(study)


# -- questions -------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def parabola() -> tuple[Study, str, np.ndarray, np.ndarray]:
    y = 5 - 0.5 * (X - 4) ** 2 + np.random.default_rng(6).normal(0, 0.1, X.size)
    study = study_of(y)
    one = study.document.curves[0].id
    study = fitted(study, one, Model().with_background("polynomial-2", sieved_curve(study, one).curve))
    values, covariance = np.polyfit(X, y, 2, cov=True)
    return study, one, values, covariance


def numbers(line: str) -> list[float]:
    return [float(n) for n in re.findall(r"-?\d+\.?\d*(?:e[+-]?\d+)?", line)]


def test_every_question_is_answered_with_u_and_unit(parabola):
    study, one, (c, b, a), covariance = parabola
    cov = covariance[::-1, ::-1]

    def u_of(*g: float) -> float:
        return float(np.sqrt(np.array(g) @ cov @ np.array(g)))

    lines, derived = answer(study, one, "y", "1,5; 7.25")
    assert derived is None
    for said, at in zip(lines, (1.5, 7.25), strict=True):
        x, y, u = numbers(said.whole.replace(" ± ", " "))
        assert x == at
        assert (y, u) == pytest.approx((a + b * at + c * at * at, u_of(1, at, at * at)), rel=1e-7)
        assert said.whole.endswith(" N")
    root = np.sort(np.roots([c, b, a - 2.0]).real)
    (low, high), _ = answer(study, one, "x", "2 ± 0.3")
    for said, at in ((low, root[0]), (high, root[1])):
        y, x, u = numbers(said.whole.removesuffix(" s"))
        assert (y, x) == (2.0, pytest.approx(at, rel=1e-9))
        assert u == pytest.approx(np.hypot(u_of(1, at, at * at), 0.3) / abs(b + 2 * c * at), rel=1e-6)
    (bare, _), _ = answer(study, one, "x", "2")
    assert numbers(bare.whole.removesuffix(" s"))[2] < u
    assert answer(study, one, "x", "2 +- 0.3")[0] == [low, high]
    (top,), _ = answer(study, one, "extremum", "")
    assert top.text.startswith("maximum at x = ")
    assert numbers(top.whole)[0] == pytest.approx(-b / (2 * c), rel=1e-7)
    zeros, _ = answer(study, one, "root", "")
    assert [numbers(said.whole.partition("x =")[2])[0] for said in zeros] == pytest.approx(
        sorted(r for r in np.roots([c, b, a]).real if 0 <= r <= 10), rel=1e-9
    )
    (area,), _ = answer(study, one, "area", "1 6")
    assert numbers(area.whole.removesuffix(" N·s").removesuffix(" s·N"))[2:] == pytest.approx(
        [5 * a + 17.5 * b + 215 / 3 * c, u_of(5, 17.5, 215 / 3)], rel=1e-7
    )
    (whole,), _ = answer(study, one, "area", "")
    assert whole.text.startswith("area from 0 to 10: ")


@pytest.mark.parametrize(
    ("question", "given", "sentence"),
    [
        ("y", "", "no number here; give an x such as 12.5"),
        ("y", "x", "“x” is not a number; give an x"),
        ("x", "2 ± wide", "“wide” is not a number; give a number after ±"),
        ("x", "900", "does not reach y = 900"),
        ("area", "1", "needs two values of x"),
        ("area", "1 2 3", "needs two values of x"),
        ("formula", "k0/2", "no parameter 'k0'"),
        ("formula", "gone =", "no quantity gone to forget"),
        ("formula", "a1 = 3", "is a parameter of the model"),
        ("formula", "half = a0/", "half = a0/"),
    ],
)
def test_what_cannot_be_answered_says_why(parabola, question, given, sentence):
    study, one, *_ = parabola
    with pytest.raises(cs.InputError, match=re.escape(sentence)):
        answer(study, one, question, given)


def test_a_line_has_no_extremum_and_a_quantity_is_kept_or_forgotten():
    study = study_of(1 + 2 * X + np.random.default_rng(0).normal(0, 0.01, X.size))
    one = study.document.curves[0].id
    study = fitted(study, one, Model().with_background("line", sieved_curve(study, one).curve))
    with pytest.raises(cs.InputError, match="no maximum and no minimum"):
        answer(study, one, "extremum", "")
    (line,), kept = answer(study, one, "formula", "zero = -offset/slope")
    assert kept == (("zero", "-offset/slope"),)
    assert line.text.startswith("zero = -offset/slope: ")
    assert line.text.endswith(" s (in the ledger)")
    (plain,), same = answer(study, one, "formula", "-offset/slope")
    assert same == ()
    assert "ledger" not in plain.text
    model = study.model(one).model_copy(update={"derived": kept})
    named = fitted(study, one, model)
    (gone,), left = answer(named, one, "formula", "zero =")
    assert (gone.text, left) == ("zero is no longer kept.", ())
    (again,), replaced = answer(named, one, "formula", "zero = offset")
    assert replaced == (("zero", "offset"),), "the same name once more takes the place of the old"
    assert again.text.endswith(" N (in the ledger)")
    assert set(QUESTIONS) == {"y", "x", "extremum", "root", "area", "formula"}


def test_bands_and_residuals_are_those_of_the_fit(parabola):
    study, one, values, covariance = parabola
    band = band_of(study, one)
    assert (band.x[0], band.x[-1]) == (0.0, 10.0)
    rows = np.column_stack([band.x**2, band.x, np.ones(band.x.size)])
    u = np.sqrt(np.einsum("ij,jk,ik->i", rows, covariance, rows))
    r = recorded(study, one).y - np.polyval(values, X)
    sigma = np.sqrt(r @ r / (X.size - 3))
    from scipy.stats import t

    k = t.ppf(0.975, X.size - 3)
    np.testing.assert_allclose(band.confidence, k * u, rtol=1e-5)
    np.testing.assert_allclose(band.prediction, k * np.hypot(u, sigma), rtol=1e-5)
    np.testing.assert_allclose(band.y, np.polyval(values, band.x), rtol=1e-7)
    check, (counts, edges, _) = residuals_of(study, one)
    np.testing.assert_allclose(edges[-1], np.abs(r).max(), rtol=1e-6)
    assert counts.sum() == X.size
    assert check.runs == 1 + np.count_nonzero(np.diff(np.sign(r)))
    stale = edits.add_step(one, Zero(value=1.0), "s")(study)
    assert band_of(stale, one) is None


# -- many curves -----------------------------------------------------------------------------------


def test_a_family_is_passed_alike_by_one_process_and_by_many(monkeypatch):
    rng = np.random.default_rng(1)
    ys = [3 + np.sin(X + i) + rng.normal(0, 0.05, X.size) for i in range(13)]
    study = study_of(*ys)
    ids = [curve.id for curve in study.document.curves]
    steps = (
        StepSlot(id="a", rule=Smooth(window=5)),
        StepSlot(id="b", rule=Zero(by="band", low=1, high=2), on=False),
        StepSlot(id="c", rule=LeaveOut(rule="y > 3.9"), name="mine"),
        StepSlot(id="d", rule=Zero(by="band", low=90, high=91)),  # cannot work: its reason comes back, too
    )
    for id_ in ids:
        study = edits.set_sieve(id_, steps)(study)
    told: list[float] = []
    alone = [study.sieve(id_)(recorded(study, id_)) for id_ in ids]
    monkeypatch.setattr(many, "_WORTH_IT", 0)
    jobs = [(recorded(study, id_), study.sieve(id_)) for id_ in ids]
    together = many.pass_many(jobs, told.append)
    assert told == pytest.approx([(i + 1) / 13 for i in range(13)])
    for one, other in zip(alone, together, strict=True):
        assert one.curve.digest == other.curve.digest
        for here, there in zip(one.trail, other.trail, strict=True):
            assert (here.message, here.problem, here.slot) == (there.message, there.problem, there.slot)
            np.testing.assert_array_equal(here.caught.points, there.caught.points)
            np.testing.assert_array_equal(here.after.flags, there.after.flags)
    assert "No point lies" in together[0].trail[3].problem

    def stop(share: float) -> None:
        if share > 0.3:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        many.pass_many(jobs, stop)
    whole = sieve_family(study, ids)
    assert [made.curve.digest for made in whole] == [made.curve.digest for made in alone]


def test_catches_far_from_the_usual_are_told_with_their_reason():
    rng = np.random.default_rng(5)
    ys = [10 + rng.normal(0, 0.1, X.size) for _ in range(6)]
    for i, count in enumerate((2, 2, 2, 2, 20, 2)):
        ys[i][np.arange(1, 1 + 3 * count, 3)] += 30
    study = study_of(*ys)
    ids = [curve.id for curve in study.document.curves]
    for id_ in ids:
        study = edits.add_step(id_, LeaveOut(rule="y > 20"), f"s{id_}")(study)
    study = edits.add_step(ids[2], Zero(by="band", low=50, high=60), "z")(study)
    found = unusual_catches(study, ids)
    assert set(found) == {ids[2], ids[4]}
    assert found[ids[4]] == "20 points caught, 2 is usual in this family"
    assert found[ids[2]].startswith("Zero: No point lies in the band")
    assert unusual_catches(study, ids[:2]) == {}


def test_a_fit_counts_its_points_and_refuses_a_curve_that_was_not_cleaned():
    y = np.exp(-0.5 * ((X - 5) / 1.2) ** 2) * 8 + 1
    y[[10, 40]] += 50
    study = study_of(y + np.random.default_rng(0).normal(0, 0.05, X.size))
    one = study.document.curves[0].id
    study = edits.add_step(one, Despike(), "d")(study)
    study = edits.add_step(one, LeaveOut(low=0.0, high=0.55), "l")(study)
    curve = sieved_curve(study, one).curve
    model = Model().with_background("constant", curve).add_peak("gaussian", curve, 5.0)
    fit = fit_curve(edits.set_model(one, model)(study), one)
    assert (fit.basis.recorded, fit.passed) == (81, 81)
    assert fit.basis.used == np.count_nonzero((curve.flags == 0) & model.points_in_use(curve))
    assert fit.basis.used == 81 - 2 - 5
    patched = edits.set_model(one, model.model_copy(update={"use_patched": True, "gaps": ((7.0, 8.0),)}))(study)
    assert fit_curve(patched, one).basis.used == 81 - 5 - np.count_nonzero((X >= 7) & (X <= 8))
    problem, on = fitted_curve(edits.set_fit(one, fit)(edits.set_model(one, model)(study)), one)
    assert problem.y.size == fit.basis.used
    assert on.result is fit.result
    bad = edits.add_step(one, Zero(by="band", low=50, high=60), "z")(edits.set_model(one, model)(study))
    with pytest.raises(cs.InputError, match="The step Zero does not work"):
        fit_curve(bad, one)


# -- families --------------------------------------------------------------------------------------


def taken(name: str, *conditions: float | None, unit: str = "") -> Taken:
    return Taken(record(name, X), (Take(0, 1),) * len(conditions), conditions, ("T", unit))


def test_families_are_titled_labelled_and_corrected():
    members = [(4, taken("film 2 wt.csv", None)), (7, taken("film 0p5 wt.csv", None))]
    proposal = propose_family(members, Corrections())
    assert proposal.keys == ((4, 0), (7, 0))
    assert (proposal.condition.name, proposal.condition.unit) == ("loading", "wt%")
    assert proposal.condition.values == (2.0, 0.5)
    assert proposal.title == "F against t by loading"
    assert proposal.labels == ["2 wt%", "0.5 wt%"]
    said = Corrections(name="dose", unit="").with_value((7, 0), 9.0).with_value((7, 0), 3.0)
    corrected = propose_family(members, said)
    assert corrected.condition == Condition("dose", "", (2.0, 3.0))
    assert corrected.labels == ["dose 2", "dose 3"]
    gone = propose_family(members, Corrections().with_value((4, 0), None))
    assert gone.labels == ["film 2 wt", "film 0p5 wt"], "without a value for each, the files' names"
    twice = propose_family(members, Corrections().with_value((7, 0), 2.0))
    assert twice.labels == ["film 2 wt", "film 0p5 wt"], "one value twice tells nothing apart"
    nameless = propose_family([(1, taken("a.csv", None)), (2, taken("b.csv", None))], Corrections())
    assert (nameless.title, nameless.condition.name) == ("F against t", "")
    given = propose_family(
        [(1, taken("a.csv", None)), (2, taken("b.csv", None))], Corrections().with_value((1, 0), 5.0)
    )
    assert given.condition.name == "condition"


def test_curves_of_one_file_are_told_by_their_channels():
    wide = Record(
        Source("run.xlsx · sheet 1", b"w"), (Channel("t", "s", X), Channel("a", "N", X), Channel("b", "N", X))
    )
    both = Taken(wide, (Take(0, 1), Take(0, 2)), (None, None), ("", ""))
    proposal = propose_family([(3, both)], Corrections())
    assert proposal.keys == ((3, 0), (3, 1))
    assert isinstance(proposal, Proposal)
    assert proposal.title == "2 channels against t"
    assert proposal.labels == ["run.xlsx · sheet 1 · a", "run.xlsx · sheet 1 · b"]


# -- small things that numbers pass through ----------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("12.5", [12.5]), ("1,5", [1.5]), ("1,5; 2", [1.5, 2.0]), ("1.5, 2.5", [1.5, 2.5]), ("1.5,2.5", [1.5, 2.5]),
        ("  3  4\t5\n6", [3, 4, 5, 6]), ("−2 1e-3", [-2, 0.001]), ("", []), (" ; ", []), ("1, 2, 3", [1, 2, 3]),
    ],
)  # fmt: skip
def test_numbers_as_people_type_them(text, wanted):
    assert numbers_in(text) == wanted


@pytest.mark.parametrize(("text", "word"), [("1 two", "two"), ("nan", "nan"), ("3 inf", "inf"), ("1;;2x", "2x")])
def test_words_that_are_no_numbers_are_named(text, word):
    with pytest.raises(cs.InputError, match=f"“{word}” is not a number"):
        numbers_in(text)


def test_areas_are_tied_through_the_size_of_their_peak():
    curve = cs.Curve(X, np.exp(-((X - 3) ** 2)) + np.exp(-((X - 7) ** 2)))
    model = Model().add_peak("gaussian", curve, 3).add_peak("lorentzian", curve, 7)
    size, tie = tie_of_area(model, 2, "area_1/2")
    assert size == "height"
    model = model.replaced(model.term_numbered(2).with_state("height", tie=tie))
    study = study_of(2 * np.exp(-((X - 3) ** 2)) + 0.7 / (1 + (X - 7) ** 2))
    one = study.document.curves[0].id
    study = fitted(study, one, model)
    area = {r.part: r.value for r in study.readings(one) if r.quantity == "area"}
    assert area[2] == pytest.approx(area[1] / 2, rel=1e-9)
    assert study.fit(one).result.parameters["height_2"].state == "tied"
    with pytest.raises(cs.InputError, match="tied to itself"):
        tie_of_area(model, 2, "area_2/2")
    with pytest.raises(cs.InputError, match="cannot be read"):
        with_areas(model, "area_1/")
    assert with_areas(model, "height_1*2") == "height_1*2"


def test_points_are_left_out_by_band_rule_and_name_together():
    curve = cs.Curve(X, X % 3)
    made = LeaveOut(low=1.0, high=2.0, rule="y >= 2.5", points=(5.0, 5.01)).apply(curve)
    out = ((X >= 1) & (X <= 2)) | (X % 3 >= 2.5) | (X == 5.0)
    np.testing.assert_array_equal((made.curve.flags & Flag.LEFT_OUT) != 0, out)
    np.testing.assert_array_equal(made.caught.points, np.flatnonzero(out))
    open_end = LeaveOut(high=2.0).apply(curve).curve
    np.testing.assert_array_equal(open_end.flags != 0, X <= 2)
    for rule in ("x < 3", "x <= 3", "x > 3", "x >= 3"):
        np.testing.assert_array_equal(LeaveOut(rule=rule).apply(curve).curve.flags != 0, eval(rule, {"x": X}))
    for step, sentence in (
        (LeaveOut(), "no point is named"), (LeaveOut(rule="y > -1"), "every point would be left out"),
        (LeaveOut(rule="y"), "compares nothing"), (LeaveOut(rule="y > k"), "knows x and y, but not k"),
    ):  # fmt: skip
        with pytest.raises(cs.InputError, match=sentence):
            step.apply(curve)
    start = LeaveOut.fitted_to(curve)
    assert (start.low, start.high) == (4.75, 5.25)


@pytest.mark.parametrize("with_u", [False, True])
def test_points_that_share_an_x_become_their_weighted_mean(with_u):
    x = np.array([3.0, 1, 2, 1, 3, 3, 2, 1])
    y = np.array([6.0, 1, 4, 2, 7, 100, 5, 50])
    u = np.array([0.1, 0.2, 0.1, 0.4, 0.3, 9, 0.1, 9]) if with_u else None
    flags = np.zeros(8, np.uint8)
    flags[[5, 7]] = Flag.LEFT_OUT
    flags[3] = Flag.PATCHED
    made = SortMerge().apply(cs.Curve(x, y, u, flags=flags))
    used = made.curve.used
    np.testing.assert_array_equal(used.x, [1, 2, 3])
    for i, members in enumerate(([1, 3], [2, 6], [0, 4])):
        w = np.ones(2) if u is None else 1 / u[members] ** 2
        assert used.y[i] == pytest.approx(np.sum(w * y[members]) / w.sum(), rel=1e-12)
        if u is not None:
            assert used.u[i] == pytest.approx(w.sum() ** -0.5, rel=1e-12)
    assert (used.flags == [Flag.PATCHED, 0, 0]).all(), "what a patched point is part of is patched"
    np.testing.assert_array_equal(np.sort(made.curve.y[(made.curve.flags & Flag.LEFT_OUT) != 0]), [50, 100])
    assert (np.diff(made.curve.x) >= 0).all()
    plain = SortMerge(merge=False).apply(cs.Curve(x, y, u, flags=flags)).curve
    np.testing.assert_array_equal(plain.x, np.sort(x))
    np.testing.assert_array_equal(plain.y, y[np.argsort(x, kind="stable")])


def test_a_sieve_says_what_is_on_and_passes_in_order():
    sieve = Sieve(
        (
            StepSlot(id="a", rule=Zero(by="value", value=2.0)),
            StepSlot(id="b", rule=Zero(by="value", value=5.0), on=False),
        )
    )
    made = sieve(cs.Curve(X, X))
    np.testing.assert_allclose(made.curve.y, X - 2)
    assert [trail.after is trail.before for trail in made.trail] == [False, True]
    assert "value 2.0" in sieve.written()
    assert "5.0" not in sieve.written()
