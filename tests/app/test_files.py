"""The study's file in the window: saves in order, nothing taken over, nothing overwritten unasked; recovery."""

from __future__ import annotations

import os
from threading import Event

import pytest
from PyQt6.QtCore import QPoint, QRect, QSize, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox, QWidget

from curvesieve.app.session import session as session_module
from curvesieve.app.session.desk import View
from curvesieve.app.shell.screen import fit_to_screen
from curvesieve.core.study import Study, load_study, save_study
from curvesieve.core.study.recovery import Keeper
from curvesieve.demo.build import build_study
from tests.app.gestures import CTRL, click, drop_files
from tests.core.test_kept import nobody


@pytest.fixture(scope="module")
def demo(tmp_path_factory):
    return build_study(tmp_path_factory.mktemp("demo"))


def answer(words: str, seen: list[str] | None = None) -> None:
    """Clicks the button of these words in the next question that is asked."""

    def look() -> None:
        box = QApplication.activeModalWidget()
        if not isinstance(box, QMessageBox):
            QTimer.singleShot(20, look)
            return
        if seen is not None:
            seen.append(box.text())
        click(next(button for button in box.buttons() if button.text() == words))

    QTimer.singleShot(20, look)


def titled(study: Study, title: str) -> Study:
    return study.with_document(title=title)


def retitle(w, title: str) -> None:
    w.session.apply(lambda study: titled(study, title), title)


def press_save(w) -> None:
    w.activateWindow()
    QTest.qWaitForWindowActive(w)
    QTest.keyClick(w, Qt.Key.Key_S, CTRL)


@pytest.fixture
def held(monkeypatch):
    """Saves of files named ``slow…`` wait until they are let go."""
    go = Event()

    def slow(study, path):
        if path.name.startswith("slow"):
            go.wait(20)
        save_study(study, path)

    monkeypatch.setattr(session_module, "save_study", slow)
    yield go
    go.set()


def test_a_slow_save_does_not_take_over_the_next_study(window, qtbot, demo, tmp_path, held):
    other = tmp_path / "other.sieve"
    save_study(titled(demo, "other"), other)
    w = window(demo)
    retitle(w, "first")
    w.session.save(tmp_path / "slow.sieve")
    assert "saving" in w.header.study.text()
    w.session.begin(load_study(other), other)
    held.set()
    qtbot.waitUntil(lambda: not w.session.is_saving, timeout=20_000)
    assert w.session.path == other
    retitle(w, "second")
    press_save(w)
    qtbot.waitUntil(lambda: w.session.is_saved, timeout=20_000)
    assert load_study(tmp_path / "slow.sieve").document.title == "first"
    assert load_study(other).document.title == "second"


def test_of_two_quick_saves_the_newer_one_stays(window, qtbot, demo, tmp_path, held):
    path = tmp_path / "slow.sieve"
    w = window(demo)
    for title in ("older", "newer"):
        retitle(w, title)
        w.session.save(path)
    held.set()
    qtbot.waitUntil(lambda: not w.session.is_saving, timeout=20_000)
    assert load_study(path).document.title == "newer"
    assert w.session.is_saved
    retitle(w, "newest")
    w.session.save(path)
    retitle(w, "edited while it was saved")
    qtbot.waitUntil(lambda: not w.session.is_saving, timeout=20_000)
    assert not w.session.is_saved
    assert load_study(path).document.title == "newest"


def test_work_that_hangs_holds_up_neither_saving_nor_closing(window, qtbot, demo, tmp_path):
    w = window(demo)
    go = Event()
    for i in range(3):  # more than there are threads
        w.session.jobs.start("Hanging", f"hang {i}", lambda ticket: go.wait(20), lambda _: None, lambda _: None)
    retitle(w, "saved meanwhile")
    w.session.save(tmp_path / "a.sieve")
    qtbot.waitUntil(lambda: w.session.is_saved, timeout=20_000)
    assert load_study(tmp_path / "a.sieve").document.title == "saved meanwhile"
    assert w.close()
    assert not go.is_set(), "the window closed while the work still hung"
    go.set()


