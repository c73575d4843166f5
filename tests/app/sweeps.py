"""Every control of the Curve bench, used by keys and mouse in a real window of its own process.

A crash is then the end of that process, and a failed test, and not of the run. Run as
``python -m tests.app.sweeps cards|readings|terms|pages [names]``; it prints what it did, and fails at the first thing
that is wrong.
"""

from __future__ import annotations

import faulthandler
import os
import sys
import tempfile
import time
import traceback
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

import numpy as np
import pytest
from PyQt6.QtCore import QCoreApplication, QEvent, QItemSelectionModel, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit, QPushButton, QStyle, QStyleOptionViewItem, QWidget

from curvesieve.app.benches.curve.parameters import HIGH, HOLD, LOW, NAME, VALUE
from curvesieve.app.panels.donor_field import DonorField
from curvesieve.app.panels.rule_card import RuleCard
from curvesieve.app.session.desk import View
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.choice import Choice
from curvesieve.core.curve import Curve
from curvesieve.core.intake.take import Take
from curvesieve.core.measures import registered_measures
from curvesieve.core.models import TERMS
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.rules import Rule
from curvesieve.core.steps import registered_steps
from curvesieve.core.study import Study, edits
from curvesieve.core.study.passing import recorded
from tests.app.gestures import add_step, choose_term, click, click_cell, double_click, type_text

WAYS = ("Return", "Tab", "click")
WORDS = {
    int: ("7", "3", "x", "", "-4", "1e3"), float: ("2.5", "1,5", "−3e-2", "wide", "", "1e400", "0"),
    str: ("c1", "no such thing", "", "y > 3"), tuple: ("1 2; 3.5", "4", "one", "", "2,5 3,5"),
}  # fmt: skip
"""What is typed into a field of each kind: good, odd and wrong."""


def study() -> Study:
    """Three curves of one family, with u; a peak on a slope."""
    x = np.linspace(1, 30, 240)
    rng = np.random.default_rng(2)
    u = Channel("u", "N", np.full(240, 0.2))
    ys = [40 * np.exp(-(((x - 15) / 3) ** 2)) + 5 + x / 9 + rng.normal(0, 0.2, 240) for _ in range(3)]
    records = [
        Record(Source(f"{i}.csv", str(i).encode()), (Channel("t", "s", x), Channel("F", "N", y), u))
        for i, y in enumerate(ys)
    ]
    return edits.add_curves(Study(), [(r, Take(0, 1, 2)) for r in records], "family", labels=["c0", "c1", "c2"])


def window() -> Any:
    """A window on that study, with a folder of its own for what the program keeps."""
    from curvesieve.app.shell.defects import DefectKeeper
    from curvesieve.app.shell.main import make_application
    from curvesieve.app.shell.window import Window

    app = make_application()
    session = Session()
    session.begin(study())
    made = Window(session, Path(tempfile.gettempdir()))
    made.keeper = DefectKeeper(session, made.recovery.keep)
    made.keeper.install()
    made.app = app  # kept as long as the window is
    made.resize(1280, 800)
    made.show()
    made.activateWindow()
    QTest.qWaitForWindowActive(made)
    made.told = []
    session.noticed.connect(lambda sentence, kind: made.told.append(sentence))
    session.look(View(session.study.document.curves[0].id))
    return made


def settled(w: Any) -> None:
    """Waits for the background; what was to be deleted later is, as in the program's own loop."""
    QTest.qWait(1)
    late = time.monotonic() + 60.0  # the longest, how many peaks, is 4 s on a quiet machine
    while w.session.jobs.busy:
        assert time.monotonic() < late, "work in the background does not end"
        QTest.qWait(10)
        QTest.qWait(1)


def leave(w: Any, widget: QWidget, way: str) -> None:
    if way == "click":
        click(w.curve_bench.canvas.plot.viewport())
    else:
        QTest.keyClick(widget, getattr(Qt.Key, f"Key_{way}"))
    QApplication.processEvents()


def typed(w: Any, line: QLineEdit, text: str, way: str) -> None:
    line.setFocus()
    line.selectAll()
    QTest.keyClick(line, Qt.Key.Key_Delete)
    type_text(line, text)
    leave(w, line, way)


