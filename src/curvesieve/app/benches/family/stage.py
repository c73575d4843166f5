"""The stage: the family's curves as they stand, under a heading with its name and its axes."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from curvesieve.app.benches.family.map_plot import ColourBar, MapPlot
from curvesieve.app.benches.family.panels import Mark, Panels
from curvesieve.app.benches.family.together import TogetherPlot
from curvesieve.app.session.family_work import FamilyWork
from curvesieve.app.theme.tokens import family_colours
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.errors import counted
from curvesieve.core.study import Family
from curvesieve.core.study.standing import Standing, guide_place, in_order, scattering

_NO_FAMILY = (
    "Take a curve of a family in hand, on the shelf at the left. Curves that were brought in together are one; others "
    "become one by their menu there."
)


_MANY = 60
"""The way of a joint fit is drawn for so many curves at the most."""


class Stage(QWidget):
    """Draws the family of the curve in hand. `told` has a hint for the status line."""

    told = pyqtSignal(str)

    def __init__(self, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self._seen: object = None
        """What came into view last: another family, stand or scale shows all of itself."""
        self._values: Mapping[str, Mapping[str, float]] | None = None
        self.title, self.about = label(role="strong"), Elided(role="muted")
        self.said = Elided(role="caught")
        self.x_scale, self.y_scale = button("x lin"), button("y lin")
        for made, axis in ((self.x_scale, "x"), (self.y_scale, "y")):
            made.setToolTip(f"Linear or logarithmic {axis}")
            made.clicked.connect(lambda _=False, axis=axis: self._turn(axis))
        self.whole = button("Whole family", tip="Brings all curves into view (Home)")
        self.whole.clicked.connect(self.show_all)
        self.figure = button("Figure", tip="A page of this family as it stands, for print (Ctrl+G)")
        self.figure.clicked.connect(work.session.figure_asked)
        top = QHBoxLayout()
        top.setContentsMargins(0, 0, 0, 0)
        top.setSpacing(8)
        top.addWidget(self.title)
        top.addWidget(self.about, 2)
        top.addWidget(self.said, 2)
        for control in (self.x_scale, self.y_scale, self.whole, self.figure):
            top.addWidget(control)
        self.together, self.panels, self.map = TogetherPlot(), Panels(), MapPlot()
        self.bar = ColourBar()
        beside = QWidget()
        row = QHBoxLayout(beside)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.map, 1)
        row.addWidget(self.bar)
        self.mapped = beside
        self.advice = label(_NO_FAMILY, "muted", wrap=True)
        self.pages = QStackedWidget()
        for page in (self.together, self.panels, self.mapped, self.advice):
            self.pages.addWidget(page)
        for view in (self.together, self.panels, self.map):
            view.taken.connect(work.take_in_hand)
        for page_ in (self.together, self.panels):
            page_.opened.connect(self._open)
        self.together.lifted.connect(self._lifted)
        self.together.told.connect(self.told)
        self.map.told.connect(self.told)
        work.passed.connect(self.refresh)
        work.iterated.connect(self._iterated)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(top)
        column.addWidget(self.pages, 1)

    # -- gestures -----------------------------------------------------------------------------------

    def _turn(self, axis: str) -> None:
        family = self.work.family
        if family is not None:
            name = f"{axis}_log"
            changes: dict[str, object] = {name: not getattr(family.look, name)}
            if axis == "y":  # what was lifted by hand is in other units then
                changes |= {"lifted": (), "lift": None}
            self.work.look(f"turn {axis} logarithmic or linear", **changes)  # type: ignore[arg-type]

    def _open(self, curve_id: str) -> None:
        self.work.take_in_hand(curve_id)
        self.work.opened.emit(curve_id)

    def _lifted(self, curve_id: str, by: float, done: bool) -> None:
        family = self.work.family
        if family is None or not done:
            return
        moved = dict(family.look.lifted)
        moved[curve_id] = moved.get(curve_id, 0.0) + by
        self.work.look("lift a curve by hand", lifted=tuple(moved.items()))

    def show_all(self) -> None:
        """Brings all curves into view."""
        self._seen = None
        self.refresh()

    def drop_drag(self) -> bool:
        """Escape: a curve that is being lifted falls back."""
        return self.together.drop_drag()

    def _iterated(self, values: object) -> None:
        self._values = values if isinstance(values, dict) and len(values) <= _MANY else None
        self.refresh()

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> Standing | None:
        """Draws the family as it stands; what it stood like, None while that is worked out."""
        family = self.work.family
        for control in (self.x_scale, self.y_scale, self.whole, self.figure):
            control.setEnabled(family is not None)
        if family is None:
            self.title.setText("No family in hand")
            self.about.set("")
            self.said.set("")
            self.pages.setCurrentWidget(self.advice)
            return None
        look = family.look
        self.x_scale.setText("x log" if look.x_log else "x lin")
        self.y_scale.setText("y log" if look.y_log else "y lin")
        self.title.setText(family.label)
        order = f" in the order of {family.condition}" if family.condition else ""
        made = self.work.standing(self._values)
        if made is None:
            self.about.set(f"{counted(len(family.curves), 'curve')}{order} · being set apart …")
            return None
        hidden = len(family.curves) - sum(one.id in family.curves for one in made.curves)
        self.about.set(f"{counted(len(family.curves), 'curve')}{order}" + (f" · {hidden} not shown" if hidden else ""))
        self.said.set(" ".join(made.said))
        self.said.setVisible(bool(made.said))
        self._draw(family, made)
        return made

    def _draw(self, family: Family, made: Standing) -> None:
        look, study = family.look, self.work.session.study
        hues = self.hues(family, made)
        logs = (look.x_log, look.y_log)
        in_hand = self.work.session.entry.id if self.work.session.entry is not None else ""
        guides = [place for guide in look.guides if (place := guide_place(study, family, guide)) is not None]
        seen = (family.id, look.stand, logs, look.normal, look.low, look.high, look.lift, look.recorded, look.beside)
        fresh = seen != self._seen
        self._seen = seen
        if look.stand in ("laid over", "lifted"):
            self.pages.setCurrentWidget(self.together)
            ordered = [hues[one.id] for one in made.curves]
            self.together.show_standing(made, ordered, in_hand, look.stand == "lifted", logs, fresh)
            self.together.show_guides(guides)
        elif look.stand == "as a map":
            self.pages.setCurrentWidget(self.mapped)
            conditions = [study.entry(one.id).condition for one in made.curves]
            self.map.show_standing(made, conditions, units.labelled(family.condition, family.unit), logs, fresh)
            self.map.show_guides(guides)
            unit = "" if made.alike else units.shown(made.y[1])
            self.bar.show_ends(*self.map.ends, unit, look.y_log)
        else:
            self.pages.setCurrentWidget(self.panels)
            self.panels.show_standing(
                made, hues, self.marks(family, made), in_hand, look.stand == "gallery", look.own_y, logs, guides,
                self._caught(made) if look.stand == "gallery" and not look.recorded else {},
            )  # fmt: skip

    def _caught(self, made: Standing) -> dict[str, tuple[Floats, Floats]]:
        """What the sieve took from each curve, made alike as the curve is."""
        passed = self.work.sieved()
        found = {}
        for one in made.curves:
            trails = [t for t in passed[one.id].trail if t.caught.points.size] if one.id in passed else []
            if trails:
                x = np.concatenate([t.before.x[t.caught.points] for t in trails])
                y = np.concatenate([t.before.y[t.caught.points] for t in trails])
                found[one.id] = (x, y / one.divided)
        return found

    def hues(self, family: Family, made: Standing) -> dict[str, QColor]:
        """Colours along the condition; a family that stands beside has its own walk."""
        study = self.work.session.study
        families = [family, *(one for one in study.document.families if one.id in family.look.beside)]
        found: dict[str, QColor] = {}
        for one in families:
            ids = in_order(study, one)
            found |= dict(zip(ids, family_colours(len(ids)), strict=True))
        return {one.id: found[one.id] for one in made.curves}

    def marks(self, family: Family, made: Standing) -> dict[str, Mark]:
        """A word on each curve's sieve and fit; what failed, or caught unusually much, is one to look at."""
        study, unusual = self.work.session.study, self.work.session.unusual
        found = {}
        passed = self.work.sieved() if family.look.stand == "gallery" else {}
        wild = scattering(study, family)
        for one in made.curves:
            state = study.fit_state(one.id) if study.model(one.id).terms else ""
            bad = state in ("did not converge", "out of date")
            sieve = passed.get(one.id)
            problem = next((t.problem for t in sieve.trail if t.problem), "") if sieve is not None else ""
            caught = sum(trail.caught.points.size for trail in sieve.trail) if sieve is not None else 0
            if problem or one.id in unusual:
                found[one.id] = Mark(problem or unusual[one.id], True)
            elif one.id in wild and not bad:
                found[one.id] = Mark(f"scatters {wild[one.id]:.2g} ×", True)
            elif family.look.stand == "gallery" and caught and not bad:
                found[one.id] = Mark(f"{caught} caught")
            else:
                found[one.id] = Mark(state, bad)
        return found

    def restyle(self) -> None:
        """Takes on the colours of another scheme."""
        for plot in (self.together, self.map):
            plot.restyle()
        self.refresh()
