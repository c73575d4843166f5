"""Writing files whole or not at all."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from curvesieve.core.errors import InputError


def write_whole(path: Path, write: Callable[[BinaryIO], None], private: bool = False) -> None:
    """Lets `write` fill a temporary file in the same folder, syncs it and renames it over `path`.

    A crash or a full disk leaves an older file as it was. A symbolic link stays one: what it points at is replaced. The
    older file's rights, owner and extended attributes are kept; a `private` new one is its owner's alone. Raises
    InputError with the reason, also for an older file that is marked read-only.
    """
    temporary = ""
    try:
        path = _target(path)
        handle, temporary = tempfile.mkstemp(prefix=_part_prefix(path, os.getpid()), suffix=_PART, dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        _take_after(path, temporary, private)
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


def _target(path: Path) -> Path:
    """What is to be replaced: where a symbolic link leads to. Raises InputError when that is marked read-only."""
    if path.is_symlink():
        path = path.resolve()
    if path.exists() and not (path.stat().st_mode & 0o222 and os.access(path, os.W_OK)):
        raise InputError(
            f"{path.name} in {path.parent} is marked read-only and was not changed. Save under another name, or give "
            "yourself the right to write it."
        )
    return path


_PART = ".part"
_STAMP_NAME = 40
"""Characters of a file's name that stand in the name of its part: names may be as long as the file system allows."""


def _part_prefix(path: Path, process: int) -> str:
    return f".{path.name[:_STAMP_NAME]}.{process}-"


def remove_left_over_parts(path: Path) -> None:
    """Removes what saves of this file left behind when their process was killed; those of living ones stay."""
    start = f".{path.name[:_STAMP_NAME]}."
    with contextlib.suppress(OSError):
        for part in path.parent.iterdir():
            process = part.name.removeprefix(start).partition("-")[0]
            is_part = part.name.startswith(start) and part.name.endswith(_PART) and process.isdigit()
            if is_part and not is_running(int(process)):
                part.unlink(missing_ok=True)


def is_running(process: int) -> bool:
    """Whether a process of that number is there."""
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        pass  # it is there, and somebody else's
    return True


def stamp(path: Path) -> tuple[int, int, int] | None:
    """What changes when somebody else writes a file: its time, size and number; None when it is not there."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size, found.st_ino


def write_text(path: Path, text: str) -> None:
    """A text file in UTF-8, written whole; line ends are kept as they are."""
    write_bytes(path, text.encode("utf-8"))


def write_bytes(path: Path, content: bytes, private: bool = False) -> None:
    """A file of these bytes, written whole."""

    def write(file: BinaryIO) -> None:
        file.write(content)

    write_whole(path, write, private)


def _take_after(path: Path, temporary: str, private: bool) -> None:
    """Gives a new file the rights, owner and attributes of the one it replaces, or those a new file would get."""
    if not path.exists():
        mask = os.umask(0)
        os.umask(mask)
        os.chmod(temporary, 0o600 if private else 0o666 & ~mask)
        return
    old = path.stat()
    with contextlib.suppress(OSError):  # only root may give files away; a group of one's own can be kept
        os.chown(temporary, old.st_uid, old.st_gid)
    os.chmod(temporary, old.st_mode & 0o7777)
    with contextlib.suppress(OSError):
        for name in os.listxattr(path):
            os.setxattr(temporary, name, os.getxattr(path, name))


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