def chosen(w: Any, choice: Choice, place: int) -> None:
    """Opens a list by the keyboard and takes a row of it."""
    choice.setFocus()
    choice.showPopup()
    view = choice.view()
    index = choice.model().index(place, 0)
    view.selectionModel().setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
    QTest.keyClick(view, Qt.Key.Key_Return)
    QApplication.processEvents()
    choice.hidePopup()


def named(w: Any, field: DonorField, words: str) -> None:
    """Opens the list of curves, looks for words and takes what is found, or leaves by Escape."""
    click(field.button)
    type_text(field.list.field, words)
    QTest.keyClick(field.list.field, Qt.Key.Key_Return)
    QApplication.processEvents()
    if field.list.isVisible():
        QTest.keyClick(field.list.field, Qt.Key.Key_Escape)
    QApplication.processEvents()


# -- cards ---------------------------------------------------------------------------------------


def card_of(w: Any, slot: str) -> RuleCard:
    return next(card for card in w.findChildren(RuleCard) if card.slot_id == slot and card.isVisibleTo(w))


def rule_of(w: Any, slot: str) -> Rule:
    study, curve = w.session.study, w.session.view.curve
    return next(s.rule for s in (*study.slots(curve), *study.measures(curve)) if s.id == slot)


def gestures(w: Any, slot: str, name: str, info: Any) -> Iterator[Callable[[], None]]:
    """Everything that can be done to one field, one gesture at a time; the card is looked up anew for each."""

    def field() -> Any:
        return card_of(w, slot).fields[name]

    kind = info.annotation
    if info.json_schema_extra.get("donor"):
        for words in ("c1", "c2", "c2", "no such curve", "c1", "none" if kind is str else "all of"):
            yield lambda words=words: named(w, field(), words)  # type: ignore[misc]
        return
    if kind is bool:
        yield from [lambda: click(field().widget)] * 2
        return
    if get_origin(kind) is Literal or info.examples:
        count = field().choice.count()
        for i in (*range(count), 0):
            yield lambda i=i: chosen(w, field().choice, i)  # type: ignore[misc]
        if not field().choice.isEditable():
            return
    plain = tuple if get_origin(kind) is tuple else next((k for k in (int, float) if k in (kind, *get_args(kind))), str)
    words = (*WORDS[plain], *(info.examples or ())[-2:])
    for i, text in enumerate(words):
        for way in WAYS[i % 3 :] + WAYS[: i % 3]:
            yield lambda text=text, way=way: typed(  # type: ignore[misc]
                w, field().choice.lineEdit() if info.examples else field().line, str(text), way
            )


def consistent(w: Any, slot: str, name: str) -> None:
    """What the card shows is what the study has."""
    rule = rule_of(w, slot)
    card = card_of(w, slot)
    assert card._rule == rule, (rule, card._rule)
    field = card.fields[name]
    value = getattr(rule, name)
    if isinstance(value, bool):
        assert field.switch.isChecked() == value
    elif isinstance(field, DonorField):
        assert field.references == (value if isinstance(value, tuple) else (value,) if value else ()), (name, value)
    elif hasattr(field, "choice"):
        assert field.choice.currentText() == str(value), (name, field.choice.currentText(), value)
    elif hasattr(field, "field"):
        assert field.field.value == value, (name, field.field.value, value)
    else:
        assert field.edit.text() == field.text_of(value), (name, field.edit.text(), value)


def cards(slugs: list[str]) -> int:
    w = window()
    count = 0
    for slug in slugs or list(registered_steps()):
        kind = registered_steps()[slug]
        add_step(w, kind.label)
        settled(w)
        slot = w.session.study.slots(w.session.view.curve)[-1].id
        click(next(b for b in card_of(w, slot).decision.findChildren(QWidget) if "Keep" in getattr(b, "text", str)()))
        count += fields(w, slot, kind, edits.change_step)
        w.session.apply(edits.remove_step(w.session.view.curve, slot), "remove")
        print(slug, count, flush=True)
    return done(w, count)


