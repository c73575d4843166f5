"""Files of test machines as tests: channels, shapes, signs, extensometers, quantities, sets, literature, report."""

from __future__ import annotations

import json

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core import literature
from curvesieve.core.formats import read, tables
from curvesieve.core.formats.opening import load
from curvesieve.core.intake.applied import apply_pattern, with_names
from curvesieve.core.intake.computed import ComputedChannel, compute
from curvesieve.core.intake.dimensions import shape_of, sizes_of
from curvesieve.core.intake.extensometer import carried_on, taken_off
from curvesieve.core.intake.families import Corrections, propose_family
from curvesieve.core.intake.machine import TESTS, extensions_of, recognised
from curvesieve.core.intake.pattern import Pattern, family_kind, guess, with_quantity
from curvesieve.core.intake.take import Take
from curvesieve.core.intake.tested import stress_strain
from curvesieve.core.intake.testing import as_test, without_test
from curvesieve.core.literature import Literature
from curvesieve.core.measures import parse_measure
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.report.pages import report_of, report_of_curve
from curvesieve.core.report.writing import written
from curvesieve.core.sets import BY_TEST, SETS, read_test
from curvesieve.core.study import Study, edits
from curvesieve.core.study.joining import join_family
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.measuring import measure_curves, measured_curve
from curvesieve.demo.tension_files import STRIPS, write_tension

N = 400
T = np.linspace(0, 100, N)


def record(channels: dict[str, tuple[str, np.ndarray]], **preamble: str) -> Record:
    made = tuple(Channel(name, unit, values) for name, (unit, values) in channels.items())
    return Record(Source("m.csv", b"m"), made, tuple((key.replace("_", " "), text) for key, text in preamble.items()))


EXTENSION = {"Extension": ("mm", T / 100), "Force": ("N", 10 * T)}


def test_every_test_is_made_of_force_and_extension_by_its_formula():
    """By hand at the last row: F = 1000 N, D = 1 mm. Bending: ISO 178 and ASTM D6272, from memory."""
    size = {"Width": "10 mm", "Thickness": "4 mm", "Gauge_length": "50 mm", "Span": "64 mm", "Load_span": "32 mm"}
    made = record({"Time": ("s", T), **EXTENSION}, **size)
    assert [test.slug for test in recognised(made)] == [
        "tension", "compression", "bending-3", "bending-4", "relaxation", "creep", "cycles", "indentation",
    ]  # fmt: skip
    wanted = {
        "tension": (0.02, 25.0), "compression": (0.02, 25.0), "cycles": (0.02, 25.0), "relaxation": (100.0, 25.0),
        "creep": (100.0, 0.02), "indentation": (1.0, 1000.0),
        "bending-3": (6 * 1 * 4 / 64**2, 3 * 1000 * 64 / (2 * 10 * 16)),
        "bending-4": (4.36 * 1 * 4 / 64**2, 3 * 1000 * 64 / (4 * 10 * 16)),
    }  # fmt: skip
    for slug, (x, y) in wanted.items():
        curve = stress_strain(made, (), TESTS[slug]).curve
        assert (curve.x[-1], curve.y[-1]) == (pytest.approx(x, rel=1e-3), pytest.approx(y, rel=1e-3)), slug
    third = record(EXTENSION, **{**size, "Load_span": "21.333333 mm"})
    bent = stress_strain(third, (), TESTS["bending-4"]).curve  # D6272 at a third: F·L/(b·d²), 4.70·D·d/L²
    assert bent.y[-1] == pytest.approx(1000 * 64 / 160, rel=1e-6)
    assert bent.x[-1] == pytest.approx(4.70 * 4 / 64**2, rel=2e-3)
    with pytest.raises(cs.InputError, match="span and load span of the rollers is not known"):
        stress_strain(record(EXTENSION, Width="10 mm", Thickness="4 mm"), (), TESTS["bending-4"])
    assert recognised(record({"shift": ("1/cm", T), "counts": ("", T)})) == []


