"""Every control of the Trace bench by keys and mouse, then random gestures on the picture, in a window of its own.

Run as ``python -m tests.app.trace_sweep [seed] [gestures] [every]``. After each gesture what is shown must be what the
study has; at the end all of it must come back by undo and redo, from a file, and no defect may have been caught.
"""

from __future__ import annotations

import contextlib
import faulthandler
import os
import random
import sys
import tempfile
import traceback
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QColorDialog, QFileDialog, QInputDialog, QLineEdit, QPushButton, QWidget

from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.swatch import Swatch
from curvesieve.core.study.store import load_study, save_study
from curvesieve.demo.charts import share_px, strengths, time_px, write_charts
from tests.app.gestures import CTRL, LEFT, PLAIN, SHIFT, click, type_into
from tests.app.sweeps import WAYS, chosen, done, settled, window
from tests.app.sweeps import typed as typed_by

ALT = Qt.KeyboardModifier.AltModifier
WORDS = ("2.5", "1,5", "−3e-2", "0", "wide", "", "1e400", "nan", "d", "10 min", "2024-05-01", "x" * 80, "0.0, 3")
"""What is typed into each field: good, odd and wrong."""
KEYS = (Qt.Key.Key_Left, Qt.Key.Key_Down, Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Escape)


def bench_of(w: Any) -> Any:
    return w.trace_bench


def press_at(w: Any, place: tuple[float, float], keys: Any = PLAIN) -> None:
    view = bench_of(w).view
    QTest.mouseClick(view, LEFT, keys, view.on_screen(*place).toPoint())
    settled(w)


def drag(w: Any, places: list[tuple[float, float]], keys: Any = PLAIN) -> None:
    view = bench_of(w).view
    at = [view.on_screen(*place).toPoint() for place in places]
    QTest.mousePress(view, LEFT, keys, at[0])
    for one in at:
        QTest.mouseMove(view, one)
        QApplication.processEvents()
    QTest.mouseRelease(view, LEFT, keys, at[-1])
    settled(w)


def mark(w: Any, place: tuple[float, float], **texts: str) -> None:
    press_at(w, place)
    for name, text in texts.items():
        bench_of(w).popup.fields[name].setFocus()
        QTest.keyClicks(bench_of(w).popup.fields[name], text)
    QTest.keyClick(bench_of(w).popup.fields[next(iter(texts))], Qt.Key.Key_Return)
    settled(w)


def consistent(w: Any) -> None:
    """What the bench shows is what the study has."""
    bench = bench_of(w)
    work, side = bench.work, bench.side_
    if work.chart is None:
        return
    assert bench.name.hasFocus() or bench.name.text() == work.chart.name
    assert bench.origin.hasFocus() or bench.origin.text() == work.trace.origin
    for name, rows in (("x", bench.axes.of_x), ("y", bench.axes.of_y)):
        axis = getattr(work.trace, name)
        assert rows.unit.hasFocus() or rows.unit.text() == axis.unit, name
        assert rows.marks.count() == sum(one.typed for one in axis.marks), name
    assert side.cards.count() == len(work.trace.series)
    for k, one in enumerate(work.trace.series):
        card = side.cards.itemAt(k).widget()
        assert card.name.text() == one.name
        assert card.condition.text() == ("" if one.condition is None else f"{one.condition:g}"), (
            card.condition.text(),
            one.condition,
            w.told[-3:],
        )
        assert card.colour.value == (one.colour or None)
    if work.frame is not None and work.series is not None and not side.problem.text():
        assert side.table.rowCount() == len(work.series.places) + len(work.series.bars), (work.series, w.told[-3:])
    assert not any("Error" in said or "Traceback" in said for said in w.told), w.told


def lines_of(part: QWidget) -> list[QLineEdit]:
    return [
        one for one in part.findChildren(QLineEdit)
        if one.isVisible() and one.isEnabled() and not isinstance(one.parent(), Choice)
    ]  # fmt: skip


