"""The Intake bench with awkward files: many channels, extra channels, text that is not understood, the command line."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

import curvesieve as cs
from curvesieve.app.shell.main import make_window
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps.combine import Combine
from curvesieve.core.study import Study, edits
from curvesieve.core.study.passing import sieved_curve
from tests.app.gestures import click, drop_files, type_text


def write(path, text: str):
    path.write_text(text, encoding="utf-8")
    return path


def test_files_that_differ_in_extra_channels_come_in_together(window, qtbot, tmp_path):
    files = []
    for i, more in enumerate(("", ",lamp (V)", ",lamp (V),humidity (%)")):
        tail = "".join(f",{k}" for k in range(more.count(",")))
        rows = "\n".join(f"{x},{x * (i + 1)}{tail}" for x in range(1, 20))
        files.append(write(tmp_path / f"film {i + 1} N.csv", f"t (s),F (N){more}\n{rows}\n"))
    other = write(tmp_path / "other.csv", "q (1/nm),I (counts)\n" + "\n".join(f"{x},{x}" for x in range(1, 9)) + "\n")
    w = window()
    drop_files(w, [*files, other])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 4)
    assert sorted(len(family.keys) for family in w.tray.families) == [1, 3]
    click(w.intake_bench.files.bring)
    families = w.session.study.document.families
    assert sorted(len(family.curves) for family in families) == [1, 3]


def test_five_hundred_channels_can_be_searched_and_show_their_extent(window, qtbot, tmp_path):
    names = ["x"] + [f"sensor {i:03}" for i in range(1, 500)]
    rng = np.random.default_rng(1)
    table = np.column_stack([np.arange(30), rng.normal(0, 10, (30, 499))])
    rows = "\n".join(",".join(f"{v:.6g}" for v in row) for row in table)
    w = window()
    drop_files(w, [write(tmp_path / "wide.csv", ",".join(names) + "\n" + rows + "\n")])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 1)
    panel = w.intake_bench.channels
    assert panel.search.isVisible()
    assert len(panel.cards) == 60
    assert "60 shown; 500 channels" in panel.more.text()
    panel.search.setFocus()
    type_text(panel.search, "sensor 437")
    assert [card.name.text() for card in panel.channel_rows] == ["sensor 437"]
    shown = panel.channel_rows[0].findChild(type(w.intake_bench.title), "")
    low, high = (float(f"{v:.6g}") for v in (table[:, 437].min(), table[:, 437].max()))
    assert shown.whole_text() == f"{low:.5g} … {high:.5g}"
    row = panel.channel_rows[0]
    row.roles.setCurrentText("y")
    row.roles.textActivated.emit("y")
    assert w.tray.shown.pattern.channels[437].role == "y"
    panel.search.clear()
    assert panel.channel_rows[0].name.text() == "x", "what is taken stands first"
    assert "sensor 437" in [card.name.text() for card in panel.channel_rows[:3]]


def test_the_text_of_a_file_that_is_not_understood_is_shown(window, qtbot, tmp_path):
    words = write(tmp_path / "notes.txt", "Sheets pressed twice.\nNothing measured on Monday.\n")
    w = window()
    drop_files(w, [words])
    qtbot.waitUntil(lambda: len(w.tray.files) == 1)
    bench = w.intake_bench
    assert bench.text.lines.rowCount() == 2
    assert bench.text.lines.index(1).data() == "Nothing measured on Monday."
    assert "no row of numbers" in bench.problem.text()
    assert bench.foot.text().startswith("Click the row where the numbers begin")
    assert not bench.delimiter.isVisible()
    index = bench.text.lines.index(1)
    click(bench.text.viewport(), bench.text.visualRect(index).center())
    qtbot.waitUntil(lambda: "from row 2 on there is no row of numbers" in w.notice.text.text())
    assert w.tray.files[0].table is None


def test_a_file_on_the_command_line_opens_on_the_intake_bench(qtbot, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    path = write(tmp_path / "run.dat", "t F\n" + "\n".join(f"{x} {x * 2}" for x in range(9)) + "\n")
    w = make_window(str(path))
    qtbot.addWidget(w, before_close_func=lambda w: setattr(w.tray, "files", ()))
    w.show()
    qtbot.waitUntil(lambda: len(w.tray.ready) == 1)
    assert w.bench == "Intake"
    with pytest.raises(cs.InputError, match=r"There is no file nothing\.dat in"):
        make_window(str(tmp_path / "nothing.dat"))


def three_alike() -> Study:
    x = np.linspace(0, 1, 20)

    def some(value: float, name: str):
        channels = (Channel("x", "", x), Channel("y", "", x * 0 + value))
        return [(Record(Source(f"{name}.csv", name.encode()), channels), Take(0, 1))]

    study = Study()
    for value, family in ((1.0, "blank"), (10.0, "first"), (100.0, "second")):
        study = edits.add_curves(study, some(value, family), family, labels=["water"])
    return edits.add_curves(study, some(5.0, "again"), "first", labels=["water"])


def test_equal_labels_are_told_apart_and_chosen_from_a_list(window):
    study = three_alike()
    assert list(study.names) == ["water · blank", "water · first", "water · second", "water · first #2"]
    sample = study.document.curves[1].id
    w = window(edits.add_step(sample, Combine(), "c")(study))
    from curvesieve.app.session.desk import View

    w.session.look(View(sample, "c"))
    field = w.curve_bench.sieve.card("c").fields["donor"]
    assert field.button.text() == "choose… ▾"
    for words, passed in (("blank", 9.0), ("second", -90.0), ("#2", 5.0)):
        click(field.button)
        assert field.list.isVisible()
        type_text(field.list.field, words)
        QTest.keyClick(field.list.field, Qt.Key.Key_Return)
        QApplication.processEvents()
        assert sieved_curve(w.session.study, sample).curve.y[0] == passed
        assert words.strip("#") in field.button.text()
    click(field.button)
    type_text(field.list.field, "first")
    rows = [item.text(0).strip() for item in field.list._items()]
    assert rows == ["water · first #2"], "not the curve itself"
    QTest.keyClick(field.list.field, Qt.Key.Key_Escape)
    assert not field.list.isVisible()
    w.shelf.move_into([sample], "")
    assert sieved_curve(w.session.study, sample).curve.y[0] == 5.0