def test_edits_made_while_a_study_opens_are_kept_or_asked_about(window, qtbot, demo, tmp_path, monkeypatch):
    path = tmp_path / "other.sieve"
    save_study(titled(demo, "other"), path)
    go = Event()
    monkeypatch.setattr(session_module, "load_study", lambda p: go.wait(20) and load_study(p))
    w = window(demo)
    for words, title in (("Stay here", "edited meanwhile"), ("Leave without saving", "other")):
        go.clear()
        w.study_files.open(path) if w.session.is_saved else w.session.open(path, w.study_files.may_go)
        retitle(w, "edited meanwhile")
        answer(words)
        go.set()
        qtbot.waitUntil(lambda: not w.session.jobs.running("open"), timeout=20_000)
        assert w.session.study.document.title == title


def test_a_file_changed_elsewhere_is_not_overwritten_unasked(window, qtbot, demo, tmp_path, monkeypatch):
    path, other = tmp_path / "a.sieve", tmp_path / "b.sieve"
    save_study(demo, path)
    w = window()
    w.session.open(path)
    qtbot.waitUntil(lambda: w.session.path == path, timeout=20_000)
    retitle(w, "mine")
    save_study(titled(demo, "theirs"), path)  # another window
    seen: list[str] = []
    answer("Not now", seen)
    press_save(w)
    assert seen[0].startswith("a.sieve was changed by another window or program")
    assert load_study(path).document.title == "theirs"
    assert not w.session.is_saved
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, **kwargs: (str(other), ""))
    answer("Save under another name…")
    press_save(w)
    qtbot.waitUntil(lambda: w.session.is_saved, timeout=20_000)
    assert (w.session.path, load_study(path).document.title) == (other, "theirs")
    retitle(w, "again")
    save_study(titled(demo, "theirs"), other)
    answer("Replace them")
    press_save(w)
    qtbot.waitUntil(lambda: w.session.is_saved, timeout=20_000)
    assert load_study(other).document.title == "again"


def left_copy(tmp_path, study: Study, path=None, waiting=()) -> None:
    """A copy in the window's own folder whose process is gone."""
    keeper = Keeper(tmp_path / "state" / "curvesieve" / "recovery")
    keeper.folder = keeper.folder.with_name("20000101-000000-1")  # not that of this window, were it of this second
    keeper.keep(study, path, False, waiting)
    about = keeper.folder / "about.json"
    about.write_text(about.read_text().replace(f'"process":{os.getpid()}', f'"process":{nobody()}'))


def test_what_was_left_behind_is_offered_and_shown(window, qtbot, demo, demo_files, tmp_path):
    path = tmp_path / "a.sieve"
    save_study(demo, path)
    before = path.read_bytes()
    w = window()
    left_copy(tmp_path, titled(demo, "not yet saved"), path, demo_files[:2])
    w.recovery.look()
    w.study_files.offer_recovery()
    assert "An earlier run ended before its work was saved: a.sieve, 8 curves, 2 files on the Intake" in (
        w.notice.text.text()
    )
    click(w.notice.act("Recover"))
    qtbot.waitUntil(
        lambda: w.session.study.document.title == "not yet saved" and len(w.tray.ready) == 2, timeout=20_000
    )
    assert not w.session.is_saved
    assert path.read_bytes() == before
    assert "a.sieve is as it was; Save writes to it." in w.notice.text.text()
    copies = tmp_path / "state" / "curvesieve" / "recovery"
    qtbot.waitUntil(lambda: len(list(copies.iterdir())) == 1, timeout=20_000)  # its own now, the old one gone
    assert w.recovery.found == []
    press_save(w)
    qtbot.waitUntil(lambda: w.session.is_saved, timeout=20_000)
    assert load_study(path).document.title == "not yet saved"
    w.tray.remove({waiting.number for waiting in w.tray.files})
    qtbot.waitUntil(lambda: not list(copies.iterdir()), timeout=20_000)  # saved, and nothing waits


def test_the_studys_menu(window, qtbot, demo, tmp_path):
    w = window(demo)
    for name in ("a.sieve", "b.sieve"):
        retitle(w, name)
        w.session.save(tmp_path / name)
        qtbot.waitUntil(lambda: w.session.is_saved, timeout=20_000)
    left_copy(tmp_path, titled(demo, "left"))
    w.recovery.look()

    def rows() -> dict[str, object]:
        return {action.text(): action for action in w.header.menu().actions() if action.text()}

    texts = list(rows())
    assert texts[:4] == ["New study", "Open…", "Save", "Save as…"]
    assert [text for text in texts if text.startswith("Open a.sieve")]
    assert not [text for text in texts if text.startswith("Open b.sieve")], "it is open"
    assert "Recover left, 8 curves, a moment ago" in texts
    click(w.header.study)
    menu = QApplication.activePopupWidget()
    assert menu is not None
    menu.close()
    rows()[next(text for text in texts if text.startswith("Open a.sieve"))].trigger()
    qtbot.waitUntil(lambda: w.session.path == tmp_path / "a.sieve", timeout=20_000)
    answer("Throw away")
    rows()["Throw away what could be recovered"].trigger()
    assert not rows()["Recover: nothing was left behind"].isEnabled()
    retitle(w, "x")
    assert w.header.undo.toolTip() == "Undo: x (Ctrl+Z)"
    click(w.header.undo)
    assert w.session.study.document.title == "a.sieve"
    assert not w.header.undo.isEnabled()
    assert w.header.redo.toolTip() == "Redo: x (Ctrl+Shift+Z)"
    click(w.header.redo)
    assert w.session.study.document.title == "x"
    w.session.undo()
    rows()["New study"].trigger()
    assert w.session.entry is None


