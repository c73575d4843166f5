"""Formats other than plain text: files written by the libraries themselves, published worked lines, and bad files."""

from __future__ import annotations

import gzip
import io
import itertools
import json
import zipfile

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.formats import tables
from curvesieve.core.formats.jcamp import decode_line
from curvesieve.core.record import Record, Source

X = np.array([0.1, 0.2, 1 / 3, 4e-7, 5.5e12])
Y = np.array([1.0, -2.5, np.pi, 1e-300, 7.0])


def read_all(content: bytes, name: str) -> list[Record]:
    return [table.record for table in tables(Source(name, content))]


def check(record: Record, names: list[str], units: list[str]) -> None:
    assert [c.name for c in record.channels] == names
    assert [c.unit for c in record.channels] == units
    np.testing.assert_array_equal(record.channels[0].values, X)
    np.testing.assert_array_equal(record.channels[1].values, Y)


# -- spreadsheets ---------------------------------------------------------------------------------------


def workbook(fill, sheets=("data",)) -> bytes:
    import openpyxl

    book = openpyxl.Workbook()
    book.remove(book.active)
    for name in sheets:
        fill(book.create_sheet(name))
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()


def test_xlsx_written_by_openpyxl_with_preamble_units_and_notes_at_the_side():
    def fill(sheet):
        sheet.append(["Strip tester export (made-up)"])
        sheet.append([])
        sheet.append([None, "Extension", "Force"])
        sheet.append([None, "mm", "kN", "checked by N. N."])
        for x, y in zip(X.tolist(), Y.tolist(), strict=True):
            sheet.append([None, x, y])

    (record,) = read_all(workbook(fill), "a.xlsx")
    check(record, ["Extension", "Force"], ["mm", "kN"])


def test_xlsx_sheets_merged_headings_and_blank_cells():
    def fill(sheet):
        sheet.append(["Sample A", None, "Sample B"])
        sheet.merge_cells("A1:B1")
        for row in ([1, 2, 3], [2, None, 4], [3, 5, 6]):
            sheet.append(row)

    first, second = read_all(workbook(fill, ("warm", "cold")), "b.xlsx")
    assert first.source.name == "b.xlsx · warm"
    assert [c.name for c in second.channels] == ["Sample A", "Sample A 2", "Sample B"]
    assert np.isnan(first.channels[1].values[1])
    assert len(first.curve(1, 2)) == 2


def test_formulas_without_values_are_told():
    def only(sheet):
        for row in range(1, 5):
            sheet[f"A{row}"] = f"={row}*2"

    with pytest.raises(cs.InputError, match="4 formulas without a stored value"):
        read_all(workbook(only), "c.xlsx")

    def some(sheet):
        for row in range(1, 5):
            sheet.append([row, row * 2, f"=B{row}/2"])

    (record,) = read_all(workbook(some), "d.xlsx")
    assert "4 formula cells without a stored value" in record.notes[-1]


def test_ods_written_by_odfpy_and_xlsx_by_pandas():
    import pandas as pd

    frame = pd.DataFrame({"q (nm-1)": X, "I": Y})
    for engine, name in (("openpyxl", "e.xlsx"), ("odf", "e.ods")):
        buffer = io.BytesIO()
        frame.to_excel(buffer, index=False, engine=engine)
        (record,) = read_all(buffer.getvalue(), name)
        check(record, ["q", "I"], ["nm-1", ""])


# -- JCAMP-DX -------------------------------------------------------------------------------------------

# McDonald and Wilks, Appl. Spectrosc. 42 (1988) 151: one row of ordinates in each of the forms (from memory).
WORKED = [1.0, 2.0, 3.0, 3.0, 2.0, 1.0, 0.0, -1.0, -2.0, -3.0]


@pytest.mark.parametrize(
    ("line", "form"),
    [
        ("99 1 2 3 3 2 1 0 -1 -2 -3", "AFFN"),
        ("99+1+2+3+3+2+1+0-1-2-3", "PAC"),
        ("99ABCCBA@abc", "SQZ"),
        ("99AJJ%jjjjjj", "DIF"),
        ("99AJJ%jX", "DIFDUP"),
    ],
)
def test_worked_lines_of_all_ordinate_forms(line, form):
    x, values, difference = decode_line(line)
    assert x == 99
    assert values == WORKED, form
    assert difference == form.startswith("DIF")


def jcamp(body: str, title: str = "made-up") -> str:
    return f"##TITLE={title}\n##JCAMP-DX= 4.24 $$ made-up\n##DATA TYPE=RAMAN SPECTRUM\n{body}##END=\n"


