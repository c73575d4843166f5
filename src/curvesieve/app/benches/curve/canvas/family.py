"""The other curves of the family, drawn behind the one in hand: a plain overlay."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QColor, QPen

from curvesieve.app.benches.curve.canvas.layers import Layers
from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.plotting.trace import Trace
from curvesieve.app.session.session import Session
from curvesieve.app.theme import family_colours
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError, counted
from curvesieve.core.shapes import Words
from curvesieve.core.steps.axis import in_units
from curvesieve.core.steps.sieve import Sieved
from curvesieve.core.study import Study
from curvesieve.core.study.passing import sieve_family, sieved_if_quick

_MOST, _MOST_NAMED = 60, 12
"""So many curves are drawn, and named at their ends."""
_BEHIND = 5
_KEY = "family for the plot"


class FamilyLayer(QObject):
    """The curves as they passed, in the colours of the shelf; those that need their time come when they are there."""

    known = pyqtSignal()

    def __init__(self, session: Session, plot: Plot, layers: Layers) -> None:
        super().__init__(plot)
        self.session, self.plot, self.layers = session, plot, layers
        self.on = False
        self.traces: list[Trace] = []
        self.curves: list[Curve] = []
        self.left_out = ""
        """Which of the family are not drawn, and why; empty: all are."""
        self._passed: tuple[Study | None, dict[str, Curve]] = (None, {})
        """What the background passed, and of which study."""

    def show(self, after: Curve | None) -> None:
        """Draws the others of the family of the curve that passed; while it is off, or there is no curve, nothing."""
        entry, study = self.session.entry, self.session.study
        family = study.family_of(entry.id) if entry is not None and self.on else None
        self.curves, words, waiting = [], [], []
        self.left_out, strangers = "", 0
        others = [] if family is None or after is None else [id_ for id_ in family.curves if id_ != self._id]
        hues = dict(zip(family.curves, family_colours(len(family.curves)), strict=True)) if family is not None else {}
        told: set[str] = set()
        for id_ in others[:_MOST]:
            curve = self._at_hand(study, id_)
            if curve is None:
                waiting.append(id_)
                continue
            assert after is not None
            other = study.entry(id_)
            try:
                curve = in_units(curve, after.x_unit, after.y_unit, other.label)
            except InputError:
                strangers += 1
                continue
            self._draw(curve, hues[id_])
            name = other.group or other.label
            if len(others) < _MOST_NAMED and len(curve) and name not in told:
                told.add(name)
                words.append(Words(float(curve.x[-1]), float(curve.y[-1]), name, "aid"))
        for trace in self.traces[len(self.curves) :]:
            trace.clear()
        if strangers:
            self.left_out = f"{counted(strangers, 'curve')} of the family in other units: not drawn."
        elif len(others) > _MOST:
            self.left_out = f"{_MOST} of the family's {len(others) + 1} curves are drawn."
        self.layers.names = tuple(words)
        self.layers.show_words()
        if waiting:
            self._pass(study, waiting)

    @property
    def _id(self) -> str:
        return self.session.entry.id if self.session.entry is not None else ""

    def _at_hand(self, study: Study, id_: str) -> Curve | None:
        """A curve as it passed, where that is known or quick."""
        made = sieved_if_quick(study, id_)
        if made is not None:
            return made.curve.used
        of, curves = self._passed
        return curves.get(id_) if of is study else None

    def _draw(self, curve: Curve, hue: QColor) -> None:
        place = len(self.curves)
        while len(self.traces) <= place:
            self.traces.append(Trace(self.plot, _BEHIND))
        drawn = QPen(pen("muted", 1.2))
        drawn.setColor(hue)
        self.traces[place].set(curve.x, curve.y, drawn)
        self.curves.append(curve)

    def _pass(self, study: Study, waiting: list[str]) -> None:
        """Has curves passed in the background, once for a study."""
        if self._passed[0] is study and self.session.jobs.running(_KEY):
            return
        self._passed = (study, {})

        def done(made: list[Sieved]) -> None:
            if self._passed[0] is study:
                self._passed = (study, {id_: one.curve.used for id_, one in zip(waiting, made, strict=True)})
                self.known.emit()

        self.session.jobs.start(
            f"Passing {counted(len(waiting), 'curve')} for the plot", _KEY,
            lambda ticket: sieve_family(study, waiting, ticket.report), done,
            lambda sentence: self.session.noticed.emit(sentence, "problem"),
        )  # fmt: skip

    def widen(self) -> None:
        """Widens the view until it shows all of them, too."""
        if not self.curves:
            return
        (x0, x1), (y0, y1) = self.plot.box.viewRange()
        xs = np.concatenate([np.asarray(self.plot.map_x(curve.x)) for curve in self.curves])
        ys = np.concatenate([np.asarray(self.plot.map_y(curve.y, curve.x)) for curve in self.curves])
        xs, ys = xs[np.isfinite(xs)], ys[np.isfinite(ys)]
        if not xs.size or not ys.size:
            return
        pad_x, pad_y = 0.04 * float(np.ptp(xs)), 0.06 * float(np.ptp(ys))
        self.plot.box.setRange(
            xRange=(min(x0, float(xs.min()) - pad_x), max(x1, float(xs.max()) + pad_x)),
            yRange=(min(y0, float(ys.min()) - pad_y), max(y1, float(ys.max()) + pad_y)),
            padding=0,
        )
