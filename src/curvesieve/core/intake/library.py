"""Reading patterns saved by name: one open JSON file each, found again for the next file of their kind."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from pydantic import ValidationError

from curvesieve.core.errors import InputError
from curvesieve.core.formats import Table
from curvesieve.core.intake.pattern import Pattern, fitting, guess

SUFFIX = ".pattern.json"
_MAX_BYTES = 2**20


def save_pattern(pattern: Pattern, folder: Path) -> Path:
    """Writes a pattern under its name, in the place of an older one of that name; raises InputError with the reason."""
    slug = re.sub(r"[^\w-]+", "-", pattern.name).strip("-")
    if not slug:
        raise InputError("A pattern needs a name with a letter or a number in it.")
    path = folder / f"{slug}{SUFFIX}"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path.write_text(pattern.model_dump_json(indent=1) + "\n", encoding="utf-8")
    except OSError as error:
        raise InputError(f"{path.name} cannot be written to {folder}: {error.strerror or error}.") from error
    return path


def load_patterns(folder: Path) -> tuple[list[Pattern], list[str]]:
    """The saved patterns, the newest first, and a sentence for each file that is none."""
    patterns, problems = [], []
    try:
        paths = sorted(folder.glob(f"*{SUFFIX}"), key=lambda path: path.stat().st_mtime, reverse=True)
    except OSError:
        return [], []
    for path in paths:
        try:
            with path.open("rb") as file:
                patterns.append(Pattern.model_validate_json(file.read(_MAX_BYTES)))
        except (ValidationError, OSError):
            problems.append(f"The reading pattern {path.name} in {folder} is damaged; save it anew or remove it.")
    return patterns, problems


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