@pytest.mark.parametrize(
    ("preamble", "shape", "area"),
    [
        ({"Width": "10 mm", "Thickness": "2 mm"}, "rectangular", 20.0),
        ({"Diameter": "0.25 in"}, "round", np.pi * 6.35**2 / 4),
        ({"Diameter": "10 mm", "Inner_diameter": "8 mm"}, "tube", np.pi * 9),
        ({"Cross_section": "0.3 cm^2"}, "own area", 30.0),
    ],
)
def test_shapes_of_specimens_give_their_areas(preamble, shape, area):
    made = record(EXTENSION, Gauge_length="50 mm", **preamble)
    assert shape_of(sizes_of(made)) == shape
    tested = stress_strain(made)
    assert tested.curve.y[-1] == pytest.approx(1000 / area, rel=1e-9)
    quantities = {one.name: one for one in tested.quantities}
    assert quantities["cross_section"].value == pytest.approx(area, rel=1e-9)


def test_u_of_a_diameter_counts_twice_in_the_scale_and_reduction_of_area_is_told():
    made = record(
        {"Time": ("s", T), **EXTENSION}, Diameter="10.0(1) mm", Final_diameter="8.00(5) mm", Gauge_length="50.0(5) mm"
    )
    quantities = {one.name: one for one in stress_strain(made).quantities}
    assert quantities["scale_of_y"].u == pytest.approx(0.02, rel=1e-6)
    assert quantities["scale_of_x"].u == pytest.approx(0.01, rel=1e-6)
    reduction = quantities["reduction_of_area"]
    assert reduction.value == pytest.approx(36.0)
    assert reduction.u == pytest.approx(64 * np.hypot(2 * 0.05 / 8, 2 * 0.1 / 10), rel=1e-6)
    assert quantities["strain_rate"].value == pytest.approx(2e-4, rel=1e-6)
    read_ = {r.name: r for r in read_test(made).readings}
    assert read_["Z"].value == pytest.approx(36.0)
    assert read_["rate"].value == pytest.approx(2e-4, rel=1e-6)
    assert read_["W in J"].value == pytest.approx(0.5, rel=0.01), "½·1000 N·1 mm"


def test_a_length_column_has_its_first_value_as_gauge_length():
    made = record({"Length": ("inch", 2 + T / 1000), "Load": ("lbf", T)}, Area="0.1 in^2")
    curve = stress_strain(made).curve
    assert curve.x[-1] == pytest.approx(0.05)
    assert curve.y[-1] == pytest.approx(1000 * 0.45359237 * 9.80665 / 0.0254**2 / 1e6, rel=1e-6)


def test_signs_are_turned_for_what_is_pressed_and_refused_for_what_is_pulled():
    pressed = record({"Extension": ("mm", -T / 100), "Force": ("N", -10 * T)}, Area="40 mm^2", Gauge_length="50 mm")
    curve = stress_strain(pressed, (), TESTS["compression"]).curve
    assert (curve.x[-1], curve.y[-1]) == (pytest.approx(0.02), pytest.approx(25))
    with pytest.raises(cs.InputError, match="as of a compression test"):
        stress_strain(pressed)
    assert stress_strain(pressed, (), TESTS["cycles"]).curve.y[-1] == pytest.approx(-25)


def _removed(way: str) -> tuple[np.ndarray, np.ndarray]:
    cross = T / 10
    off = 0.4 * cross
    if way == "falls":
        off[150:] = 0.05
    elif way == "ends":
        off[150:] = np.nan
    elif way == "stands still":
        off[150:] = off[149]
    return off, cross


@pytest.mark.parametrize("way", ["falls", "ends", "stands still"])
def test_an_extensometer_that_was_taken_off_is_found_and_strain_goes_on(way):
    off, cross = _removed(way)
    assert taken_off(off, cross) == 149
    joined = carried_on(off, cross)
    np.testing.assert_allclose(joined[:150], off[:150])
    np.testing.assert_allclose(joined[150:], off[149] + cross[150:] - cross[149])
    assert np.all(np.diff(joined) > 0)
    made = record(
        {"Crosshead": ("mm", cross), "Extensometer": ("mm", off), "Force": ("N", 10 * T)},
        Width="10 mm", Thickness="4 mm", Gauge_length="25 mm", Grip_distance="100 mm",
    )  # fmt: skip
    tested = stress_strain(made)
    assert tested.curve.x[100] == pytest.approx(off[100] / 25)
    assert tested.curve.x[-1] == pytest.approx(off[149] / 25 + (cross[-1] - cross[149]) / 100)
    assert any("taken off in mid-test" in note for note in tested.notes)
    assert extensions_of(made) == ["Crosshead", "Extensometer"]


