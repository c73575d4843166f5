"""The recovery copy: a study kept in a folder while it is worked on, apart from the user's own file.

Numbers, imported files and fits are written once, by their hashes; an edit writes ``study.json`` anew, no more.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from pathlib import Path

from pydantic import BaseModel, ConfigDict, ValidationError

from curvesieve.core.errors import InputError
from curvesieve.core.files import is_running, write_bytes
from curvesieve.core.study.document import Document
from curvesieve.core.study.store import array_bytes, study_of
from curvesieve.core.study.study import Study

_FOLDER_MODE = 0o700


class _About(BaseModel):
    """What stands beside the copy: whose it is, and what it is a copy of."""

    model_config = ConfigDict(frozen=True, defer_build=True)

    process: int
    began: str = ""
    """When the process began, as the system counts: numbers of processes come again."""
    path: str = ""
    title: str = ""
    curves: int = 0
    saved: bool = False
    """The study is as the file has it; the copy is there for the files that wait."""
    waiting: tuple[str, ...] = ()
    """Files that were on the Intake bench."""
    stamp: tuple[int, int, int] | None = None
    """What the study's file was when it was opened or saved, so that a change from outside is noticed later."""


@dataclass(frozen=True)
class Found:
    """A copy that its process left behind. `path` is the study's own file, where it had one."""

    folder: Path
    when: datetime
    title: str
    path: Path | None
    curves: int
    waiting: tuple[Path, ...]
    stamp: tuple[int, int, int] | None
    has_study: bool
    """Whether the copy has edits that the study's own file has not."""


def _beginning(process: int) -> str:
    """When a process began, in the kernel's ticks; empty where that is not told."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""


def _numbers(study: Study, key: str) -> bytes:
    return array_bytes(study.arrays[key])


def _result(study: Study, key: str) -> bytes:
    return study.results[key].model_dump_json().encode()


class Keeper:
    """Writes the copy of one sitting to a folder of its own. To be called from one thread at a time."""

    def __init__(self, root: Path) -> None:
        self.folder = root / f"{datetime.now():%Y%m%d-%H%M%S}-{os.getpid()}"
        self._written: set[str] = set()
        self._document: Document | None = None
        self._about: _About | None = None

    def keep(
        self,
        study: Study,
        path: Path | None,
        saved: bool,
        waiting: Sequence[Path] = (),
        stamp: tuple[int, int, int] | None = None,
    ) -> None:
        """Brings the copy up to date; with nothing to lose there is none. Raises InputError when it cannot be."""
        if saved and not waiting:
            self.clear()
            return
        document = study.document
        about = _About(
            process=os.getpid(), began=_beginning(os.getpid()), path=str(path or ""), title=document.title,
            curves=len(document.curves), saved=saved, waiting=tuple(str(file) for file in waiting), stamp=stamp,
        )  # fmt: skip
        if document is self._document and about == self._about:
            return
        for folder in (
            self.folder.parent,
            self.folder,
            *(self.folder / part for part in ("records", "sources", "results")),
        ):
            folder.mkdir(mode=_FOLDER_MODE, parents=True, exist_ok=True)
        if not saved and document is not self._document:
            whole = study.settled()
            held = whole.document.holds()
            for key in held.arrays:
                self._put(f"records/{key}.npy", partial(_numbers, study, key))
            for key in held.sources:
                self._put(f"sources/{key}", partial(study.sources.__getitem__, key))
            for key in held.results:
                self._put(f"results/{key}.json", partial(_result, whole, key))
            self._write("study.json", whole.document.model_dump_json().encode())
            self._document = document
        self._write("about.json", about.model_dump_json().encode())
        self._about = about

    def _put(self, name: str, content: Callable[[], bytes]) -> None:
        """Writes a part that never changes, once."""
        if name not in self._written:
            self._write(name, content())
            self._written.add(name)

    def _write(self, name: str, content: bytes) -> None:
        write_bytes(self.folder / name, content, private=True)

    def clear(self) -> None:
        """Takes the copy away: a clean end, or a study that is saved."""
        if self._about is not None or self.folder.exists():
            remove(self.folder)
        self._written, self._document, self._about = set(), None, None


def remove(folder: Path) -> None:
    """Takes a copy away for good."""
    shutil.rmtree(folder, ignore_errors=True)


def left_behind(root: Path) -> list[Found]:
    """The copies whose processes ended without a clean end, the newest first. Empty or unreadable ones are left out."""
    found = []
    for about_file in root.glob("*/about.json"):
        try:
            about = _About.model_validate_json(about_file.read_bytes())
        except (OSError, ValidationError):
            continue
        if is_running(about.process) and about.began == _beginning(about.process):
            continue
        folder = about_file.parent
        has_study = not about.saved and (folder / "study.json").exists()
        latest = max(file.stat().st_mtime for file in folder.glob("*.json"))
        found.append(
            Found(
                folder, datetime.fromtimestamp(latest), about.title, Path(about.path) if about.path else None,
                about.curves, tuple(Path(file) for file in about.waiting), about.stamp, has_study,
            )
        )  # fmt: skip
    return sorted(found, key=lambda one: one.when, reverse=True)


def recovered(found: Found) -> Study:
    """The study of a copy, checked like any study file. Raises InputError when the copy is damaged."""

    def part(name: str) -> bytes:
        try:
            return (found.folder / name).read_bytes()
        except OSError as error:
            raise InputError(f"The recovery copy in {found.folder} lacks {name}: {error.strerror or error}.") from error

    return study_of(part, "The recovery copy")


def age(when: datetime, now: datetime) -> str:
    """How long ago that was, in words: ``12 minutes ago``."""
    seconds = max((now - when).total_seconds(), 0.0)
    for size, name in ((86400, "day"), (3600, "hour"), (60, "minute")):
        if seconds >= size:
            count = int(seconds // size)
            return f"{count} {name}{'s' if count > 1 else ''} ago"
    return "a moment ago"