def test_difference_lines_carry_their_check_value():
    head = "##XUNITS=1/CM\n##YUNITS=COUNTS\n##FIRSTX=100\n##LASTX=118\n##XFACTOR=1\n##YFACTOR=0.5\n##NPOINTS=10\n"
    data = "##XYDATA=(X++(Y..Y))\n100AJJ%j\n110Bjjjjj\n"
    (record,) = read_all(jcamp(head + data).encode(), "f.jdx")
    assert [(c.name, c.unit) for c in record.channels] == [("wavenumber", "cm-1"), ("counts", "")]
    # Line one ends at 2; line two begins with that 2 as its check value and goes on.
    np.testing.assert_array_equal(record.channels[1].values, np.array([1, 2, 3, 3, 2, 1, 0, -1, -2, -3]) * 0.5)
    np.testing.assert_allclose(record.channels[0].values, np.linspace(100, 118, 10), rtol=1e-15)
    assert not record.notes
    (wrong,) = read_all(jcamp(head + data.replace("110B", "110C")).encode(), "g.jdx")
    assert "1 check value of the difference form did not agree" in wrong.notes[0]
    (short,) = read_all(jcamp(head + "##XYDATA=(X++(Y..Y))\n100AJJ\n").encode(), "h.jdx")
    assert "3 points found, 10 promised" in short.notes[0]


def test_points_peaks_and_linked_blocks():
    points = "##XUNITS=SECONDS\n##YUNITS=V\n##XYPOINTS=(XY..XY)\n1,2; 3,4\n5,6\n"
    peaks = "##PEAK TABLE=(XY..XY)\n10,1 20,2\n"
    linked = "##TITLE=link\n##BLOCKS=2\n" + jcamp(points, "one") + jcamp(peaks, "two") + "##END=\n"
    one, two = read_all(linked.encode(), "i.dx")
    assert one.source.name == "i.dx · one"
    assert [list(c.values) for c in one.channels] == [[1, 3, 5], [2, 4, 6]]
    assert list(two.channels[1].values) == [1, 2]


@settings(max_examples=40, deadline=None)
@given(values=st.lists(st.integers(-99999, 99999), min_size=2, max_size=60))
def test_any_integers_survive_the_compressed_forms(values):
    squeezed = "".join(_letter(v, "@ABCDEFGHI", "abcdefghi") for v in values)
    steps = [_letter(b - a, "%JKLMNOPQR", "jklmnopqr") for a, b in itertools.pairwise(values)]
    differences = _letter(values[0], "@ABCDEFGHI", "abcdefghi") + "".join(steps)
    assert decode_line("5" + squeezed)[1] == values
    assert decode_line("5" + differences)[1] == values


def _letter(value: int, plus: str, minus: str) -> str:
    digits = str(abs(value))
    return (minus[int(digits[0]) - 1] if value < 0 else plus[int(digits[0])]) + digits[1:]


# -- HDF5, NumPy, canSAS, gzip --------------------------------------------------------------------------


def hdf5(fill) -> bytes:
    import h5py

    buffer = io.BytesIO()
    with h5py.File(buffer, "w") as file:
        fill(file)
    return buffer.getvalue()


def test_hdf5_written_by_h5py_with_nexus_marks_first():
    def fill(file):
        plain = file.create_group("other")
        plain["a"], plain["b"] = X[::-1], Y
        data = file.create_group("entry/sasdata")
        data.attrs["NX_class"], data.attrs["signal"], data.attrs["I_axes"] = "NXdata", "I", "Q"
        data["I"], data["Q"] = Y, X
        data["Q"].attrs["units"] = "1/nm"

    first, second = read_all(hdf5(fill), "j.h5")
    check(first, ["Q", "I"], ["1/nm", ""])
    assert first.source.name == "j.h5 · entry/sasdata"
    assert [c.name for c in second.channels] == ["a", "b"]
    assert first.curve(1, 2).x.size == 5


def test_numpy_arrays_without_pickles():
    buffer = io.BytesIO()
    np.save(buffer, np.column_stack([X, Y]))
    check(read_all(buffer.getvalue(), "k.npy")[0], ["column 1", "column 2"], ["", ""])
    buffer = io.BytesIO()
    np.savez(buffer, t=X, F=Y)
    check(read_all(buffer.getvalue(), "l.npz")[0], ["t", "F"], ["", ""])
    buffer = io.BytesIO()
    np.save(buffer, np.array([{"a": 1}], dtype=object), allow_pickle=True)
    with pytest.raises(cs.InputError, match="without pickles"):
        read_all(buffer.getvalue(), "m.npy")


CANSAS = """<?xml version="1.0"?>
<SASroot version="1.0" xmlns="cansas1d/1.0"><SASentry><Title>made-up</Title>
<SASdata>{points}</SASdata></SASentry></SASroot>
"""


