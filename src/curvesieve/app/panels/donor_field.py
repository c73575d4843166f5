"""The editor of a field that names other curves: a list that can be searched, alike labels told apart by family."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QWidget

from curvesieve.app.panels.rule_fields import Field
from curvesieve.app.widgets.basics import button, plain_tip
from curvesieve.app.widgets.grouped_list import Choosable, GroupedList
from curvesieve.core.study.study import Named

_SHOWN_PX = 180


class _CurveList(GroupedList):
    nothing = "No curve has these words"

    def __init__(self, window: QWidget, rows: Callable[[], Iterable[Choosable]]) -> None:
        super().__init__(window, "Which curve?", label_px=300)
        self._rows = rows

    def rows_now(self) -> Iterable[Choosable]:
        return self._rows()


class DonorField(Field):
    """A button that shows the curves named and opens the list; with several, choosing one again leaves it out."""

    def __init__(self, title: str, several: bool, curves: Callable[[], list[Named]]) -> None:
        self.button = button("", "choice")
        self.button.setAccessibleName(title)
        super().__init__(self.button, title)
        self.several, self._curves = several, curves
        self.references: tuple[str, ...] = ()
        self._list: _CurveList | None = None
        self.button.clicked.connect(self.open)

    @property
    def list(self) -> _CurveList:
        if self._list is None:
            window = self.button.window()
            assert window is not None
            self._list = _CurveList(window, self._rows)
            self._list.chosen.connect(self._choose)
            self.button.destroyed.connect(self._list.deleteLater)
        return self._list

    def open(self) -> None:
        window = self.button.window()
        assert window is not None
        self.list.open(self.button.mapTo(window, QPoint(-8, -60)))

    def set(self, value: Any) -> None:
        self.references = tuple(value) if self.several else (value,) if value else ()
        none = "all of the family" if self.several else "choose…"
        names = {curve.reference: curve.name for curve in self._curves()}
        said = ", ".join(names.get(one, one) for one in self.references) or none
        shown = self.button.fontMetrics().elidedText(said, Qt.TextElideMode.ElideMiddle, _SHOWN_PX)
        self.button.setText(f"{shown} ▾".replace("&", "&&"))
        self.button.setToolTip(plain_tip(said))

    def _rows(self) -> Iterable[Choosable]:
        curves = self._curves()
        known = {curve.reference for curve in curves}
        if self.references:
            words = "all of the family" if self.several else "none"
            yield Choosable("now", words, "takes the choice back", "")
        for one in self.references:
            if one not in known:
                yield Choosable("now", one, "not in this study any more", one)
        for curve in curves:
            about = "✓ chosen" if curve.reference in self.references else curve.about
            yield Choosable(curve.family, curve.name, about, curve.reference)

    def _choose(self, one: object) -> None:
        assert isinstance(one, str)
        now = self.references
        if not self.several:
            chosen: Any = one
        elif not one:
            chosen = ()
        else:
            chosen = tuple(n for n in now if n != one) if one in now else (*now, one)
        self.button.setFocus()
        if chosen != (now if self.several else now[0] if now else ""):
            self.edited.emit(chosen)
