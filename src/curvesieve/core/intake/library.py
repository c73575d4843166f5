"""Reading patterns saved by name: one open JSON file each, found again for the next file of their kind."""

from __future__ import annotations

from collections.abc import Sequence

from curvesieve.core.formats import Table
from curvesieve.core.intake.pattern import Pattern, fitting, guess
from curvesieve.core.named_files import NamedFiles

PATTERN_FILES = NamedFiles(
    "reading pattern",
    "patterns",
    ".pattern.json",
    Pattern.model_validate,
    lambda pattern: pattern.model_dump(mode="json"),
    lambda pattern: pattern.name,
    lambda pattern, name: pattern.model_copy(update={"name": name}),
)
"""Patterns that users keep; the newest that fits a file is put to it."""


def recognise(table: Table, saved: Sequence[Pattern]) -> tuple[Table, Pattern]:
    """The table and its pattern: the first saved one that fits, or else the one that the table suggests."""
    for pattern in saved:
        try:
            fits = fitting(pattern, table)
        except (LookupError, ValueError):  # a pattern with rows or signs that make no sense fits nothing
            continue
        if fits is not None:
            return fits, pattern
    return table, guess(table)
