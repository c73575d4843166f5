"""A thread of its own for work that must not wait for other work, nor overtake itself: saves, recovery copies."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QEventLoop, QObject, QTimer, pyqtSignal

Job = tuple[Callable[[], Any], Callable[[Any, BaseException | None], None]]


class Worker(QObject):
    """Does one thing after the other, in the order given; answers come back on the thread of this object."""

    _answered = pyqtSignal(object, object, object)
    idle = pyqtSignal()

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.name = name
        self._queue: queue.SimpleQueue[Job | None] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None
        self.pending = 0
        self._answered.connect(self._answer)

    def do(self, work: Callable[[], Any], answer: Callable[[Any, BaseException | None], None]) -> None:
        """Queues work; `answer` gets its result, or what it raised."""
        if self._thread is None:  # a daemon: a disk that hangs does not keep the program from ending
            self._thread = threading.Thread(target=self._run, name=self.name, daemon=True)
            self._thread.start()
        self.pending += 1
        self._queue.put((work, answer))

    def _run(self) -> None:
        while (job := self._queue.get()) is not None:
            work, answer = job
            result, error = None, None
            try:
                result = work()
            except BaseException as caught:  # whatever happens here travels back as a value
                error = caught
            try:
                self._answered.emit(answer, result, error)
            except RuntimeError:
                return  # the window is gone, and nobody waits

    def _answer(self, answer: Callable[[Any, BaseException | None], None], result: Any, error: Any) -> None:
        self.pending -= 1
        answer(result, error)
        if not self.pending:
            self.idle.emit()

    def wait(self, most_ms: int = 0) -> bool:
        """Lets the window paint until all is done, at most for so long (0: as long as it takes). Whether all is."""
        if self.pending:
            loop = QEventLoop()
            self.idle.connect(loop.quit)
            if most_ms:
                QTimer.singleShot(most_ms, loop.quit)
            loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
            self.idle.disconnect(loop.quit)
        return not self.pending

    def close(self) -> None:
        """Lets the thread end after what is queued."""
        self._queue.put(None)