def test_an_extensometer_that_stays_is_left_alone():
    off, cross = _removed("")
    rng = np.random.default_rng(0)
    assert taken_off(off, cross) is None
    assert taken_off(off + rng.normal(0, 0.002, N), cross) is None
    up_and_down = np.abs(50 - T)[::-1]
    assert taken_off(up_and_down, up_and_down * 2) is None, "both turn back: no removal"
    assert taken_off(np.full(N, np.nan), cross) is None
    with pytest.raises(cs.InputError, match="measure different things"):
        compute(record({"a": ("mm", T), "b": ("N", T)}), ComputedChannel(name="c", formula="carried_on(a, b)"))


def test_what_is_odd_about_a_record_is_told():
    late = record({"Extension": ("mm", T / 100), "Force": ("N", 500 + 10 * T)}, Area="40 mm^2", Gauge_length="50 mm")
    assert any("begins at 33% of its largest stress" in note for note in stress_strain(late).notes)
    faster = np.where(T < 50, T, 50 + 4 * (T - 50)) / 100
    changed = record({"Time": ("s", T), "Extension": ("mm", faster), "Force": ("N", 10 * T)}, Area="40 mm^2",
                     Gauge_length="50 mm")  # fmt: skip
    (note,) = [note for note in stress_strain(changed).notes if "rate changes" in note]
    assert "from 0.0002 to 0.0008 1/s at a strain of about 0.01" in note
    assert not [
        n for n in stress_strain(record({"Time": ("s", T), **EXTENSION}, Area="4 mm^2", L0="5 mm")).notes if "rate" in n
    ]


# -- the reading pattern ------------------------------------------------------------------------------


def taken_as(made: Record, slug: str, **choices: str):
    pattern = guess_of(made)
    return as_test(pattern, made, slug, **choices)


def guess_of(made: Record) -> Pattern:
    from curvesieve.core.intake.pattern import ChannelRule

    rules = tuple(ChannelRule(heading=c.name, file_unit=c.unit, name=c.name, unit=c.unit) for c in made.channels)
    return Pattern(format="text", channels=rules)


def test_a_pattern_as_a_test_asks_for_what_is_missing_and_keeps_what_was_typed():
    made = record(EXTENSION, Width="10.00(5) mm")
    pattern = taken_as(made, "tension")
    assert [rule.channel.formula for rule in pattern.computed] == ["Extension/gauge", "Force/(Width*thickness)"]
    with pytest.raises(cs.InputError, match="gauge is not known"):
        apply_pattern(made, pattern)
    pattern = with_quantity(pattern, 0, "gauge", Quantity.read("gauge", "50 mm"))
    pattern = with_quantity(pattern, 1, "thickness", Quantity.read("thickness", "4 mm"))
    taken = apply_pattern(made, pattern)
    assert taken.test == "tension"
    assert {one.name: one.u for one in taken.quantities}["scale_of_y"] == pytest.approx(0.005)
    # another test of the same file keeps them; and one that was not a test again has none of its channels
    bent = as_test(pattern, made, "compression")
    assert apply_pattern(made, bent).takes[0].curve(apply_pattern(made, bent).record).y[-1] == pytest.approx(25)
    assert without_test(bent).computed == ()
    assert Pattern.model_validate_json(bent.model_dump_json()) == bent
    own = (Quantity.read("thickness", "2 mm"),)
    again = apply_pattern(made, pattern, own)
    assert again.takes[0].curve(again.record).y[-1] == pytest.approx(50)


def test_channels_of_the_same_name_and_an_extensometer_taken_off_work_in_a_pattern():
    off, cross = _removed("falls")
    made = record({"Stress": ("MPa", 10 * T), "Strain": ("%", off), "Stroke": ("mm", cross)}, Grip_distance="100 mm")
    pattern = taken_as(made, "tension")
    names = [rule.channel.name for rule in pattern.computed]
    assert names == ["Extensometer strain", "Crosshead strain", "Engineering strain", "Engineering stress"]
    taken = apply_pattern(made, pattern)
    curve = taken.takes[0].curve(taken.record)
    assert curve.x[-1] == pytest.approx(off[149] / 100 + (cross[-1] - cross[149]) / 100)
    other = taken_as(made, "tension", extension="Stroke")
    curve = apply_pattern(made, other).takes[0].curve(apply_pattern(made, other).record)
    assert curve.x[-1] == pytest.approx(cross[-1] / 100)


