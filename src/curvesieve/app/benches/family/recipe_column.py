"""One recipe for all: what the family shares of sieve, model and readings, how parameters are shared, and its fits."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from curvesieve.app.benches.family.sharing_table import SharingTable
from curvesieve.app.session.family_work import FamilyWork
from curvesieve.app.session.recipes import share_parts
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import Card, Elided, button, label
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.errors import counted
from curvesieve.core.recipe import PARTS, Part
from curvesieve.core.steps.base import parse_step
from curvesieve.core.study import CurveEntry, Family, Study, edits
from curvesieve.core.study.jointly import sharing_of

_WORDS: dict[Part, tuple[str, str]] = {
    "sieve": ("Sieve", "no steps"), "model": ("Model", "no model"), "measures": ("Readings", "none"),
}  # fmt: skip


class PartCard(Card):
    """What the family shares of one part, how many curves are under it, and the way in and out."""

    edit_asked = pyqtSignal()

    def __init__(self, session: Session, work: FamilyWork, part: Part) -> None:
        super().__init__()
        self.session, self.work, self.part = session, work, part
        self.title = label(_WORDS[part][0], "strong")
        self.said = Elided(role="model" if part == "model" else "muted")
        self.more = button("▾", "bare", "Share it, edit it, step curves in and out")
        self.more.setAccessibleName(f"{_WORDS[part][0]} of the family")
        self.more.clicked.connect(self.open_menu)
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.title)
        row.addWidget(self.said, 1)
        row.addWidget(self.more)
        self.rows.addLayout(row)

    def refresh(self) -> None:
        """Shows what is shared, and who is not under it."""
        family, study = self.work.family, self.work.session.study
        if family is None:
            self.said.set("")
            return
        under = sum(study.shares(id_, self.part) for id_ in family.curves)
        what = _shared_words(family, self.part)
        out = len(family.curves) - under
        self.said.set(what if under else "each curve its own")
        self.title.setText(_WORDS[self.part][0] + (f" · {out} apart" if under and out else ""))

    def open_menu(self) -> None:
        menu_of(self, self.menu_rows()).popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def menu_rows(self) -> list[MenuRow]:
        """Share that of the curve in hand, go to edit it, step the curve in hand out or in."""
        family, session = self.work.family, self.work.session
        entry = session.entry
        if family is None or entry is None:
            return [("There is no family in hand", None)]
        what = _WORDS[self.part][0].lower()
        shares = session.study.shares(entry.id, self.part)
        rows: list[MenuRow] = [
            (f"Edit the {what} of {entry.label} on the Curve bench", self.edit_asked.emit),
            ("", None),
        ]
        if shares:
            rows.append((f"Step {entry.label} out: a {what} of its own", partial(self._do, edits.step_out, "step out")))
        else:
            rows.append((f"Give the {what} of {entry.label} to all", lambda: share_parts(self.session, (self.part,))))
            if any(session.study.shares(id_, self.part) for id_ in family.curves):
                rows.append((f"Step {entry.label} in again", partial(self._do, edits.step_in, "step in")))
        if self.part == "sieve" and shares:
            rows.append(("", None))
            rows += [
                (f"All of them {words} {entry.label}: a step for all", partial(self._against, entry, operation))
                for words, operation in (("less", "subtract"), ("divided by", "divide"))
            ]
        if self.part == "model" and shares:
            rows.append(("", None))
            fitted = session.study.fit(entry.id) is not None
            give = partial(self.work.apply, lambda one: edits.starts_for_all(one.id, entry.id), "starts for all")
            rows.append((f"Values of {entry.label} as starts for all", give if fitted else None))
            rows += self._kinds(family)
        return rows

    def _against(self, reference: CurveEntry, operation: str) -> None:
        """Sets all curves against one of them, by a step of the sieve that they share."""
        study = self.session.study
        named = next(one.reference for one in study.names.values() if one.id == reference.id)
        step = parse_step({"step": "combine", "operation": operation, "donor": named})
        self.session.apply(edits.add_step(reference.id, step, edits.new_id("step")), f"{operation} {reference.label}")

    def _kinds(self, family: Family) -> list[MenuRow]:
        """The same parameter of all peaks at once."""
        lines = family.recipe.model.lines
        kinds = [q.name for q in lines[0].term.parameters] if len(lines) > 1 else []
        rows: list[MenuRow] = []
        for kind in kinds:
            names = [placed.full_name(kind) for placed in lines if kind in placed.parameters]
            rows += [
                (f"Every {kind}: {words}", partial(self._share_all, names, law))
                for words, law in (("one for all curves", ""), ("each its own", None))
            ]
        return rows

    def _share_all(self, names: list[str], law: str | None) -> None:
        family = self.work.family
        fixed = {*family.recipe.model.held, *family.recipe.model.ties} if family is not None else set()

        def edit(study: Study) -> Study:
            for name in names:
                if family is not None and name not in fixed:
                    study = edits.set_sharing(family.id, name, law)(study)
            return study

        self.work.session.apply(edit, "share a kind of parameter")

    def _do(self, make: object, words: str) -> None:
        entry = self.work.session.entry
        if entry is not None:
            self.work.session.apply(make(entry.id, self.part), f"{words} the {self.part}")  # type: ignore[operator]


def _shared_words(family: Family, part: Part) -> str:
    recipe = family.recipe
    if part == "sieve":
        return ", ".join(slot.title for slot in recipe.sieve if slot.on) or _WORDS[part][1]
    if part == "measures":
        return ", ".join(slot.title for slot in recipe.measures if slot.on) or _WORDS[part][1]
    labels = [placed.term.label for placed in recipe.model.terms]
    kinds = dict.fromkeys(labels)
    return (
        " + ".join(one if labels.count(one) == 1 else f"{one} × {labels.count(one)}" for one in kinds)
        or (_WORDS[part][1])
    )


class RecipeColumn(QWidget):
    """The cards of the three parts, with the sharing of parameters in that of the model."""

    edit_asked = pyqtSignal()

    def __init__(self, session: Session, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self.cards = {part: PartCard(session, work, part) for part in PARTS}
        self.sharing = SharingTable(work)
        self.counted = label(role="muted", wrap=True)
        model = self.cards["model"]
        model.set_in_hand(True)
        model.rows.addWidget(self.sharing)
        model.rows.addWidget(self.counted)
        self.under = label(role="muted")
        head = QHBoxLayout()
        head.addWidget(label("ONE RECIPE FOR ALL", "section"))
        head.addStretch(1)
        head.addWidget(self.under)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addLayout(head)
        for card in self.cards.values():
            rows.addWidget(card)
            card.edit_asked.connect(self.edit_asked)

    def refresh(self) -> None:
        """Renders what is shared."""
        family, study = self.work.family, self.work.session.study
        for card in self.cards.values():
            card.refresh()
        self.sharing.refresh()
        if family is None:
            self.under.setText("")
            self.counted.setText("")
            return
        together = study.jointly_fitted(family.id)
        self.under.setText(f"{len(together)} of {counted(len(family.curves), 'curve')}")
        self.counted.setText(_counted(family, len(together)))


def _counted(family: Family, curves: int) -> str:
    """How many numbers a joint fit would have to find."""
    model = family.recipe.model
    if not model.terms:
        return "Share the model of a curve (▾), and say here what its parameters are across the family."
    sharing = sharing_of(family)
    free = [name for name in model.names if name not in {*model.held, *model.ties}]
    own = len(free) - len(sharing.shared) - len(sharing.laws)
    from curvesieve.core.fitting.sharing import CONDITION
    from curvesieve.core.formula import parse

    laws = sum(len(parse(text, (CONDITION,)).parameters) for text in sharing.laws.values())
    count = own * curves + len(sharing.shared) + laws
    return f"joint fit: {counted(count, 'parameter')} for {counted(curves, 'curve')}"


class FitFoot(QWidget):
    """The three ways to fit a family, and what the last one said."""

    def __init__(self, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self.each = button(
            "Each by itself", tip="Every curve from its starts; where they lead nowhere, starts are found"
        )
        self.along = button(
            "Carry along", tip="From the curve in hand outwards, each from what its neighbour's fit found"
        )
        self.jointly = button("Fit jointly", "act", "All curves at once, as the table above says")
        self.each.clicked.connect(lambda: work.fit("each"))
        self.along.clicked.connect(lambda: work.fit("along"))
        self.jointly.clicked.connect(self._jointly)
        self.said = label(role="muted", wrap=True)
        row = QHBoxLayout()
        row.setSpacing(6)
        for widget in (self.each, self.along, self.jointly):
            row.addWidget(widget)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(4)
        rows.addLayout(row)
        rows.addWidget(self.said)
        work.session.jobs.busy_changed.connect(lambda text: self.refresh())

    def _jointly(self) -> None:
        if self.work.session.jobs.running("fit"):
            self.work.stop()
        else:
            self.work.fit("jointly")
        self.refresh()

    def refresh(self) -> None:
        """Enables what can be done, and says how the family stands."""
        family, study = self.work.family, self.work.session.study
        running = self.work.session.jobs.running("fit")
        shared = family is not None and bool(family.recipe.model.terms) and bool(study.jointly_fitted(family.id))
        any_model = family is not None and any(study.model(id_).terms for id_ in family.curves)
        self.each.setEnabled(any_model and not running)
        self.along.setEnabled(shared and not running)
        self.jointly.setEnabled(shared or running)
        self.jointly.setText("Stop" if running else "Fit jointly")
        self.said.setText(self._state(family) if not running else "Fitting …")

    def _state(self, family: Family | None) -> str:
        if family is None:
            return ""
        study = self.work.session.study
        states = [study.fit_state(id_) for id_ in family.curves if study.model(id_).terms]
        fitted = states.count("fitted")
        said = f"{fitted} of {counted(len(family.curves), 'curve')} fitted"
        astray = states.count("did not converge")
        said += f", {astray} did not converge" if astray else ""
        joint = study.joint_state(family.id)
        return f"{said} · joint fit {joint}" if joint else f"{said}."
