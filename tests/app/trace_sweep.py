"""Every control of the Trace bench by keys and mouse, then random gestures on the picture, in a window of its own.

Run as ``python -m tests.app.trace_sweep [seed] [gestures]``. After each gesture what is shown must be what the study
has; at the end all of it must come back by undo and redo, from a file, and no defect may have been caught.
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
        assert rows.scale.currentText() and rows.unit.hasFocus() or rows.unit.text() == axis.unit, name
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
    for k, one in enumerate(parts(Swatch)):
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


def random_gesture(w: Any, rng: random.Random) -> str:
    """Anything at all that mouse and keys can do on the picture; its words."""
    bench = bench_of(w)
    opened = bench.work.opened
    if opened is None:
        return "nothing"
    width, height = opened.picture.size

    def place() -> tuple[float, float]:
        if rng.random() < 0.1:
            return rng.uniform(-40, width + 40), rng.uniform(-40, height + 40)
        drawn = np.argwhere((opened.picture.pixels < 120).any(axis=-1))
        if len(drawn) and rng.random() < 0.7:
            y, x = drawn[rng.randrange(len(drawn))]
            return float(x) + rng.uniform(-3, 3), float(y) + rng.uniform(-3, 3)
        return rng.uniform(0, width), rng.uniform(0, height)

    what = rng.choice(
        ("click",) * 6 + ("drag", "keys", "wheel", "tool", "step", "series", "undo", "redo", "lie", "row")
    )
    if what == "click":
        press_at(w, place(), rng.choice((PLAIN, PLAIN, ALT, SHIFT)))
        if bench.popup.isVisible():
            name = rng.choice("xy")
            type_into(bench.popup.fields[name], rng.choice((*WORDS, f"{rng.uniform(-5, 200):.3g}")))
            QTest.keyClick(bench.popup, Qt.Key.Key_Escape)
    elif what == "drag":
        drag(w, [place() for _ in range(rng.choice((2, 6, 30)))], rng.choice((PLAIN, PLAIN, CTRL)))
    elif what == "keys":
        bench.view.setFocus()
        for _ in range(rng.randrange(1, 6)):
            QTest.keyClick(bench.view, rng.choice(KEYS), rng.choice((PLAIN, SHIFT)))
    elif what == "wheel":
        at = QPointF(bench.view.rect().center())
        event = QWheelEvent(at, QPointF(bench.view.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, rng.choice((120, -120))),
                            Qt.MouseButton.NoButton, rng.choice((PLAIN, SHIFT)), Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
        QApplication.sendEvent(bench.view, event)
    elif what in ("tool", "step"):
        click(rng.choice(list((bench.tool_buttons if what == "tool" else bench.steps).values())))
    elif what == "series":
        click(bench.side_.another)
    elif what in ("undo", "redo"):
        getattr(w.session, what)()
    elif what == "lie":
        click(bench.lying)
    elif bench.side_.table.rowCount():
        bench.side_.table.cellClicked.emit(rng.randrange(bench.side_.table.rowCount()), 1)
    settled(w)
    return what


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


def trace(seed: int, gestures: int) -> int:
    answered()
    folder = Path(tempfile.mkdtemp())
    w = window()
    bench, count, rng = bench_of(w), 0, random.Random(seed)
    click(w.header.buttons["Trace"])
    both_charts(w, folder)
    for step in ("axes", "points"):
        for tool in bench.tool_buttons if step == "points" else ("",):
            click(bench.steps[step])
            if tool:
                click(bench.tool_buttons[tool])
                press_at(w, (float(time_px(np.array(1.0))), float(share_px(np.array(40.0)))))
            for gesture in list(controls(w)) if tool in ("", "points", "bars") else ():
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
        done_.append(random_gesture(w, rng))
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
        code = trace(*[int(word) for word in (sys.argv[1:] or ("4", "60"))])
    except Exception:  # the window's own hook would keep it to itself
        traceback.print_exc()
        code = 1
    sys.stdout.flush()
    os._exit(code)