def controls(w: Any) -> Iterator[Callable[[], None]]:
    """Every choice, line, swatch and button that is seen now; widgets are looked up anew for each gesture."""
    bench = bench_of(w)

    def parts(kind: type) -> list[Any]:
        return [one for one in bench.findChildren(kind) if one.isVisible() and one.isEnabled()]

    for k, one in enumerate(parts(Choice)):
        for row in (*range(one.count()), 0):
            yield lambda k=k, row=row: k < len(parts(Choice)) and chosen(w, parts(Choice)[k], row)  # type: ignore[misc]
    for k in range(len(lines_of(bench))):
        for number, text in enumerate(WORDS):
            way = WAYS[(k + number) % 2]
            yield lambda k=k, text=text, way=way: (  # type: ignore[misc]
                k < len(lines_of(bench)) and typed_by(w, lines_of(bench)[k], text, way)
            )
    for k in range(len(parts(Swatch))):
        for value in ("#12aa9f", None):
            yield lambda k=k, value=value: k < len(parts(Swatch)) and parts(Swatch)[k].edited.emit(value)  # type: ignore[misc]
        yield lambda k=k: k < len(parts(Swatch)) and parts(Swatch)[k].ask()  # type: ignore[misc]
    plain = [one for one in parts(QPushButton) if "▾" not in one.text()]
    for one in plain:
        yield lambda one=one: _pressed(one)  # type: ignore[misc]


def _pressed(one: QPushButton) -> None:
    if one.isVisible() and one.isEnabled():
        click(one)


def answered() -> None:
    """Dialogs are answered at once: files nowhere, numbers, a colour."""
    QFileDialog.getOpenFileName = lambda *a, **k: ("", "")  # type: ignore[method-assign,assignment]
    QFileDialog.getSaveFileName = lambda *a, **k: ("", "")  # type: ignore[method-assign,assignment]
    QInputDialog.getDouble = lambda *a, **k: (1.5, True)  # type: ignore[method-assign,assignment]
    QInputDialog.getInt = lambda *a, **k: (1, True)  # type: ignore[method-assign,assignment]
    QColorDialog.getColor = lambda *a, **k: QColor("#336699")  # type: ignore[method-assign,assignment]


def both_charts(w: Any, folder: Path) -> None:
    """The demo's charts, calibrated: bars first, then the lines in hand."""
    lines, bars = write_charts(folder)
    bench = bench_of(w)
    w.take_files([bars])
    settled(w)
    for value in (0.0, 100.0):
        mark(w, (170.0, float(share_px(np.array(value), 110.0))), y=f"{value:g} MPa")
    for number, x in enumerate((300.0, 1080.0)):
        mark(w, (x, float(share_px(np.array(0.0), 110.0))), x=str(number))
    click(bench.steps["points"])
    click(bench.tool_buttons["bars"])
    press_at(w, (300 - 48 + 25, 700.0))
    assert len(bench.work.series.bars) == len({bar.loading for bar in strengths()})
    w.take_files([lines])
    settled(w)
    chosen(w, bench.axes.of_x.scale, 1)
    left, bottom = float(time_px(np.array(0.001))), float(share_px(np.array(0.0)))
    mark(w, (left, bottom), x="0.001 d", y="0 %")
    mark(w, (float(time_px(np.array(100.0))), bottom), x="100")
    mark(w, (left, float(share_px(np.array(100.0)))), y="100")
    assert bench.work.frame is not None


