"""The way in: a path or bytes become a Record, whatever the format."""

from __future__ import annotations

from pathlib import Path

from curvesieve.core.errors import InputError
from curvesieve.core.formats import text
from curvesieve.core.formats.layout import Layout
from curvesieve.core.record import Record, Source

MAX_BYTES = 512 * 2**20
"""Larger files are refused: the study keeps every source file's bytes."""


def read(path: str | Path) -> Record:
    """The record of a file. Raises InputError with one sentence when the file is missing, empty or not a table."""
    return read_bytes(load(path))


def load(path: str | Path) -> Source:
    """The bytes of a file, read once. Raises InputError when it is gone, unreadable, empty or too large."""
    path = Path(path)
    try:
        if path.is_dir():
            raise InputError(f"{path.name} is a folder; choose a file in it.")
        size = path.stat().st_size
        if size > MAX_BYTES:
            raise InputError(
                f"{path.name} has {size / 2**20:.0f} MiB; files up to {MAX_BYTES // 2**20} MiB can be read."
            )
        with path.open("rb") as file:
            content = file.read()
    except OSError as error:
        raise InputError(f"{path.name} cannot be read from {path.parent}: {error.strerror or error}.") from error
    if len(content) < size:
        raise InputError(f"{path.name} became shorter while it was read; wait until it is complete and try again.")
    return Source(path.name, content, str(path.absolute()))


def read_bytes(source: Source, layout: Layout | None = None) -> Record:
    """The record of bytes that are already in memory (a file, a pasted table); see `read`."""
    if not source.content.strip():
        raise InputError(f"{source.name} is empty; there is nothing to read in it.")
    return text.read_text(source, layout)
