"""What the window remembers from one run to the next: recent studies, its size, folds, colours."""

from __future__ import annotations

import contextlib
from pathlib import Path

from PyQt6.QtCore import QSettings, QSize

from curvesieve.core.folders import state_folder

_MOST_RECENT = 8


class Memory:
    """A small file among the application's own; one that cannot be read or written is as good as none."""

    def __init__(self) -> None:
        folder = state_folder()
        with contextlib.suppress(OSError):
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        self._settings = QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat)

    @property
    def recent(self) -> list[Path]:
        """The studies opened and saved last, newest first, as far as they are still there."""
        return [path for path in self._recent() if path.exists()]

    def _recent(self) -> list[Path]:
        found = self._settings.value("recent", [])
        names = [found] if isinstance(found, str) else found if isinstance(found, list) else []
        return [Path(str(name)) for name in names]

    def add_recent(self, path: Path) -> None:
        path = path.absolute()
        rest = [known for known in self._recent() if known != path]
        self._settings.setValue("recent", [str(known) for known in [path, *rest][:_MOST_RECENT]])

    @property
    def size(self) -> QSize | None:
        found = self._settings.value("size")
        return found if isinstance(found, QSize) and found.isValid() else None

    def keep_size(self, size: QSize, whole_screen: bool) -> None:
        self._settings.setValue("maximised", whole_screen)
        if not whole_screen:
            self._settings.setValue("size", size)

    @property
    def whole_screen(self) -> bool:
        return self._flag("maximised")

    def folded(self, name: str) -> bool:
        """Whether a part of the window was folded; open where nothing is known."""
        return self._flag(f"folds/{name}")

    def fold(self, name: str, on: bool) -> None:
        self._settings.setValue(f"folds/{name}", on)

    @property
    def scheme(self) -> str:
        """``light``, ``dark``, or empty for the system's."""
        found = str(self._settings.value("scheme", ""))
        return found if found in ("light", "dark") else ""

    @scheme.setter
    def scheme(self, name: str) -> None:
        self._settings.setValue("scheme", name)

    def _flag(self, name: str) -> bool:
        return str(self._settings.value(name, "false")).lower() == "true"
