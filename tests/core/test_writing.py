"""What is written reads back to the same values, by our own readers and by other libraries."""

from __future__ import annotations

import io
import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.core.curve import Curve, Flag
from curvesieve.core.formats import tables
from curvesieve.core.formats.writing import WRITERS, of_curve, of_record, write
from curvesieve.core.record import Channel, Record, Source

numbers = st.floats(allow_nan=False, allow_infinity=False)


def read_back(content: bytes, suffix: str) -> Record:
    return tables(Source(f"made{suffix}", content))[0].record


@settings(max_examples=25, deadline=None)
@given(values=st.lists(st.tuples(numbers, numbers), min_size=2, max_size=30), hole=st.booleans())
@pytest.mark.parametrize("suffix", [writer.suffix for writer in WRITERS])
def test_any_numbers_read_back_bit_for_bit(suffix, values, hole):
    x, y = np.array(values).T.copy()
    if hole and suffix != ".jdx" and len(values) > 2:
        y[1] = np.nan
    channels = (Channel("shift", "cm-1", x), Channel("Kraft, µ", "N", y))
    record = Record(Source("made.csv", b"m"), channels, (("Operator", "N. N."), ("=cmd", "@x\ny")))
    again = read_back(write(of_record(record), suffix), suffix)
    for channel, expected in zip(again.channels, channels, strict=True):
        np.testing.assert_array_equal(channel.values, expected.values)
        assert (channel.name, channel.unit) == (expected.name, expected.unit)


@pytest.mark.parametrize("suffix", [writer.suffix for writer in WRITERS])
def test_a_curve_keeps_its_uncertainty_and_flags(suffix):
    flags = np.array([0, Flag.PATCHED, Flag.LEFT_OUT, 3], np.uint8)
    curve = Curve(np.arange(4.0), np.arange(4.0) ** 2, np.full(4, 0.1), "t", "F", "s", "N", flags)
    sheet = of_curve(curve, "strip, 0.5 wt%")
    if suffix == ".jdx":
        assert read_back(write(sheet, suffix), suffix)["F"].values.tolist() == [0, 1, 4, 9]
        return
    again = read_back(write(sheet, suffix), suffix)
    assert [channel.name for channel in again.channels] == ["t", "F", "u of F", "flag"]
    assert again["flag"].values.tolist() == [0, 1, 2, 3]
    assert again.curve("t", "F", "u of F").u.tolist() == [0.1] * 4


def test_other_libraries_read_what_is_written():
    import h5py
    import openpyxl
    import pandas as pd

    record = Record(
        Source("a", b"m"), (Channel("a/b", "mm", np.array([1.5, 2.5])), Channel("c", "", np.array([3.0, np.nan])))
    )
    sheet = of_record(record)
    frame = pd.read_csv(io.BytesIO(write(sheet, ".csv")), comment="#")
    assert frame["a/b (mm)"].tolist() == [1.5, 2.5]
    page = openpyxl.load_workbook(io.BytesIO(write(sheet, ".xlsx")))["data"]
    assert [cell.value for cell in page[2]][:1] == ["mm"]
    assert page["B4"].value is None
    with h5py.File(io.BytesIO(write(sheet, ".h5"))) as file:
        group = file["data"]
        assert group.attrs["NX_class"] == "NXdata"
        assert group[group.attrs["signal"]][0] == 3.0
    assert json.loads(write(sheet, ".json"))["channels"][1]["values"] == [3.0, None]


def test_what_cannot_be_written_says_so():
    record = Record(Source("a", b"m"), tuple(Channel(name, "", np.arange(3.0)) for name in "abc"))
    with pytest.raises(cs.InputError, match="JCAMP-DX holds one curve"):
        write(of_record(record), ".jdx")
    with pytest.raises(cs.InputError, match=r"“\.doc” is no format that can be written; end the name with \.csv"):
        write(of_record(record), ".doc")


NO_TABLES = (
    '{"a": [1, 2], "b": [1]}',
    '{"a": ["x"]}',
    '{"a": {}}',
    "{",
    '{"channels": [1]}',
    '{"a": [[1]]}',
    '{"a":' * 9999,
)


@pytest.mark.parametrize("text", NO_TABLES)
def test_json_that_is_no_table(text):
    with pytest.raises(cs.InputError):
        tables(Source("a.json", text.encode()))
