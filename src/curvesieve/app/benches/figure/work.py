"""What is in hand on the Figure bench: a figure, a part of it, whose eyes look at it; drawn in the background."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.core.errors import InputError
from curvesieve.core.figures.colours import Eyes
from curvesieve.core.figures.offers import Offer, empty_figure, offers
from curvesieve.core.figures.parts import can_go, value_of, without
from curvesieve.core.study import Study, edits
from curvesieve.core.study.edits.figures import Change
from curvesieve.core.study.figure_parts import Content, FigureSpec

if TYPE_CHECKING:
    from curvesieve.core.figures.screen import Picture

_KEY = "the figure"


@dataclass(frozen=True, eq=False)
class Seen:
    """A drawn page with the figure it is of, and what it lacks."""

    spec: FigureSpec
    picture: Picture
    confused: tuple[str, ...]
    units: tuple[tuple[str, str], ...] = ()
    """Those of x and y of each panel."""
    fonts: tuple[str, ...] = ()
    """All that a page can be set in."""

    @property
    def said(self) -> tuple[str, ...]:
        """What is amiss, in sentences."""
        return (*self.confused, *self.picture.said)


class FigureWork(QObject):
    """The figure in hand. `drawn` tells that its page is there, `taken` and `chosen` that another figure or part is in
    hand.
    """

    drawn = pyqtSignal()
    chosen = pyqtSignal()
    taken = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.figure_id = ""
        self.part = ""
        self.eyes: Eyes = "as printed"
        self.seen: Seen | None = None
        self.problem = ""
        self._asked: tuple[Study, FigureSpec, float, Eyes] | None = None
        self._dpi = 96.0

    @property
    def spec(self) -> FigureSpec | None:
        """The figure in hand: the first, when that which was is gone."""
        figures = self.session.study.document.figures
        found = next((one for one in figures if one.id == self.figure_id), None)
        return found or (figures[0] if figures else None)

    # -- what is in hand ----------------------------------------------------------------------------

    def take(self, figure_id: str) -> None:
        """Takes a figure in hand."""
        if figure_id != self.figure_id:
            self.figure_id, self.part = figure_id, ""
            self.taken.emit()

    def choose(self, part: str) -> None:
        """Takes a part of the figure in hand; the empty id is its page."""
        if part != self.part:
            self.part = part
            self.chosen.emit()

    def look_as(self, eyes: Eyes) -> None:
        """Shows the page as others see it."""
        self.eyes = eyes
        self.draw(self._dpi)

    @property
    def place(self) -> int:
        """The number of the panel in hand, or of the last one."""
        spec = self.spec
        count = len(spec.panels) if spec is not None else 0
        words = self.part.split(" ")
        return min(int(words[1]), count - 1) if len(words) > 1 else max(count - 1, 0)

    # -- edits --------------------------------------------------------------------------------------

    def change(self, change: Change, words: str, merge: str = "") -> bool:
        """Changes the figure in hand; what cannot be is said. Returns whether it was done."""
        spec = self.spec
        if spec is None:
            return False
        done = self.session.apply(edits.change_figure(spec.id, change), words, merge)
        spec = self.spec
        if spec is not None and self.part and value_of(spec, self.part) is None:
            self.part = ""
            self.chosen.emit()
        return done

    def make(self, offer: Offer | None) -> None:
        """Adds a figure that was offered, or an empty page, and takes it in hand."""
        spec = offer.spec if offer is not None else empty_figure()
        if self.session.apply(edits.add_figure(spec), f"make the figure {spec.name}"):
            self.take(spec.id)

    def offers(self, curve_first: bool = False) -> list[Offer]:
        """The figures that can be made of the curve in hand and its family."""
        return offers(self.session.study, self.session.view.curve, curve_first)

    def put_in(self, content: Content, place: int | None = None) -> None:
        """Puts a content into a panel, a figure being made first where there is none."""
        from curvesieve.core.figures.parts import with_content, with_panel

        if self.spec is None:
            self.make(None)
        spec = self.spec
        assert spec is not None
        if not spec.panels:
            self.change(with_panel(), "add a panel")
        at = self.place if place is None else place
        self.change(with_content(at, content), "put into the figure")

    def remove_part(self) -> None:
        """Takes the part in hand out of its figure."""
        if can_go(self.part):
            part, self.part = self.part, ""
            self.change(without(part), f"take out a {part.split(' ')[0]}")
            self.chosen.emit()

    # -- the page -----------------------------------------------------------------------------------

    def draw(self, dpi: float) -> None:
        """Has the page drawn at so many pixels an inch, in the background."""
        self._dpi = dpi
        spec, study, eyes = self.spec, self.session.study, self.eyes
        if spec is None:
            self.seen, self._asked = None, None
            self.drawn.emit()
            return
        asked = (study, spec, dpi, eyes)
        if self._asked is not None and self._asked[1:] == asked[1:] and self._asked[0] is study:
            return
        self._asked = asked

        def work(ticket: Ticket) -> Seen:
            from curvesieve.core.figures.colours import as_seen
            from curvesieve.core.figures.content import shown
            from curvesieve.core.figures.draw import drawn
            from curvesieve.core.figures.eyes import confused
            from curvesieve.core.figures.fonts import families
            from curvesieve.core.figures.screen import picture_of

            ticket.stop_if_asked()
            panels = shown(study, spec)
            ticket.stop_if_asked()
            page = drawn(spec, panels)
            ticket.stop_if_asked()
            picture = picture_of(page, dpi)
            said = confused(spec, panels, eyes) if eyes != "as printed" else []
            pixels = as_seen(picture.pixels, eyes)
            units = tuple((one.x.unit, one.y.unit) for one in panels)
            return Seen(spec, picture.with_pixels(pixels), tuple(said), units, tuple(sorted(families())))

        def done(seen: Seen) -> None:
            if self._asked is asked:
                self.seen, self.problem = seen, ""
                self.drawn.emit()

        def failed(sentence: str) -> None:
            if self._asked is asked:
                self.problem = sentence
                self.drawn.emit()

        self.session.jobs.start(f"Drawing {spec.name}", _KEY, work, done, failed)

    def said_if_refused(self, act: Callable[[], object]) -> None:
        """Does what may be refused; the reason is said."""
        try:
            act()
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
