"""Peaks that may be added: found at a click, chosen by a slider and on the plot, then added or left."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QSlider, QVBoxLayout, QWidget

from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import button, label
from curvesieve.core.errors import counted

_REACH = 100


class FindingRow(QWidget):
    """Renders the candidates in hand. `asked` tells the kind of new peaks and the background under them."""

    def __init__(self, session: Session, asked: Callable[[], tuple[str, str | None] | None]) -> None:
        super().__init__()
        self.session, self.asked = session, asked
        self.find_all = button("Find peaks", tip="Shows every place that stands out of the points in use as a ghost")
        self.find_all.clicked.connect(lambda: session.peaks.find())
        self.find_dips = button("Find dips", tip="The same for what dips below, as bands of a transmittance do")
        self.find_dips.clicked.connect(lambda: session.peaks.find(True))
        self.said = label(role="muted", wrap=True)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _REACH)
        self.slider.setAccessibleName("sensitivity")
        self.slider.setToolTip("To the left only what stands out clearly, to the right what hardly does")
        self.slider.valueChanged.connect(self._slid)
        self.add = button("Add peaks", "act", "Puts those that are kept into the model, as starts for a fit")
        self.add.clicked.connect(self._add)
        self.read = button("Read off", tip="Centroid, width and area of each that is kept, without a model")
        self.read.clicked.connect(session.peaks.read_bare)
        self.leave = button("Leave", tip="Adds nothing (Esc)")
        self.leave.clicked.connect(session.peaks.leave)
        self.panel = QWidget()
        ends = QHBoxLayout()
        ends.addWidget(label("clear ones", "muted"))
        ends.addWidget(self.slider, 1)
        ends.addWidget(label("faint ones", "muted"))
        buttons = QHBoxLayout()
        buttons.addWidget(self.add)
        buttons.addWidget(self.read)
        buttons.addWidget(self.leave)
        buttons.addStretch(1)
        inside = QVBoxLayout(self.panel)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(4)
        inside.addWidget(self.said)
        inside.addLayout(ends)
        inside.addLayout(buttons)
        first = QHBoxLayout()
        first.addWidget(self.find_all)
        first.addWidget(self.find_dips)
        first.addStretch(1)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addLayout(first)
        rows.addWidget(self.panel)
        session.peaks.sought.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Shows what there is to choose from, or the one button that looks for it."""
        found = self.session.peaks.candidates
        self.find_all.setVisible(found is None)
        self.find_dips.setVisible(found is None)
        self.panel.setVisible(found is not None)
        if found is None:
            return
        count = len(found.kept)
        self.said.setText(
            f"{count} of {counted(len(found.peaks), 'candidate')} kept: from {found.least:.3g} × the noise on, and by "
            "hand. Click a ghost to keep or drop it."
        )
        self.add.setText(f"Add {counted(count, 'peak')}")
        self.add.setEnabled(bool(count))
        self.read.setEnabled(bool(count))
        low, high = found.range
        self.slider.setEnabled(high > low)
        if high > low and not self.slider.isSliderDown():
            at = math.log(max(found.least, low) / high) / math.log(low / high)
            self.slider.blockSignals(True)
            self.slider.setValue(round(_REACH * min(max(at, 0.0), 1.0)))
            self.slider.blockSignals(False)

    def _slid(self, place: int) -> None:
        found = self.session.peaks.candidates
        if found is not None:
            low, high = found.range
            self.session.peaks.set_least(high * (low / high) ** (place / _REACH))

    def _add(self) -> None:
        asked = self.asked()
        if asked is not None:
            self.session.peaks.take(*asked)
