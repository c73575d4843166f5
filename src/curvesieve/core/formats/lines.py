"""The lines of a text without taking it apart: a file of a million rows is looked at in a few places only."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import overload

import numpy as np

_PIECE = 2**22


class Lines(Sequence[str]):
    """Lines of encoded text, found by their ends and decoded when asked for. LF, CRLF and CR end a line.

    The encoding must keep line ends as single bytes (UTF-8, Latin-1 and their like do; UTF-16 does not).
    """

    def __init__(self, content: bytes, encoding: str) -> None:
        if b"\r" in content:
            content = content.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
        self.content, self.encoding = content, encoding
        codes = np.frombuffer(content, dtype=np.uint8)
        # In pieces, so that the comparison does not take as much memory as the file.
        ends = np.concatenate(
            [np.flatnonzero(codes[at : at + _PIECE] == ord("\n")) + at for at in range(0, codes.size, _PIECE)]
            or [np.empty(0, dtype=np.int64)]
        )
        if content and not content.endswith(b"\n"):
            ends = np.append(ends, len(content))
        self._ends = ends
        self._starts = np.concatenate([np.zeros(min(1, ends.size), dtype=ends.dtype), ends[:-1] + 1])

    def __len__(self) -> int:
        return int(self._ends.size)

    @overload
    def __getitem__(self, row: int) -> str: ...
    @overload
    def __getitem__(self, row: slice) -> list[str]: ...
    def __getitem__(self, row: int | slice) -> str | list[str]:
        if isinstance(row, slice):
            return [self[i] for i in range(*row.indices(len(self)))]
        return self.content[int(self._starts[row]) : int(self._ends[row])].decode(self.encoding, "replace")

    def span(self, first: int, last: int) -> tuple[int, int]:
        """Where row first begins and row last ends in `content`."""
        return int(self._starts[first]), int(self._ends[last])

    def open(self, first: int, last: int) -> io.BytesIO:
        """The rows from first to last as a file; nothing is copied when they are the last ones."""
        begin, end = self.span(first, last)
        if end >= len(self.content) - 1:
            file = io.BytesIO(self.content)
            file.seek(begin)
            return file
        return io.BytesIO(self.content[begin:end])
