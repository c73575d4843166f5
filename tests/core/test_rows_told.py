"""Every row that is not read is counted and said; what instruments write is read right or refused, never half."""

from __future__ import annotations

import datetime
import io

import numpy as np
import openpyxl
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.core.formats.opening import tables
from curvesieve.core.formats.writing import of_record, write
from curvesieve.core.intake.computed import ComputedChannel, compute, needed
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Channel, Record, Source


def read(text, name="a.csv"):
    found = tables(Source(name, text if isinstance(text, bytes) else text.encode()))
    assert len(found) == 1
    return found[0].record


def german(value: float) -> str:
    return f"{value:,.2f}".translate(str.maketrans(",.", ".,"))


def numbers(count: int, head: str = "a;b\n") -> str:
    return head + "".join(f"{i};{i * 2.5}\n" for i in range(count))


@given(st.floats(1, 900), st.floats(0.5, 30), st.integers(60, 400), st.sampled_from([german, lambda v: f"{v:,.2f}"]))
@settings(max_examples=40, deadline=None)
def test_marks_between_thousands_that_come_late_are_read(first, step, count, style):
    """A force that grows through 1,000 in the middle of a file, in both styles."""
    values = [round(first + step * i, 2) for i in range(count)]
    xs = [style(i / 10) if style is german else str(i / 10) for i in range(count)]
    record = read("x/mm;F/N\n" + "".join(f"{x};{style(v)}\n" for x, v in zip(xs, values, strict=True)))
    assert [channel.name for channel in record.channels] == ["x", "F"]
    np.testing.assert_allclose(record["F"].values, values, rtol=1e-12)
    assert not any("left out" in note or "not read" in note for note in record.notes)


@pytest.mark.parametrize("tail", ["{i};overload", "error {i}", "{i};;;", "aborted by operator"])
@pytest.mark.parametrize("good", [100, 5000])
def test_a_file_that_turns_to_words_says_how_many_rows_it_lost(tail, good):
    rows = [tail.format(i=i) for i in range(60)]
    record = read(numbers(good) + "\n".join(rows))
    assert len(record) == good
    assert any("60 rows after the last row of numbers not read" in note for note in record.notes)
    assert any(f"first: row {good + 2}" in note for note in record.notes)


def test_every_row_is_accounted_for():
    """Rows of a file are names, units, preamble, data, blank, or counted in the notes."""
    rows = [f"{i};{'bad' if i % 7 == 3 else i}" for i in range(100)]
    record = read("\n".join(["Operator: me", "", "t;y", "s;N", *rows, "end", "end"]))
    left_out = sum(int(note.split()[0]) for note in record.notes if "left out" in note or "not read" in note)
    assert len(record) + left_out == 102


@pytest.mark.parametrize(
    ("units", "wanted"),
    [
        ("%;mm", ("%", "mm")), ("mm;%", ("mm", "%")), ("%;N", ("%", "N")), ("s;", ("s", "")),
        ("mm;Ohm", ("mm", "Ohm")), ("Volt;A", ("Volt", "A")), ("abs.;s", ("abs.", "s")),
        ("W/(m·K);°C", ("W/(m·K)", "°C")), ("[N];(mm)", ("N", "mm")),
    ],
)  # fmt: skip
def test_unit_rows(units, wanted):
    record = read(numbers(20, f"a;b\n{units}\n"))
    assert [(c.name, c.unit) for c in record.channels] == list(zip("ab", wanted, strict=True))


@pytest.mark.parametrize(
    ("head", "name", "unit"),
    [
        ("DSC/(mW/mg)", "DSC", "mW/mg"), ("dm/dt / mg/s", "dm/dt", "mg/s"), ("Re(Z)/Ohm", "Re(Z)", "Ohm"),
        ("F / N", "F", "N"), ("Raman shift (cm-1)", "Raman shift", "cm-1"), ("Re(Z)", "Re(Z)", ""),
    ],
)  # fmt: skip
def test_names_with_units(head, name, unit):
    record = read(numbers(20, f"t/s;{head}\n"))
    assert (record.channels[1].name, record.channels[1].unit) == (name, unit)


def test_awkward_cells_are_read_right():
    quoted = read('"t","y"\n' + "".join(f'"0,{i:02d}","1,{i}"\n' for i in range(10, 60)))
    np.testing.assert_allclose(quoted["y"].values[:2], [1.10, 1.11])
    minus = read("x;y\n" + "".join(f"{i};−{i * 2.5}\n" for i in range(1, 20)))
    np.testing.assert_allclose(minus["y"].values[:2], [-2.5, -5])
    concise = read("x;y\n" + "".join(f"{i};{2.345 + i:.3f}(12)e2\n" for i in range(20)))
    np.testing.assert_allclose(concise["y"].values[:2], [234.5, 334.5])
    np.testing.assert_allclose(concise["u(y)"].values, 1.2)
    bars = read("+---+---+\n| x | y |\n+---+---+\n" + "".join(f"| {i} | {i * 2} |\n" for i in range(20)) + "+---+---+")
    assert [(c.name, c.values[3]) for c in bars.channels] == [("x", 3), ("y", 6)]
    rows = read('[{"t": 1, "y": 2.5, "who": "me"}, {"t": 2, "y": null}, {"t": 3, "y": 4.5}]', "a.json")
    assert [c.name for c in rows.channels] == ["t", "y"]
    assert set(rows.notes) == {"who: words, left out", "y: 1 row without a number"}
    again = read('{"channels": [{"name": "F", "values": [1, 2]}, {"name": "F", "values": [3, 4]}]}', "a.json")
    assert [c.name for c in again.channels] == ["F", "F 2"]
    with pytest.raises(cs.InputError, match=r"^a\.pdf is a PDF.*export text or a spreadsheet\.$"):
        read(b"%PDF-1.4\n0 0 1\n1 2 3\n", "a.pdf")


