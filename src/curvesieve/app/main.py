"""Starts the application."""

from __future__ import annotations

import os
import signal
import sys
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from curvesieve.app.defects import DefectKeeper
from curvesieve.app.folders import application_folder
from curvesieve.app.session import Session, View
from curvesieve.app.theme import apply_theme, load_fonts
from curvesieve.app.window import Window
from curvesieve.core.errors import InputError
from curvesieve.core.study import load_study
from curvesieve.demo import EXAMPLE, STUDY_NAME

_DEMO_VERSION = 4
"""Raised when the demo's content changes, so that an older copy is not shown."""


def demo_folder() -> Path:
    """Where the made-up files and the demo study lie, by the XDG base directories."""
    return application_folder(f"demo-{_DEMO_VERSION}")


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
        # The demo is opened as a study of its own, so that saving asks for a place and the demo stays as it is.
        if not (folder / STUDY_NAME).exists():
            from curvesieve.demo.build import write_demo

            write_demo(folder)
        study = load_study(folder / STUDY_NAME)
        session.begin(study)
        session.look(View(study.document.curves[EXAMPLE].id))
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
