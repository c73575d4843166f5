"""The demo study with its made-up files: written once into the user's data folder, and opened as a study of its own."""

from __future__ import annotations

from pathlib import Path

from curvesieve.app.session.desk import View
from curvesieve.app.session.session import Session
from curvesieve.core.folders import application_folder
from curvesieve.core.study import Study, load_study
from curvesieve.demo import EXAMPLE, STUDY_NAME

_DEMO_VERSION = 9
"""Raised when the demo's content changes, so that an older copy is not shown."""


def demo_folder() -> Path:
    """Where the made-up files and the demo study lie, by the XDG base directories."""
    return application_folder(f"demo-{_DEMO_VERSION}")


def demo_study() -> Study:
    """The demo study; what is not there yet is made. Raises InputError when it cannot be written or read."""
    folder = demo_folder()
    if not (folder / STUDY_NAME).exists():
        from curvesieve.demo.build import write_demo

        write_demo(folder)
    return load_study(folder / STUDY_NAME)


def begin_demo(session: Session, study: Study) -> None:
    """Takes the demo in hand, at the curve that is fitted. It has no path: saving asks for a place of its own."""
    session.begin(study)
    session.look(View(study.document.curves[EXAMPLE].id))