MOMENTS = {
    "1:59:00 PM": [0, 60], "13.02.2026 1:59:00 PM": [0, 60], "13-Feb-2026": [0, 86400], "13.02.26": [0, 86400],
    "13. Mai 2026": [0, 86400], "02/13/26 11:00 AM": [0, 60],
}  # fmt: skip


@pytest.mark.parametrize("first", MOMENTS)
def test_moments_against_pandas(first):
    """Twenty moments, a day or a minute apart, written as the first is."""
    day = 86400 in MOMENTS[first]
    texts = []
    for i in range(20):
        if first.startswith("1:"):
            at = datetime.datetime(2026, 2, 13, 13, 59) + datetime.timedelta(minutes=i)
            texts.append(f"{(at.hour - 1) % 12 + 1}:{at.minute:02d}:00 PM")
        elif day:
            at = datetime.datetime(2026, 5 if "Mai" in first else 2, 13) + datetime.timedelta(days=i % 15)
            style = {"13-Feb-2026": "%d-%b-%Y", "13.02.26": "%d.%m.%y", "13. Mai 2026": "%d. Mai %Y"}[first]
            texts.append(at.strftime(style))
        else:
            at = datetime.datetime(2026, 2, 13, 11, 0) + datetime.timedelta(minutes=i)
            style = "%d.%m.%Y %I:%M:%S %p" if first.startswith("13.") else "%m/%d/%y %I:%M %p"
            texts.append(at.strftime(style))
    record = read("time;y\n" + "".join(f"{text};{i}\n" for i, text in enumerate(texts)))
    assert record.channels[0].unit == "s"
    step = 86400 if day else 60
    np.testing.assert_allclose(record.channels[0].values[:15], step * np.arange(15))


@pytest.mark.parametrize("place", [0, 2])
@pytest.mark.parametrize("kind", ["date", "clock"])
def test_dates_of_a_spreadsheet_stay_where_they_are(place, kind):
    book = openpyxl.Workbook()
    page = book.active
    heads = ["Force", "Extension"]
    heads.insert(place, "Time")
    page.append(heads)
    for i in range(12):
        at = datetime.datetime(2026, 2, 13, 10, 0) + datetime.timedelta(minutes=i)
        cells = [1.5 * i, 2.0 * i]
        cells.insert(place, at if kind == "date" else at.time())
        page.append(cells)
    file = io.BytesIO()
    book.save(file)
    record = read(file.getvalue(), "a.xlsx")
    assert [c.name for c in record.channels] == heads
    np.testing.assert_allclose(record["Time"].values, 60.0 * np.arange(12))


# -- quantities -------------------------------------------------------------------------------------

READ = {
    "11.5e-6 1/K": (1.15e-5, None, "1/K"), "11.5e-6 ± 1.2e-6 1/K": (1.15e-5, 1.2e-6, "1/K"),
    "5.0(2) 1/s": (5.0, 0.2, "1/s"), "1,234.5 mm": (1234.5, None, "mm"), "1.234,5 mm": (1234.5, None, "mm"),
    "12.7 mm ± 0.2 mm": (12.7, 0.2, "mm"), "1.27×10^-3 m": (1.27e-3, None, "m"), "1.27·10⁻³ m": (1.27e-3, None, "m"),
    "1/8 in": (0.125, None, "in"), "12.7 mm ± 2 %": (12.7, 0.254, "mm"), "(12.7 ± 0.2) mm": (12.7, 0.2, "mm"),
    "12.7 mm ± 0.0002 m": (12.7, 0.2, "mm"), "12,70 mm": (12.7, None, "mm"), "1.5(2)e-3 m": (1.5e-3, 2e-4, "m"),
    "7": (7.0, None, ""), "−4.2 °C": (-4.2, None, "°C"),
}  # fmt: skip


