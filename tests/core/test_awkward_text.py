"""What makes text awkward: moments, thousands, words, fixed widths, several tables, large files; RFC 4180 and StRD."""

from __future__ import annotations

import datetime
import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.core.formats import opening, tables
from curvesieve.core.intake.take import Take
from curvesieve.core.record import FileBytes, Source
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study.passing import recorded
from tests.conftest import STRD


def all_tables(text: str | bytes):
    return tables(Source("f.txt", text if isinstance(text, bytes) else text.encode()))


def columns(text: str) -> dict[str, list[float]]:
    (table,) = all_tables(text)
    return {channel.name: channel.values.tolist() for channel in table.record.channels}


def test_thousands_marks():
    assert columns("t;F\ns;N\n0;1,234.5\n1;1,235\n2;12,345,678\n")["F"] == [1234.5, 1235.0, 12345678.0]
    assert columns("t;F\n0;1 234,5\n1;1'235,1\n2;999,1\n3;9 999,1\n")["F"] == [1234.5, 999.1, 9999.1]
    assert columns("t;F\n0;1.234,5\n1;1.235\n")["F"] == [1234.5, 1235.0]
    # With nothing that tells, a mark is the decimal comma.
    assert columns("t;F\n0;1,234\n1;1,235\n")["F"] == [1.234, 1.235]
    many = "t;F\n" + "".join(f"{i};{i + 1000:,}.25\n" for i in range(2000))
    assert columns(many)["F"] == [i + 1000.25 for i in range(2000)]


@pytest.mark.parametrize(
    ("pattern", "note"),
    [
        ("%Y-%m-%d %H:%M:%S.%f", "year, month, day"), ("%Y-%m-%dT%H:%M:%S", "year, month, day"),
        ("%d.%m.%Y %H:%M:%S", "day, month, year"), ("%m/%d/%Y %H:%M:%S", "month, day, year"),
        ("%Y/%m/%d %H:%M", "year, month, day"), ("%H:%M:%S.%f", "clock times"), ("%I:%M:%S %p", "clock times"),
    ],
)  # fmt: skip
@pytest.mark.parametrize("rows", [5, 700])
def test_moments_become_seconds_since_the_first(pattern, note, rows):
    start = datetime.datetime(2026, 3, 14, 23, 50)
    made = [start + datetime.timedelta(minutes=i) for i in range(rows)]
    text = "When,Mass (g)\n" + "".join(f"{moment.strftime(pattern)},{i}.5\n" for i, moment in enumerate(made))
    (table,) = all_tables(text)
    when = table.record["When"]
    np.testing.assert_allclose(when.values, 60.0 * np.arange(rows), atol=1e-6)
    assert when.unit == "s"
    assert any(note in said and "counted in s from" in said for said in table.record.notes)


def test_an_order_of_day_and_month_that_cannot_be_told_is_said():
    (table,) = all_tables("Date,m\n01/02/2026,1\n02/02/2026,2\n")
    assert table.record.notes == (
        "Date: dates read as day, month, year (the other order would fit as well), "
        "counted in s from 2026-02-01 00:00:00",
    )


def test_words_amid_numbers_and_columns_told_by_their_places():
    (table,) = all_tables("t,state,F\n1,ok,2.5\n2,,3.5\n4,ok,five\n3,bad,4.5\n")
    assert [channel.name for channel in table.record.channels] == ["t", "F"]
    assert table.record["F"].values.tolist() == [2.5, 3.5, 4.5]
    assert set(table.record.notes) >= {"state: a column of words, left out"}
    assert table.found.left_out == ((3, "text among the numbers"),)
    fixed = columns("   t     F     u\n  1.0   2.0   3.0\n  2.0         4.0\n  3.0   2.5   5.0\n 10.0  22.5\n")
    assert fixed["u"][:3] == [3, 4, 5]
    assert np.isnan(fixed["F"][1])
    assert np.isnan(fixed["u"][3])


def test_rows_that_do_not_fit_say_why():
    (table,) = all_tables("a;b;c\n1;2,5;0\n2;3,5\na;b;c\n3;4.5;0\n4;5,5;0\n5;6;1;1\n6;7,5;0\n")
    assert [reason for _, reason in table.found.left_out] == [
        "2 cells instead of 3", "the heading once more", "a decimal point, unlike the other rows: 4.5",
        "4 cells instead of 3",
    ]  # fmt: skip
    assert table.record["a"].values.tolist() == [1, 4, 6]
    kinds = [table.found.row_kind(row) for row in range(8)]
    assert kinds == ["names", "data", "left out", "left out", "left out", "data", "left out", "data"]