def test_percent_without_a_word_is_asked_about_and_other_names_make_one_family():
    bare = record({"Strain": ("", T), "Stress": ("MPa", T)})
    with pytest.raises(cs.InputError, match="goes to 100 without a unit"):
        apply_pattern(bare, taken_as(bare, "tension"))
    one, other = record(EXTENSION, Area="4 mm^2", L0="50 mm"), record(
        {"Travel": ("inch", T / 100), "Load": ("lbf", T)}, Cross_section="1 in^2", Gauge="2 in"
    )  # fmt: skip
    assert family_kind(taken_as(one, "tension")) == family_kind(taken_as(other, "tension"))
    assert family_kind(taken_as(one, "tension")) != family_kind(taken_as(other, "compression"))


def test_every_set_is_read_of_a_curve_of_its_test():
    """Each as a recipe that can be written and read, and its measures work on a curve that is of that kind."""
    assert set(BY_TEST) == set(TESTS)
    rng = np.random.default_rng(2)
    e = np.linspace(0, 0.05, 500)
    pulled = 40 * (1 - np.exp(-e / 0.02)) + rng.normal(0, 0.02, e.size)
    t = np.geomspace(0.1, 100, 300)
    cone = np.append(np.linspace(0, 1, 200), np.linspace(1, 0.45, 200))
    swing = np.linspace(-np.pi / 2, 5.5 * np.pi, 900)
    curves = {
        "relaxation": cs.Curve(t, 5 + 3 * np.exp(-t / 2) + 2 * np.exp(-t / 20) + rng.normal(0, 0.01, 300)),
        "creep": cs.Curve(t, 0.01 + 1e-5 * t + rng.normal(0, 1e-6, 300), x_unit="s"),
        "cycles": cs.Curve(0.01 * np.sin(swing), 5 * np.sin(swing + 0.1), x_unit="1", y_unit="MPa"),
        "indentation": cs.Curve(cone, np.append(cone[:200] ** 2, np.maximum(cone[200:] - 0.4, 0) ** 1.5 / 0.6**1.5),
                                x_unit="µm", y_unit="mN"),
    }  # fmt: skip
    for one in (one for one in SETS if one.test):
        curve = curves.get(one.test, cs.Curve(e, pulled, x_unit="1", y_unit="MPa"))
        done = one.recipe_with([])(curve)
        failed = [(o.slot.title, o.problem) for o in done.outcomes if o.problem and not o.absent]
        assert not failed, (one.test, failed)
        assert (
            cs.Recipe.parse(one.recipe_with(["strain_rate"]).to_json()).measures
            == one.recipe_with(["strain_rate"]).measures
        )


# -- studies, literature, report ----------------------------------------------------------------------


def study_of(folder, count: int = 6) -> Study:
    members = []
    for number, path in enumerate(write_tension(folder)[:count]):
        (table,) = tables(load(path))
        plain = guess(table)
        pattern = as_test(plain, with_names(table.record, plain), "tension")
        members.append((number, apply_pattern(table.record, pattern)))
    proposal = propose_family(members, Corrections())
    assert (proposal.title, proposal.condition.name) == ("Tension", "")
    chosen = [(taken.record, take) for _, taken in members for take in taken.takes]
    study = edits.add_curves(Study(), chosen, proposal.title, proposal.labels)
    family = study.document.families[-1].id
    return edits.as_tested(study, family, "tension", [taken.quantities for _, taken in members])


