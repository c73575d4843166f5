"""Awkward pictures dropped on the window, and charts that are hard to read: each is read, or refused with a reason."""

from __future__ import annotations

import re
import struct
import zlib

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QColorDialog

from curvesieve.app.widgets.swatch import Swatch
from curvesieve.core.tracing.values import traced_bars
from tests.app.gestures import click, drop_files, menu_behind, take, type_into
from tests.app.test_trace_tour import calibrate, go, mark, paste, point, settled
from tests.core.charts import drawn


def a_bomb() -> bytes:
    """A PNG of a few bytes that says it has 30,000 × 30,000 pixels."""

    def part(kind: bytes, content: bytes) -> bytes:
        return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content))

    header = struct.pack(">IIBBBBB", 30_000, 30_000, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + part(b"IHDR", header) + part(b"IDAT", zlib.compress(b"\0" * 90)) + part(b"IEND", b"")


REFUSED = {
    "words.png": "words.png is no picture that can be opened",
    "small.png": "small.png is 20 × 20 pixels; a chart needs 32 each way at the least",
    "bomb.png": "bomb.png unpacks to more pixels than a chart has",
    "large.png": "large.png has 64 million pixels; cut out the chart first",
    "cut.jpg": "cut.jpg is damaged and cannot be opened",
    "empty.png": "empty.png is no picture that can be opened",
    "paper.pdf": "paper.pdf is no PDF that can be read",
    "drawing.svg": "drawing.svg is no drawing that can be read",
}


def test_what_is_no_picture_of_a_chart_is_refused_with_a_reason(qtbot, window, tmp_path):
    for name in ("words.png", "paper.pdf", "drawing.svg"):
        (tmp_path / name).write_bytes(b"time, force\n1, 2\n")
    (tmp_path / "empty.png").write_bytes(b"")
    (tmp_path / "bomb.png").write_bytes(a_bomb())
    Image.new("RGB", (20, 20)).save(tmp_path / "small.png")
    Image.new("1", (8000, 8000)).save(tmp_path / "large.png")
    Image.fromarray(np.random.default_rng(1).integers(0, 255, (200, 200, 3), np.uint8)).save(tmp_path / "cut.jpg")
    (tmp_path / "cut.jpg").write_bytes((tmp_path / "cut.jpg").read_bytes()[:4000])
    window = window()
    for name, said in REFUSED.items():
        drop_files(window, [tmp_path / name])
        settled(window, qtbot)
        assert said in window.notice.text.text()
    assert window.session.study.document.charts == ()
    assert window.bench == "Trace"


def test_of_an_animated_picture_the_first_is_taken_and_that_is_said(qtbot, window, tmp_path):
    chart = drawn(4, "lines", style="default", dpi=100, large=4, turn=0.0, count=1, quality=0)
    first = Image.fromarray(chart.picture.pixels)
    first.save(tmp_path / "moves.webp", save_all=True, append_images=[first.rotate(90)], lossless=True)
    window = window()
    drop_files(window, [tmp_path / "moves.webp"])
    settled(window, qtbot)
    assert "moves.webp has 2 pictures; the first is taken." in window.notice.text.text()
    assert np.array_equal(window.trace_bench.work.opened.picture.pixels, chart.picture.pixels)


def test_bars_that_lie_are_read_along_x(qtbot, window):
    pixels = np.full((300, 420, 3), 255, np.uint8)
    pixels[20:262, 48:50] = 0
    pixels[260:262, 48:400] = 0
    for k in range(8):
        pixels[262:268, 48 + 50 * k : 50 + 50 * k] = 0
    lengths = (120, 200, 80)
    for k, length in enumerate(lengths):
        pixels[40 + 70 * k : 80 + 70 * k, 50 : 50 + length] = (200, 60, 40)
    chart = drawn(4, "lines", style="default", dpi=100, large=4, turn=0.0, count=1, quality=0)
    chart.picture = type(chart.picture)("lying.png", pixels, "")
    window = window()
    bench = go(window)
    paste(window, qtbot, chart)
    mark(window, qtbot, (49.0, 261.0), x="0")
    mark(window, qtbot, (399.0, 261.0), x="70 MPa")
    mark(window, qtbot, (49.0, 20.0), y="1")
    mark(window, qtbot, (49.0, 240.0), y="0")
    click(bench.steps["points"])
    click(bench.tool_buttons["bars"])
    click(bench.lying)
    point(window, qtbot, (60.0, 130.0))
    found = sorted(bar.value for bar in traced_bars(bench.work.frame, bench.work.series))
    assert found == pytest.approx([(1 + length) / 5 for length in sorted(lengths)], abs=0.15)
    assert bench.work.trace.x.unit == "MPa"
    table = bench.side_.table
    click(table.viewport(), table.visualItemRect(table.item(0, 1)).center())
    words = re.fullmatch(r"In hand: bar 1 ends between (\d+) and (\d+) on the axis", bench.side_.foot_words.text())
    assert float(words[1]) < traced_bars(bench.work.frame, bench.work.series)[0].value < float(words[2])
    assert float(words[2]) - float(words[1]) == 10, "between the ticks that were found, not only those typed"
    click(bench.side_.back)
    assert len(bench.work.series.bars) == 2


def test_charts_have_names_and_series_colours_of_their_own(qtbot, window, monkeypatch):
    chart = drawn(4, "lines", style="default", dpi=100, large=4, turn=0.0, count=2, quality=70)
    window = window()
    bench = go(window)
    for _ in range(2):
        paste(window, qtbot, chart)
    type_into(bench.name, "release of film 3")
    assert [one.name for one in window.session.study.document.charts] == ["pasted picture.png", "release of film 3"]
    for refused in ("pasted picture.png", "  "):
        type_into(bench.name, refused)
        assert bench.name.text() == "release of film 3"
        assert bench.work.chart.name == "release of film 3"
    calibrate(window, qtbot, chart)
    click(bench.steps["points"])
    click(bench.tool_buttons["a line"])
    point(window, qtbot, chart.series[0].pixels[300])
    assert len(bench.work.series.places) > 20, "a line is followed through what JPEG left of it"

    def swatch() -> Swatch:
        return bench.side_.cards.itemAt(0).widget().colour

    offered = [action.text() for action in menu_behind(swatch()).actions()]
    take(swatch().menu_, offered[2])
    assert bench.work.series.colour == offered[2] == swatch().value
    monkeypatch.setattr(QColorDialog, "getColor", lambda *a: QColor("#12AA9F"))
    take(menu_behind(swatch()), "Another")
    assert bench.work.series.colour == "#12aa9f"
    seen = bench.view.grab().toImage()
    x, y = bench.work.series.places[10]
    here = bench.view.on_screen(x, y).toPoint()
    near = {seen.pixelColor(here.x() + i, here.y() + j).name() for i in range(-2, 3) for j in range(-2, 3)}
    assert any(QColor(one).green() > QColor(one).red() + 60 for one in near), near
    take(menu_behind(swatch()), "by its number")
    assert bench.work.series.colour == ""
