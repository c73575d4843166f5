"""What planted faults showed that no test felt: second slopes, places behind ``y =``, zeros in units, data sets."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core import units
from curvesieve.core.errors import FormulaError
from curvesieve.core.formats import opening
from curvesieve.core.formats.opening import tables
from curvesieve.core.formula import parse
from curvesieve.core.formula.compiled import to_sympy
from curvesieve.core.formula.functions import FUNCTIONS
from curvesieve.core.formula.inference import parameter_units
from curvesieve.core.formula.numpycode import lambdified
from curvesieve.core.intake.library import recognise
from curvesieve.core.intake.pattern import guess
from curvesieve.core.record import Source
from curvesieve.core.steps.transform import Spectrum

SMOOTH = [
    name for name, made in FUNCTIONS.items() if made.arity == (1, 1) and name not in ("abs", "sign", "heaviside")
]  # fmt: skip
CALLS = [*(f"{name}(0.3 + 0.4*x)" for name in SMOOTH), "voigt(x, 0.7, 0.4)", "voigt(1 - x, 0.2 + x, x)",
         "besselj(2, x)", "bessely(1, x)", "besseli(0.5, x)", "besselk(2, x)", "atan2(x, 2)", "x^2.5", "2^x",
         "legendre(4, x/3)", "sinc(3*x)"]  # fmt: skip


@pytest.mark.parametrize("text", CALLS)
def test_second_slopes_are_the_slopes_of_the_first(text):
    """Exact derivatives, twice, against central differences of the first."""
    import sympy as sp

    x = np.array([0.31, 0.62, 0.93, 1.24])
    expression, symbols = to_sympy(parse(text))
    first, second = (lambdified([symbols["x"]], [], sp.diff(expression, symbols["x"], k)) for k in (1, 2))
    h = 1e-5
    ahead, behind = (np.broadcast_to(first([x + s], []), x.shape) for s in (h, -h))
    with np.errstate(all="ignore"):
        found, wanted = np.broadcast_to(second([x], []), x.shape), (ahead - behind) / (2 * h)
    good = np.isfinite(wanted)
    assert (np.isfinite(found) == good).all()
    np.testing.assert_allclose(found[good], wanted[good], rtol=1e-5, atol=1e-7)


@pytest.mark.parametrize(("text", "sign"), [("2 + * x", "*"), ("a*sin(x))", ")"), ("a + b $ x", "$"), ("a b*x", "b")])
@pytest.mark.parametrize("head", ["y = ", "y(x) =", "k = a/2\ny = ", "k = a/2\n"])
def test_the_place_of_a_fault_is_counted_from_the_beginning_of_the_text(text, sign, head):
    with pytest.raises(FormulaError) as alone:
        parse(text)
    with pytest.raises(FormulaError) as behind:
        parse(head + text)
    assert behind.value.position == len(head) + alone.value.position
    assert (head + text)[behind.value.position] == sign


@pytest.mark.parametrize(
    ("text", "powers"),
    [
        ("where(x > b, a, 0)", {"a": (0, 1), "b": (1, 0)}), ("where(x > b, 0, a*x)", {"a": (-1, 1), "b": (1, 0)}),
        ("a*x + 0", {"a": (-1, 1)}), ("max(a*x, 0)", {"a": (-1, 1)}),
        ("where(x > 0, a, b)", {"a": (0, 1), "b": (0, 1)}),
    ],
)  # fmt: skip
def test_a_zero_has_the_unit_of_what_it_stands_beside(text, powers):
    found = parameter_units(parse(text), (True, True))
    assert found.problems == ()
    assert {name: tuple(float(p) for p in found.powers[name]) for name in powers} == powers


@pytest.mark.parametrize(
    ("unit", "factor", "offset"),
    [("°C", 1.0, 273.15), ("°F", 5 / 9, 255.3722222), ("K", 1.0, 0.0), ("mm", 1e-3, 0.0), ("J/°C", 1.0, 0.0)],
)
def test_only_a_scale_by_itself_has_a_zero_of_its_own(unit, factor, offset):
    found = units.in_base(unit)
    assert found.offset == pytest.approx(offset, abs=1e-6)
    if "J" not in unit:
        assert found.factor == pytest.approx(factor, rel=1e-9)
    assert units.has_own_zero(unit) == (offset != 0)


def test_several_data_sets_of_one_file_have_names_and_one_has_none():
    point = '<Idata><Q unit="1/nm">{x}</Q><I unit="1/cm">{y}</I></Idata>'

    def read(*names: str) -> list[str]:
        sets = "".join(
            f'<SASdata name="{name}">{"".join(point.format(x=i + k, y=i * i + k) for i in range(1, 9))}</SASdata>'
            for k, name in enumerate(names)
        )
        text = f'<?xml version="1.0"?><SASroot xmlns="cansas1d/1.0"><SASentry>{sets}</SASentry></SASroot>'
        found = tables(Source("scatter.xml", text.encode()))
        for k, table in enumerate(found):
            np.testing.assert_array_equal(table.record["Q"].values, np.arange(1.0, 9) + k)
        return [table.record.source.name for table in found]

    assert read("film") == ["scatter.xml"]
    assert read("film", "blank") == ["scatter.xml · film", "scatter.xml · blank"]


@pytest.mark.parametrize("shape", [(6, 2), (2, 30), (30,), (12, 10), (10, 12)])
def test_the_channels_of_a_bare_array_run_the_long_way(shape):
    array = np.arange(float(np.prod(shape))).reshape(shape) ** 2
    content = io.BytesIO()
    np.save(content, array)
    (table,) = tables(Source("bare.npy", content.getvalue()))
    columns = array.reshape(-1, 1) if array.ndim == 1 else array if array.shape[0] >= array.shape[1] else array.T
    assert [c.name for c in table.record.channels] == [f"column {i + 1}" for i in range(columns.shape[1])]
    np.testing.assert_array_equal(np.column_stack([c.values for c in table.record.channels]), columns)


@pytest.mark.parametrize("padding", [1, 3])
def test_the_periodogram_of_uneven_points_is_a_least_squares_sine_at_each_frequency(padding):
    rng = np.random.default_rng(3)
    x = np.sort(rng.uniform(2, 12, 61))
    y = 1.5 * np.cos(2 * np.pi * 0.8 * x + 0.4) + rng.normal(0, 0.05, x.size)
    made = Spectrum(uneven="lomb-scargle", detrend="none", window="none", padding=padding).apply(cs.Curve(x, y)).curve
    step = (x[-1] - x[0]) / (x.size - 1)
    count = x.size * padding // 2
    np.testing.assert_allclose(made.x, np.arange(1, count + 1) / (x.size * step * padding), rtol=1e-6)
    for i in (0, 3, 7, count // 2, count - 2):
        angle = 2 * np.pi * made.x[i] * x
        a, b = np.linalg.lstsq(np.column_stack([np.cos(angle), np.sin(angle)]), y, rcond=None)[0]
        assert made.y[i] == pytest.approx(np.hypot(a, b), rel=1e-6)
    assert made.x[np.argmax(made.y)] == pytest.approx(0.8, abs=0.06)


def _npz(**members) -> bytes:
    content = io.BytesIO()
    np.savez(content, **members)
    return content.getvalue()


def test_one_bad_part_of_a_file_of_arrays_does_not_take_the_others():
    x = np.linspace(0, 1, 9)
    odd = {"title": np.array("made up"), "meta": np.array({"a": 1}, dtype=object), "n": np.array(3.0)}
    content = io.BytesIO(_npz(x=x, y=x**2, **odd))
    with zipfile.ZipFile(content, "a") as archive:
        archive.writestr("readme.txt", "words")
    (table,) = tables(Source("run.npz", content.getvalue()))
    np.testing.assert_array_equal(table.record["y"].values, x**2)
    assert {note.split(" is not read: ")[0] for note in table.record.notes} == {"meta", "readme.txt", "title", "n"}
    with pytest.raises(cs.InputError, match="no array of numbers"):
        tables(Source("words.npz", _npz(t=np.array(["a", "b"]))))


def test_a_reader_that_fails_refuses_its_file_with_a_sentence(monkeypatch):
    def broken(source):
        raise AttributeError("no such thing")

    monkeypatch.setattr(opening, "FORMATS", (type("F", (), {"recognises": lambda _: True, "read": broken}),))
    with pytest.raises(cs.InputError, match=r"a\.csv cannot be understood \(AttributeError: no such thing\)"):
        tables(Source("a.csv", b"1,2\n3,4\n"))


@pytest.mark.parametrize("rows", [-5, -1, 0, 3, 10**6])
@pytest.mark.parametrize("sign", ["", ",", "ab", "[", "\t"])
def test_a_saved_pattern_that_makes_no_sense_fits_nothing(rows, sign):
    table = tables(Source("a.csv", b"t (s),F (N)\n1,2\n2,5\n3,7\n"))[0]
    wild = guess(table)
    wild = wild.model_copy(update={
        "channels": wild.channels[:1],
        "text": wild.text.model_copy(update={"skipped_rows": rows, "name_row": rows - 1, "delimiter": sign}),
    })  # fmt: skip
    found, pattern = recognise(table, [wild])
    assert found.record.channels[1].values.tolist() == [2.0, 5.0, 7.0]
    assert pattern == guess(table)


def test_a_stray_cell_far_below_is_said_and_costs_nothing():
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["t (s)", "F (N)"])
    for i in range(50):
        sheet.append([i, i * i])
    sheet.cell(9_000, 1).value, sheet.cell(9_000, 2).value = 77, 78  # some way below, but no stray cell yet
    sheet.cell(1_048_576, 2).value = "x"
    content = io.BytesIO()
    book.save(content)
    (table,) = tables(Source("stray.xlsx", content.getvalue()))
    np.testing.assert_array_equal(table.record["F"].values[:50], np.arange(50.0) ** 2)
    assert "1 row far below the others not read (first: row 1048576)" in table.record.notes
    assert 77.0 in table.record["t"].values or any("9000" in note for note in table.record.notes)


@pytest.mark.parametrize("by", ["maximum", "area", "band", "point"])
def test_nothing_is_divided_by_a_reference_of_zero(by):
    from curvesieve.core.steps.level import Scale

    flat = cs.Curve(np.arange(9.0), np.zeros(9))
    with pytest.raises(cs.InputError, match=f"the {by} is 0, by which nothing can be divided"):
        Scale(by=by, low=1, high=5, at=3.0).apply(flat)


@pytest.mark.parametrize(
    ("dates", "seconds"),
    [
        (("12/12/2026", "12/13/2026"), 86_400), (("13/12/2026", "14/12/2026"), 86_400),
        (("12.11.2026", "13.11.2026"), 86_400), (("2026-12-12", "2026-12-13"), 86_400),
    ],
)  # fmt: skip
def test_a_day_beyond_twelve_tells_day_from_month(dates, seconds):
    text = "When,F (N)\n" + "".join(f"{day} 10:00:00,{i}\n" for i, day in enumerate(dates))
    record = tables(Source("days.csv", text.encode()))[0].record
    assert record["When"].values.tolist() == [0.0, seconds]


@pytest.mark.parametrize(
    ("x", "goes_back", "repeats"), [([1, 2, 3], False, False), ([3, 2, 1], False, False), ([1, 3, 2], True, False),
                                    ([1, 2, 2, 3], False, True), ([3, 3, 1], False, True)],
)  # fmt: skip
def test_what_is_odd_about_x_is_said_only_where_it_is(x, goes_back, repeats):
    said = " ".join(cs.Curve(np.array(x, float), np.zeros(len(x))).oddities)
    assert ("back" in said) == goes_back, said
    assert ("share" in said or "repeat" in said or "same" in said) == repeats, said