def test_the_demo_s_tension_family_reads_as_it_was_made(tmp_path):
    study = study_of(tmp_path)
    for strip, curve in zip(STRIPS, study.document.curves, strict=True):
        made = strip.made
        read_ = {r.name: r for one in measured_curve(study, curve.id) for r in one.readings}
        for name, true in (("E", made.modulus / 1000), ("Rp0.2", made.yield_02)):
            if true is not None:
                assert abs(read_[name].value - true) < 2 * read_[name].u, (strip.name, name)
        assert (
            abs(read_["Rm"].value - made.strength) < 2 * read_["Rm"].u + 0.004 * made.strength
        )  # the largest of noise
        assert read_["At"].value == pytest.approx(100 * made.strain[-1], rel=1e-3)
        assert read_["W"].value == pytest.approx(made.toughness, rel=2e-3)
        assert read_["rate"].value == pytest.approx(5e-4, rel=1e-4)
        assert ("Rp0.2" in read_) == (made.yield_02 is not None)
        assert curve.group == strip.material
    alone = {r.name: r for r in read_test(read(tmp_path / "foil_1.csv")).readings}
    here = {r.name: r for one in measured_curve(study, study.document.curves[0].id) for r in one.readings}
    assert {n: (r.value, r.u) for n, r in alone.items()} == {n: (r.value, r.u) for n, r in here.items()}
    pooled = measure_curves(study, [curve.id for curve in study.document.curves])
    row = ledger_of(study, study.document.families[0], pooled).rows[-1]
    assert row.state == "read, 3 not there"


