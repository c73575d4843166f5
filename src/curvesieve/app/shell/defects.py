"""When the program is at fault: details go to a log, the study to its recovery copy, a sentence to the user."""

from __future__ import annotations

import logging
import sys
import threading
import traceback
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from types import TracebackType

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.session.session import Session
from curvesieve.core.folders import state_folder

log = logging.getLogger("curvesieve")
_LOG_BYTES = 2**20


def open_log() -> None:
    """Sends the log to a file that its owner alone can read, and that does not grow without end."""
    folder = state_folder()
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    path = folder / "log.txt"
    path.touch(mode=0o600)
    path.chmod(0o600)
    handler = RotatingFileHandler(path, maxBytes=_LOG_BYTES, backupCount=1, encoding="utf-8", delay=True)
    logging.basicConfig(handlers=[handler], level=logging.WARNING, format="%(asctime)s %(levelname)s %(message)s")


class DefectKeeper(QObject):
    """Stands behind every slot and thread: no exception ends the program or shows a traceback.

    `keep` has the study's recovery copy written, in the background. A defect that comes again and again, such as one of
    painting, is told once.
    """

    caught = pyqtSignal(str, str)

    def __init__(self, session: Session, keep: Callable[[], None]) -> None:
        super().__init__(session)
        self.session, self.keep = session, keep
        self.seen: dict[str, int] = {}
        """How often each defect came, by the place where it arose."""
        self.caught.connect(self._tell)  # from whatever thread, it is told on the window's
        session.jobs.defect.connect(self._keep)

    def install(self) -> None:
        open_log()
        sys.excepthook = self._hook
        threading.excepthook = lambda args: self._keep(args.exc_value or RuntimeError(str(args.exc_type)))

    def _hook(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if isinstance(error, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            sys.exit(130)
        self._keep(error)

    def _keep(self, error: BaseException) -> None:
        frames = traceback.extract_tb(error.__traceback__)
        place = f"{type(error).__name__} {frames[-1].filename}:{frames[-1].lineno}" if frames else type(error).__name__
        self.seen[place] = self.seen.get(place, 0) + 1
        if self.seen[place] == 1:
            log.error("a defect", exc_info=error)
            self.caught.emit(type(error).__name__, place)

    def _tell(self, name: str, place: str) -> None:
        self.keep()
        self.session.noticed.emit(
            f"Something went wrong inside the program ({name}). Your study is as it was, and a recovery copy of it is "
            "kept. Save it; if this comes again, start the program anew.",
            "problem",
        )