def fields(w: Any, slot: str, kind: type[Rule], change: Callable[[str, str, Any], edits.Edit]) -> int:
    """Every gesture to every field of a card; how many."""
    count = 0
    for name, info in kind.settings().items():
        rule = rule_of(w, slot)
        if not rule.acts(name):  # shown with another choice: the study is set to it
            choice, _, values = info.json_schema_extra["when"].partition(":")
            changed = rule.model_copy(update={choice.strip(): values.split(",")[0].strip()})
            w.session.apply(change(w.session.view.curve, slot, changed), "change")
            settled(w)
        for gesture in gestures(w, slot, name, info):
            gesture()
            settled(w)
            consistent(w, slot, name)
            count += 1
    return count


def readings(slugs: list[str]) -> int:
    """Every field of every measure, on a curve that has a fit; then its menu and the units of its numbers."""
    w = window()
    count = 0
    choose_term(w, "line")
    click(w.curve_bench.model.foot.fit)
    settled(w)
    w.session.apply(edits.set_quantity(w.session.view.curve, Quantity.read("width", "2.0(1) mm")), "give")
    column = w.curve_bench.readings
    for slug in slugs or list(registered_measures()):
        kind = registered_measures()[slug]
        click(column.add)
        type_text(column.measure_list.field, kind.label)
        QTest.keyClick(column.measure_list.field, Qt.Key.Key_Return)
        settled(w)
        slot = w.session.study.measures(w.session.view.curve)[-1].id
        assert isinstance(rule_of(w, slot), kind), slug
        count += fields(w, slot, kind, edits.change_measure)
        w.session.apply(edits.change_measure(w.session.view.curve, slot, kind.fitted_to(recorded_curve(w))), "back")
        settled(w)
        for unit in [b for b in card_of(w, slot).numbers.units if b.isVisible()]:
            click(unit)
            QApplication.processEvents()
            popup = QApplication.activePopupWidget()
            first = popup.actions()[0]
            popup.close()
            if "…" not in first.text():
                first.trigger()
            settled(w)
            count += 1
        card = card_of(w, slot)
        click(card.switch)
        settled(w)
        card.setFocus()
        QTest.keyClick(card, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
        settled(w)
        card_of(w, slot).setFocus()
        QTest.keyClick(card_of(w, slot), Qt.Key.Key_Delete)
        settled(w)
        assert slot not in {s.id for s in w.session.study.measures(w.session.view.curve)}
        print(slug, count, flush=True)
    return done(w, count)


def recorded_curve(w: Any) -> Curve:
    return recorded(w.session.study, w.session.view.curve)


# -- terms ---------------------------------------------------------------------------------------

CELLS = {VALUE: ("2.5", "-1e-3", "x", "", "=2+"), LOW: ("0.5", "–", "low"), HIGH: ("900", "", "1e400")}


def terms(slugs: list[str]) -> int:
    w = window()
    model, count = w.curve_bench.model, 0
    click(model.limits)  # the columns of the limits
    for slug in slugs or list(TERMS):
        term = TERMS[slug]
        w.session.modelling.set_model(type(w.session.model)(), "empty")
        if term.kind == "peak":
            model.peak_kind.setFocus()
            chosen(w, model.peak_kind, model.peak_kind.findData(slug))
            double_click(w.curve_bench.canvas.plot, 15.0, 30.0)
        else:
            choose_term(w, term.label)
        settled(w)
        assert any(placed.slug == slug for placed in w.session.model.terms), slug
        for row in range(len(model.table.rows)):
            for column, words in CELLS.items():
                for i, text in enumerate(words):
                    w.told.clear()
                    typed_cell(w, row, column, text, WAYS[(row + i) % 3])
                    settled(w)
                    taken(w, row, column, text)
                    count += 1
            if model.table.flags(model.table.index(row, HOLD)) & Qt.ItemFlag.ItemIsUserCheckable:
                click(model.limits)
                for _ in range(2):
                    held = model.table.rows[row].hold
                    click_box(w, row)
                    settled(w)
                    assert model.table.rows[row].hold != held, (slug, row)
                    count += 1
                click(model.limits)
        print(slug, count, flush=True)
    return done(w, count)


def taken(w: Any, row: int, column: int, text: str) -> None:
    """A number that was typed is there, or a sentence says why it is not; a text that is none is refused."""
    shown = w.curve_bench.model.table.rows[row]
    if shown.about or (shown.is_area and column != VALUE):
        return
    now = shown.value if column == VALUE else shown.limits[column - LOW]
    try:
        wanted = float(text)
    except ValueError:
        assert w.told or text in ("", "–"), (row, column, text)
        return
    values = [(one.title, one.value, one.state.start) for one in w.curve_bench.model.table.rows]
    assert w.told or now == pytest.approx(wanted), (row, column, text, now, values)


def click_box(w: Any, row: int) -> None:
    """Clicks the box of a hold, where the style draws it."""
    view = w.curve_bench.model.view
    index = view.model().index(row, HOLD)
    view.scrollTo(index)
    option = QStyleOptionViewItem()
    option.initFrom(view)
    option.rect = view.visualRect(index)
    option.features = QStyleOptionViewItem.ViewItemFeature.HasCheckIndicator
    box = view.style().subElementRect(QStyle.SubElement.SE_ItemViewItemCheckIndicator, option, view)
    click(view.viewport(), box.center())


def typed_cell(w: Any, row: int, column: int, text: str, way: str) -> None:
    """Clicks the name of a row, then a cell of it, which opens its editor, and types there."""
    view = w.curve_bench.model.view
    click_cell(view, row, NAME)
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    click_cell(view, row, column)
    QApplication.processEvents()
    if not view.model().flags(view.model().index(row, column)) & Qt.ItemFlag.ItemIsEditable:
        return
    editor = next((e for e in view.findChildren(QLineEdit) if e.isVisible()), None)
    assert editor is not None, (row, column)
    typed(w, editor, text, way)


# -- pages of the drawer -------------------------------------------------------------------------


def pages(names: list[str]) -> int:
    w = window()
    bench, count = w.curve_bench, 0
    choose_term(w, "exponential")
    settled(w)
    click(bench.model.foot.fit)
    settled(w)
    for name in names or list(bench.drawer.tabs):
        click(bench.drawer.tabs[name])
        settled(w)
        for gesture in page_gestures(w, bench.drawer.page(name)):
            gesture()
            settled(w)
            for menu in QApplication.topLevelWidgets():
                if menu.isVisible() and menu is not w:
                    menu.close()
            count += 1
        print(name, count, flush=True)
    return done(w, count)


def page_gestures(w: Any, page: QWidget) -> Iterator[Callable[[], None]]:
    """Every choice with every text in every field beside it; then every button that opens no file dialog."""

    def lines() -> Iterator[Callable[[], None]]:
        for line in page.findChildren(QLineEdit):
            for text, way in (
                ("12.5", "Return"),
                ("x y", "Tab"),
                ("", "click"),
                ("k = ", "Return"),
                ("1e400", "Return"),
            ):
                if line.isVisible() and not isinstance(line.parent(), Choice):
                    yield lambda line=line, text=text, way=way: typed(w, line, text, way)  # type: ignore[misc]

    choices = [c for c in page.findChildren(Choice) if c.isVisible()]
    for choice in choices:
        for i in range(choice.count()):
            yield lambda choice=choice, i=i: chosen(w, choice, i)  # type: ignore[misc]
            yield from lines()
    if not choices:
        yield from lines()
    for pressed in page.findChildren(QPushButton):
        if pressed.isVisible() and pressed.isEnabled() and "…" not in pressed.text():
            yield lambda pressed=pressed: click(pressed)  # type: ignore[misc]


def done(w: Any, count: int) -> int:
    """Whether nothing was caught on the way; what was is printed."""
    settled(w)
    kept = Path(os.environ["XDG_STATE_HOME"]) / "curvesieve"
    log = kept / "log.txt"
    caught = log.read_text(errors="replace") if log.exists() else ""
    print(caught)
    w.session.jobs.close()
    w.session._saved = w.session.study
    w.close()
    print("gestures", count, flush=True)
    return 1 if caught or w.keeper.seen else 0


if __name__ == "__main__":
    what, *given = sys.argv[1:]
    faulthandler.enable()
    faulthandler.dump_traceback_later(float(os.environ.get("SWEEP_LIMIT_S", "900")), exit=True)
    for kind in ("STATE", "DATA"):
        os.environ[f"XDG_{kind}_HOME"] = tempfile.mkdtemp()
    try:
        code = {"cards": cards, "readings": readings, "terms": terms, "pages": pages}[what](given)
    except Exception:  # the window's own hook would keep it to itself
        traceback.print_exc()
        code = 1
    sys.stdout.flush()
    os._exit(code)
