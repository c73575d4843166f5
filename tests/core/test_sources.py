"""Curves that come from no record, fits by their keys, and recipes of which a family shares a part."""

from __future__ import annotations

import hashlib

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model
from curvesieve.core.reading import ReadingKey
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps.base import parse_step
from curvesieve.core.steps.combine import Average
from curvesieve.core.study import CurveEntry, Study, edits, load_study, save_study
from curvesieve.core.study.document import FromLedger, FromMean, LedgerColumn
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.passing import recorded, sieved_curve, source_problem
from curvesieve.core.study.store import array_key

X = np.linspace(0, 10, 41)
SLOPE = ReadingKey("fit", "slope")


def lines(*slopes: float) -> Study:
    """A family of straight lines with a little noise, in the order of a temperature; none is fitted."""
    records = []
    for i, slope in enumerate(slopes):
        y = 1 + slope * X + np.random.default_rng(i).normal(0, 0.02, X.size)
        records.append(Record(Source(f"{i}.csv", b"%d" % i), (Channel("Time", "s", X), Channel("Force", "N", y))))
    return edits.add_curves(
        Study(), [(r, Take(0, 1)) for r in records], "lines", labels=[f"c{i}" for i in range(len(slopes))],
        conditions=[20.0 + 10 * i for i in range(len(slopes))], condition=("temperature", "°C"),
    )  # fmt: skip


def ids(study: Study) -> list[str]:
    return [curve.id for curve in study.document.curves]


def fitted(study: Study, *curves: str) -> Study:
    for id_ in curves:
        if not study.model(id_).terms:
            study = edits.set_model(id_, Model().with_background("line", sieved_curve(study, id_).curve))(study)
        study = edits.set_fit(id_, fit_curve(study, id_))(study)
    return study


def with_curve(study: Study, source: object, family: str = "") -> tuple[Study, str]:
    entry = CurveEntry(id=f"made-{len(study.document.curves)}", label="made", source=source)
    study = study.with_document(curves=(*study.document.curves, entry))
    return (edits.move_curves([entry.id], family)(study) if family else study), entry.id


def test_a_curve_of_the_ledger_follows_its_fits():
    study = lines(2.0, 5.0, 3.0)
    curves = ids(study)
    study = fitted(study, *curves)
    family = study.document.families[0]
    column = LedgerColumn(key=SLOPE, unit="N·s^-1")
    study, made = with_curve(study, FromLedger(family=family.id, y=column))
    curve = recorded(study, made)
    readings = [next(r for r in study.readings(id_) if r.key == SLOPE) for id_ in curves]
    np.testing.assert_array_equal(curve.x, [20, 30, 40])
    np.testing.assert_array_equal(curve.y, [r.value for r in readings])
    np.testing.assert_array_equal(curve.u, [r.u for r in readings])
    assert (curve.x_label, curve.x_unit, curve.y_label, curve.y_unit) == ("temperature", "°C", "slope", "N·s^-1")
    assert study.origin(made) == "ledger of lines"
    assert study.needs(made) == frozenset(curves)
    # fitted itself, it is out of date as soon as one of its points is
    study = fitted(study, made)
    assert study.fit_state(made) == "fitted"
    moved = edits.add_step(curves[1], parse_step({"step": "keep-range", "low": 0.0, "high": 8.0}), "k")(study)
    assert moved.fit_state(made) == "out of date"
    assert recorded(moved, made).x.tolist() == [20, 40], "a reading that is out of date is no point"
    back = edits.remove_step(curves[1], "k")(moved)
    assert back.fit_state(made) == "fitted"
    # in the family that it is made of, it is no point of itself
    inside = edits.move_curves([made], family.id)(study)
    inside = edits.change_curve(made, lambda c: c.model_copy(update={"condition": 50.0}))(inside)
    assert inside.fit_state(made) == "fitted"
    assert recorded(inside, made).x.tolist() == [20, 30, 40]
    # one column against another
    study, other = with_curve(study, FromLedger(family=family.id, x=column, y=LedgerColumn(key=SLOPE, unit="N·s^-1")))
    found = recorded(study, other)
    np.testing.assert_array_equal(found.x, np.sort(curve.y))
    np.testing.assert_array_equal(found.y, found.x)
    larger, kilo = with_curve(study, FromLedger(family=family.id, y=LedgerColumn(key=SLOPE, unit="kN·s^-1")))
    np.testing.assert_allclose(recorded(larger, kilo).y, curve.y / 1000, rtol=1e-14)
    np.testing.assert_allclose(recorded(larger, kilo).u, curve.u / 1000, rtol=1e-14)
    wrong, none = with_curve(study, FromLedger(family=family.id, y=LedgerColumn(key=SLOPE, unit="kg")))
    assert len(recorded(wrong, none)) == 0
    assert "“N·s^-1” cannot be converted to “kg”" in source_problem(wrong, none)
    absent = LedgerColumn(key=ReadingKey("fit", "nothing"), unit="N")
    wrong, none = with_curve(study, FromLedger(family=family.id, y=absent))
    assert "No curve of lines has both temperature and nothing" in source_problem(wrong, none)


