"""The Figure bench put together: figures, parts and what can be put in; the page; what is said of the part in hand."""

from __future__ import annotations

from functools import partial
from typing import Any, get_args

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from curvesieve.app.benches.figure.fields import Chosen
from curvesieve.app.benches.figure.lists import FigureList, PartTree
from curvesieve.app.benches.figure.out_card import OutCard
from curvesieve.app.benches.figure.page_card import PageCard
from curvesieve.app.benches.figure.page_view import PageView
from curvesieve.app.benches.figure.part_card import PartCard
from curvesieve.app.benches.figure.put_in import PieceTree
from curvesieve.app.benches.figure.report_button import ReportButton
from curvesieve.app.benches.figure.rows import rows_of
from curvesieve.app.benches.figure.start import StartPage
from curvesieve.app.benches.figure.work import FigureWork
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.actions import ActionRow
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.seen import SeenBench, side_column
from curvesieve.app.widgets.stepper import Stepper
from curvesieve.core.figures.colours import Eyes
from curvesieve.core.figures.offers import pieces
from curvesieve.core.figures.parts import (
    can_go,
    letter,
    part_rows,
    said_of_spot,
    value_of,
    with_inset,
    with_mark,
    with_panel,
    with_part,
)
from curvesieve.core.figures.places import offered_readings, offered_spots
from curvesieve.core.study import edits
from curvesieve.core.study.figure_parts import (
    MARKS,
    ArrowMark,
    BandMark,
    BracketMark,
    FigureSpec,
    GuideMark,
    Inset,
    Mark,
    PanelSpec,
    ScaleMark,
    Spot,
    WordsMark,
)

_LEFT_PX, _RIGHT_PX = 236, 332
HINT = "Click a part of the page to change it · drag a name, a mark or a lifted curve to move it"
_EYES: tuple[Eyes, ...] = get_args(Eyes)
_MARK_WORDS = {
    "guide": "Guide line", "band": "Band", "bracket": "Bracket", "words": "Words", "arrow": "Arrow",
    "scale": "Scale bar",
}  # fmt: skip


