"""Tables of known numbers in many dialects: what is read is what was written, by the fast reader and the other."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.formats import rows as rows_module
from curvesieve.core.formats.opening import tables
from curvesieve.core.formats.writing import of_record, write
from curvesieve.core.record import Channel, Record, Source

N = 420


def numbers(seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    made = np.column_stack([np.linspace(0.5, 90, N), rng.normal(0, 30, N), 10 ** rng.uniform(-9, 9, N)])
    return np.round(made, 6)


def written(value: float, decimal: str) -> str:
    return "" if np.isnan(value) else repr(float(value)).replace(".", decimal)


def file_of(table, delimiter, decimal, *, trailing=False, words=(), heading=True) -> bytes:
    """The text of a table; `words` are a column of texts in second place."""
    lines = []
    if heading:
        names = ["Time (s)", *(["Event"] if len(words) else []), "Force (N)", "Count"]
        lines.append(delimiter.join(names) + (delimiter if trailing else ""))
    for i, row in enumerate(table):
        cells = [written(value, decimal) for value in row]
        if len(words):
            cells.insert(1, words[i])
        lines.append(delimiter.join(cells) + (delimiter if trailing else ""))
    return ("\n".join(lines) + "\n").encode()


def both_ways(content: bytes, monkeypatch) -> tuple[Record, Record]:
    """The record as read, and as the careful reader alone reads it."""
    fast = tables(Source("made.txt", content))[0].record
    with monkeypatch.context() as patch:
        patch.setattr(rows_module, "_FAST_ROWS", 10**9)
        slow = tables(Source("made.txt", content))[0].record
    assert [(c.name, c.unit) for c in fast.channels] == [(c.name, c.unit) for c in slow.channels]
    for one, other in zip(fast.channels, slow.channels, strict=True):
        np.testing.assert_array_equal(one.values, other.values)
    assert fast.notes == slow.notes
    return fast, slow


DIALECTS = [
    (delimiter, decimal, trailing)
    for delimiter, decimal, trailing in itertools.product((",", ";", "\t", "  "), (".", ","), (False, True))
    if not (delimiter == "," and decimal == ",") and not (delimiter == "  " and trailing)
]


@pytest.mark.parametrize(("delimiter", "decimal", "trailing"), DIALECTS)
@pytest.mark.parametrize("heading", [True, False])
def test_every_dialect_reads_to_the_numbers_written(delimiter, decimal, trailing, heading, monkeypatch):
    table = numbers(1)
    content = file_of(table, delimiter, decimal, trailing=trailing, heading=heading)
    record, _ = both_ways(content, monkeypatch)
    assert len(record.channels) == 3
    np.testing.assert_array_equal(np.column_stack([c.values for c in record.channels]), table)
    assert record.notes == ()
    if heading:
        assert [(c.name, c.unit) for c in record.channels] == [("Time", "s"), ("Force", "N"), ("Count", "")]


@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
@pytest.mark.parametrize("trailing", [False, True])
def test_columns_of_words_are_passed_over_and_said(delimiter, trailing, monkeypatch):
    table = numbers(2)
    words = [("start", "hold", "ramp up")[i % 3] for i in range(N)]
    content = file_of(table, delimiter, ".", trailing=trailing, words=words)
    record, _ = both_ways(content, monkeypatch)
    np.testing.assert_array_equal(np.column_stack([c.values for c in record.channels]), table)
    assert [c.name for c in record.channels] == ["Time", "Force", "Count"]


@pytest.mark.parametrize("hole", ["", "NaN", "--", "n/a", "inf"])
@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
def test_cells_without_a_number_are_counted_with_their_place(hole, delimiter, monkeypatch):
    table = numbers(3)
    lines = file_of(table, delimiter, ".").decode().splitlines()
    for row in (7, 100, 101):  # in data rows counted from 1
        cells = lines[row].split(delimiter)
        cells[1] = hole
        lines[row] = delimiter.join(cells)
    record, _ = both_ways(("\n".join(lines) + "\n").encode(), monkeypatch)
    wanted = table.copy()
    wanted[[6, 99, 100], 1] = np.nan
    np.testing.assert_array_equal(np.column_stack([c.values for c in record.channels]), wanted)
    (note,) = record.notes
    assert note.startswith("3 rows without a number (first: Force, data row 7:")


def test_odd_rows_are_left_out_one_by_one_and_said(monkeypatch):
    lines = file_of(numbers(4), ";", ".").decode().splitlines()
    lines[50] = "operator changed the grips"
    lines[200] = ";".join(lines[200].split(";")[:2])
    lines[201] = lines[201].replace(".", ",", 1)
    record, _ = both_ways(("\n".join(lines) + "\n").encode(), monkeypatch)
    keep = np.delete(np.arange(N), [49, 199, 200])
    np.testing.assert_array_equal(record.channels[1].values, numbers(4)[keep, 1])
    told = " ".join(record.notes)
    assert "3 rows" in told
    assert "51" in told, "the first of them by its row in the file"


def test_another_table_below_begins_where_rows_are_of_another_width():
    first, second = numbers(5)[:40], numbers(6)[:40]
    upper = "\n".join(",".join(written(v, ".") for v in row) for row in first)
    lower = "\n".join(",".join(written(v, ".") for v in row[:2]) for row in second)
    found = tables(Source("two.csv", f"a,b,c\n{upper}\n\np,q\n{lower}\n".encode()))
    assert [len(t.record.channels) for t in found] == [3, 2]
    np.testing.assert_array_equal(found[0].record.channels[2].values, first[:, 2])
    np.testing.assert_array_equal(found[1].record.channels[1].values, second[:, 1])
    assert [c.name for c in found[1].record.channels] == ["p", "q"]


def test_a_heading_printed_again_ends_the_table_only_when_x_starts_afresh():
    rows = [f"{i},{i * i}" for i in range(1, 31)]
    goes_on = "\n".join(["t,F", *rows[:15], "t,F", *rows[15:]])
    found = tables(Source("once.csv", goes_on.encode()))
    assert len(found) == 1
    np.testing.assert_array_equal(found[0].record["t"].values, np.arange(1.0, 31))
    assert "the heading once more" in " ".join(found[0].record.notes)
    afresh = "\n".join(["t,F", *rows, "t,F", *rows])
    assert len(tables(Source("twice.csv", afresh.encode()))) == 2


def channel(name: str, *values: float) -> Channel:
    return Channel(name, "", np.array(values))


@pytest.mark.parametrize(
    ("channels", "x", "y"),
    [
        ([channel("a", 1, 2, 3), channel("b", 5, 4, 6)], 0, 1),
        ([channel("a", 1, 3, 2), channel("b", 4, 5, 6)], 1, 0),
        ([channel("a", 1, 3, 2), channel("b", 6, 5, 4)], 1, 0),
        ([channel("a", 1, 3, 2), channel("b", 6, 9, 4), channel("c", 6, 5, 7)], 0, 1),
        ([channel("a", 1, 2, 3), channel("x", 9, 1, 5)], 1, 0),
        ([channel("X", 9, 1, 5), channel("b", 1, 2, 3)], 0, 1),
        ([channel("a", 1, np.nan, 3), channel("b", 7, 1, 5)], 0, 1),
        ([channel("a", 1, 1, 2), channel("b", 1, 2, 3)], 1, 0),
    ],
)
def test_x_is_the_channel_that_runs_one_way(channels, x, y):
    assert Record(Source("r.csv", b"r"), tuple(channels)).guess_xy() == (x, y)


def test_one_column_has_no_x():
    with pytest.raises(cs.InputError, match="needs two, x and y"):
        Record(Source("r.csv", b"r"), (channel("a", 1, 2),)).guess_xy()


def test_a_jcamp_file_says_where_it_begins_and_ends():
    record = Record(Source("r.csv", b"r"), (Channel("Shift", "1/cm", np.linspace(3, 9, 7)), channel("I", *range(7))))
    labels = dict(
        line.removeprefix("##").split("=", 1)
        for line in write(of_record(record), ".jdx").decode().splitlines()
        if line.startswith("##")
    )
    assert (float(labels["FIRSTX"]), float(labels["LASTX"]), int(labels["NPOINTS"])) == (3.0, 9.0, 7)
    assert (float(labels["XFACTOR"]), float(labels["YFACTOR"])) == (1.0, 1.0)
    assert labels["END"] == ""


def jcamp(body: str, **labels: str) -> Record:
    head = {"TITLE": "t", "JCAMP-DX": "4.24", "DATA TYPE": "RAMAN SPECTRUM", "XUNITS": "1/CM", "YUNITS": "COUNTS",
            "XFACTOR": "1", "YFACTOR": "0.5", "FIRSTX": "10", "LASTX": "17", "NPOINTS": "8"} | labels  # fmt: skip
    text = "\n".join(f"##{key}={value}" for key, value in head.items() if value)
    return tables(Source("made.jdx", f"{text}\n##XYDATA=(X++(Y..Y))\n{body}\n##END=\n".encode()))[0].record


# McDonald and Wilks, Appl. Spectrosc. 42 (1988) 151: squeezed digits @A–I a–i, differences %J–R j–r, repeats S–Z s;
# the tables are from memory. The values 100, 101, 103, 103, 103, 90, 90, 95 in five forms:
FORMS = {
    "fixed": "10 100 101 103 103\n14 103 90 90 95",
    "packed": "10+100+101+103+103\n14+103+90+90+95",
    "squeezed": "10A00A01A03A03\n14A03I0I0I5",
    "differences": "10A00JK%\n13A03%j3%N\n17I5",
    "repeats": "10A00JK%T\n14A03j3%N\n17I5",
}


@pytest.mark.parametrize("form", FORMS)
def test_the_same_values_in_every_form_of_jcamp(form):
    record = jcamp(FORMS[form])
    np.testing.assert_allclose(record.channels[1].values, np.array([100, 101, 103, 103, 103, 90, 90, 95]) / 2)
    np.testing.assert_allclose(record.channels[0].values, np.arange(10.0, 18.0))
    assert not [note for note in record.notes if "promised" in note or "check" in note]


def test_jcamp_counts_and_checks_that_do_not_agree_are_said():
    short = jcamp(FORMS["fixed"], NPOINTS="9")
    assert "8 points found, 9 promised by NPOINTS" in short.notes
    broken = jcamp(FORMS["differences"].replace("13A03", "13A04"))
    assert any("2 check values of the difference form did not agree" in note for note in broken.notes)
    by_step = jcamp(FORMS["fixed"], LASTX="", DELTAX="0.5")
    np.testing.assert_allclose(by_step.channels[0].values, 10 + 0.5 * np.arange(8))
    for missing, sentence in (({"FIRSTX": ""}, "no FIRSTX"), ({"LASTX": ""}, "neither LASTX nor DELTAX")):
        with pytest.raises(cs.InputError, match=sentence):
            jcamp(FORMS["fixed"], **missing)


@pytest.mark.parametrize("width", [2, 4])
@pytest.mark.parametrize("between", [[], [""], ["next part"]])
def test_rows_of_another_width_end_the_table_when_three_of_them_follow(width, between):
    first = numbers(5)[:40]
    second = np.arange(1.0, 1 + 30 * width).reshape(30, width)
    upper = [",".join(written(v, ".") for v in row) for row in first]
    lower = [",".join(written(v, ".") for v in row) for row in second]

    def read(*rows: str) -> Record:
        found = tables(Source("two.csv", "\n".join(["a,b,c", *rows]).encode()))
        assert len(found) == 1
        return found[0].record

    below = read(*upper, *between, *lower)  # without names of their own they are no table, but they are counted
    np.testing.assert_array_equal(below["c"].values, first[:, 2])
    count, at = 30 + ("next part" in between), 42 + (between == [""])
    assert f"{count} rows after the last row of numbers not read (first: row {at}, " in " ".join(below.notes)
    # Two stray rows of another width are no end: they are left out and said, and the table goes on.
    stray = read(*upper[:20], *lower[:2], *upper[20:])
    np.testing.assert_array_equal(stray["c"].values, first[:, 2])
    assert f"{width} cells instead of 3" in " ".join(stray.notes)


def test_clock_times_before_and_after_noon_are_seconds_since_the_first():
    rows = ["11:59:58 AM", "11:59:59 AM", "12:00:00 PM", "12:00:01 PM", "1:00:00 PM"]
    seconds = [0.0, 1.0, 2.0, 3.0, 3602.0]
    for written_ in (
        rows,
        [f"11/13/2026 {row}" for row in rows],
        ["11:59:58", "11:59:59", "12:00:00", "12:00:01", "13:00:00"],
    ):
        text = "Time,F (N)\n" + "".join(f"{row},{i}\n" for i, row in enumerate(written_))
        record = tables(Source("clock.csv", text.encode()))[0].record
        np.testing.assert_allclose(record["Time"].values, seconds)
        assert record["Time"].unit == "s"
    night = "Time,F (N)\n" + "".join(
        f"{row},{i}\n" for i, row in enumerate(["12:00:01 AM", "12:59:00 AM", "1:00:00 AM"])
    )
    np.testing.assert_allclose(tables(Source("n.csv", night.encode()))[0].record["Time"].values, [0, 3539, 3599])


@pytest.mark.parametrize(("mark", "decimal", "delimiter"), [
    (",", ".", ";"), (".", ",", ";"), ("'", ".", ","), ("’", ".", "\t"), (" ", ",", ";"), ("\u00a0", ",", "\t"),
    ("\u202f", ".", ";"),
])  # fmt: skip
@pytest.mark.parametrize("least", [1.0, 1000.0, 1e6])
def test_marks_between_thousands_wherever_they_begin(mark, decimal, delimiter, least, monkeypatch):
    y = np.round(least * np.geomspace(0.5, 5000, N), 2)

    def grouped(value: float) -> str:
        whole, _, part = f"{value:,.2f}".partition(".")
        return f"{whole.replace(',', mark)}{decimal}{part}"

    x = 0.25 * np.arange(N)
    lines = [f"{written(a, decimal)}{delimiter}{grouped(b)}" for a, b in zip(x, y, strict=True)]
    content = "\n".join([f"t (s){delimiter}F (N)", *lines]).encode()
    record, _ = both_ways(content, monkeypatch)
    assert [c.name for c in record.channels] == ["t", "F"]
    np.testing.assert_array_equal(record["F"].values, y)
    np.testing.assert_array_equal(record["t"].values, x)
    assert not [note for note in record.notes if "not read" in note or "left out" in note]