def test_a_mean_is_that_of_the_curves_as_they_passed(tmp_path):
    study = lines(2.0, 3.0, 4.0)
    curves = ids(study)
    zero = parse_step({"step": "zero", "by": "value", "value": 1.0})
    study = edits.share(curves[0], "sieve")(edits.add_step(curves[0], zero, "z")(study))
    study, made = with_curve(study, FromMean(family=study.document.families[0].id), study.document.families[0].id)
    curve = recorded(study, made)
    passed = [sieved_curve(study, id_).curve for id_ in curves]
    np.testing.assert_allclose(curve.y, np.mean([c.y for c in passed], axis=0), rtol=1e-12)
    assert curve.u is not None
    before = study.digest(made)
    study = edits.change_step(curves[0], "z", parse_step({"step": "zero", "by": "value", "value": 2.0}))(study)
    assert study.digest(made) != before
    np.testing.assert_allclose(recorded(study, made).y, curve.y - 1, rtol=1e-12)
    study = edits.step_out(made, "sieve")(edits.set_sieve(made, ())(study))
    study = fitted(study, made)
    path = tmp_path / "means.sieve"
    save_study(study, path)
    again = load_study(path)
    assert again.document == study.settled().document
    assert again.readings(made) == study.readings(made)
    np.testing.assert_array_equal(recorded(again, made).y, recorded(study, made).y)
    gone = edits.remove_curves(curves)(edits.move_curves([made], "")(study))
    assert source_problem(gone, made) == "The family that this curve is made of is not in the study any more."
    with pytest.raises(cs.InputError, match="not in the study any more"):
        fit_curve(gone, made)
    assert Average().effort(curve) > 0


def test_a_curve_that_would_be_made_of_itself_says_so():
    study = lines(2.0, 3.0)
    curves, family = ids(study), study.document.families[0].id
    study, made = with_curve(study, FromMean(family=family))
    study = edits.add_step(curves[0], parse_step({"step": "combine", "donor": made}), "s")(study)
    assert made in study.needs(made)
    assert len(recorded(study, made)) == 0
    assert source_problem(study, made).startswith("This curve is made of itself")
    assert sieved_curve(study, curves[0]).trail[0].problem, "and the step that takes from it cannot work"


def test_what_is_set_back_has_its_fit_again(tmp_path):
    study = lines(2.0)
    (one,) = ids(study)
    study = fitted(study, one)
    first = study.fit(one)
    model = study.model(one)
    other = edits.set_model(one, model.model_copy(update={"low": 2.0}))(study)
    assert other.fit(one) is None
    other = fitted(other, one)
    assert other.fit(one).key != first.key
    back = edits.set_model(one, model)(other)
    assert back.fit(one) is first
    assert back.fit_state(one) == "fitted"
    # the file keeps the fit that is shown, and that one only
    path = tmp_path / "fits.sieve"
    save_study(back, path)
    assert list(load_study(path).results) == [first.key]
    step = parse_step({"step": "zero", "by": "value", "value": 1.0})
    stale = edits.add_step(one, step, "z")(back)
    assert stale.fit_state(one) == "out of date"
    save_study(stale, path)
    again = load_study(path)
    assert (again.fit_state(one), again.fit(one).result.values) == ("out of date", first.result.values)


def test_a_shared_model_is_fitted_to_each_curve_of_its_family():
    study = lines(2.0, 3.0, 4.0)
    a, b, c = ids(study)
    study = fitted(study, a, b)
    shared = edits.share(a, "model")(study)
    assert [shared.shares(id_, "model") for id_ in (a, b, c)] == [True] * 3
    assert [shared.shares(id_, "sieve") for id_ in (a, b, c)] == [False] * 3
    assert [shared.fit_state(id_) for id_ in (a, b, c)] == ["fitted", "not fitted", "not fitted"]
    shared = fitted(shared, b, c)
    slopes = [next(r.value for r in shared.readings(id_) if r.key == SLOPE) for id_ in (a, b, c)]
    assert slopes == pytest.approx([2, 3, 4], abs=0.01)
    narrower = edits.set_model(b, shared.model(b).model_copy(update={"high": 5.0}))(shared)
    assert {narrower.model(id_).high for id_ in (a, b, c)} == {5.0}
    assert {narrower.fit_state(id_) for id_ in (a, b, c)} == {"not fitted"}
    alone = edits.step_out(c, "model")(narrower)
    alone = edits.set_model(c, alone.model(c).model_copy(update={"high": None}))(alone)
    assert [alone.model(id_).high for id_ in (a, b, c)] == [5.0, 5.0, None]
    assert alone.fit_state(c) == "fitted", "it is as it was when it was fitted"
    assert edits.step_in(c, "model")(alone).model(c).high == 5.0
    out = edits.move_curves([b], "")(alone)
    assert (out.model(b), out.entry(b).shared) == (alone.model(b), ())
    assert ledger_of(out, out.document.families[0]).rows[-1].state == "fitted"


def test_numbers_of_several_dimensions_are_told_apart_by_their_shape():
    flat = np.arange(6.0)
    assert array_key(flat) == hashlib.sha256(flat.tobytes()).hexdigest(), "as files of all versions have it"
    assert len({array_key(flat), array_key(flat.reshape(2, 3)), array_key(flat.reshape(3, 2))}) == 3
    assert array_key(np.asfortranarray(flat.reshape(2, 3))) == array_key(flat.reshape(2, 3))