def test_closing_says_that_files_wait(window, qtbot, demo_files):
    w = window()
    drop_files(w, demo_files[:3])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 3, timeout=20_000)
    seen: list[str] = []
    answer("Stay here", seen)
    assert not w.close()
    assert seen == ["3 files still wait on the Intake bench, not part of the study."]
    answer("Leave them")
    assert w.close()


def test_the_window_remembers(window, qtbot, demo, tmp_path):
    w = window(demo)
    w.resize(1111, 712)
    w.use_scheme("dark")
    w.session._saved = w.session.study
    assert w.close()
    again = window(size=None)
    assert (again.width(), again.height()) == (1111, 712)
    assert again.memory.scheme == "dark"
    again.use_scheme("light")
    copies = tmp_path / "state" / "curvesieve"
    assert copies.stat().st_mode & 0o077 == 0


def test_a_notice_moves_nothing_and_gives_the_focus_back(window, qtbot, demo):
    w = window(demo)
    w.session.look(View(demo.document.curves[0].id))
    QApplication.processEvents()
    parts = (w.curve_bench, w.curve_bench.canvas.plot, w.curve_bench.model.foot.fit, w.shelf.list, w.status)

    def places() -> list[object]:
        QApplication.processEvents()
        return [(part.mapTo(w, part.rect().topLeft()), part.size()) for part in parts]

    before = places()
    w.shelf.list.setFocus()
    w.session.noticed.emit("A sentence of some length that says what is wrong, where, and what to do. " * 4, "problem")
    assert w.notice.isVisible()
    assert places() == before
    assert w.shelf.list.hasFocus()
    w.notice.close_button.setFocus()
    QTest.keyClick(w.notice.close_button, Qt.Key.Key_Space)
    assert not w.notice.isVisible()
    assert w.shelf.list.hasFocus()
    assert places() == before


def test_no_copy_is_said_once(window, qtbot, demo, tmp_path):
    w = window(demo)
    told: list[str] = []
    w.session.noticed.connect(lambda sentence, kind: told.append(sentence))
    state = tmp_path / "state" / "curvesieve"
    (state / "recovery").write_text("in the way")
    for title in ("one", "two"):
        retitle(w, title)
        w.recovery.keep()
        qtbot.waitUntil(lambda: not w.recovery.worker.pending, timeout=20_000)
    assert len(told) == 1
    assert "No recovery copy of your work can be kept" in told[0]
    (state / "recovery").unlink()
    w.recovery.keep()
    qtbot.waitUntil(lambda: bool(list(state.glob("recovery/*/study.json"))), timeout=20_000)


def test_a_copy_follows_edits_by_itself(window, qtbot, demo, tmp_path):
    w = window(demo)
    retitle(w, "kept by itself")
    copies = tmp_path / "state" / "curvesieve" / "recovery"
    qtbot.waitUntil(lambda: bool(list(copies.glob("*/study.json"))), timeout=20000)
    assert "kept by itself" in next(copies.glob("*/study.json")).read_text()
    w.session.save(tmp_path / "a.sieve")
    qtbot.waitUntil(lambda: not list(copies.iterdir()), timeout=20000)


def test_the_window_fits_the_screen_and_the_status_line_is_on_it(window, demo):
    w = window(demo, size=None)
    free = w.screen().availableGeometry()
    assert w.height() + 30 <= free.height(), "room for the title bar"
    assert w.width() <= free.width()
    for size in ((w.width(), w.height()), (1024, 700)):
        w.resize(*size)
        QApplication.processEvents()
        assert (w.width(), w.height()) == size
        for part in (w.status, w.curve_bench.model.foot.fit, w.shelf.drop, w.curve_bench.drawer.heading):
            bottom = part.mapTo(w, part.rect().bottomRight())
            assert bottom.y() < size[1], part
            assert bottom.x() < size[0], part


