"""The channels of the file in hand, a card each. Every edit goes to the tray as a change of the kind's pattern."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from curvesieve.app.benches.intake.cards import ChannelCard, ChannelRow
from curvesieve.app.benches.intake.computed_card import ComputedRow
from curvesieve.app.benches.intake.test_card import MechanicalCard
from curvesieve.app.benches.intake.tray import Tray
from curvesieve.app.benches.intake.waiting import Waiting
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.core import units
from curvesieve.core.intake import pattern as patterns
from curvesieve.core.intake.computed import ComputedChannel
from curvesieve.core.intake.pattern import ARRANGEMENTS
from curvesieve.core.intake.testing import without_test
from curvesieve.core.record import Channel

_MOST_SHOWN = 60
_MANY = 12
"""More channels than this can be searched."""


class ChannelsPanel(QWidget):
    """The cards of all channels. Every edit goes to the tray as a change of the kind's pattern."""

    def __init__(self, tray: Tray) -> None:
        super().__init__()
        self.tray = tray
        self.cards: list[ChannelCard] = []
        self.drafting = False
        self.arrangement = Choice()
        self.arrangement.addItems(ARRANGEMENTS)
        self.arrangement.setAccessibleName("which curves the file makes")
        self.arrangement.setToolTip("Which curves this file makes")
        self.arrangement.textActivated.connect(
            lambda text: self.tray.change_pattern(lambda pattern: patterns.arranged(pattern, text))
        )
        head = QHBoxLayout()
        head.addWidget(label("CHANNELS", "section"))
        head.addStretch(1)
        head.addWidget(label("taken as", "muted"))
        head.addWidget(self.arrangement)
        self.places: list[int] = []
        """Which channel each card is about; computed ones come after those of the file."""
        self.search = Line()
        self.search.setPlaceholderText("Search the channels")
        self.search.setAccessibleName("search the channels")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self.refresh())
        self.search.hide()
        inner = QWidget()
        self.column = QVBoxLayout(inner)
        self.column.setContentsMargins(0, 0, 6, 0)
        self.column.setSpacing(5)
        self.column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.scrolled = scroll
        self.test: MechanicalCard | None = None
        self.test_place = QVBoxLayout()
        self.compute = button("+  Compute a channel", tip="A formula of these channels and of quantities of your own")
        self.compute.clicked.connect(self._draft)
        self.more = label(role="muted")
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addLayout(self.test_place)
        rows.addLayout(head)
        rows.addWidget(self.search)
        rows.addWidget(scroll, 1)
        rows.addWidget(self.more)
        rows.addWidget(self.compute)

    @property
    def channel_rows(self) -> list[ChannelRow]:
        return [card for card in self.cards if isinstance(card, ChannelRow)]

    @property
    def computed_rows(self) -> list[ComputedRow]:
        return [card for card in self.cards if isinstance(card, ComputedRow)]

    def refresh(self) -> None:
        waiting = self.tray.shown
        bar = self.scrolled.verticalScrollBar()
        place = bar.value() if bar else 0
        for card in self.cards:
            self.column.removeWidget(card)
            card.blockSignals(True)  # a field that loses its focus now says nothing more
            card.hide()
            card.deleteLater()
        self.cards = []
        if self.test is not None:
            self.test_place.removeWidget(self.test)
            self.test.blockSignals(True)
            self.test.hide()
            self.test.deleteLater()
            self.test = None
        known = waiting is not None and waiting.table is not None and waiting.pattern is not None
        self.compute.setEnabled(known)
        self.arrangement.setEnabled(known)
        self.more.hide()
        if waiting is None or waiting.table is None or waiting.pattern is None:
            return
        self.arrangement.setCurrentText(waiting.pattern.arrangement)
        own = len(waiting.pattern.channels)
        self.search.setVisible(own > _MANY)
        words = self.search.text().casefold().split() if own > _MANY else []
        self._add_test(waiting)
        pairs = enumerate(zip(waiting.table.record.channels, waiting.pattern.channels, strict=True))
        found = [(i, c, rule) for i, (c, rule) in pairs if all(word in rule.name.casefold() for word in words)]
        wanted = found
        if len(found) > _MOST_SHOWN:  # those that are taken come first: they are what the file gives
            wanted = sorted(found, key=lambda one: (one[2].role == "leave", one[0]))[:_MOST_SHOWN]
        places = [i for i, _, _ in wanted]
        for i, channel, rule in wanted:
            self._add_channel(i, channel, rule)
        for i, computed in enumerate(waiting.pattern.computed):
            self._add_computed(waiting, computed, i, own)
        if self.drafting:
            self._add_computed(waiting, None, None, own)
        self.places = [*places, *range(own, own + len(waiting.pattern.computed))]
        self.more.setVisible(len(wanted) < own)
        left = f"{len(found):,} of {own:,} channels found" if words else f"{own:,} channels"
        self.more.setText(f"{len(wanted)} shown; {left}. Search for others by name.")
        if bar is not None:
            bar.setValue(place)

    def _add_test(self, waiting: Waiting) -> None:
        """The card of the mechanical test, above those of the channels."""
        card = MechanicalCard(waiting)
        card.chosen.connect(self._take_test)
        card.refused.connect(lambda said: self.tray.noticed.emit(said, "problem"))
        card.left.connect(lambda: self.tray.change_pattern(without_test))
        self.test_place.addWidget(card)
        self.test = card

    def _take_test(self, slug: str, specimen: str, extension: str, off: int | None) -> None:
        """Takes the files as a test, and shows the channels that it made: their formulas may ask for dimensions."""
        self.tray.take_test(slug, specimen, extension, off)
        if self.computed_rows:
            last = self.computed_rows[-1]
            QTimer.singleShot(50, lambda: self._bring_into_sight(last))

    def _add_channel(self, i: int, channel: Channel, rule: patterns.ChannelRule) -> None:
        row = ChannelRow(channel, rule)
        row.named.connect(lambda name: self.tray.change_pattern(lambda p: patterns.with_name(p, i, name)))
        row.unit_given.connect(lambda text: self._give_unit(i, text))
        self._add(row, i)

    def _give_unit(self, i: int, text: str) -> None:
        shown = self.tray.shown
        old = shown.pattern.channels[i] if shown and shown.pattern else None
        self.tray.change_pattern(lambda p: patterns.with_unit(p, i, text))
        if (
            old is not None
            and "→" not in text
            and "->" not in text
            and old.unit
            and text
            and _convertible(old.unit, text)
        ):
            self.tray.noticed.emit(
                f"{old.name}: its numbers are now taken to be in {text}, unchanged. To convert them, write "
                f"{old.unit} → {text}.",
                "word",
            )

    def _add_computed(self, waiting: Waiting, rule: patterns.ComputedRule | None, i: int | None, own: int) -> None:
        row = ComputedRow(waiting, rule, self.tray.touched)

        def edited(channel: ComputedChannel) -> None:
            self.drafting = self.drafting and i is not None
            self.tray.change_pattern(lambda p: patterns.with_computed(p, i, channel))
            if self.computed_rows:
                last = self.computed_rows[-1 if i is None else min(i, len(self.computed_rows) - 1)]
                QTimer.singleShot(0, lambda: self._bring_into_sight(last))

        def removed() -> None:
            if i is None:
                self.drafting = False
                self.refresh()
            else:
                self.tray.change_pattern(lambda p: patterns.without_computed(p, i))

        row.edited.connect(edited)
        if i is not None:
            row.given.connect(lambda name, quantity, reach: self.tray.give(i, name, quantity, reach))
        row.said_something.connect(lambda: QTimer.singleShot(0, lambda: self._bring_into_sight(row)))
        row.removed.connect(removed)
        self._add(row, None if i is None else own + i)

    def _add(self, row: ChannelCard, place: int | None) -> None:
        if place is not None:
            row.role_chosen.connect(lambda role: self.tray.change_pattern(lambda p: patterns.with_role(p, place, role)))
            row.role_dropped.connect(self._dropped)
        self.column.insertWidget(len(self.cards), row)
        self.cards.append(row)

    def _dropped(self, role: str, place: QPoint) -> None:
        """Gives the role of a badge to the channel on which it was let go."""
        under = QApplication.widgetAt(place)
        hit = [
            i for i, card in enumerate(self.cards) if under is not None and (under is card or card.isAncestorOf(under))
        ]
        if hit and hit[0] < len(self.places):
            place_of = self.places[hit[0]]
            self.tray.change_pattern(lambda p: patterns.with_role(p, place_of, role))  # type: ignore[arg-type]

    def _bring_into_sight(self, row: ChannelCard) -> None:
        """Scrolls to a card; called after the layout, as a card has its height only then."""
        if row in self.cards:
            self.scrolled.ensureWidgetVisible(row, 0, 4)

    def _draft(self) -> None:
        self.drafting = True
        self.refresh()
        if self.computed_rows:
            row = self.computed_rows[-1]
            row.name.selectAll()
            row.formula.setFocus()
            QTimer.singleShot(0, lambda: self._bring_into_sight(row))


def _convertible(unit: str, other: str) -> bool:
    return unit != other and units.in_base(unit).powers == units.in_base(other).powers
