"""What is said of several peaks at once: profiles, shared widths and shapes, second lines, fits of them alone."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QPushButton, QWidget

from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import button
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.diffraction import RADIATIONS
from curvesieve.core.models import PEAKS, TERMS, Model
from curvesieve.core.peaks import shaping
from curvesieve.core.typed import numbers_in

Change = Callable[[Model, list[int]], Model]


class PeakButtons(QWidget):
    """A row of buttons that act on the peaks whose numbers `chosen` tells; none means all."""

    def __init__(self, session: Session, chosen: Callable[[], list[int]], ask_how_many: Callable[[], None]) -> None:
        super().__init__()
        self.session, self.chosen = session, chosen
        self.buttons: dict[str, QPushButton] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for name, tip, run in (
            ("Profile ▾", "Another profile for the chosen peaks", lambda: self._pop("Profile ▾", self._profile_rows())),
            ("Widths ▾", "One width, or widths that follow a law", lambda: self._pop("Widths ▾", self._width_rows())),
            ("Shapes ▾", "One shape for the chosen peaks", lambda: self._pop("Shapes ▾", self._shape_rows())),
            ("Pairs ▾", "A second line for each: Kα2, or one at a fixed distance",
             lambda: self._pop("Pairs ▾", self._pair_rows())),
            ("Fit alone", "Fits the chosen peaks to the points around, the rest held; none chosen: region by region",
             lambda: self.session.peaks.fit_alone(self.chosen())),
            ("How many?", "Models with one peak more each, judged by AICc", ask_how_many),
        ):  # fmt: skip
            made = button(name, "", tip)
            made.setProperty("small", "true")
            made.clicked.connect(lambda _=False, run=run: run())
            self.buttons[name] = made
            row.addWidget(made)

    def refresh(self) -> None:
        """Lets those be pressed that can do something now."""
        for name, one in self.buttons.items():
            counts = name == "How many?" and self.session.entry is not None
            one.setEnabled(bool(self.session.model.lines) or counts)

    def _say_of(self, change: Change, label: str) -> None:
        numbers = self.chosen()
        self.session.peaks.say(lambda model: change(model, numbers), label)

    def _pop(self, name: str, rows: list[MenuRow]) -> None:
        at = self.buttons[name]
        menu_of(self, rows).popup(at.mapToGlobal(QPoint(0, at.height())))

    def _profile_rows(self) -> list[MenuRow]:
        return [
            (TERMS[slug].label, partial(self._say_of, partial(_profiled, slug), "another profile")) for slug in PEAKS
        ]

    def _width_rows(self) -> list[MenuRow]:
        return [
            ("One width for all", partial(self._say_of, partial(_shared, "width"), "share a width")),
            ("On a straight line in x", partial(self._say_of, partial(_by_place, 1), "widths on a line")),
            ("On a parabola in x", partial(self._say_of, partial(_by_place, 2), "widths on a parabola")),
            ("", None),
            ("Each free", partial(self._say_of, shaping.set_free, "set peaks free")),
        ]

    def _shape_rows(self) -> list[MenuRow]:
        return [
            ("One shape for all", partial(self._say_of, partial(_shared, "shape"), "share a shape")),
            ("", None),
            ("Each free", partial(self._say_of, shaping.set_free, "set peaks free")),
        ]

    def _pair_rows(self) -> list[MenuRow]:
        rows: list[MenuRow] = [
            (f"Kα2 of {anode}, half as high", partial(self._add_alpha, anode)) for anode in RADIATIONS
        ]
        return [
            *rows, ("", None), ("At a fixed distance…", self._ask_pair), ("", None),
            ("None", partial(self._say_of, shaping.without_second_lines, "remove second lines")),
        ]  # fmt: skip

    def _add_alpha(self, anode: str) -> None:
        x_unit = self.session.passed_units()[0]

        def change(model: Model, numbers: list[int]) -> Model:
            return shaping.with_second_lines(model, numbers, *shaping.alpha_doublet(x_unit, anode))

        self._say_of(change, f"Kα2 of {anode}")

    def _ask_pair(self) -> None:
        text, ok = QInputDialog.getText(
            self, "A second line at a fixed distance", "Distance in x, and height against the first: -3.67 0.5"
        )
        if not ok:
            return
        try:
            by, ratio = numbers_in(text)
        except ValueError:
            self.session.noticed.emit("A second line needs two numbers, distance and height: -3.67 0.5.", "problem")
            return

        def change(model: Model, numbers: list[int]) -> Model:
            return shaping.with_second_lines(model, numbers, shaping.apart(by), ratio)

        self._say_of(change, "a second line")


def _profiled(slug: str, model: Model, numbers: list[int]) -> Model:
    return shaping.with_profile(model, numbers, slug)


def _shared(what: str, model: Model, numbers: list[int]) -> Model:
    return shaping.sharing(model, numbers, what)


def _by_place(degree: int, model: Model, numbers: list[int]) -> Model:
    return shaping.width_by_place(model, numbers, degree)