@pytest.mark.parametrize(
    ("free", "remembered", "wanted"),
    [
        (QSize(1280, 800), None, QSize(1276, 766)),
        (QSize(1024, 700), None, QSize(1020, 666)),
        (QSize(2560, 1440), None, QSize(2048, 1152)),
        (QSize(2560, 1440), QSize(1500, 900), QSize(1500, 900)),
        (QSize(1280, 800), QSize(2500, 1400), QSize(1276, 766)),
    ],
)
def test_sizes_for_screens(qtbot, free, remembered, wanted):
    """A screen of any size is made up: nothing here has more than one."""
    made = QWidget()
    qtbot.addWidget(made)
    made.setMinimumSize(900, 560)

    class Screen:
        def availableGeometry(self) -> QRect:
            return QRect(QPoint(0, 0), free)

    made.screen = Screen  # type: ignore[method-assign,assignment]
    fit_to_screen(made, remembered)
    assert made.size() == wanted


def test_recent_studies_stand_on_the_empty_screen(window, qtbot, demo, tmp_path):
    for name in ("one.sieve", "two & three.sieve"):
        save_study(titled(demo, name), tmp_path / name)
    w = window()
    for name in ("one.sieve", "two & three.sieve"):
        w.session.open(tmp_path / name)
        qtbot.waitUntil(lambda name=name: w.session.path == tmp_path / name, timeout=20_000)
    w.session.begin(Study())
    empty = w.curve_bench.canvas.empty
    shown = [empty.recent.itemAt(i).widget() for i in range(empty.recent.count())]
    assert [made.text().split("  ·")[0] for made in shown] == ["two && three.sieve", "one.sieve"]
    click(shown[1])
    qtbot.waitUntil(lambda: w.session.path == tmp_path / "one.sieve", timeout=20_000)
    (tmp_path / "two & three.sieve").unlink()
    assert w.memory.recent == [tmp_path / "one.sieve"], "what is gone is not offered"


def test_the_log_is_its_owners_alone(tmp_path, monkeypatch):
    from curvesieve.app.shell.defects import open_log

    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    (tmp_path / "curvesieve").mkdir(mode=0o700)
    (tmp_path / "curvesieve" / "log.txt").touch(mode=0o666)
    open_log()
    assert (tmp_path / "curvesieve" / "log.txt").stat().st_mode & 0o077 == 0


def test_the_frame_is_there_first_and_closes_with_what_is_in_it(qtbot, tmp_path, monkeypatch):
    from curvesieve.app.shell.frame import Frame
    from curvesieve.app.shell.main import make_application, make_window

    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    app = make_application()
    frame = Frame("Opening …")
    qtbot.addWidget(frame)
    with qtbot.waitActive(frame):
        frame.show()
        frame.activateWindow()
    shown = frame.grab().toImage()
    assert shown.pixelColor(5, 5) != shown.pixelColor(5, 60), "the band of the header"
    w = make_window()
    frame.setCentralWidget(w)
    QApplication.processEvents()
    assert w.isVisible()
    assert (w.width(), w.height()) == (frame.width(), frame.height())
    QTest.keyClick(w, Qt.Key.Key_K, CTRL)
    assert w.finder.isVisible(), "shortcuts work in the frame"
    QTest.keyClick(w.finder.field, Qt.Key.Key_Escape)
    retitle(w, "not saved")
    answer("Stay here")
    assert not frame.close()
    assert frame.isVisible()
    frame.resize(1001, 702)
    answer("Leave without saving")
    assert frame.close()
    assert (w.memory.size.width(), w.memory.size.height()) == (1001, 702)
    assert app is not None


def test_a_disk_that_does_not_answer_keeps_no_window_open(window, qtbot, demo, tmp_path, held, monkeypatch):
    from curvesieve.app.shell import study_files

    monkeypatch.setattr(study_files, "_PATIENCE_MS", 200)
    w = window(demo)
    retitle(w, "work")
    w.session.save(tmp_path / "slow.sieve")
    seen: list[str] = []
    answer("Stay here", seen)
    assert not w.close()
    assert seen[0].startswith("Saving is not done yet; the disk does not answer.")
    answer("Leave without saving")
    assert w.close()
    assert not held.is_set()
