"""The lines of a text without taking it apart: a file of a million rows is looked at in a few places only."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import overload

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.record import Content

_PIECE = 2**22


def pieces(content: Content) -> Iterator[tuple[int, bytes]]:
    """The content in pieces of some MiB, each with the place where it begins."""
    for at in range(0, len(content), _PIECE):
        yield at, content[at : at + _PIECE]


class Lines(Sequence[str]):
    """Lines of encoded text, found by their ends and decoded when asked for. LF, CRLF and CR end a line.

    The encoding must keep line ends as single bytes (UTF-8, Latin-1 and their like do; UTF-16 does not). `begin` is
    where the text begins, behind a byte order mark.
    """

    def __init__(self, content: Content, encoding: str, begin: int = 0) -> None:
        if isinstance(content, bytes) and b"\r" in content and content.count(b"\r") > content.count(b"\r\n"):
            content = content.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
        self.content, self.encoding, self._begin = content, encoding, begin
        self._ends = _line_ends(content)

    def __len__(self) -> int:
        return int(self._ends.size)

    @overload
    def __getitem__(self, row: int) -> str: ...
    @overload
    def __getitem__(self, row: slice) -> list[str]: ...
    def __getitem__(self, row: int | slice) -> str | list[str]:
        if isinstance(row, slice):
            first, stop, step = row.indices(len(self))
            if first >= stop or step != 1:
                return [self[i] for i in range(first, stop, step)]
            return self.bytes_of(first, stop - 1).decode(self.encoding, "replace").replace("\r", "").split("\n")
        row = range(len(self))[row]
        return self.bytes_of(row, row).decode(self.encoding, "replace").rstrip("\r")

    def bytes_of(self, first: int, last: int) -> bytes:
        """The bytes of the rows from first to last, without the last one's end."""
        begin, end = self.span(first, last)
        return self.content[begin:end]

    def span(self, first: int, last: int) -> tuple[int, int]:
        """Where in the content the rows from first to last begin and end."""
        return int(self._ends[first - 1]) + 1 if first else self._begin, int(self._ends[last])


def holds(lines: Sequence[str], sign: str, first: int, last: int) -> bool:
    """Whether a character stands in the rows from first to last; of `Lines` none is decoded."""
    return bool(held(lines, [sign], first, last))


def held(lines: Sequence[str], signs: Sequence[str], first: int, last: int) -> list[str]:
    """Which of some characters stand in the rows from first to last, looked for in one go."""
    if not isinstance(lines, Lines):
        return [sign for sign in signs if any(sign in line for line in lines[first : last + 1])]
    marks = {sign: mark for sign in signs if (mark := sign.encode(lines.encoding, "ignore"))}
    longest = max(map(len, marks.values()), default=0)
    begin, end = lines.span(first, last)
    found: list[str] = []
    for at in range(begin, end, _PIECE):
        piece = lines.content[at : min(at + _PIECE + longest, end)]
        plain = piece.isascii()  # a fast look, which spares those for marks that are not
        seen = [s for s, mark in marks.items() if not (plain and not mark.isascii()) and mark in piece]
        found += seen
        for sign in seen:
            del marks[sign]
        if not marks:
            break
    return [sign for sign in signs if sign in found]


def _line_ends(content: Content) -> NDArray[np.int64]:
    found = [np.flatnonzero(np.frombuffer(piece, dtype=np.uint8) == ord("\n")) + at for at, piece in pieces(content)]
    if len(content) and (not found[-1].size or found[-1][-1] != len(content) - 1):
        found.append(np.array([len(content)]))
    return np.concatenate(found) if found else np.empty(0, dtype=np.int64)
