"""The errors that are the input's fault, with the sentence that the user is shown."""

from __future__ import annotations


class InputError(ValueError):
    """Something given from outside is wrong: a file, a formula, a number.

    The message is one or two plain sentences: what is wrong, where, and what to do. Every other
    exception is a defect of ours.
    """


class Absent(InputError):
    """What was asked for is not there to be found, and that is no fault: a brittle material has no yield."""


class FormulaError(InputError):
    """A formula cannot be understood; `position` is the offending character, from 0."""

    def __init__(self, message: str, position: int | None = None) -> None:
        super().__init__(message)
        self.position = position


def nearest(word: str, choices: list[str]) -> str:
    """A hint such as ``; did you mean 'height'?``, or nothing when no choice is close."""
    import difflib

    match = difflib.get_close_matches(word, choices, n=1)
    return f"; did you mean {match[0]!r}?" if match else ""


def counted(count: int, noun: str) -> str:
    """``1 point``, ``7 points``, ``12,000 points``."""
    return f"{count:,} {noun}{'' if count == 1 else 's'}"