@pytest.mark.parametrize("text", READ)
def test_quantities_are_read_whole(text):
    found = Quantity.read("q", text)
    value, u, unit = READ[text]
    assert (found.value, found.unit) == (pytest.approx(value, rel=1e-12), unit)
    assert found.u == (None if u is None else pytest.approx(u, rel=1e-9))


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("0.53 in * 2", "“in . 2” is no unit"), ("1,234 mm", "may be 1.234 or 1234"), ("1 1/8 in", "is no unit"),
        ("12 mm wide", "“mm wide” is no unit"), ("1.2(3) ± 0.3 mm", "two uncertainties"),
        ("wide", "begin with a number"), ("12.7 mm ± 2 N", "measure different things"), ("1.2.3", "in no order"),
        ("1/0 in", "divides by zero"), ("2026-02-13", "is no unit"), ("10:32:05", "is no unit"),
        ("1e999 m", "too large"), ("5 ±", "a number is missing"),
    ],
)  # fmt: skip
def test_what_is_no_quantity_is_refused_with_the_reason(text, reason):
    with pytest.raises(cs.InputError, match=reason):
        Quantity.read("q", text)


@given(st.floats(-1e9, 1e9, allow_subnormal=False), st.sampled_from(["", "mm", "1/K", "N/mm^2", "°C"]))
@settings(deadline=None)
def test_a_quantity_as_python_writes_it_is_read_back(value, unit):
    assert Quantity.read("q", f"{value!r} {unit}") == Quantity(name="q", value=value, unit=unit)


def test_formulas_ask_channels_for_their_first_last_and_mean():
    length = np.array([50.0, 50.5, 52.0, 55.0])
    record = Record(Source("a", b""), (Channel("Time", "s", np.arange(4.0)), Channel("Length", "mm", length)))
    for text, wanted, unit in (
        ("length/first(length) - 1", length / 50 - 1, ""), ("Length - mean(length)", length - length.mean(), "mm"),
        ("(length - min(length))/(max(length) - min(length))", (length - 50) / 5, ""),
        ("length/last(Length)", length / 55, ""),
        ("(length - mean(length))/sd(length)", (length - length.mean()) / length.std(ddof=1), ""),
    ):  # fmt: skip
        made = compute(record, ComputedChannel(name="made", formula=text))
        np.testing.assert_allclose(made.channel.values, wanted, atol=1e-12)
        assert made.channel.unit == unit
        assert needed(record, ComputedChannel(name="made", formula=text)) == []


# -- the way out ------------------------------------------------------------------------------------


def test_csv_opens_in_pandas_as_it_is_and_carries_where_it_comes_from():
    x = np.linspace(0, 1, 9)
    pairs = (("source", "strip, a.csv"), ("sha256", "ab" * 32), ("formula", "a + b*x = y, with | in it"))
    record = Record(Source("strip", b""), (Channel("Time", "s", x), Channel("Force, raw", "N", 2 * x)), pairs)
    content = write(of_record(record), ".csv")
    frame = pd.read_csv(io.BytesIO(content))
    assert list(frame.columns[:2]) == ["Time (s)", "Force, raw (N)"]
    assert frame.dtypes.iloc[0] == frame.dtypes.iloc[1] == np.float64
    np.testing.assert_array_equal(frame.iloc[:, 1], 2 * x)
    assert frame.iloc[:, 2].isna().all()
    assert "sha256=" + "ab" * 32 in frame.columns[2]
    again = read(content)
    assert [(c.name, c.unit) for c in again.channels] == [("Time", "s"), ("Force, raw", "N")]
    assert dict(again.metadata)["source"] == "strip, a.csv"
    assert dict(again.metadata)["formula"].startswith("a + b*x = y, with")


@pytest.mark.parametrize("unit", ["1", "", "a.u.", "N"])
def test_jcamp_writes_plain_numbers_and_keeps_units(unit):
    record = Record(Source("a", b""), (Channel("x", "s", np.arange(5.0)), Channel("y", unit, np.arange(5.0))))
    content = write(of_record(record), ".jdx")
    assert b"np.float64" not in content
    assert read(content, "a.jdx").channels[1].unit == unit


def test_apostrophes_between_thousands_that_come_late_in_a_file_of_commas_are_read():
    rows = [f"{i // 1000}'{i % 1000:03d}" if i >= 1000 else str(i) for i in range(1500)]
    record = read("x,y\n" + "".join(f"{x},{i / 2}\n" for i, x in enumerate(rows)))
    np.testing.assert_array_equal(record["x"].values, np.arange(1500))
    np.testing.assert_array_equal(record["y"].values, np.arange(1500) / 2)


@pytest.mark.parametrize("gap", [",", ";", "\t", "  "])
@pytest.mark.parametrize("begin", [0, 80, 700])
def test_uncertainties_in_brackets_are_kept_wherever_they_begin(gap, begin):
    """Between blanks, too, and where the first rows have none; the rows without one have none in the channel of u."""
    record = read(f"x{gap}y\n" + "".join(f"{i}{gap}{i}.345{'(12)' if i >= begin else ''}\n" for i in range(900)))
    np.testing.assert_allclose(record["y"].values, np.arange(900) + 0.345, rtol=1e-12)
    np.testing.assert_allclose(record["u(y)"].values[begin:], 0.012, rtol=1e-12)
    assert np.isnan(record["u(y)"].values[:begin]).all()
