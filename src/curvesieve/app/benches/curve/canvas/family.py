"""The other curves of the family, drawn behind the one in hand: a plain overlay."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QPen

from curvesieve.app.benches.curve.canvas.layers import Layers
from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.plotting.trace import Trace
from curvesieve.app.session.session import Session
from curvesieve.app.theme import family_colours
from curvesieve.core.curve import Curve
from curvesieve.core.errors import counted
from curvesieve.core.shapes import Words
from curvesieve.core.study.passing import sieve_family, sieved_if_quick

_MOST, _MOST_NAMED = 60, 12
"""So many curves are drawn, and named at their ends."""
_BEHIND = 5


class FamilyLayer(QObject):
    """The curves as they passed, in the colours of the shelf; those that need their time come when they are there."""

    known = pyqtSignal()

    def __init__(self, session: Session, plot: Plot, layers: Layers) -> None:
        super().__init__(plot)
        self.session, self.plot, self.layers = session, plot, layers
        self.on = False
        self.traces: list[Trace] = []
        self.curves: list[Curve] = []

    def show(self) -> None:
        """Draws the others of the family in hand, or, while it is off, nothing."""
        entry, study = self.session.entry, self.session.study
        family = study.family_of(entry.id) if entry is not None and self.on else None
        members = family.curves[:_MOST] if family is not None else ()
        hues = family_colours(max(len(family.curves), 1)) if family is not None else ()
        self.curves, words, waiting = [], [], []
        told: set[str] = set()
        place = 0
        for id_, hue in zip(members, hues, strict=False):
            if entry is not None and id_ == entry.id:
                continue
            made = sieved_if_quick(study, id_)
            if made is None:
                waiting.append(id_)
                continue
            curve = made.curve.used
            while len(self.traces) <= place:
                self.traces.append(Trace(self.plot, _BEHIND))
            drawn = QPen(pen("muted", 1.2))
            drawn.setColor(hue)
            self.traces[place].set(curve.x, curve.y, drawn)
            self.curves.append(curve)
            other = study.entry(id_)
            name = other.group or other.label
            if len(members) <= _MOST_NAMED and len(curve) and name not in told:
                told.add(name)
                words.append(Words(float(curve.x[-1]), float(curve.y[-1]), name, "aid"))
            place += 1
        for trace in self.traces[place:]:
            trace.clear()
        self.layers.names = tuple(words)
        self.layers.show_words()
        if waiting:
            said = f"Passing {counted(len(waiting), 'curve')} for the plot"
            self.session.jobs.start(
                said, "family for the plot", lambda ticket: sieve_family(study, waiting, ticket.report),
                lambda _: self.known.emit(), lambda sentence: self.session.noticed.emit(sentence, "problem"),
            )  # fmt: skip

    def widen(self) -> None:
        """Widens the view until it shows all of them, too."""
        if not self.curves:
            return
        (x0, x1), (y0, y1) = self.plot.box.viewRange()
        xs = np.concatenate([np.asarray(self.plot.map_x(curve.x)) for curve in self.curves])
        ys = np.concatenate([np.asarray(self.plot.map_y(curve.y)) for curve in self.curves])
        xs, ys = xs[np.isfinite(xs)], ys[np.isfinite(ys)]
        if not xs.size or not ys.size:
            return
        pad_x, pad_y = 0.04 * float(np.ptp(xs)), 0.06 * float(np.ptp(ys))
        self.plot.box.setRange(
            xRange=(min(x0, float(xs.min()) - pad_x), max(x1, float(xs.max()) + pad_x)),
            yRange=(min(y0, float(ys.min()) - pad_y), max(y1, float(ys.max()) + pad_y)),
            padding=0,
        )