@pytest.mark.parametrize("rows", [4, 900])
def test_several_tables_in_one_file(rows):
    def block(names: str, width: int, scale: int) -> str:
        return names + "\n" + "".join(",".join(str(scale * i + k) for k in range(width)) + "\n" for i in range(rows))

    text = (
        "Run: 7\n[First]\n"
        + block("x,y", 2, 1)
        + "\n[Second]\n"
        + block("x,y", 2, 10)
        + "end\n\n"
        + block("u,v,w", 3, 1)
    )
    found = all_tables(text)
    assert [table.record.source.name for table in found] == ["f.txt · First", "f.txt · Second", "f.txt · table 3"]
    assert [len(table.record) for table in found] == [rows] * 3
    assert found[1].record["y"].values[-1] == 10 * (rows - 1) + 1
    assert [channel.name for channel in found[2].record.channels] == ["u", "v", "w"]
    assert found[0].record.metadata == (("Run", "7"),)


def test_too_many_columns_and_a_preamble_without_data():
    wide = ",".join(map(str, range(10_000)))
    with pytest.raises(cs.InputError, match="a table of 10,000 columns; at most 2,000"):
        all_tables(f"{wide}\n{wide}\n")
    with pytest.raises(cs.InputError, match="no row of numbers"):
        all_tables("\n".join(f"line {i} of the preamble, 3 of it" for i in range(40)))


def test_rfc_4180():
    """The cases of RFC 4180, section 2, rules 1 to 7, with numbers in the place of its letters."""
    plain = {"aaa": [1.0, 3.0], "bbb": [2.0, 4.0]}
    assert columns("aaa,bbb\r\n1,2\r\n3,4\r\n") == plain  # rules 1 and 3
    assert columns("aaa,bbb\r\n1,2\r\n3,4") == plain  # rule 2: the last break may be missing
    assert columns('"aaa","bbb"\r\n"1","2"\r\n3,4\r\n') == plain  # rule 5
    assert columns('"a,a","b""b"\r\n1,2\r\n3,4\r\n') == {"a,a": [1.0, 3.0], 'b"b': [2.0, 4.0]}  # rules 6 and 7


@pytest.mark.parametrize("path", sorted(STRD.glob("*.dat")), ids=lambda path: path.stem)
def test_strd_files_read_as_they_are(path):
    """NIST's own files with their 60-line preambles: every digit of the table below `Data:` (source: NIST StRD)."""
    lines = path.read_text("ascii").splitlines()
    first, last = map(int, re.search(r"Data\s*\(lines\s+(\d+)\s+to\s+(\d+)\)", "\n".join(lines)).groups())
    expected = [[float(cell) for cell in line.split()] for line in lines[first - 1 : last] if line.strip()]
    record = cs.read(path)
    np.testing.assert_array_equal(np.column_stack([channel.values for channel in record.channels]), expected)


moments = st.datetimes(datetime.datetime(1980, 1, 1), datetime.datetime(2060, 1, 1))


@settings(max_examples=40, deadline=None)
@given(st.lists(moments, min_size=2, max_size=20))
def test_any_dates_keep_their_distances(made):
    text = "When;y\n" + "".join(
        f"{moment.isoformat(sep=' ', timespec='microseconds')};{i}\n" for i, moment in enumerate(made)
    )
    (table,) = all_tables(text)
    expected = [(moment - made[0]).total_seconds() for moment in made]
    np.testing.assert_allclose(table.record["When"].values, expected, atol=2e-6)


def test_a_large_file_is_read_in_pieces_and_can_be_stopped(tmp_path, monkeypatch):
    """The way of a 2 GB file, with the limits lowered so that a small file takes it."""
    monkeypatch.setattr(opening, "MAX_HELD", 1000)
    monkeypatch.setattr("curvesieve.core.formats.rows._PIECE_ROWS", 500)
    path = tmp_path / "large.csv"
    values = np.random.default_rng(0).normal(size=(3000, 2))
    path.write_bytes(b"\xef\xbb\xbfx (s),y (N)\r\n" + b"".join(b"%r,%r\r\n" % (float(a), float(b)) for a, b in values))
    source = opening.load(path)
    assert isinstance(source.content, FileBytes)
    shares: list[float] = []
    (table,) = tables(source, shares.append)
    np.testing.assert_array_equal(np.column_stack([c.values for c in table.record.channels]), values)
    assert table.record.channels[0].unit == "s"
    assert shares == sorted(shares)
    assert (len(shares), shares[-1]) == (6, 1.0)
    assert source.sha256 == Source("x", path.read_bytes()).sha256

    # The study keeps the numbers and the hash, not the bytes.
    study = edits.add_curves(Study(), [(table.record, Take(0, 1))], "large")
    save_study(study, tmp_path / "s.sieve")
    again = load_study(tmp_path / "s.sieve")
    assert not again.sources
    assert (again.document.records[0].source, again.document.records[0].source_kept) == (source.sha256, False)
    np.testing.assert_array_equal(recorded(again, again.document.curves[0].id).y, values[:, 1])

    def stop(share: float) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        tables(source, stop)
    path.write_bytes(path.read_bytes()[:2000])
    with pytest.raises(cs.InputError, match="became shorter while it was read"):
        tables(source)
    monkeypatch.setattr(opening, "MAX_HELD", 10)
    archive = tmp_path / "large.xlsx"
    archive.write_bytes(b"PK\x03\x04" + bytes(100))
    with pytest.raises(cs.InputError, match="only text is read"):
        tables(opening.load(archive))