def test_cansas_xml_and_its_bombs():
    point = '<Idata><Q unit="1/nm">{x!r}</Q><I unit="1/cm">{y!r}</I></Idata>'
    points = "".join(point.format(x=x, y=y) for x, y in zip(X.tolist(), Y.tolist(), strict=True))
    check(read_all(CANSAS.format(points=points).encode(), "n.xml")[0], ["Q", "I"], ["1/nm", "1/cm"])
    bomb = '<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaaaaaa"><!ENTITY b "&a;&a;&a;">]><SASroot>&b;</SASroot>'
    with pytest.raises(cs.InputError, match="entities or a DTD"):
        read_all(bomb.encode(), "o.xml")
    with pytest.raises(cs.InputError, match="damaged XML"):
        read_all(CANSAS.format(points="<Idata>").encode(), "p.xml")


def test_gzip_of_text_keeps_the_packed_bytes_as_its_source(tmp_path):
    text = b"t (s);F (N)\n0,5;1\n1,5;2\n"
    packed = gzip.compress(text)
    (record,) = read_all(packed, "q.csv.gz")
    assert record.channels[0].unit == "s"
    assert record.source.content == packed


BAD = {
    "cut.gz": (gzip.compress(b"1 2\n3 4\n" * 99)[:-20], "damaged or truncated gzip"),
    "cut.h5": (hdf5(lambda f: f.create_dataset("a", data=np.arange(999.0)))[:1500], "damaged or truncated HDF5"),
    "cut.xlsx": (workbook(lambda s: s.append([1, 2]))[:-200], "damaged or cut short"),
    "noheader.jdx": (jcamp("##XYDATA=(X++(Y..Y))\n1 2 3\n").encode(), "has no FIRSTX"),
    "odd.jdx": (jcamp("##XYPOINTS=(XY..XY)\n1 2 3\n").encode(), "3 numbers, which make no pairs"),
    "strange.jdx": (
        jcamp("##FIRSTX=1\n##LASTX=2\n##XYDATA=(X++(Y..Y))\n1 2 &\n").encode(),
        "row 1 of XYDATA: '&' has no",
    ),
    "none.jdx": (jcamp("").encode(), "without XYDATA"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_files_get_a_sentence(name, tmp_path, capsys):
    content, sentence = BAD[name]
    path = tmp_path / name
    path.write_bytes(content)
    assert main(["read", str(path)]) == 2
    error = capsys.readouterr().err
    assert sentence in error
    assert error.count("\n") == 1


def test_zip_and_gzip_bombs_are_not_unpacked():
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/workbook.xml", b"0" * 40_000_000)
    with pytest.raises(cs.InputError, match="so much out of so little is not read"):
        read_all(buffer.getvalue(), "bomb.xlsx")
    with pytest.raises(cs.InputError, match="from 19 KiB to more than 6 MiB; so much out of so little"):
        read_all(gzip.compress(b"1 2\n" * 5_000_000), "bomb.gz")


def test_command_line_names_the_format_and_the_tables(tmp_path, capsys):
    path = tmp_path / "two.xlsx"
    path.write_bytes(workbook(lambda s: [s.append(row) for row in (["t (s)", "F (N)"], [0, 1], [1, 3])], ("a", "b")))
    assert main(["read", str(path), "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["format"] == "xlsx"
    assert said["tables"] == ["two.xlsx · a", "two.xlsx · b"]
    assert said["channels"][1] == {"name": "F", "unit": "N", "count": 2, "first": 1.0, "last": 3.0}


@settings(max_examples=60, deadline=None)
@given(
    data=st.binary(min_size=1, max_size=40),
    where=st.floats(0, 1),
    kind=st.sampled_from(list("xhjnc")),
)
def test_mutated_structured_files_never_surprise(data, where, kind):
    base = _BASES[kind]
    place = int(where * len(base))
    mutated = base[:place] + data + base[place + len(data) :]
    try:
        found = tables(Source("m", mutated))
    except cs.InputError:
        return  # any other exception is a defect
    assert all(len({c.values.size for c in table.record.channels}) == 1 for table in found)


def _npz() -> bytes:
    buffer = io.BytesIO()
    np.savez(buffer, t=X, F=Y)
    return buffer.getvalue()


_BASES = {
    "x": workbook(lambda s: [s.append([i, i * 2.5]) for i in range(9)]),
    "h": hdf5(lambda f: f.create_dataset("a", data=np.arange(40.0))),
    "j": jcamp("##FIRSTX=1\n##LASTX=9\n##YFACTOR=1\n##XYDATA=(X++(Y..Y))\n1AJJ%jX\n").encode(),
    "n": _npz(),
    "c": CANSAS.format(points="<Idata><Q>1</Q><I>2</I></Idata>").encode(),
}


def test_a_short_run_of_the_fuzzer_finds_nothing():
    """The long run, 20,000 files, is `make fuzz`. The 212th file of seed 17 once found a defect."""
    from benchmarks.fuzz import corpus, run

    files = corpus()
    for seed, count in ((0, 150), (17, 220)):
        said, _, faults = run(count, seed, files)
        assert not faults
        assert min(said.values()) > 20, "some are read and some refused"
