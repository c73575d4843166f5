"""Reading text: the shapes files come in, property tests over dialects, and bad files."""

from __future__ import annotations

import json
import os
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.formats import read_bytes, understand
from curvesieve.core.record import Source


def record(text: str | bytes, name: str = "t.txt"):
    return read_bytes(Source(name, text if isinstance(text, bytes) else text.encode()))


def test_demo_file_is_understood(demo_files, capsys):
    assert main(["read", str(demo_files[0]), "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert (said["format"], said["encoding"], said["delimiter"], said["decimal"]) == ("text", "utf-8", "comma", ".")
    assert said["skipped_rows"] == 6
    assert said["channels"][0] == {"name": "Raman shift", "unit": "cm-1", "count": 924, "first": 1198.0, "last": 1752.0}
    made = cs.read(demo_files[0])
    assert dict(made.metadata)["Laser"] == "785 nm"
    assert made.source.content == demo_files[0].read_bytes()


def test_shapes_that_instruments_write():
    cases = {
        "Zeit;Kraft\ns;kN\n0,0;1,5\n0,1;1,75\n": (["Zeit", "Kraft"], ["s", "kN"], [0.0, 0.1]),
        "# t [s]\tF [N]\n1\t2\n2\t3\n": (["t", "F"], ["s", "N"], [1.0, 2.0]),
        "Data:   y       x\n 1.0D+03  2\n 2.0D+03  4\n": (["y", "x"], ["", ""], [1000.0, 2000.0]),
        "q / nm^-1, I(q) (cm-1)\r\n0.1, 5\r\n0.2, 4\r\n": (["q", "I(q)"], ["nm^-1", "cm-1"], [0.1, 0.2]),
        '"Shift, raw (cm-1)","A ""x"""\n1,2\n3,4\n': (["Shift, raw", 'A "x"'], ["cm-1", ""], [1.0, 3.0]),
        "1 2\n3 4\n": (["column 1", "column 2"], ["", ""], [1.0, 3.0]),
        "a,a\n1,2,\n3,4,\n": (["a", "a 2"], ["", ""], [1.0, 3.0]),
    }
    for text, (names, units, first) in cases.items():
        made = record(text)
        assert [c.name for c in made.channels] == names, text
        assert [c.unit for c in made.channels] == units, text
        assert list(made.channels[0].values) == first, text
    for encoding in ("utf-8-sig", "utf-16", "utf-16-le", "cp1252"):
        made = record("Länge (µm);Kraft (N)\n1;2\n2;5\n".encode(encoding))
        assert (made.channels[0].name, made.channels[0].unit) == ("Länge", "µm"), encoding
    assert [c.name for c in record(b"x,y\r1,2\r3,4\r").channels] == ["x", "y"]


numbers = st.floats(allow_nan=False, allow_infinity=False, width=64)


@settings(max_examples=60, deadline=None)
@given(
    table=st.integers(2, 5).flatmap(
        lambda n: st.lists(st.lists(numbers, min_size=n, max_size=n), min_size=2, max_size=9)
    ),
    dialect=st.sampled_from([(",", "."), (";", "."), (";", ","), ("\t", "."), ("\t", ","), (" ", "."), ("  ", ",")]),
    preamble=st.lists(st.sampled_from(["Operator: N. N.", "", "# made-up", "Run 12 of 40; hall B"]), max_size=12),
    end=st.sampled_from(["\n", "\r\n", "\r"]),
)
def test_any_table_in_any_dialect_reads_back_bit_for_bit(table, dialect, preamble, end):
    delimiter, decimal = dialect
    rows = [delimiter.join(repr(value).replace(".", decimal) for value in row) for row in table]
    names = [f"ch{chr(97 + i)}" for i in range(len(table[0]))]
    made = record(end.join([*preamble, delimiter.join(names), *rows]) + end)
    assert [c.name for c in made.channels] == names
    np.testing.assert_array_equal(np.column_stack([c.values for c in made.channels]), np.array(table))


def test_fast_and_careful_readers_agree():
    rng = np.random.default_rng(3)
    table = rng.normal(size=(5000, 3)) * 10.0 ** rng.integers(-200, 200, (5000, 3))
    text = "a;b;c\n" + "\n".join(";".join(repr(float(v)) for v in row) for row in table) + "\n"
    clean = record(text)
    np.testing.assert_array_equal(np.column_stack([c.values for c in clean.channels]), table)
    blank = record(text.replace(";" + repr(float(table[7, 1])) + ";", ";;").replace(repr(float(table[9, 0])), "NaN"))
    holes = np.column_stack([c.values for c in blank.channels])
    assert np.argwhere(np.isnan(holes)).tolist() == [[7, 1], [9, 0]]
    np.testing.assert_array_equal(holes[~np.isnan(holes)], table[~np.isnan(holes)])
    assert blank.notes[0].startswith("2 rows without a number (first: b, data row 8")
    short = record(text.replace(";" + repr(float(table[7, 2])) + "\n", "\n"))
    assert len(short) == 4999
    assert "1 row left out (first: row 9, 2 cells instead of 3)" in short.notes[0]
    broken = record(text.replace("\n", "\nnot a row\n", 3000).replace("not a row\n", "", 2999))
    np.testing.assert_array_equal(np.column_stack([c.values for c in broken.channels]), table)
    assert "1 row left out" in broken.notes[0]


def test_odd_rows_are_left_out_counted_and_told():
    made = record("t,F\n0,1\n1,2\n2\n3,4,9\n4,five\n5,6\n6,NaN\n7,inf\n8,\n9,10\n")
    assert len(made) == 7
    assert made.notes[0] == "3 rows left out (first: row 4, 1 cell instead of 2)"
    assert made.notes[1].startswith("3 rows without a number (first: F, data row 4")
    curve = made.curve()
    assert list(curve.x) == [0, 1, 5, 9]
    loop = record("e,s\n0,1\n1,2\n1,3\n0.5,2\n0,1\n").curve()
    assert loop.oddities == (
        "e is not monotonic: it turns back after point 3",
        "e repeats its value 1 time, first at point 3",
    )


BAD_FILES = {
    "binary.csv": (bytes(range(256)) * 20, "holds binary data, not text"),
    "empty.csv": (b"", "is empty"),
    "blank.csv": (b" \n\n \t\n", "is empty"),
    "words.txt": (b"no numbers\nin this text at all\n", "no row of numbers"),
    "damaged.csv": ("a,b\n1,2\n".encode("utf-16")[:-1], "damaged at byte"),
}


@pytest.mark.parametrize("name", BAD_FILES)
def test_bad_files_get_one_sentence_and_status_2(name, tmp_path, capsys):
    content, sentence = BAD_FILES[name]
    path = tmp_path / name
    path.write_bytes(content)
    assert main(["read", str(path)]) == 2
    said = capsys.readouterr().err
    assert sentence in said
    assert name in said
    assert said.count("\n") == 1


def test_one_column_missing_files_and_folders(tmp_path, capsys):
    one = tmp_path / "one.txt"
    one.write_text("y\n1\n2\n3\n")
    assert main(["fit", str(one), "--model", "line"]) == 2
    assert "one column of numbers (y); a curve needs two" in capsys.readouterr().err
    for bad in (tmp_path / "gone.csv", tmp_path):
        assert main(["read", str(bad)]) == 2
    said = capsys.readouterr().err
    assert "No such file" in said
    assert "is a folder" in said
    with pytest.raises(cs.InputError, match="no channel 'Forse'; it has t, Force; did you mean 'Force'"):
        record("t,Force\n1,2\n2,3\n")["Forse"]


def test_a_file_that_shrinks_while_it_is_read(tmp_path, monkeypatch):
    path = tmp_path / "growing.csv"
    path.write_text("a,b\n1,2\n3,4\n")
    real = Path.stat
    monkeypatch.setattr(Path, "stat", lambda self, **k: os.stat_result((*real(self)[:6], 999, *real(self)[7:])))
    with pytest.raises(cs.InputError, match="became shorter while it was read"):
        cs.read(path)


@settings(max_examples=150, deadline=None)
@given(data=st.binary(min_size=1, max_size=300), where=st.integers(0, 200))
def test_mutated_files_never_surprise(data, where):
    base = b"# made-up\nx (mm);y (N)\n" + b"\n".join(b"%d,5;%d,25" % (i, 2 * i) for i in range(12))
    mutated = base[:where] + data + base[where:]
    source = Source("m.csv", mutated)
    try:
        made = read_bytes(source)
    except cs.InputError:
        return  # any other exception is a defect
    assert len({c.values.size for c in made.channels}) == 1
    understand(source)
