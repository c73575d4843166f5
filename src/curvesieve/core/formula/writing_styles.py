"""What scientists write, turned into the formula language character by character: ``2x``, ``×``, ``²``, ``√``, ``|x|``.

Nothing is guessed: a product without its sign is read only where nothing else can be meant. Every character of the
result knows the place in the text that it comes from.
"""

from __future__ import annotations

import re

from curvesieve.core.errors import FormulaError

KEYWORD = "kw__"
"""Put before names such as ``lambda``, which Python keeps for itself; taken off again when the tree is checked."""
_SAME = {"^": "**", "·": "*", "⋅": "*", "×": "*", "∙": "*", "÷": "/", "∕": "/", "−": "-", "–": "-"}
_SUPER = dict(zip("⁰¹²³⁴⁵⁶⁷⁸⁹⁻⁺", "0123456789-+", strict=True))
_SUB = dict(zip("₀₁₂₃₄₅₆₇₈₉", "0123456789", strict=True))
_NUMBER = re.compile(r"(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?")
_CLOSES, _DIVIDES = ")", ("/", "*" * 2)


def _is_name(character: str) -> bool:
    return character not in _SUPER and (character == "_" or character.isalnum())


class Reader:
    """Reads one expression; `pieces` are its parts in Python's syntax, `places` where each byte of them stands."""

    def __init__(self, text: str, start: int) -> None:
        self.text, self.start = text, start
        self.pieces: list[str] = []
        self.places: list[int] = []
        self._divided: list[bool] = []
        """For each open bracket, whether what it belongs to stands behind a / or a power."""
        self._bars: list[int] = []
        self._operand = False
        """Whether the last thing read was a number, a name or a closed bracket."""
        self._behind_division = False
        """Whether that operand stands behind a / or a power."""
        self._read()

    def _emit(self, piece: str, at: int) -> None:
        self.pieces.append(piece)
        self.places += [self.start + at] * len(piece.encode())

    def _last(self) -> str:
        return next((piece for piece in reversed(self.pieces) if piece.strip()), "")

    def _read(self) -> None:
        text, i = self.text, 0
        while i < len(text):
            character = text[i]
            if character.isspace():
                self._emit(character, i)
                i += 1
            elif character in _SUPER:
                i = self._power(i)
            elif match := _NUMBER.match(text, i):
                i = self._operand_at(i, match.end(), is_number=True)
            elif character.isalpha() or character == "_":
                i = self._operand_at(i, self._end_of_name(i))
            elif character == "√":
                i = self._root(i)
            elif character == "|":
                self._bar(i)
                i += 1
            else:
                self._sign(character, i)
                i += 1
        if self._bars:
            raise FormulaError("This bar is never closed; add “|”.", self.start + self._bars[-1])

    def _end_of_name(self, i: int) -> int:
        while i < len(self.text) and _is_name(self.text[i]):
            i += 1
        return i

    def _operand_at(self, i: int, end: int, is_number: bool = False) -> int:
        word = self.text[i:end]
        self._product(i, before_number=is_number)
        if not is_number:
            word = "".join(_SUB.get(c, c) for c in word)
            if word == "lambda" and ":" not in self.text[end:]:  # Python's own lambda has a colon, and is refused
                word = f"{KEYWORD}{word}"
        self._behind_division = self._last() in _DIVIDES
        self._number = is_number
        for offset, piece in enumerate(word if word.startswith(KEYWORD) is False else [word]):
            self._emit(piece, min(i + offset, end - 1))
        self._operand = True
        return end

    _number = False

    def _product(self, at: int, before_number: bool = False, before_bracket: bool = False) -> None:
        """Puts a * where an operand follows another without a sign, if that can mean nothing else."""
        if not self._operand:
            return
        closed = self._last() == _CLOSES
        if not (self._number or closed) or (before_number and not closed):
            return  # two names, or f(…) of an unknown f: what was meant cannot be told
        if before_bracket and not (self._number or closed):
            return
        if self._behind_division:
            raise FormulaError(
                "A / or a power stands before this product without a sign; write the * and brackets.", self.start + at
            )
        self._emit("*", at)

    def _power(self, i: int) -> int:
        end = i
        while end < len(self.text) and self.text[end] in _SUPER:
            end += 1
        digits = "".join(_SUPER[c] for c in self.text[i:end])
        if not self._operand or not re.fullmatch(r"[+-]?\d+", digits):
            raise FormulaError("This power belongs to nothing.", self.start + i)
        self._emit(f"**({digits})", i)
        self._number = False
        return end

    def _root(self, i: int) -> int:
        self._product(i)
        self._behind_division = self._last() in _DIVIDES
        self._emit("sqrt", i)
        rest = self.text[i + 1 :].lstrip()
        at = len(self.text) - len(rest)
        if rest.startswith("("):
            self._operand, self._number = False, False
            return at
        match = _NUMBER.match(self.text, at)
        end = match.end() if match else self._end_of_name(at)
        if end == at:
            raise FormulaError("A root needs what stands under it: √x or √(x + 1).", self.start + i)
        behind = self._behind_division
        self._emit("(", at)
        self._operand = False
        self._operand_at(at, end, is_number=bool(match))
        self._emit(")", end - 1)
        self._operand, self._number, self._behind_division = True, False, behind
        return end

    def _bar(self, i: int) -> None:
        if self._bars and self._operand:
            self._bars.pop()
            self._emit(")", i)
            self._operand, self._number, self._behind_division = True, False, self._divided.pop()
            return
        self._product(i, before_bracket=True)
        self._divided.append(self._last() in _DIVIDES)
        self._bars.append(i)
        self._emit("abs(", i)
        self._operand = False

    def _sign(self, character: str, i: int) -> None:
        if ord(character) > 127 and character not in _SAME:
            raise FormulaError(f"{character!r} has no meaning here.", self.start + i)
        if character == "(":
            if self._operand and (self._number or self._last() == _CLOSES):
                self._product(i, before_bracket=True)
                behind = self._last() in _DIVIDES
            else:  # a call, or a bracket of its own
                behind = self._behind_division if self._operand else self._last() in _DIVIDES
            self._divided.append(behind)
            self._emit("(", i)
            self._operand = False
        elif character == ")":
            self._emit(")", i)
            self._operand, self._number = True, False
            self._behind_division = self._divided.pop() if self._divided else False
        elif character == "*" and self.pieces and self.pieces[-1] == "*":
            self.pieces[-1] = "**"
            self.places.append(self.start + i)
        else:
            self._emit(_SAME.get(character, character), i)
            self._operand = False
