"""Starts the application."""

from __future__ import annotations

import gc
import logging
import os
import signal
import sys
import threading
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication

from curvesieve.app.shell.frame import Frame
from curvesieve.app.shell.memory import Memory
from curvesieve.app.theme import apply_sheet, apply_theme, load_fonts
from curvesieve.core.errors import InputError

if TYPE_CHECKING:  # loaded when the frame is there: see `start`
    from curvesieve.app.shell.window import Window

os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")  # looking through the machine for some takes 14 ms
_BEAT_MS, _SETTLE_MS = 300, 60
_GARBAGE = (20_000, 20, 50)


def make_application(sheet: bool = True) -> QApplication:
    """The one QApplication, styled; see `apply_theme` for the `sheet`."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("Curve Sieve")
    app.setDesktopFileName("curvesieve")
    load_fonts()
    apply_theme(app, wanted_scheme(), sheet)
    return app


def wanted_scheme() -> str:
    """``light``, ``dark``, or empty for the system's: what the environment says, or what was chosen last."""
    return os.environ.get("CURVESIEVE_SCHEME", "") or Memory().scheme


def make_window(path: str | None = None, demo: bool = False, held: bool = False) -> Window:
    """A window with a study, the demo, data files on the Intake bench, or an empty study.

    Its background work is `held` back until `Jobs.release`, when that is asked for. Raises
    InputError when there is no such file, or the study cannot be opened.
    """
    from curvesieve.app.session.session import Session
    from curvesieve.app.shell.window import Window
    from curvesieve.core.study import load_study
    from curvesieve.core.study.store import SUFFIX

    session = Session()
    if held:
        session.jobs.hold()
    folder = None
    data: list[Path] = []
    if demo:
        from curvesieve.app.shell.demonstration import begin_demo, demo_folder, demo_study

        folder = demo_folder()
        begin_demo(session, demo_study())
    elif path is not None:
        given = Path(path)
        if given.suffix == SUFFIX:
            session.begin(load_study(given), given)
        elif given.exists():
            data = [given]
        else:
            raise InputError(f"There is no file {given.name} in {given.absolute().parent}.")
        folder = given.absolute().parent
    window = Window(session, folder)
    if data:
        window.take_files(data)
    return window


def run(path: str | None = None, demo: bool = False) -> int:
    """Opens the window and returns when it is closed."""
    if sys.platform == "linux" and not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        platform = os.environ.get("QT_QPA_PLATFORM", "")
        if platform not in ("offscreen", "minimal"):
            raise InputError("There is no display to open a window on; set DISPLAY, or use the other commands.")
    gc.disable()  # what is made while starting stays; looking for garbage in it takes a tenth of the time
    app = make_application(sheet=False)
    window = start(app, path, demo)
    code = app.exec()
    ended = window.session.jobs.close()
    logging.shutdown()
    if not ended:  # a worker hangs, on a network disk say; all that was to be written is written
        sys.stdout.flush()
        os._exit(code)
    return code


def start(app: QApplication, path: str | None = None, demo: bool = False) -> Window:
    """The window in its frame, shown, with all that stands behind it: log, recovery copy, what signals do.

    The frame is painted first; loading what is in it takes longer than that.
    """
    frame = Frame("Opening …")
    frame.show()
    app.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    from curvesieve.app.shell.defects import DefectKeeper

    try:
        window = make_window(path, demo, held=True)
    except InputError:
        frame.close()
        raise
    window.keeper = DefectKeeper(window.session, window.recovery.keep)
    window.keeper.install()
    hints = app.styleHints()
    if hints is not None:
        hints.colorSchemeChanged.connect(lambda scheme: window.use_scheme(wanted_scheme(), remember=False))
    _end_in_order(app, window)
    apply_sheet(app)
    frame.setCentralWidget(window)
    window.frame = frame
    window.shelf.list.setFocus()  # the arrows walk from curve to curve at once
    QTimer.singleShot(_SETTLE_MS, lambda: _look_behind(window))
    return window


def settle_garbage() -> None:
    """Collects garbage again after the start, and seldom: a study of many curves is a great many objects to go through.

    What is there by now stays; what has no cycle is let go at once anyway.
    """
    gc.freeze()
    gc.set_threshold(*_GARBAGE)
    gc.enable()


def _look_behind(window: Window) -> None:
    """After the first picture: what earlier runs left (copies to be recovered, parts of files), and garbage again."""
    from curvesieve.core.files import remove_left_over_parts

    window.session.jobs.release()
    settle_garbage()
    paths = [*window.memory.recent, *([window.session.path] if window.session.path else [])]

    def clean() -> None:
        for path in paths:
            remove_left_over_parts(path)

    # a thread that nobody waits for: one of the folders may be on a disk that does not answer
    threading.Thread(target=clean, name="parts of files", daemon=True).start()
    window.recovery.look()
    window.study_files.offer_recovery()


def _end_in_order(app: QApplication, window: Window) -> None:
    """A signal or the end of the desktop's session asks nothing: the work is kept for the next start."""

    def end(*_: object) -> None:
        window.recovery.keep_now()
        app.exit(0)

    for kind in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(kind, end)
    app.commitDataRequest.connect(lambda manager: window.recovery.keep_now())
    beat = QTimer(app)  # lets Python see signals while Qt waits
    beat.start(_BEAT_MS)
    beat.timeout.connect(lambda: None)
