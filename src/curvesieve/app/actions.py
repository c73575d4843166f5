"""Every action once: its words, its keys, what it does. Shortcuts and the finder read this list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QKeySequence

from curvesieve.core.steps import registered_steps

if TYPE_CHECKING:
    from curvesieve.app.window import Window


@dataclass(frozen=True)
class ActionRow:
    """One action. `enabled` is asked whenever the study changes; `words` are others that it is found by."""

    text: str
    keys: str
    run: Callable[[], object]
    enabled: Callable[[], bool] = lambda: True
    words: str = ""
    bench: str = ""
    """The bench on which it works; empty: any. What acts on the curve in hand does so where the curve is seen."""


def action_rows(window: Window) -> list[ActionRow]:
    """All actions of the window."""
    session, bench = window.session, window.curve_bench

    def has_curve() -> bool:
        return session.entry is not None

    def has_terms() -> bool:
        return bool(session.model.terms)

    def has_readings() -> bool:
        return bool(bench.ledger.ledger.columns)

    return [
        ActionRow("Open a study…", "Ctrl+O", window.study_files.ask_open),
        ActionRow("Save the study", "Ctrl+S", window.study_files.save),
        ActionRow("Save the study as…", "Ctrl+Shift+S", window.study_files.ask_save_as),
        ActionRow("The study's menu: recent studies, recover…", "F10", window.header.open_menu),
        ActionRow("Begin a new study", "Ctrl+N", window.study_files.new),
        ActionRow("Look at the demo", "", window.study_files.open_demo, words="example sample tour help"),
        ActionRow("Bring in files…", "Ctrl+I", window.ask_files),
        ActionRow("Paste a table", "Ctrl+V", window.paste),
        ActionRow("Undo", "Ctrl+Z", session.undo, lambda: bool(session.undo_label)),
        ActionRow("Redo", "Ctrl+Shift+Z", session.redo, lambda: bool(session.redo_label)),
        ActionRow("Show the whole curve", "Home", bench.canvas.show_all, has_curve, bench="Curve"),
        ActionRow(
            "The plot alone, or all around it",
            "F11",
            window.show_plot_alone,
            has_curve,
            "fold full large zoom",
            bench="Curve",
        ),
        ActionRow("Fold or open the sieve", "", bench.sieve.heading.click, bench="Curve"),
        ActionRow("Fold or open the model", "", bench.model.heading.click, bench="Curve"),
        ActionRow("Fold or open the drawer", "", bench.drawer.heading.click, bench="Curve"),
        ActionRow("Fold or open the catch strip", "", bench.canvas.strip.title.click, bench="Curve"),
        ActionRow("Logarithmic x axis on or off", "", bench.canvas.x_scale.click, has_curve, bench="Curve"),
        ActionRow("Logarithmic y axis on or off", "", bench.canvas.y_scale.click, has_curve, bench="Curve"),
        ActionRow("Add a step…", "Ctrl+Shift+A", bench.sieve.open_list, has_curve, bench="Curve"),
        ActionRow("Add a peak at an x…", "", window.ask_peak, has_curve, "center", "Curve"),
        ActionRow("Fit the model", "F5", bench.model.foot.fit.click, has_terms, bench="Curve"),
        ActionRow("Read starts off the data", "", session.modelling.read_starts, has_terms, bench="Curve"),
        ActionRow("Choose a law, or type a formula…", "Ctrl+L", bench.model.open_terms, has_curve, bench="Curve"),
        ActionRow("Find starts in the data", "F6", session.modelling.find_starts, has_terms, bench="Curve"),
        ActionRow("Save the formula as a term of your own…", "", bench.model.ask_save_term, has_terms, bench="Curve"),
        ActionRow(
            "The numbers of the curve; ask for y at an x",
            "Ctrl+P",
            lambda: bench.drawer.show_page("Points"),
            has_curve,
            "table points mean extremes read value",
            "Curve",
        ),
        ActionRow("What the fit says", "Ctrl+R", lambda: bench.drawer.show_page("Result"), has_curve, bench="Curve"),
        ActionRow("Compare models", "", lambda: bench.drawer.show_page("Compare"), has_curve, bench="Curve"),
        ActionRow("Straighten the axes", "", lambda: bench.drawer.show_page("Straighten"), has_curve, bench="Curve"),
        ActionRow("Remove the model", "", window.remove_model, has_terms, bench="Curve"),
        ActionRow("Copy the ledger", "Ctrl+Shift+C", bench.ledger.copy_table, has_readings, bench="Curve"),
        ActionRow("Write the ledger as CSV…", "", bench.ledger.ask_and_write, has_readings, bench="Curve"),
        ActionRow("Rename the curve… (F2 on the shelf)", "", window.shelf.rename_in_hand, has_curve, bench="Curve"),
        ActionRow("Remove the curve from the study", "", window.shelf.remove_in_hand, has_curve, bench="Curve"),
        ActionRow("Look at the record's numbers", "Ctrl+T", window.exports.show_numbers, has_curve, bench="Curve"),
        ActionRow("Write the curve as a file…", "Ctrl+E", window.exports.ask_curve, has_curve, bench="Curve"),
        ActionRow("Write the record as a file…", "", window.exports.ask_record, has_curve, bench="Curve"),
        ActionRow("Simulate a curve, or make a histogram…", "", window.show_making),
        ActionRow("Go to the Intake bench", "Ctrl+1", lambda: window.show_bench("Intake")),
        ActionRow("Go to the Curve bench", "Ctrl+2", lambda: window.show_bench("Curve")),
        ActionRow("Light colours", "", lambda: window.use_scheme("light")),
        ActionRow("Dark colours", "", lambda: window.use_scheme("dark")),
        ActionRow("Colours of the system", "", lambda: window.use_scheme("")),
        ActionRow("Close the window", "Ctrl+Q", lambda: (window.window() or window).close()),
    ]


def step_rows(window: Window) -> list[ActionRow]:
    """An action for each step; made when the finder is first opened, as it loads all steps."""
    session, bench = window.session, window.curve_bench
    return [
        ActionRow(
            f"Add a step: {step.label}",
            "",
            lambda s=step: bench.sieve.add_step(s),
            lambda: session.entry is not None,
            f"{step.summary} {step.words}",
            "Curve",
        )
        for step in registered_steps().values()
    ]


def make_actions(window: Window, rows: list[ActionRow]) -> list[QAction]:
    """QActions of the window, with their shortcuts in force, kept enabled or not as the study changes."""
    made: list[tuple[QAction, ActionRow]] = []
    for row in rows:
        action = QAction(row.text, window)
        if row.keys:
            action.setShortcut(QKeySequence(row.keys))
        action.triggered.connect(lambda _=False, row=row: row.run())
        action.setData(row.words)
        window.addAction(action)
        made.append((action, row))

    def refresh() -> None:
        for action, row in made:
            action.setEnabled(row.bench in ("", window.bench) and row.enabled())

    window.session.changed.connect(lambda old, new: refresh())
    window.session.view_changed.connect(lambda old, new: refresh())
    window.bench_changed.connect(refresh)
    refresh()
    return [action for action, _ in made]
