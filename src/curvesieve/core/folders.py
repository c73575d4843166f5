"""Where the user's own files of the application lie, by the XDG base directories."""

from __future__ import annotations

import os
from pathlib import Path


def application_folder(name: str) -> Path:
    """The folder of that name among the application's data: patterns, sieves, lines, a demo."""
    base = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return Path(base) / "curvesieve" / name


def state_folder() -> Path:
    """Where the log, the recovery copies and what the window remembers go. It may not be there yet."""
    base = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(base) / "curvesieve"
