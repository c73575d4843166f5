"""Compressed files, opened with a limit: a small file must not unpack into one that fills the memory."""

from __future__ import annotations

import gzip
import io
import zipfile
import zlib

from curvesieve.core.errors import InputError
from curvesieve.core.record import Source

MAX_UNPACKED = 512 * 2**20
_MAX_RATIO = 300
_SMALL = 2**20
_PIECE = 2**22


def unzip_gzip(source: Source) -> bytes:
    """The content of a gzip file; raises InputError when it is damaged or unpacks to too much."""
    try:
        with gzip.GzipFile(fileobj=io.BytesIO(source.held)) as file:
            pieces, total = [], 0
            limit = min(MAX_UNPACKED, max(_SMALL, _MAX_RATIO * len(source.held)))
            while total <= limit and (piece := file.read(_PIECE)):
                pieces.append(piece)
                total += len(piece)
    except (OSError, EOFError, zlib.error) as error:
        raise InputError(f"{source.name} is a damaged or truncated gzip file ({error}).") from error
    if total > limit:
        raise InputError(
            f"{source.name} unpacks from {len(source.held) / 2**10:.0f} KiB to more than {limit / 2**20:.0f} MiB; "
            "so much out of so little is not read."
        )
    return b"".join(pieces)


def checked_zip(source: Source) -> zipfile.ZipFile:
    """The ZIP archive of a spreadsheet or of arrays; raises InputError when damaged or suspiciously small."""
    try:
        archive = zipfile.ZipFile(io.BytesIO(source.held))
        members = archive.infolist()
    except (zipfile.BadZipFile, ValueError, NotImplementedError) as error:
        raise InputError(f"{source.name} is damaged or cut short ({error}).") from error
    total = sum(member.file_size for member in members)
    packed = sum(member.compress_size for member in members)
    if total > MAX_UNPACKED or (total > _SMALL and total > _MAX_RATIO * max(packed, 1)):
        raise InputError(
            f"{source.name} unpacks from {packed / 2**10:.0f} KiB to {total / 2**20:.0f} MiB; "
            "so much out of so little is not read."
        )
    return archive
