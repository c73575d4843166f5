"""How the family stands: laid over, lifted, in panels, as a map or a gallery; made alike; guides."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QButtonGroup, QCheckBox, QHBoxLayout, QInputDialog, QPushButton

from curvesieve.app.session.family_work import FamilyWork
from curvesieve.app.widgets.basics import Card, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.number import NumberField
from curvesieve.core import units
from curvesieve.core.study.family_parts import NORMALS, FamilyLook, Guide, Stand
from curvesieve.core.study.standing import Standing, guide_place, guides_offered
from curvesieve.core.typed import numbers_in

_STANDS: dict[Stand, tuple[str, str]] = {
    "laid over": ("laid over", "All curves on the same axes"),
    "lifted": ("lifted", "Each curve set above the one before, so that none touch"),
    "one panel each": ("panels", "One panel each, beside one another"),
    "as a map": ("map", "x to the right, the condition upwards, y as colour"),
    "gallery": ("gallery", "All curves small with their sieve and fit; those to look at come first"),
}


class StandCard(Card):
    """Renders the look of the family in hand, and edits it."""

    def __init__(self, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self.stands: dict[str, QPushButton] = {}
        self._group = QButtonGroup(self)
        self._make_stands()
        self._make_lift()
        self._make_alike()
        self._make_rest()

    def _row(self, *widgets: object) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        for widget in widgets:
            row.addWidget(widget)  # type: ignore[arg-type]
        self.rows.addLayout(row)
        return row

    def _make_stands(self) -> None:
        for stand, (text, tip) in _STANDS.items():
            made = button(text, "tab", tip)
            made.setProperty("small", "true")
            made.setCheckable(True)
            made.clicked.connect(partial(self._look, "stand the family otherwise", stand=stand))
            self._group.addButton(made)
            self.stands[stand] = made
        self._row(*self.stands.values()).addStretch(1)

    def _make_lift(self) -> None:
        self.lift = NumberField("lift by", "", False, True)
        self.lift.setToolTip("From curve to curve; empty: found, so that no two touch")
        self.lift.edited.connect(lambda value: self._look("lift the family", lift=value))
        self.lift.refused.connect(self._refused)
        self.level = button("Level again", tip="Takes back what was lifted by hand")
        self.level.clicked.connect(lambda: self._look("level the family", lifted=(), lift=None))
        self.lift_words = label("lift by", "muted")
        self._row(self.lift_words, self.lift, self.level)

    def _make_alike(self) -> None:
        self.alike = Choice()
        self.alike.setAccessibleName("made alike")
        self.alike.setToolTip("Only for looking: the study's numbers stay as they are")
        self.alike.addItems(NORMALS)
        self.alike.activated.connect(lambda place: self._look("make the curves alike", normal=NORMALS[place]))
        self.guide = button("Guide ▾", tip="Upright lines at an x, or at a reading of the curve in hand")
        self.guide.clicked.connect(self.open_guides)
        row = self._row(label("y", "muted"), self.alike)
        row.addStretch(1)
        row.addWidget(self.guide)
        self.low = NumberField("from", "", False, True)
        self.high = NumberField("to", "", False, True)
        for field, name in ((self.low, "low"), (self.high, "high")):
            field.edited.connect(partial(self._band, name))
            field.refused.connect(self._refused)
        self.low_words, self.high_words = label("from", "muted"), label("to", "muted")
        self._row(self.low_words, self.low, self.high_words, self.high)

    def _make_rest(self) -> None:
        self.recorded = QCheckBox("as recorded")
        self.recorded.setToolTip("Before the sieve; else as the curves passed")
        self.recorded.clicked.connect(lambda on: self._look("look before the sieve", recorded=on))
        self.fits = QCheckBox("fits")
        self.fits.setToolTip("Draws each curve's fit over it")
        self.fits.clicked.connect(lambda on: self._look("show the fits", fits=on))
        self.own_y = QCheckBox("own y")
        self.own_y.setToolTip("Each panel has a y axis of its own; else all share one")
        self.own_y.clicked.connect(lambda on: self._look("scale the panels", own_y=on))
        self.beside = button("Beside ▾", tip="Curves of other families on the same axes")
        self.beside.clicked.connect(self.open_beside)
        row = self._row(self.recorded, self.fits, self.own_y)
        row.addStretch(1)
        row.addWidget(self.beside)

    # -- edits --------------------------------------------------------------------------------------

    def _look(self, words: str, *_: object, **changes: Any) -> None:
        self.work.look(words, **changes)

    def _band(self, name: str, value: object) -> None:
        self._look("make the curves alike", **{name: value})

    def _refused(self, sentence: str) -> None:
        self.work.session.noticed.emit(sentence, "problem")

    def open_guides(self) -> None:
        menu_of(self, self.guide_rows()).popup(self.guide.mapToGlobal(QPoint(0, self.guide.height())))

    def guide_rows(self) -> list[MenuRow]:
        """Guides that can be set, and those that can be taken away."""
        family, session = self.work.family, self.work.session
        if family is None:
            return [("There is no family in hand", None)]
        look, rows = family.look, [("At an x…", self.ask_guide)]
        made: list[MenuRow] = list(rows)
        entry = session.entry
        curve = self.work.curves().get(entry.id) if entry is not None else None
        if entry is not None and curve is not None:
            offered = guides_offered(session.study, family, entry.id, curve)
            made.append(("", None))
            if not offered:
                made.append((f"{entry.label} has no reading on x yet", None))
            for words, guide in offered:
                made.append((f"At {words} of {entry.label}", partial(self._set_guides, (*look.guides, guide))))
        if look.guides:
            made.append(("", None))
        for guide in look.guides:
            place = guide_place(session.study, family, guide)
            words = place[1] if place is not None else "a reading that is gone"
            rest = tuple(one for one in look.guides if one is not guide)
            made.append((f"Take away: {words}", partial(self._set_guides, rest)))
        return made

    def _set_guides(self, guides: tuple[Guide, ...]) -> None:
        self._look("set a guide", guides=tuple(dict.fromkeys(guides)))

    def ask_guide(self) -> None:
        """Asks for an x."""
        text, ok = QInputDialog.getText(self, "A guide", "x of the guide")
        if not ok:
            return
        try:
            places = numbers_in(text)
        except ValueError as error:
            self._refused(str(error))
            return
        family = self.work.family
        if family is not None and places:
            self._set_guides((*family.look.guides, *(Guide(x=x) for x in places)))

    def open_beside(self) -> None:
        menu_of(self, self.beside_rows()).popup(self.beside.mapToGlobal(QPoint(0, self.beside.height())))

    def beside_rows(self) -> list[MenuRow]:
        """The other families, to be put beside or taken away."""
        family = self.work.family
        others = [one for one in self.work.session.study.document.families if family is not None and one is not family]
        if family is None or not others:
            return [("There is no other family", None)]
        rows: list[MenuRow] = []
        for one in others:
            there = one.id in family.look.beside
            rest = tuple(id_ for id_ in family.look.beside if id_ != one.id)
            to = rest if there else (*rest, one.id)
            words = f"Take {one.label} away" if there else f"Put {one.label} beside"
            rows.append((words, partial(self._look, "put families beside", beside=to)))
        return rows

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self, standing: Standing | None) -> None:
        """Shows the look in force; what does nothing with this stand is hidden."""
        family = self.work.family
        look = family.look if family is not None else FamilyLook()
        self.setEnabled(family is not None)
        self.stands[look.stand].setChecked(True)
        lifted = look.stand == "lifted"
        for widget in (self.lift_words, self.lift, self.level):
            widget.setVisible(lifted)
        found = standing.lift if standing is not None else 0.0
        self.lift.set(look.lift)
        self.lift.line.setPlaceholderText(f"{found:.4g}, found" if found else "found")
        unit = "" if standing is None or standing.alike or look.y_log else units.shown(standing.y[1])
        self.lift.unit.setText("times" if look.y_log else unit)
        self.level.setEnabled(bool(look.lifted) or look.lift is not None)
        self.alike.setCurrentIndex(NORMALS.index(look.normal))
        band = look.normal in ("by a band", "at a point")
        both = look.normal == "by a band"
        self.low_words.setText("from" if both else "at x =")
        for widget, on in (
            (self.low_words, band), (self.low, band), (self.high_words, both), (self.high, both),
        ):  # fmt: skip
            widget.setVisible(on)
        self.low.set(look.low)
        self.high.set(look.high)
        x_unit = units.shown(standing.x[1]) if standing is not None else ""
        self.low.unit.setText("" if both else x_unit)
        self.high.unit.setText(x_unit)
        self.recorded.setChecked(look.recorded)
        self.fits.setChecked(look.fits)
        self.fits.setEnabled(not look.recorded and look.stand != "as a map")
        self.own_y.setChecked(look.own_y)
        self.own_y.setVisible(look.stand == "one panel each")
        self.guide.setText(f"Guide ({len(look.guides)}) ▾" if look.guides else "Guide ▾")
