"""Files come in through the Intake bench, driven by mouse and keys: named, united, ordered, with nothing silent."""

from __future__ import annotations

import json
import time

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QLineEdit

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.intake.library import PATTERN_FILES
from curvesieve.core.study.passing import recorded
from curvesieve.demo.awkward import write_awkward
from curvesieve.demo.mixed import write_mixed
from curvesieve.demo.raman import spectrum
from tests.app.gestures import LEFT, NONE, PLAIN, click, click_cell, drop_files, type_into


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    path = tmp_path_factory.mktemp("mixed")
    write_mixed(path)
    return path


@pytest.fixture(scope="module")
def awkward(tmp_path_factory):
    path = tmp_path_factory.mktemp("awkward")
    write_awkward(path)
    return path


def choose(w, qtbot, name: str) -> None:
    """Clicks a file in the list of those that wait."""
    waiting = next(waiting for waiting in w.tray.files if waiting.name == name)
    click_cell(w.intake_bench.files.tree, w.intake_bench.files.row_of(waiting.number), 0)
    qtbot.waitUntil(lambda: w.tray.in_hand == waiting.number)


def pick(choice, text: str) -> None:
    """Chooses an entry of a drop-down list by its keys."""
    choice.setFocus()
    QTest.keyClick(choice, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    view = choice.view()
    view.setCurrentIndex(choice.model().index(choice.findText(text), 0))
    QTest.keyClick(view, Qt.Key.Key_Return)
    QApplication.processEvents()


def drag_badge(badge, target) -> None:
    """Presses on a role's badge and lets go over another channel."""
    start, end = badge.rect().center(), badge.mapFromGlobal(target.mapToGlobal(QPoint(70, 10)))
    for kind, at, button in (
        (QMouseEvent.Type.MouseButtonPress, start, LEFT),
        (QMouseEvent.Type.MouseMove, end, LEFT),
        (QMouseEvent.Type.MouseButtonRelease, end, NONE),
    ):
        event = QMouseEvent(kind, QPointF(at), QPointF(badge.mapToGlobal(at)), LEFT, button, PLAIN)
        QApplication.sendEvent(badge, event)


def strips(w):
    return [waiting for waiting in w.tray.files if waiting.name.startswith("strip")]


def test_a_folder_of_mixed_files_becomes_ordered_families(window, qtbot, folder):
    w = window()
    drop_files(w, [folder])
    qtbot.waitUntil(lambda: len(w.tray.files) >= 15, timeout=20000)
    problems = {waiting.name: waiting.problem for waiting in w.tray.files if waiting.problem}
    assert list(problems) == ["notes-march.txt"]
    assert "no row of numbers" in problems["notes-march.txt"]
    bench = w.intake_bench
    assert bench.files.bring.text() == "Bring in 14 files as 5 families"

    # The strips: decimal commas, a unit row and a footer are painted; force against extension is chosen for all five.
    choose(w, qtbot, "strip_A_0p5wt.csv")
    item = bench.files.tree.currentItem()
    assert (item.text(0).strip(), item.text(1)) == ("strip_A_0p5wt.csv", "0.5 wt%")
    assert "9 rows before the data" in bench.details.whole_text()
    assert (bench.delimiter.currentText(), bench.decimal.currentText()) == ("semicolon", "decimal comma")
    found = w.tray.shown.found
    kinds = [found.row_kind(row) for row in (0, 7, 8, 9, len(found.lines) - 1)]
    assert kinds == ["left out", "names", "units", "data", "left out"]
    pick(bench.channels.channel_rows[1].roles, "x")
    drag_badge(bench.channels.channel_rows[0].badge, bench.channels.channel_rows[2])
    assert {waiting.pattern.roles for waiting in strips(w)} == {("leave", "x", "y", "leave")}

    click(bench.files.bring)
    study = w.session.study
    families = {family.label: family for family in study.document.families}
    strip = families["Force against Extension by loading"]
    assert (strip.condition, strip.unit) == ("loading", "wt%")
    assert [study.entry(id_).label for id_ in strip.curves] == ["0 wt%", "0.5 wt%", "1 wt%", "2 wt%", "4 wt%"]
    curve = recorded(study, strip.curves[1])
    assert (curve.x_unit, curve.y_unit, len(curve)) == ("mm", "N", 400)
    raman = families["counts against wavenumber by loading"]
    truth = spectrum(0.5)
    np.testing.assert_allclose(recorded(study, raman.curves[1]).y, truth.y, rtol=1e-12)
    np.testing.assert_allclose(recorded(study, raman.curves[1]).x, truth.x, atol=0.01)
    scattering = next(family for label, family in families.items() if label.startswith("I against Q"))
    assert [study.entry(id_).condition for id_ in scattering.curves] == [1.0, 4.0]
    relaxation = next(family for label, family in families.items() if label.startswith("stress against t"))
    assert [study.entry(id_).label for id_ in relaxation.curves] == ["25 °C", "60 °C"]
    assert recorded(study, relaxation.curves[1]).y_unit == "MPa"
    drying = families["Mass against Time by RH"]
    assert [study.entry(id_).condition for id_ in drying.curves] == [30.0, 70.0]
    w.session.undo()
    assert not w.session.study.document.curves


def test_stress_is_computed_units_are_converted_and_the_pattern_is_known_next_time(window, qtbot, folder):
    w = window()
    drop_files(w, [folder / f"strip_A_{name}wt.csv" for name in ("0p0", "4p0")])
    qtbot.waitUntil(lambda: len(w.tray.files) == 2, timeout=20000)
    panel = w.intake_bench.channels
    type_into(panel.channel_rows[3].unit, "% -> 1")
    assert w.tray.shown.taken.record["Strain"].values[-1] == pytest.approx(5.5), "the record keeps its numbers"
    click(panel.compute)
    row = panel.computed_rows[0]
    row.name.selectAll()
    QTest.keyClicks(row.name, "Stress")
    row.formula.setFocus()
    QTest.keyClicks(row.formula, "Force/(width*depth)")
    assert "depth is not known" in row.said.text()
    row.formula.selectAll()
    QTest.keyClicks(row.formula, "Force + width")
    assert "they measure different things" in row.said.text()
    assert "▸" in row.said.text(), "the place is marked"
    type_into(row.formula, "force/(width*thickness)")
    row = panel.computed_rows[0]
    assert row.unit.placeholderText() == "MPa"
    assert {name: line.text() for name, line in row.fields.items()} == {"width": "12.7 mm", "thickness": "0.082 mm"}
    type_into(row.fields["thickness"], "0.100(2) mm")
    pick(panel.channel_rows[3].roles, "x")
    pick(panel.computed_rows[0].roles, "y")
    names = [channel.name for channel in w.tray.shown.record.channels]
    assert names == ["Time", "Extension", "Force", "Strain", "Stress", "u(Stress)"]
    assert w.intake_bench.what.whole_text() == "Stress against Strain, 400 points"

    QTimer.singleShot(200, lambda: _answer("Strip tester"))
    click(w.intake_bench.save)
    assert [path.name for path in PATTERN_FILES.folder().iterdir()] == ["Strip-tester.pattern.json"]
    assert "Saved the reading pattern “Strip tester”" in w.notice.text.text()
    click(w.intake_bench.files.bring)
    study = w.session.study
    curve = recorded(study, study.document.curves[0].id)
    force = study.record(study.document.records[0].id)["Force"].values
    np.testing.assert_allclose(curve.y, force / (12.7 * 0.1), rtol=1e-12)
    assert (curve.x[-1], curve.x_unit, curve.y_unit) == (pytest.approx(0.055), "", "MPa")
    assert any("thickness = 0.100(2) mm" in note for note in study.document.records[0].notes)

    # The next file of the kind is read by the pattern, without a touch.
    drop_files(w, [folder / "strip_A_2p0wt.csv"])
    qtbot.waitUntil(lambda: len(w.tray.files) == 1, timeout=20000)
    assert w.tray.shown.pattern.name == "Strip tester"
    assert w.intake_bench.what.whole_text() == "Stress against Strain, 400 points"
    assert "read by the pattern “Strip tester”" in w.intake_bench.details.whole_text()


def _answer(text: str) -> None:
    """Types into the question that is open and accepts it."""
    dialog = next(widget for widget in QApplication.topLevelWidgets() if isinstance(widget, QInputDialog))
    type_into(dialog.findChild(QLineEdit), text)


EXPECTED = {
    "array.npy": 1, "arrays.npz": 1, "blanks-and-nan.csv": 1, "clock-times.tsv": 1, "dates.csv": 1,
    "decreasing-x.csv": 1, "drying.json": 1, "drying.ods": 1, "duplicate-x.csv": 1,
    "fixed-width.dat": 1, "fortran.dat": 1,
    "heading-repeats.csv": 1, "latin-1.csv": 1, "mac-line-ends.txt": 1, "merged-headings.xlsx": 1,
    "mixed-decimals.csv": 1, "one-row.csv": 1, "pairs.csv": 2, "ragged.csv": 1, "room.h5": 1, "scan.xye": 1,
    "several-curves.csv": 1, "text-column.csv": 1, "thousands.csv": 1, "trailing-delimiters.csv": 1,
    "two-tables.txt · Drying": 1, "two-tables.txt · Wetting": 1,
}  # fmt: skip
"""The curves that each awkward file gives by itself."""
REFUSED = {
    "bad-binary.csv": "holds binary data", "bad-empty.csv": "is empty", "bad-entities.xml": "XML entities",
    "bad-formulas.xlsx": "16 formulas without a stored value", "bad-gzip-bomb.csv.gz": "so much out of so little",
    "bad-hdf5-truncated.h5": "truncated", "bad-preamble-only.txt": "no row of numbers",
    "bad-ten-thousand-columns.csv": "10,000 columns", "bad-utf-16.txt": "damaged at byte",
    "bad-zip-bomb.xlsx": "so much out of so little",
}  # fmt: skip
NOTED = {
    "blanks-and-nan.csv": "2 rows left out", "clock-times.tsv": "from 23:30:00", "dates.csv": "from 2026-03-02 08:00",
    "fixed-width.dat": "7 rows without a number", "heading-repeats.csv": "the heading once more",
    "mixed-decimals.csv": "a decimal point, unlike the other rows", "ragged.csv": "3 cells instead of 2",
    "text-column.csv": "State: a column of words",
}  # fmt: skip


def test_everything_awkward_comes_in_or_says_why_not(window, qtbot, awkward, capsys):
    w = window()
    drop_files(w, [awkward])
    beats = _heartbeats(w)
    qtbot.waitUntil(lambda: len(w.tray.files) >= len(EXPECTED) + len(REFUSED), timeout=60000)
    assert max(np.diff(beats)) < 1.0, "the window answered all along"
    curves = {waiting.name: len(waiting.taken.takes) for waiting in w.tray.files if waiting.taken}
    assert curves == EXPECTED
    problems = {waiting.name: waiting.problem for waiting in w.tray.files if waiting.problem}
    assert problems.keys() == REFUSED.keys()
    for name, sentence in REFUSED.items():
        assert sentence in problems[name], name
        assert main(["read", str(awkward / name)]) == 2
        assert sentence in capsys.readouterr().err
    for name, note in NOTED.items():
        choose(w, qtbot, name)
        assert note in w.intake_bench.notes.text()

    # What was left out can be stepped through and looked at.
    choose(w, qtbot, "ragged.csv")
    bench = w.intake_bench
    click(bench.left_out.next)
    click(bench.left_out.next)
    assert (bench.left_out.count.text(), bench.left_out.said.whole_text()) == ("2 of 3", "row 29: 3 cells instead of 2")
    assert bench.text.painter.marked == 28

    # Several curves of one file, ordered by the headings; one value is corrected in the list, and the condition named.
    choose(w, qtbot, "several-curves.csv")
    pick(bench.channels.arrangement, "each y against one x")
    rows = [bench.files.tree.topLevelItem(i) for i in range(bench.files.tree.topLevelItemCount())]
    items = [item for item in rows if item.text(0).strip() in ("25 °C", "60 °C", "100 °C")]
    assert [item.text(1) for item in items] == ["25 °C", "60 °C", "100 °C"]
    bench.files.tree.editItem(items[2], 1)
    type_into(bench.files.tree.findChild(QLineEdit), "90")
    qtbot.waitUntil(lambda: any("90 °C" in row.text(1) for row in _rows(bench)))
    type_into(bench.files.condition, "drying temperature")
    wanted = {waiting.number for waiting in w.tray.files if waiting.name != "several-curves.csv"}
    w.tray.remove(wanted)
    click(bench.files.bring)
    family = w.session.study.document.families[0]
    assert (family.condition, family.unit) == ("drying temperature", "°C")
    assert [w.session.study.entry(id_).condition for id_ in family.curves] == [25.0, 60.0, 90.0]
    assert len(w.session.study.document.records) == 1


def _rows(bench):
    tree = bench.files.tree
    return [tree.topLevelItem(i) for i in range(tree.topLevelItemCount())]


def _heartbeats(w) -> list[float]:
    """Times at which the event loop was free, every few milliseconds."""
    beats = [time.perf_counter()]
    timer = QTimer(w)
    timer.timeout.connect(lambda: beats.append(time.perf_counter()))
    timer.start(5)
    return beats


def test_two_hundred_files_keep_the_window_free(window, qtbot, tmp_path):
    rng = np.random.default_rng(0)
    paths = []
    for i in range(200):
        paths.append(tmp_path / f"film_{i}C.csv")
        np.savetxt(paths[-1], rng.normal(size=(2000, 4)), delimiter=",", header="t (s),F (N),u (mm),T (K)", comments="")
    w = window()
    beats = _heartbeats(w)
    drop_files(w, paths)
    qtbot.waitUntil(lambda: len(w.tray.files) == 200, timeout=60000)
    QTest.qWait(50)
    whole = beats[-1] - beats[0]  # machines differ, and others run beside: the longest wait is a small share of it
    assert max(np.diff(beats)) < 0.3 * whole, (max(np.diff(beats)), whole)
    click(w.intake_bench.files.bring)
    conditions = [curve.condition for curve in w.session.study.document.curves]
    assert sorted(conditions) == list(range(200))


def test_reading_shows_how_far_it_is_and_can_be_stopped(window, qtbot, tmp_path):
    path = tmp_path / "large.csv"
    line = b"1.25,2.5,3.75,5.0\n"
    path.write_bytes(b"a,b,c,d\n" + line * 3_000_000)
    w = window()
    drop_files(w, [path])
    qtbot.waitUntil(lambda: "%" in w.status.busy.text(), timeout=20000)
    assert w.status.stop.isVisible()
    click(w.status.stop)
    assert "Stopped: Reading large.csv" in w.notice.text.text()
    QTest.qWait(300)
    assert not w.tray.files


def test_curves_are_made_without_a_file(window, qtbot, folder):
    w = window()
    drop_files(w, [folder / "strip_A_0p0wt.csv"])
    qtbot.waitUntil(lambda: len(w.tray.files) == 1, timeout=20000)
    bench = w.intake_bench
    click(bench.files.make)
    making = bench.making
    pick(making.model, "a formula of your own")
    type_into(making.formula, "amplitude*exp(-x/tau)")
    names = [making.value_rows.itemAt(i, making.value_rows.ItemRole.LabelRole).widget().text() for i in range(2)]
    assert names == ["amplitude", "tau"]
    field = making.value_rows.itemAt(0, making.value_rows.ItemRole.FieldRole).widget()
    type_into(field.line, "400")
    pick(making.noise, "Poisson")
    type_into(making.seed.line, "7")
    type_into(making.points.line, "1")
    assert "points: input should be greater than or equal to 2" in making.problem.text()
    assert not making.put.isEnabled()
    type_into(making.points.line, "500")
    click(making.put)
    qtbot.waitUntil(lambda: len(w.tray.files) == 2, timeout=20000)
    waiting = w.tray.shown
    expected = np.random.default_rng(7).poisson(400 * np.exp(-np.linspace(0, 10, 500)))
    np.testing.assert_array_equal(waiting.record["y"].values, expected)
    assert waiting.taken.takes[0].u == waiting.record.index("u")

    choose(w, qtbot, "strip_A_0p0wt.csv")
    click(bench.files.make)
    pick(making.what, "histogram of a channel")
    pick(making.channel, "Force")
    type_into(making.bins.line, "12")
    click(making.put)
    qtbot.waitUntil(lambda: len(w.tray.files) == 3, timeout=20000)
    counts = w.tray.shown.record["count"].values
    assert (counts.size, counts.sum()) == (12, 400)
    click(bench.files.bring)
    labels = [family.label for family in w.session.study.document.families]
    assert labels[1:] == ["y against x", "count against Force by loading"]


def test_numbers_are_looked_at_and_written_to_files(window, qtbot, tmp_path, monkeypatch):
    path = tmp_path / "long.csv"
    y = np.random.default_rng(2).normal(10, 1, 200_000)
    y[123_456] = 99.0
    path.write_text("t (s),F (N)\n" + "".join(f"{i},{v!r}\n" for i, v in enumerate(y.tolist())))
    w = window()
    drop_files(w, [path])
    qtbot.waitUntil(lambda: len(w.tray.files) == 1, timeout=20000)
    bench = w.intake_bench
    click(bench.as_numbers)
    view = bench.numbers
    qtbot.waitUntil(lambda: bool(view.odd.sentences), timeout=20000)
    shown = [view.summary.data(view.summary.index(i, 1)) for i in range(5)]
    assert shown == ["200,000", f"{y.mean():.6g}", f"{y.std(ddof=1):.6g}", f"{y.min():.6g}", "99"]
    place = next(i for i, text in enumerate(view.odd.sentences) if text.startswith("row 123,457"))
    for _ in range(place + 1):
        click(view.odd.next)
    assert view.table.currentIndex().row() == 123_456
    assert view.model.data(view.table.currentIndex()).startswith("▸ 99")

    click(bench.files.bring)
    w.exports.show_numbers()
    assert w.exports.numbers.isVisible()
    w.exports.numbers.close()
    for suffix in (".csv", ".h5", ".jdx"):
        target = tmp_path / f"out{suffix}"
        monkeypatch.setattr("PyQt6.QtWidgets.QFileDialog.getSaveFileName", lambda *a, target=target: (str(target), ""))
        w.exports.ask_curve()
        qtbot.waitUntil(lambda target=target: f"Wrote {target.name}" in w.notice.text.text(), timeout=20000)
        np.testing.assert_array_equal(cs.read(target)["F"].values, y)
    before = path.read_bytes()
    link = tmp_path / "linked.csv"
    link.symlink_to(path)
    for raw in (path, link):
        w.exports.write(raw, lambda: pytest.fail("a raw file was about to be overwritten"))
        assert f"{raw.name} is the file that a record of this study came from" in w.notice.text.text()
    assert path.read_bytes() == before
    w.exports.write(tmp_path / "out.doc", lambda: None)
    qtbot.waitUntil(lambda: "is no format that can be written" in w.notice.text.text(), timeout=20000)


def test_the_command_line_understands_each(folder, capsys):
    formats = {
        "strip_A_2p0wt.csv": ("text", 4), "raman_0p0wt.jdx": ("jcamp", 2), "drying.xlsx": ("xlsx", 2),
        "scattering_4p0wt.h5": ("hdf5", 3), "scattering_1p0wt.xml": ("cansas-xml", 3),
        "relaxation_25C.dat.gz": ("text", 2), "relaxation_60C.dat": ("text", 2),
    }  # fmt: skip
    for name, (kind, channels) in formats.items():
        assert main(["read", str(folder / name), "--json"]) == 0
        said = json.loads(capsys.readouterr().out)
        assert (said["format"], len(said["channels"])) == (kind, channels), name
        assert all(channel["unit"] or kind == "jcamp" for channel in said["channels"]), name


def test_a_value_typed_for_one_file_leaves_the_others_their_own(window, qtbot, tmp_path):
    """Three strips with widths in their preambles, one without: this file, those without, all."""
    rows = "".join(f"{i};{10 * i}\n" for i in range(1, 20))
    for name, width in (("a", "10 mm"), ("b", "20 mm"), ("c", "25 mm"), ("d", "")):
        head = f"Width: {width}\n" if width else ""
        (tmp_path / f"{name}.csv").write_text(f"{head}Extension (mm);Force (N)\n{rows}")
    w = window()
    drop_files(w, [tmp_path / f"{name}.csv" for name in "abcd"])
    qtbot.waitUntil(lambda: len(w.tray.files) == 4, timeout=20000)
    files = {waiting.name[0]: waiting.number for waiting in w.tray.files}
    w.tray.show(files["c"])
    panel = w.intake_bench.channels
    click(panel.compute)
    type_into(panel.computed_rows[0].formula, "force/(width*0.1)")

    def lines() -> dict[str, float | None]:
        found = {waiting.name[0]: waiting for waiting in w.tray.files}
        return {
            name: None if waiting.taken is None else 10 / (waiting.taken.record["computed"].values[0] * 0.1)
            for name, waiting in found.items()
        }

    assert lines() == {"a": pytest.approx(10), "b": pytest.approx(20), "c": pytest.approx(25), "d": None}
    type_into(panel.computed_rows[0].fields["width"], "30 mm")
    assert lines() == {"a": pytest.approx(10), "b": pytest.approx(20), "c": pytest.approx(30), "d": None}
    assert "width = 30 mm for 1 file." in w.notice.text.text()
    w.tray.show(files["d"])
    row = panel.computed_rows[0]
    reach = row.reaches["width"]
    assert [reach.itemText(i) for i in range(reach.count())] == ["this file", "the 1 without one", "all 4"]
    pick(reach, "the 1 without one")
    type_into(row.fields["width"], "15 mm")
    assert lines() == {"a": pytest.approx(10), "b": pytest.approx(20), "c": pytest.approx(30), "d": pytest.approx(15)}
    w.tray.show(files["a"])
    row = panel.computed_rows[0]
    assert row.fields["width"].text() == "10 mm"
    pick(row.reaches["width"], "all 4")
    assert list(lines().values()) == pytest.approx([10, 10, 10, 10])
    assert "for 4 files." in w.notice.text.text()
