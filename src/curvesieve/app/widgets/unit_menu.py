"""The menu that offers units of the same kind."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QInputDialog, QWidget

from curvesieve.app.widgets.menu import MenuRow
from curvesieve.core import units


def unit_rows(parent: QWidget, now: str, is_chosen: bool, choose: Callable[[str], object]) -> list[MenuRow]:
    """Rows for the units that a number in the unit `now` can be shown in; an empty choice gives back its own."""

    def ask() -> None:
        text, ok = QInputDialog.getText(parent, "Another unit", "Unit, such as GPa or N/mm^2", text=now)
        if ok and text.strip() != now:
            choose(text.strip())

    rows: list[MenuRow] = [(units.shown(unit) or "no unit", partial(choose, unit)) for unit in units.of_kind(now)]
    if is_chosen:
        rows.insert(0, ("As it follows from the curve", partial(choose, "")))
    return [*rows, *([("", None)] if rows else []), ("Another unit…", ask)]