def test_the_literature_is_set_beside_groups_by_name(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    study = study_of(tmp_path)
    ids = [curve.id for curve in study.document.curves]
    ledger = ledger_of(study, study.document.families[0], measure_curves(study, ids))
    own = Literature.read("marram foil M1", "E", "70.0(5) GPa", "made up, p. 7")
    psi = Literature.read("Marram Foil M1", "Rm", "20000 psi", "made up")
    stray = Literature.read("marram foil M1", "Rm", "20 GPa/s", "made up")
    found = literature.beside(ledger, (own, psi, stray, *literature.HANDBOOK))
    assert [one.row for one in found] == [own, psi]
    moduli = np.array([row.cell(ledger.columns[0]).value for row in ledger.rows if row.curve.group == "marram foil M1"])
    assert found[0].mean == pytest.approx(moduli.mean())
    assert found[0].u == pytest.approx(moduli.std(ddof=1) / np.sqrt(3))
    assert found[0].percent == pytest.approx(100 * (moduli.mean() - 70) / 70)
    assert found[0].in_u == pytest.approx((moduli.mean() - 70) / np.hypot(found[0].u, 0.5))
    assert found[1].mean == pytest.approx(142.1 / 6.894757e-3, rel=0.01)
    literature.save_own((own, psi))
    assert literature.load_own() == (own, psi)
    for text, said in (("nonsense", "cannot be read"), ("[]", "must look like"),
                       ('{"literature": 1, "rows": [{"material": 3}]}', "a row is wrong at")):  # fmt: skip
        literature.own_file().write_text(text)
        with pytest.raises(cs.InputError, match=said):
            literature.load_own()
    for fields, said in ((("", "E", "1 GPa", "s"), "needs a material"), (("a", "E", "1 GPa", ""), "needs a source"),
                         (("a", "E", "stiff", "s"), "is no quantity")):  # fmt: skip
        with pytest.raises(cs.InputError, match=said):
            Literature.read(*fields)


def test_a_report_has_a_page_for_the_set_and_one_for_each_specimen(tmp_path):
    study = study_of(tmp_path)
    family = study.document.families[0]
    report = report_of(study, family, (Literature.read("marram foil M1", "E", "70.0(5) GPa", "made up <p>"),))
    assert [page.title for page in report.pages] == ["Tension", *(curve.label for curve in study.document.curves)]
    shares = []
    text = written(report, ".html", shares.append).decode()
    assert shares[-1] == 1
    assert text.count("<section>") == 7
    assert text.count("<svg") == 7
    for said in ("113.6(3) MPa", "marram film M2", "Beside the literature", "made up &lt;p&gt;", "ISO 6892-1",
                 "breaks before it yields", "SHA-256 of the file"):  # fmt: skip
        assert said in text, said
    assert "marram film M2: mean(s)" in text
    assert "all: mean(s)" not in text, "a mean over materials is none"
    pdf = written(report, ".pdf")
    assert pdf.startswith(b"%PDF")
    assert pdf.count(b"/Type /Page ") == 7
    single = report_of_curve(study, study.document.curves[0].id)
    assert len(single.pages) == 1
    with pytest.raises(cs.InputError, match=r"written as \.html, \.pdf, not as \.docx"):
        written(report, ".docx")
    bare = study.with_document(families=(family.model_copy(update={"recipe": cs.Recipe()}),))
    with pytest.raises(cs.InputError, match="no readings yet"):
        report_of(bare, bare.document.families[0])
    with pytest.raises(cs.InputError, match="Nothing is read"):
        report_of_curve(bare, bare.document.curves[0].id)


def test_the_command_reads_other_tests_too(tmp_path, capsys):
    """Bending of 64 mm, 10 × 4 mm, F = 100 N/mm·D: E = L³m/(4bh³) (ISO 178, from memory)."""
    d = np.linspace(0, 3, 200)
    noise = np.random.default_rng(1).normal(0, 0.1, d.size)
    rows = "\n".join(f"{a:.6f},{b:.5f}" for a, b in zip(d, 100 * d + noise, strict=True))
    path = tmp_path / "bend.csv"
    path.write_text(f"Width: 10 mm\nThickness: 4 mm\nDeflection (mm),Force (N)\n{rows}\n", encoding="utf-8")
    assert main(["tension", str(path), "--test", "bending-3", "--span", "64mm", "--json"]) == 0
    (entry,) = json.loads(capsys.readouterr().out)
    found = {r["name"]: r["value"] for r in entry["readings"]}
    modulus = 64**3 * 100 / (4 * 10 * 4**3) / 1000
    assert found["E"] == pytest.approx(modulus, rel=2e-3)
    assert found["Ef"] == pytest.approx(modulus, rel=0.03)
    assert main(["tension", str(path), "--test", "bending-3"]) == 2
    assert "span of the rollers is not known; give it, as --span 64mm" in capsys.readouterr().err
    assert main(["tension", str(path), "--test", "twisting"]) == 2
    assert "there are tension, compression" in capsys.readouterr().err


def test_ten_points_and_two_million_points_are_read_or_told():
    ten = record({"Strain": ("1", np.linspace(0, 0.01, 10)), "Stress": ("MPa", np.linspace(0, 50, 10))})
    few = read_test(ten)
    assert {r.name for r in few.readings} >= {"Rm", "At"}
    assert all(one.problem or one.readings for one in few.done.outcomes)
    strain = np.linspace(0, 0.05, 2_000_000)
    stress = 60 * (1 - np.exp(-strain / 0.02)) + np.random.default_rng(0).normal(0, 0.05, strain.size)
    long = read_test(record({"Strain": ("1", strain), "Stress": ("MPa", stress)}))
    assert {r.name: r.value for r in long.readings}["Rm"] == pytest.approx(55.2, abs=0.3)


def test_a_row_that_is_named_is_where_the_extensometer_was_taken_off():
    off, cross = _removed("")
    made = record(
        {"Crosshead": ("mm", cross), "Extensometer": ("mm", off), "Force": ("N", 10 * T)},
        Area="40 mm^2", Gauge_length="25 mm", Grip_distance="100 mm",
    )  # fmt: skip
    pattern = as_test(guess_of(made), made, "tension", off=200)
    assert pattern.computed[2].channel.formula == "carried_on(Extensometer_strain, Crosshead_strain, 200)"
    taken = apply_pattern(made, pattern)
    curve = taken.takes[0].curve(taken.record)
    assert curve.x[199] == pytest.approx(off[199] / 25)
    assert curve.x[-1] == pytest.approx(off[199] / 25 + (cross[-1] - cross[199]) / 100)
    with pytest.raises(cs.InputError, match="no number in row 5000 of 400"):
        apply_pattern(made, as_test(guess_of(made), made, "tension", off=5000))
    with pytest.raises(cs.InputError, match="cannot be taken off at row 0"):
        as_test(guess_of(made), made, "tension", off=0)


def test_relaxation_and_creep_give_moduli_and_compliances_of_what_is_held():
    """σ = ε₀·(E∞ + E₁·exp(−t/τ₁) + E₂·exp(−t/τ₂)), a generalised Maxwell solid; J = ε/σ₀."""
    t = np.geomspace(0.05, 500, 400)
    rng = np.random.default_rng(3)
    stress = 0.01 * (500 + 300 * np.exp(-t / 2) + 200 * np.exp(-t / 40))
    held = record(
        {"Time": ("s", t), "Strain": ("%", 1 + 0 * t), "Stress": ("MPa", stress + rng.normal(0, 0.002, t.size))}
    )
    found = {r.name: r for r in read_test(held, (), BY_TEST["relaxation"]).readings}
    for name, wanted in (("E0", 1000.0), ("E∞", 500.0)):
        assert abs(found[name].value - wanted) < 4 * found[name].u, name
        assert found[name].value == pytest.approx(wanted, rel=0.01)
    assert found["kept"].value == pytest.approx(50, abs=1)
    strain = 1e-3 * (1 + 0.002 * t)
    loaded = record({"Time": ("s", t), "Extension": ("mm", 50 * strain), "Force": ("N", 80 + 0 * t)}, Area="40 mm^2",
                    Gauge_length="50 mm")  # fmt: skip
    found = {r.name: r.value for r in read_test(loaded, (), BY_TEST["creep"]).readings}
    assert found["last compliance"] == pytest.approx(1e-3 * 2 / 2 * 1000, rel=1e-3)
    assert found["creep rate"] == pytest.approx(2e-6, rel=1e-6)


def test_a_rubber_has_its_shear_modulus():
    """σ = G·(λ − λ⁻²), incompressible and uniaxial (R. S. Rivlin 1948, from memory)."""
    (rubber,) = [one for one in SETS if one.label.startswith("Rubber")]
    e = np.linspace(0, 2, 300)
    stress = 0.4 * ((1 + e) - (1 + e) ** -2) + np.random.default_rng(1).normal(0, 0.002, e.size)
    done = rubber.recipe_with([])(cs.Curve(e, stress, x_unit="1", y_unit="MPa"))
    found = {r.name: r for r in done.readings}
    for name in ("neo-Hooke shear_modulus", "Mooney–Rivlin shear_modulus"):
        assert abs(found[name].value - 0.4) < 4 * found[name].u, name


def test_what_hangs_on_a_strain_of_a_doubtful_line_is_doubtful_too():
    strain = np.linspace(0, 0.3, 20_000)
    stress = 30 * (1 - np.exp(-50 * strain)) + np.random.default_rng(2).normal(0, 0.03, strain.size)
    test = read_test(record({"Strain": ("1", strain), "Stress": ("MPa", stress)}))
    doubt = {r.name: bool(r.doubt) for r in test.readings}
    for name in ("E", "E intercept", "Rp0.2", "Rp0.2 yield strain", "Ur", "σ²/2E", "A"):
        assert doubt[name], name
    for name in ("E R²", "Rm", "At", "W"):
        assert not doubt[name], name


def test_a_file_of_the_kind_whose_extensometer_was_taken_off_goes_on_and_says_so():
    off, cross = _removed("falls")
    sizes = {"Area": "40 mm^2", "Gauge_length": "25.0(5) mm", "Grip_distance": "100 mm"}
    force = ("N", 10 * T)
    stayed = record({"Crosshead": ("mm", cross), "Extensometer": ("mm", 0.4 * cross), "Force": force}, **sizes)
    other = record({"Crosshead": ("mm", cross), "Extensometer": ("mm", off), "Force": force}, **sizes)
    pattern = taken_as(stayed, "tension")
    assert not [note for note in apply_pattern(stayed, pattern).record.notes if "taken off" in note]
    taken = apply_pattern(other, pattern)
    (note,) = [note for note in taken.record.notes if "taken off" in note]
    assert "at row 150; strain goes on from there with the steps of Crosshead" in note
    assert taken.takes[0].curve(taken.record).x[-1] == pytest.approx(off[149] / 25 + (cross[-1] - cross[149]) / 100)
    scales = {one.name: one.u for one in taken.quantities}
    assert scales["scale_of_x"] == pytest.approx(0.02), "of the extensometer's strain before it is carried on"
    timed = record({"Time": ("s", T), "Crosshead": ("mm", cross), "Extensometer": ("mm", off), "Force": force}, **sizes)
    creep = {one.name: one for one in apply_pattern(timed, taken_as(timed, "creep")).quantities}
    assert "scale_of_x" not in creep, "x is the time"
    assert creep["scale_of_y"].u == pytest.approx(0.02)
    assert "Crosshead" in " ".join(apply_pattern(other, pattern).record.notes)


def test_quantities_of_a_test_are_those_that_its_curve_was_made_with():
    both = record({"Crosshead": ("mm", T / 100), "Force": ("N", 10 * T)}, Width="10.0(1) mm", Thickness="4 mm",
                  Gauge_length="25 mm", Grip_distance="100 mm")  # fmt: skip
    quantities = {one.name: one for one in stress_strain(both).quantities}
    assert quantities["gauge_length"].value == 100, "the grip distance, which the crosshead was divided by"
    assert quantities["cross_section"].u is None, "its u is in the scale of the stress already"
    longer = record({"Length": ("inch", 2 + T / 1000), "Load": ("lbf", T)}, Area="0.1 in^2")
    assert {one.name: one.value for one in stress_strain(longer).quantities}["gauge_length"] == pytest.approx(2)
    jump = np.where(np.arange(N) < 30, 0.0, 80.0)
    loaded = record({"Time": ("s", T), "Extension": ("mm", T / 100), "Force": ("N", jump)}, Area="40 mm^2", L0="50 mm")
    held = {one.name: one.value for one in stress_strain(loaded, (), TESTS["creep"]).quantities}["held_stress"]
    assert held == pytest.approx(2.0), "without the first tenth, in which it is reached"


def test_a_specimen_that_springs_back_with_the_crosshead_has_its_extensometer_on():
    cross = np.concatenate([np.linspace(0, 10, 300), np.linspace(10, 3, 3), np.linspace(3, 2, 97)])
    assert taken_off(0.4 * cross, cross) is None


def test_tomorrow_s_file_joins_a_tension_family_with_the_u_of_its_dimensions(tmp_path):
    study = study_of(tmp_path, count=5)
    family = study.document.families[0].id
    (table,) = tables(load(tmp_path / "film_3.csv"))
    plain = guess(table)
    saved = as_test(plain, with_names(table.record, plain), "tension")
    joined = join_family(study, family, [table], [saved])
    assert joined.problems == ()
    (new,) = joined.curves
    entry = joined.study.entry(new)
    assert entry.group == "marram film M2"
    assert {one.name for one in entry.quantities} >= {"scale_of_y", "cross_section", "strain_rate"}
    read_ = {r.name: r for one in measured_curve(joined.study, new) for r in one.readings}
    assert read_["E"].method.endswith("u with the dimensions")
    unread = join_family(study, family, [table]).problems
    assert unread, "without the pattern it has no stress, and says so"


def test_a_file_alone_has_the_recipe_as_its_own(tmp_path):
    (table,) = tables(load(write_tension(tmp_path)[0]))
    plain = guess(table)
    taken = apply_pattern(table.record, as_test(plain, with_names(table.record, plain), "tension"))
    study = edits.add_curves(Study(), [(taken.record, taken.takes[0])], "one")
    study = edits.as_tested(study, study.document.families[0].id, "tension", [taken.quantities])
    (entry,) = study.document.curves
    assert entry.shared == ()
    assert entry.recipe.measures[0].name == "E"


def test_the_command_takes_the_dimensions_of_a_tube(tmp_path, capsys):
    path = tmp_path / "tube.csv"
    rows = "\n".join(f"{0.001 * k:.5f},{9 * np.pi * k:.5f}" for k in range(60))
    path.write_text(f"Extension (mm),Force (N)\n{rows}\n", encoding="utf-8")
    given = ["--diameter", "10mm", "--inner-diameter", "8mm", "--gauge", "50mm", "--json"]
    main(["tension", str(path), *given])
    (entry,) = json.loads(capsys.readouterr().out)
    assert {r["name"]: r["value"] for r in entry["readings"]}["Rm"] == pytest.approx(59, rel=1e-6)


def test_a_report_draws_curves_in_the_units_of_the_first_and_tells_of_those_that_cannot_be():
    x = np.linspace(0, 1, 50)
    made = [
        (Record(Source(f"{k}.csv", bytes([k])), (Channel("t", "s", x), Channel("v", unit, scale * x))), Take(0, 1))
        for k, (unit, scale) in enumerate((("MPa", 2.0), ("kPa", 5000.0), ("V", 3.0)))
    ]
    study = edits.add_curves(Study(), made, "mixed")
    ids = [curve.id for curve in study.document.curves]
    study = edits.share(ids[0], "measures")(edits.add_measure(ids[0], parse_measure({"measure": "ends"}))(study))
    page = report_of(study, study.document.families[0]).pages[0]
    assert [float(one.curve.y.max()) for one in page.curves] == [2.0, pytest.approx(5.0)]
    assert page.notes[-1] == "Not drawn, as they are in other units: 2."