class Hand:
    """Anything at all that mouse and keys can do on the picture, by a seed."""

    def __init__(self, w: Any, seed: int) -> None:
        self.w, self.bench, self.rng = w, bench_of(w), random.Random(seed)
        self.ways = {"click": 6, "drag": 1, "keys": 1, "wheel": 1, "tool": 1, "step": 1, "another": 1, "undo": 1,
                     "redo": 1, "lie": 1, "row": 1}  # fmt: skip

    def act(self) -> str:
        """Does one thing; its word."""
        what = self.rng.choices(list(self.ways), list(self.ways.values()))[0]
        if self.bench.work.opened is not None:
            getattr(self, what)()
        settled(self.w)
        return what

    def place(self) -> tuple[float, float]:
        """Mostly what is drawn, within some pixels; now and then outside."""
        pixels, rng = self.bench.work.opened.picture.pixels, self.rng
        height, width = pixels.shape[:2]
        if rng.random() < 0.1:
            return rng.uniform(-40, width + 40), rng.uniform(-40, height + 40)
        drawn = np.argwhere((pixels < 120).any(axis=-1))
        if len(drawn) and rng.random() < 0.7:
            y, x = drawn[rng.randrange(len(drawn))]
            return float(x) + rng.uniform(-3, 3), float(y) + rng.uniform(-3, 3)
        return rng.uniform(0, width), rng.uniform(0, height)

    def click(self) -> None:
        press_at(self.w, self.place(), self.rng.choice((PLAIN, PLAIN, ALT, SHIFT)))
        popup = self.bench.popup
        if popup.isVisible():
            words = self.rng.choice((*WORDS, f"{self.rng.uniform(-5, 200):.3g}"))
            type_into(popup.fields[self.rng.choice("xy")], words)
            QTest.keyClick(popup, Qt.Key.Key_Escape)

    def drag(self) -> None:
        places = [self.place() for _ in range(self.rng.choice((2, 6, 30)))]
        drag(self.w, places, self.rng.choice((PLAIN, PLAIN, CTRL)))

    def keys(self) -> None:
        self.bench.view.setFocus()
        for _ in range(self.rng.randrange(1, 6)):
            QTest.keyClick(self.bench.view, self.rng.choice(KEYS), self.rng.choice((PLAIN, SHIFT)))

    def wheel(self) -> None:
        view = self.bench.view
        at = QPointF(view.rect().center())
        turn, keys = QPoint(0, self.rng.choice((120, -120))), self.rng.choice((PLAIN, SHIFT))
        there = QPointF(view.mapToGlobal(at.toPoint()))
        none, phase = Qt.MouseButton.NoButton, Qt.ScrollPhase.NoScrollPhase
        QApplication.sendEvent(view, QWheelEvent(at, there, QPoint(), turn, none, keys, phase, False))

    def tool(self) -> None:
        click(self.rng.choice(list(self.bench.tool_buttons.values())))

    def step(self) -> None:
        click(self.rng.choice(list(self.bench.steps.values())))

    def another(self) -> None:
        click(self.bench.side_.another)

    def undo(self) -> None:
        self.w.session.undo()

    def redo(self) -> None:
        self.w.session.redo()

    def lie(self) -> None:
        click(self.bench.lying)

    def row(self) -> None:
        table = self.bench.side_.table
        if table.rowCount():
            table.cellClicked.emit(self.rng.randrange(table.rowCount()), 1)


def comes_back(w: Any, folder: Path) -> None:
    """All edits are undone to the beginning and done again; the study is the same from a file."""
    session = w.session
    last = session.study.document
    count = 0
    while session.study is not None and count < 10_000:
        before = session.study
        session.undo()
        if session.study is before:
            break
        count += 1
    assert session.study.document.charts == (), "undo goes back to before the charts"
    for _ in range(count):
        session.redo()
    assert session.study.document == last
    save_study(session.study, folder / "swept.sieve")
    assert load_study(folder / "swept.sieve").document == last
    settled(w)
    print("undone and done again", count, flush=True)


def trace(seed: int, gestures: int, every: int = 1) -> int:
    """All controls (with `every`: each so many-th gesture of them, from the seed on), then gestures by the seed."""
    answered()
    folder = Path(tempfile.mkdtemp())
    w = window()
    bench, count, hand = bench_of(w), 0, Hand(w, seed)
    click(w.header.buttons["Trace"])
    both_charts(w, folder)
    for step in ("axes", "points"):
        for tool in bench.tool_buttons if step == "points" else ("",):
            click(bench.steps[step])
            if tool:
                click(bench.tool_buttons[tool])
                press_at(w, (float(time_px(np.array(1.0))), float(share_px(np.array(40.0)))))
            for gesture in list(controls(w))[seed % every :: every] if tool in ("", "points", "bars") else ():
                with contextlib.suppress(RuntimeError):  # a card that is rendered anew takes the control with it
                    gesture()
                settled(w)
                for menu in QApplication.topLevelWidgets():
                    if menu.isVisible() and menu is not w:
                        menu.close()
                consistent(w)
                count += 1
        print(step, count, flush=True)
    done_ = []
    for _ in range(gestures):
        done_.append(hand.act())
        consistent(w)
        count += 1
    print({what: done_.count(what) for what in sorted(set(done_))}, flush=True)
    comes_back(w, folder)
    return done(w, count)


if __name__ == "__main__":
    faulthandler.enable()
    faulthandler.dump_traceback_later(float(os.environ.get("SWEEP_LIMIT_S", "900")), exit=True)
    for kind in ("STATE", "DATA"):
        os.environ[f"XDG_{kind}_HOME"] = tempfile.mkdtemp()
    try:
        code = trace(*[int(word) for word in (sys.argv[1:] or ("4", "60", "1"))])
    except Exception:  # the window's own hook would keep it to itself
        traceback.print_exc()
        code = 1
    sys.stdout.flush()
    os._exit(code)
