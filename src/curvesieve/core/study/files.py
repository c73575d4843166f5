"""Writing files whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from curvesieve.core.errors import InputError


def write_whole(path: Path, write: Callable[[BinaryIO], None]) -> None:
    """Lets `write` fill a temporary file in the same folder, syncs it and renames it over `path`.

    A crash or a full disk leaves an older file as it was. Raises InputError with the reason.
    """
    temporary = ""
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, _mode(path))
        os.replace(temporary, path)
        _sync_folder(path.parent)
    except OSError as error:
        raise InputError(
            f"{path.name} cannot be written to {path.parent}: {error.strerror or error}. "
            "Choose another folder; an older file there is unchanged."
        ) from error
    finally:
        if temporary:
            Path(temporary).unlink(missing_ok=True)


def write_text(path: Path, text: str) -> None:
    """A text file in UTF-8, written whole; line ends are kept as they are."""
    write_bytes(path, text.encode("utf-8"))


def write_bytes(path: Path, content: bytes) -> None:
    """A file of these bytes, written whole."""

    def write(file: BinaryIO) -> None:
        file.write(content)

    write_whole(path, write)


def _mode(path: Path) -> int:
    """The permissions of the file that is replaced, or those a new file would get."""
    if path.exists():
        return path.stat().st_mode & 0o777
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask


def _sync_folder(folder: Path) -> None:
    """Makes the rename itself survive a power cut; where folders cannot be synced, the file still is."""
    try:
        descriptor = os.open(folder, os.O_RDONLY)
    except OSError:
        return
    try:
        os.fsync(descriptor)
    except OSError:
        pass
    finally:
        os.close(descriptor)
