"""The list of steps to add: grouped by intent, searched by typing, and one click or Enter away."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.popup import Popup, matches
from curvesieve.core.steps import registered_steps

_SIZE = (560, 620)


class StepList(Popup):
    """A field over the list. `chosen` reports the class of the step."""

    chosen = pyqtSignal(object)

    def __init__(self, window: QWidget) -> None:
        super().__init__(window, "What should the step do?")
        self.tree = QTreeWidget()
        self.tree.setColumnCount(2)
        self.tree.setHeaderHidden(True)
        self.tree.setRootIsDecorated(False)
        self.tree.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.tree.setColumnWidth(0, 176)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.itemClicked.connect(lambda item, _: self._choose(item))
        rows = QVBoxLayout(self)
        rows.setContentsMargins(10, 10, 10, 10)
        rows.addWidget(self.field)
        rows.addWidget(self.tree, 1)

    def open(self, corner: QPoint) -> None:
        """Opens with its top right corner at a place of the window, as far as it fits."""
        window = self.parentWidget()
        assert window is not None
        width, height = _SIZE[0], min(_SIZE[1], window.height() - 80)
        top = max(50, min(corner.y(), window.height() - height - 30))
        self.setGeometry(max(10, corner.x() - width), top, width, height)
        self.present()

    def fill(self, wanted: str) -> None:
        self.tree.clear()
        intent = ""
        for step in registered_steps().values():
            if not matches(f"{step.intent} {step.label} {step.summary}", wanted):
                continue
            if step.intent != intent:
                intent = step.intent
                heading = QTreeWidgetItem([intent.capitalize(), ""])
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
                heading.setFont(0, font(13, bold=True))
                self.tree.addTopLevelItem(heading)
            item = QTreeWidgetItem([f"  {step.label}", step.summary])
            item.setForeground(1, colour("muted"))
            item.setFont(1, font(13))
            item.setToolTip(1, step.summary)
            item.setData(0, Qt.ItemDataRole.UserRole, step)
            self.tree.addTopLevelItem(item)
        if not self.tree.topLevelItemCount():
            nothing = QTreeWidgetItem(["No step has these words", ""])
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            nothing.setFirstColumnSpanned(True)
            self.tree.addTopLevelItem(nothing)
        self.walk(0)

    def _steps(self) -> list[QTreeWidgetItem]:
        items = (self.tree.topLevelItem(i) for i in range(self.tree.topLevelItemCount()))
        return [item for item in items if item is not None and item.data(0, Qt.ItemDataRole.UserRole) is not None]

    def walk(self, by: int) -> None:
        items, now = self._steps(), self.tree.currentItem()
        if items:
            at = next((i for i, item in enumerate(items) if item is now), -by if by else 0)
            self.tree.setCurrentItem(items[(at + by) % len(items)])

    def choose_current(self) -> None:
        self._choose(self.tree.currentItem())

    def _choose(self, item: QTreeWidgetItem | None) -> None:
        step = item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None
        if step is not None:
            self.hide()
            self.chosen.emit(step)
