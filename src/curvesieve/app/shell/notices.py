"""Notices: one sentence that lies over the window until it is read; nothing moves when it comes or goes."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QRect, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QFrame, QHBoxLayout, QPushButton, QWidget

from curvesieve.app.widgets.basics import button, empty, label, restyle

_WORD_MS = 6000
_WIDEST_PX = 760
Act = tuple[str, Callable[[], None]]
"""The words of a button, and what it does."""


class NoticeBar(QFrame):
    """Shows the newest notice over the lower part of `over`. A problem stays until it is closed; a word goes by itself.

    So many pixels at the right are `kept_clear`: what stands there is pressed often.

    The keyboard's focus stays where it is, and goes back there when a notice that had it closes.
    """

    def __init__(self, over: QWidget, kept_clear: Callable[[], int] = lambda: 0) -> None:
        super().__init__(over)
        self.setObjectName("notice")
        self.over, self.kept_clear = over, kept_clear
        self.text = label(wrap=True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.acts = QHBoxLayout()
        self.close_button = button("Close", "bare", "Esc")
        self.close_button.clicked.connect(self.lay_down)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 7, 8, 7)
        row.addWidget(self.text, 1)
        row.addLayout(self.acts)
        row.addWidget(self.close_button)
        self.timer = QTimer(self)
        self.timer.setSingleShot(True)
        self.timer.timeout.connect(self.lay_down)
        self._before: QWidget | None = None
        over.installEventFilter(self)
        self.hide()

    def show_notice(self, sentence: str, kind: str, acts: tuple[Act, ...] = ()) -> None:
        """A sentence, and buttons for what can be done about it."""
        mark = "⚠  " if kind == "problem" else ""
        self.text.setText(mark + sentence)
        self._set_acts(acts)
        self.setProperty("kind", kind)
        restyle(self)
        if not self.isVisible():
            self._before = QApplication.focusWidget()
        self._place()
        self.show()
        self.raise_()
        self.timer.stop()
        if kind != "problem" and not acts:
            self.timer.start(_WORD_MS)

    def lay_down(self) -> None:
        """Takes the notice away."""
        had_focus = self.isAncestorOf(QApplication.focusWidget() or self) and QApplication.focusWidget() is not None
        self.timer.stop()
        self.hide()
        try:
            if had_focus and self._before is not None and self._before.isVisible():
                self._before.setFocus()
        except RuntimeError:
            pass  # that part of the window is gone meanwhile
        self._before = None

    def _set_acts(self, acts: tuple[Act, ...]) -> None:
        empty(self.acts)
        for text, run in acts:
            made = button(text, "act")
            made.clicked.connect(lambda _=False, run=run: self._do(run))
            self.acts.addWidget(made)

    def act(self, text: str) -> QPushButton:
        """The button of those words, as long as the notice has it."""
        found = [item.widget() for i in range(self.acts.count()) if (item := self.acts.itemAt(i)) is not None]
        return next(made for made in found if isinstance(made, QPushButton) and made.text() == text)

    def _do(self, run: Callable[[], None]) -> None:
        self.lay_down()
        run()

    def _place(self) -> None:
        layout = self.layout()
        assert layout is not None
        room = self.over.width() - self.kept_clear()
        wide = min(room - 24, _WIDEST_PX)
        layout.activate()
        high = max(layout.heightForWidth(wide), layout.sizeHint().height() if not layout.hasHeightForWidth() else 0)
        self.setGeometry(QRect((room - wide) // 2, self.over.height() - high - 10, wide, high))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize and self.isVisible():
            self._place()
        return False
