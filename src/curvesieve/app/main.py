"""Starts the application."""

from __future__ import annotations

import os
import signal
import sys
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from curvesieve.app.defects import DefectKeeper
from curvesieve.app.demonstration import begin_demo, demo_folder, demo_study
from curvesieve.app.session import Session
from curvesieve.app.theme import apply_theme, load_fonts
from curvesieve.app.window import Window
from curvesieve.core.errors import InputError
from curvesieve.core.study import load_study


def make_application() -> QApplication:
    """The one QApplication, styled."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("Curve Sieve")
    app.setDesktopFileName("curvesieve")
    load_fonts()
    apply_theme(app, os.environ.get("CURVESIEVE_SCHEME", ""))
    return app


def make_window(path: str | None = None, demo: bool = False) -> Window:
    """A window with a study, the demo, or an empty study. Raises InputError when the study cannot be opened."""
    session = Session()
    folder = None
    if demo:
        folder = demo_folder()
        begin_demo(session, demo_study())
    elif path is not None:
        session.begin(load_study(path), Path(path))
        folder = Path(path).absolute().parent
    return Window(session, folder)


def run(path: str | None = None, demo: bool = False) -> int:
    """Opens the window and returns when it is closed."""
    if sys.platform == "linux" and not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        platform = os.environ.get("QT_QPA_PLATFORM", "")
        if platform not in ("offscreen", "minimal"):
            raise InputError("There is no display to open a window on; set DISPLAY, or use the other commands.")
    app = make_application()
    window = make_window(path, demo)
    keeper = DefectKeeper(window.session)
    keeper.install()
    hints = app.styleHints()
    if hints is not None:
        hints.colorSchemeChanged.connect(lambda scheme: window.use_scheme(os.environ.get("CURVESIEVE_SCHEME", "")))
    signal.signal(signal.SIGINT, lambda *_: app.quit())
    beat = QTimer()  # lets Python see Ctrl+C while Qt waits
    beat.start(300)
    beat.timeout.connect(lambda: None)
    window.show()
    return app.exec()
