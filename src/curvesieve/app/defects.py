"""When the program is at fault: details go to a log, the study to a recovery file, a sentence to the user."""

from __future__ import annotations

import logging
import os
import sys
import threading
from datetime import datetime
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.session import Session
from curvesieve.core.errors import InputError
from curvesieve.core.study import save_study
from curvesieve.core.study.store import SUFFIX

log = logging.getLogger("curvesieve")


def state_folder() -> Path:
    """Where logs and recovery files go, by the XDG base directories."""
    base = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    folder = Path(base) / "curvesieve"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


class DefectKeeper(QObject):
    """Stands behind every slot and thread: no exception ends the program or shows a traceback."""

    caught = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self._handling = False
        self.caught.connect(lambda sentence: session.noticed.emit(sentence, "problem"))
        session.jobs.defect.connect(self._keep)

    def install(self) -> None:
        logging.basicConfig(filename=state_folder() / "log.txt", level=logging.WARNING)
        sys.excepthook = self._hook
        threading.excepthook = lambda args: self._keep(args.exc_value or RuntimeError(str(args.exc_type)))

    def _hook(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if isinstance(error, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            sys.exit(130)
        self._keep(error)

    def _keep(self, error: BaseException) -> None:
        if self._handling:
            return
        self._handling = True
        try:
            log.error("a defect", exc_info=error)
            name = f"recovered-{datetime.now():%Y%m%d-%H%M%S}{SUFFIX}"
            path = state_folder() / name
            try:
                save_study(self.session.study, path)
                where = f"A copy of your study was saved as {path}."
            except InputError as problem:
                where = f"A copy could not be saved ({problem})."
            self.caught.emit(f"Something went wrong inside the program ({type(error).__name__}). {where}")
        finally:
            self._handling = False