class FigureBench(SeenBench):
    """Everything that concerns the figures of the study. `told` has a hint for the status line."""

    told = pyqtSignal(str)
    hint = HINT

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.work = work = FigureWork(session)
        self.view = PageView(work)
        self.view.paper.hovered.connect(lambda text: self.told.emit(text or self.hint))
        self.tools: dict[str, Any] = {
            "palette": self._palette, "spots": self._spots, "said": self._said_of_spot,
            "readings": self._readings,
        }  # fmt: skip
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(self._make_left())
        layout.addWidget(self._make_middle(), 1)
        layout.addWidget(self._make_side())
        self._fonts: tuple[str, ...] = ()
        session.changed.connect(lambda old, new: self.renew())
        work.chosen.connect(self._show_choice)
        work.taken.connect(self.refresh)
        work.drawn.connect(self._show_page)

    def _make_left(self) -> QWidget:
        self.new = button("New ▾", tip="A figure of what is in hand, or an empty page")
        self.new.clicked.connect(self.open_new)
        self.figures = FigureList()
        self.figures.taken.connect(self.work.take)
        self.figures.named.connect(self._name)
        self.figures.menu_asked.connect(self._figure_menu)
        self.figures.removal_asked.connect(self._remove_figure)
        self.figures.setFixedHeight(104)
        self.parts = PartTree()
        self.parts.chosen.connect(self.work.choose)
        self.parts.removal_asked.connect(self.work.remove_part)
        self.add_panel = button("+ Panel", tip="An empty panel more")
        self.add_panel.clicked.connect(lambda: self._with_figure(lambda: self.work.change(with_panel(), "add a panel")))
        self.add_mark = button("+ Mark ▾", tip="A guide line, a band, words, an arrow … on the panel in hand")
        self.add_mark.clicked.connect(self.open_marks)
        self.pieces = PieceTree()
        self.pieces.asked.connect(lambda number: self.view.paper.dropped(str(number), None))
        left = QWidget()
        left.setFixedWidth(_LEFT_PX)
        rows = QVBoxLayout(left)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(label("FIGURES", "section"))
        top.addStretch(1)
        top.addWidget(self.new)
        rows.addLayout(top)
        rows.addWidget(self.figures)
        rows.addWidget(label("PARTS", "section"))
        rows.addWidget(self.parts, 3)
        adding = QHBoxLayout()
        adding.setSpacing(6)
        adding.addWidget(self.add_panel)
        adding.addWidget(self.add_mark)
        adding.addStretch(1)
        rows.addLayout(adding)
        rows.addWidget(label("PUT IN: DRAG, OR DOUBLE CLICK", "section"))
        rows.addWidget(self.pieces, 2)
        return left

    def _make_middle(self) -> QWidget:
        self.title = Elided(role="strong")
        self.size_words = label(role="muted")
        self.eyes = Choice()
        self.eyes.setAccessibleName("seen")
        self.eyes.setToolTip(
            "As it prints, as eyes without one kind of cones see it, or in grey; what looks alike then is said below"
        )
        self.eyes.addItems(_EYES)
        self.eyes.activated.connect(lambda place: self.work.look_as(_EYES[place]))
        self.fit_page = button("Fit page", "tab", "As large as there is room")
        self.whole_size = button("100 %", "tab", "As large as it prints")
        for made in (self.fit_page, self.whole_size):
            made.setCheckable(True)
            made.setAutoExclusive(True)
        self.fit_page.setChecked(True)
        self.fit_page.clicked.connect(lambda: self.view.fit(True))
        self.whole_size.clicked.connect(lambda: self.view.fit(False))
        self.notes = Stepper("note")
        top = QHBoxLayout()
        top.addWidget(self.title, 1)
        for widget in (self.size_words, self.eyes, self.fit_page, self.whole_size):
            top.addWidget(widget)
        middle = QWidget()
        rows = QVBoxLayout(middle)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addLayout(top)
        rows.addWidget(self.view, 1)
        rows.addWidget(self.notes)
        self.start = StartPage(self.view)
        self.start.asked.connect(self.work.make)
        return middle

    def _make_side(self) -> QWidget:
        self.part_title = label(role="section")
        self.remove = button("Take out", "bare", "Takes this part out of the figure (Delete)")
        self.remove.clicked.connect(self.work.remove_part)
        self.card = PartCard(self.tools)
        self.card.edited.connect(self._edited)
        self.page_card = PageCard(self.work, self.tools)
        self.out = OutCard(self.work)
        for source in (self.page_card.told, self.out.told):
            source.connect(self.session.noticed)
        self.card.refused.connect(lambda sentence: self.session.noticed.emit(sentence, "problem"))
        column = QWidget()
        rows = QVBoxLayout(column)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(self.part_title)
        top.addStretch(1)
        top.addWidget(self.remove)
        rows.addLayout(top)
        rows.addWidget(self.card)
        rows.addWidget(self.page_card)
        rows.addWidget(label("OUT", "section"))
        rows.addWidget(self.out)
        rows.addWidget(label("MANNER", "section"))
        rows.addWidget(self.page_card.manner)
        rows.addStretch(1)
        self.report = ReportButton(self.session)
        foot = QHBoxLayout()
        foot.setSpacing(6)
        foot.addWidget(self.out.copy)
        foot.addWidget(self.report)
        foot.addStretch(1)
        foot.addWidget(self.out.write_button)
        self.side = side_column(column, _RIGHT_PX, foot)
        return self.side

    # -- rendering ----------------------------------------------------------------------------------

    def showEvent(self, event: object) -> None:
        super().showEvent(event)
        self.view.draw()

    def refresh(self) -> None:
        """Renders the figures of the study, and asks for the page of the one in hand."""
        super().refresh()
        spec = self.work.spec
        figures = self.session.study.document.figures
        self.figures.fill(figures, spec.id if spec is not None else "")
        self.pieces.fill(pieces(self.session.study))
        self.title.set(spec.name if spec is not None else "")
        self.size_words.setText(f"{spec.width:g} × {spec.height:g} mm" if spec is not None else "")
        for part in (self.eyes, self.fit_page, self.whole_size, self.side):
            part.setVisible(spec is not None)
        self.add_mark.setEnabled(spec is not None)
        self.start.fill(self.work.offers() if spec is None else None)
        if spec is not None:
            self.page_card.refresh(spec)
        self._show_choice()
        self.view.draw()

    def _show_choice(self) -> None:
        """Renders the part in hand."""
        spec, part = self.work.spec, self.work.part
        self.parts.fill(part_rows(self.session.study, spec) if spec is not None else [], part)
        value = value_of(spec, part) if spec is not None and part else None
        rows = rows_of(value) if value is not None else ()
        self.card.setVisible(bool(rows))
        self.part_title.setVisible(value is not None)
        self.remove.setVisible(can_go(part) and value is not None)
        if value is not None:
            self.part_title.setText(self._part_words(part))
            self.card.show_part(value, rows)
        self.view.paper.update()

    def _part_words(self, part: str) -> str:
        kind, place, *rest = part.split(" ", 2)
        words = {"x": "x axis", "y": "y axis", "right": "right axis", "names": "names and frame"}.get(kind, kind)
        if kind in ("line", "name"):
            known = self.session.study.has(rest[0])
            words = f"line {self.session.study.entry(rest[0]).label}" if known else "line"
        spec = self.work.spec
        value = value_of(spec, part) if spec is not None else None
        if kind == "mark" and value is not None:
            words = str(getattr(value, "kind", kind))
        return (words if kind == "panel" else f"{words} of panel").upper() + f" {letter(int(place))}"

    def _show_page(self) -> None:
        seen = self.work.seen
        said = seen.said if seen is not None else ()
        self.notes.fill("To look at", said)
        field = self.page_card.manner.fields.get("font")
        if seen is not None and seen.fonts != self._fonts and isinstance(field, Chosen):
            self._fonts = seen.fonts
            field.offer(seen.fonts)
        if said:
            self.notes._go(1)

    def restyle(self) -> None:
        """Takes on the colours of another scheme."""
        self.refresh()

    # -- edits --------------------------------------------------------------------------------------

    def _edited(self, values: dict[str, Any]) -> None:
        kind = self.work.part.split(" ")[0]
        self.work.change(with_part(self.work.part, **values), f"change a {kind}")
        self._show_choice()  # what was refused falls back

    def _name(self, figure_id: str, name: str) -> None:
        def act() -> None:
            if not self.session.apply(edits.name_figure(figure_id, name), f"name a figure {name}"):
                self.refresh()

        self.work.said_if_refused(act)
        self.refresh()

    def _remove_figure(self, figure_id: str) -> None:
        self.session.apply(edits.remove_figure(figure_id), "remove a figure")

    def _figure_menu(self, figure_id: str, at: QPoint) -> None:
        menu_of(self, self.figure_rows(figure_id)).popup(at)

    def figure_rows(self, figure_id: str) -> list[MenuRow]:
        """What can be done with a figure of the list."""
        spec = next((one for one in self.session.study.document.figures if one.id == figure_id), None)
        if spec is None:
            return []
        return [
            ("Rename", lambda: self.figures.editItem(self.figures.currentItem())),
            ("Copy", lambda: self._copy(figure_id)),
            ("Remove", lambda: self._remove_figure(figure_id)),
        ]

    def _copy(self, figure_id: str) -> None:
        new = edits.new_id("figure")
        if self.session.apply(edits.copy_figure(figure_id, new), "copy a figure"):
            self.work.take(new)

    def _with_figure(self, act: Any) -> None:
        """Does something to the figure in hand, one being made first where there is none."""
        if self.work.spec is None:
            self.work.make(None)
        else:
            act()

    # -- menus --------------------------------------------------------------------------------------

    def open_new(self) -> None:
        menu_of(self, self.new_rows()).popup(self.new.mapToGlobal(QPoint(0, self.new.height())))

    def new_rows(self) -> list[MenuRow]:
        """The figures that can be made."""
        rows: list[MenuRow] = [(one.words, partial(self.work.make, one)) for one in self.work.offers()]
        return [*rows, *([("", None)] if rows else []), ("An empty page", partial(self.work.make, None))]

    def make_first(self, curve_first: bool = False) -> None:
        """Makes the figure that says most of what is in hand: of the family, or of the curve."""
        found = self.work.offers(curve_first)
        self.work.make(found[0] if found else None)

    def make_of_field(self, field_id: str) -> None:
        """Makes the figure of a field as it is looked at."""
        from curvesieve.core.figures.offers import offers_of_field

        found = offers_of_field(self.session.study, field_id)
        self.work.make(found[0] if found else None)

    def open_marks(self) -> None:
        menu_of(self, self.mark_rows()).popup(self.add_mark.mapToGlobal(QPoint(0, self.add_mark.height())))

    def mark_rows(self) -> list[MenuRow]:
        """What can be set on the panel in hand."""
        rows: list[MenuRow] = [(_MARK_WORDS[kind], partial(self.add, kind)) for kind in MARKS]
        return [*rows, ("Magnified stretch", self.add_inset)]

    def add(self, kind: str) -> None:
        """A mark of a kind on the panel in hand, where it can be seen, and takes it in hand."""
        spec = self.work.spec
        if spec is None or not spec.panels:
            return
        place = self.work.place
        low, high = self._middle(place)
        made: Mark = {
            "guide": GuideMark(spot=Spot(at=(low + high) / 2)),
            "band": BandMark(low=Spot(at=low), high=Spot(at=high)),
            "bracket": BracketMark(low=Spot(at=low), high=Spot(at=high), number=True),
            "words": WordsMark(words="words"), "arrow": ArrowMark(), "scale": ScaleMark(length=_round(high - low)),
        }[kind]  # type: ignore[assignment]  # fmt: skip
        if self.work.change(with_mark(place, made), f"add a {kind}"):
            self.work.choose(f"mark {place} {len(spec.panels[place].marks)}")

    def add_inset(self) -> None:
        """Magnifies the middle of the panel in hand; its limits are then typed."""
        spec = self.work.spec
        if spec is None or not spec.panels:
            return
        place = self.work.place
        low, high = self._middle(place)
        if self.work.change(with_inset(place, Inset(low=low, high=high)), "magnify a stretch"):
            self.work.choose(f"inset {place}")

    def _middle(self, place: int) -> tuple[float, float]:
        """The middle third of what a panel shows of x, in few digits."""
        seen = self.work.seen
        scales = seen.picture.panels.get(place) if seen is not None else None
        if scales is None:
            return 0.0, 1.0
        left, top, right, _ = scales.box
        ends = [scales.place(left + share * (right - left), top)[0] for share in (0.4, 0.6)]
        return float(f"{min(ends):.4g}"), float(f"{max(ends):.4g}")

    # -- what editors ask for -----------------------------------------------------------------------

    def _panel(self) -> PanelSpec | None:
        spec: FigureSpec | None = self.work.spec
        return spec.panels[self.work.place] if spec is not None and spec.panels else None

    def _palette(self) -> tuple[str, ...]:
        spec = self.work.spec
        return (*spec.manner.palette, *spec.manner.along, spec.manner.ink) if spec is not None else ()

    def _said_of_spot(self, spot: Spot) -> str:
        return said_of_spot(self.session.study, spot)

    def _spots(self) -> list[tuple[str, Spot]]:
        panel, seen, place = self._panel(), self.work.seen, self.work.place
        if panel is None or seen is None or place >= len(seen.units):
            return []
        level = getattr(value_of(seen.spec, self.work.part), "level", False)
        return offered_spots(self.session.study, panel, seen.units[place][1 if level else 0])

    def _readings(self) -> list[tuple[str, str]]:
        panel = self._panel()
        return offered_readings(self.session.study, panel) if panel is not None else []

    # -- actions ------------------------------------------------------------------------------------

    def lay_down(self) -> None:
        """Escape: what is dragged falls back; then the page itself is in hand."""
        self.view.paper.lay_down()

    def action_rows(self) -> list[ActionRow]:
        """What can be done on this bench."""

        def has_figure() -> bool:
            return self.work.spec is not None

        marks = [
            ActionRow(f"Add to the panel: {words.lower()}", "", partial(self.add, kind), has_figure, "mark", "Figure")
            for kind, words in _MARK_WORDS.items()
        ]
        return [
            ActionRow("A figure of what is in hand", "", self.make_first, words="new page", bench="Figure"),
            ActionRow("An empty page", "", partial(self.work.make, None), words="new figure", bench="Figure"),
            ActionRow("Add a panel", "", self.add_panel.click, has_figure, bench="Figure"),
            *marks,
            ActionRow("Magnify a stretch of the panel", "", self.add_inset, has_figure, "inset zoom", "Figure"),
            ActionRow("Write the figure as a file…", "Ctrl+E", self.out.ask, has_figure, "export", "Figure"),
            ActionRow("Copy the figure as a picture", "", self.out.copy_picture, has_figure, "clipboard", "Figure"),
            ActionRow("Take the part in hand out of the figure", "", self.work.remove_part, has_figure, bench="Figure"),
        ]


def _round(length: float) -> float:
    """A length of one digit."""
    return float(f"{length:.1g}") or 1.0
