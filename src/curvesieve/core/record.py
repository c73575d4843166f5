"""The record: one imported table, kept exactly as it was read."""

from __future__ import annotations

import hashlib
import os
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError, counted, nearest

Floats = NDArray[np.float64]


class FileBytes:
    """The bytes of a file too large to be held, read in pieces when asked for.

    Raises InputError when the file is gone or became shorter meanwhile.
    """

    def __init__(self, path: Path, size: int) -> None:
        self.path, self.size = path, size
        self._file = path.open("rb", buffering=0)

    def __len__(self) -> int:
        return self.size

    def __getitem__(self, place: slice) -> bytes:
        begin, end, _ = place.indices(self.size)
        found = []
        while begin < end:
            piece = os.pread(self._file.fileno(), min(end - begin, 2**30), begin)
            if not piece:
                raise InputError(f"{self.path.name} became shorter while it was read; wait until it is complete.")
            found.append(piece)
            begin += len(piece)
        return found[0] if len(found) == 1 else b"".join(found)


Content = bytes | FileBytes
"""A file's bytes: held, or read in pieces. Both know their length and give slices."""


@dataclass(frozen=True, eq=False)
class Source:
    """The file a record came from: its name, where it lay, and its very bytes."""

    name: str
    content: Content = field(repr=False)
    path: str = ""

    @property
    def held(self) -> bytes:
        """The bytes, where they are held; empty for a file that is too large for it."""
        return self.content if isinstance(self.content, bytes) else b""

    @cached_property
    def sha256(self) -> str:
        """The SHA-256 of the bytes, in hexadecimal digits."""
        sha = hashlib.sha256()
        for at in range(0, len(self.content), 2**24):
            sha.update(self.content[at : at + 2**24])
        return sha.hexdigest()


@dataclass(frozen=True, eq=False)
class Channel:
    """A name, a unit and their numbers: float64, read-only, NaN where the file gives none."""

    name: str
    unit: str
    values: Floats

    @cached_property
    def extent(self) -> tuple[float, float] | None:
        """The smallest and the largest number; None where there is none."""
        finite = self.values[np.isfinite(self.values)]
        return (float(finite.min()), float(finite.max())) if finite.size else None

    @cached_property
    def digest(self) -> str:
        """The content hash of the values."""
        return hashlib.sha256(np.ascontiguousarray(self.values).data).hexdigest()


@dataclass(frozen=True, eq=False)
class Record:
    """A table of channels of equal length, with the way it was understood.

    `metadata` holds the `key: value` lines of the preamble; `notes` are sentences about what was left out or
    looks odd. Channels are found by name or by number from 1: ``record["Force"]``, ``record[2]``.
    """

    source: Source
    channels: tuple[Channel, ...]
    metadata: tuple[tuple[str, str], ...] = ()
    notes: tuple[str, ...] = ()

    def __len__(self) -> int:
        return int(self.channels[0].values.size) if self.channels else 0

    def index(self, name: str | int) -> int:
        """The position from 0 of a channel given by name or by number from 1; raises InputError."""
        names = [channel.name for channel in self.channels]
        if isinstance(name, str) and name in names:
            return names.index(name)
        if isinstance(name, int) or name.isdigit():
            if 1 <= int(name) <= len(names):
                return int(name) - 1
            raise InputError(f"{self.source.name} has {counted(len(names), 'channel')}; there is no number {name}.")
        folded = [known.casefold() for known in names]
        if name.casefold() in folded:
            return folded.index(name.casefold())
        raise InputError(f"{self.source.name} has no channel {name!r}; it has {', '.join(names)}{nearest(name, names)}")

    def __getitem__(self, name: str | int) -> Channel:
        return self.channels[self.index(name)]

    def curve(self, x: str | int = 1, y: str | int = 2, u: str | int | None = None) -> Curve:
        """The curve of two or three channels; rows without numbers in them are left out (see `missing`).

        Raises InputError where there is no such channel, or no row with numbers in all.
        """
        if len(self.channels) < 2:
            raise InputError(
                f"{self.source.name} has one column of numbers ({self.channels[0].name}); a curve needs two, x and y. "
                "Add the missing column to the file, or choose another file."
            )
        wanted = [self[x], self[y]] + ([] if u is None else [self[u]])
        keep = np.logical_and.reduce([np.isfinite(channel.values) for channel in wanted])
        if not keep.any():
            raise InputError(f"{self.source.name}: no row has a number in both {wanted[0].name} and {wanted[1].name}.")
        xs, ys, *us = (channel.values if keep.all() else channel.values[keep] for channel in wanted)
        return Curve(
            xs,
            ys,
            us[0] if us else None,
            x_label=wanted[0].name,
            y_label=wanted[1].name,
            x_unit=wanted[0].unit,
            y_unit=wanted[1].unit,
        )

    def guess_xy(self) -> tuple[int, int]:
        """Positions from 0 of the channels most likely to be x and y.

        x is the channel so named, or else the first whose values run one way; y is the first of the others.
        Raises InputError when there is one channel only.
        """
        if len(self.channels) < 2:
            self.curve()  # raises, with the sentence
        for i, channel in enumerate(self.channels):
            if channel.name.casefold() == "x":
                return i, 1 if i == 0 else 0
        for i, channel in enumerate(self.channels):
            steps = np.diff(channel.values[np.isfinite(channel.values)])
            if steps.size and (np.all(steps > 0) or np.all(steps < 0)):
                return i, 1 if i == 0 else 0
        return 0, 1
